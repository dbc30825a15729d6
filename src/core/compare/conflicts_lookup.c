/* SPDX-License-Identifier: Apache-2.0 */
#include "core/compare/conflicts_inner.h"

#include <string.h>

/* ---- Kinds ---- */

/* Statements about something that is there; they can be given again */
gboolean hb_conflicts_is_overlay(HbKind kind)
{
    return kind == HB_KIND_GRANT || kind == HB_KIND_COMMENT || kind == HB_KIND_SECURITY_LABEL ||
           kind == HB_KIND_DEFAULT_GRANT || kind == HB_KIND_ROW_SECURITY || kind == HB_KIND_REPLICA_IDENTITY ||
           kind == HB_KIND_DATABASE_OWNER || kind == HB_KIND_DATABASE_SETTING;
}

/* What goes when its table goes, and is nothing without it */
gboolean hb_conflicts_is_link(HbKind kind)
{
    return kind == HB_KIND_ATTACHMENT || kind == HB_KIND_INDEX_ATTACHMENT || kind == HB_KIND_SEQUENCE_LINK ||
           kind == HB_KIND_SEQUENCE_VALUE || kind == HB_KIND_REFRESH || kind == HB_KIND_PLACEHOLDER ||
           kind == HB_KIND_EXTENSION_LINK;
}

/* What holds others, or belongs to the server, is not ours to drop */
static gboolean is_container(HbKind kind)
{
    return (hb_kind_get_traits(kind)->part & (HB_PART_USERS | HB_PART_SETTINGS)) != 0 || kind == HB_KIND_TABLESPACE ||
           kind == HB_KIND_SCHEMA || kind == HB_KIND_EXTENSION || kind == HB_KIND_LANGUAGE ||
           kind == HB_KIND_ACCESS_METHOD || kind == HB_KIND_SUBSCRIPTION || kind == HB_KIND_LOADABLE_FUNCTION ||
           kind == HB_KIND_SPATIAL_REFERENCE;
}

gboolean hb_conflicts_is_droppable(HbKind kind)
{
    return kind != HB_KIND_ROWS && !hb_conflicts_is_overlay(kind) && !hb_conflicts_is_link(kind) && !is_container(kind);
}

gboolean hb_conflicts_is_part(const HbObject *object)
{
    return object->on != NULL || hb_conflicts_is_overlay(object->kind) || hb_conflicts_is_link(object->kind) ||
           object->kind == HB_KIND_ROWS;
}

/* ---- Looking things up ---- */

const HbObject *hb_conflicts_find_there(const HbConflicts *conflicts, const char *identity)
{
    return hb_catalog_find(conflicts->input->there, identity);
}

const HbObject *hb_conflicts_find_wanted(const HbConflicts *conflicts, const char *identity)
{
    return hb_catalog_find(conflicts->input->wanted, identity);
}

gboolean hb_conflicts_is_gone(const HbConflicts *conflicts, const char *identity)
{
    static const char placeholder[] = "placeholder ";

    if (g_str_has_prefix(identity, placeholder))
        identity += strlen(placeholder);
    return g_hash_table_contains(conflicts->outcome->gone, identity);
}

gboolean hb_conflicts_has_rows(const HbConflicts *conflicts, const char *identity)
{
    return g_hash_table_contains(conflicts->input->holding, identity);
}

/* Neither it nor what it is a part of was selected by name */
gboolean hb_conflicts_is_pulled_in(const HbConflicts *conflicts, const HbObject *object)
{
    GHashTable *pulled_in = conflicts->input->pulled_in;

    if (pulled_in == NULL)
        return FALSE;
    if (g_hash_table_contains(pulled_in, object->identity))
        return TRUE;
    if (object->on != NULL)
        return g_hash_table_contains(pulled_in, object->on);
    return hb_conflicts_is_part(object) && object->needs->len > 0 &&
           g_hash_table_contains(pulled_in, object->needs->pdata[0]);
}

gboolean hb_conflicts_needs_gone(const HbConflicts *conflicts, const HbObject *object)
{
    for (guint n = 0; n < object->needs->len; n++) {
        if (hb_conflicts_is_gone(conflicts, object->needs->pdata[n]))
            return TRUE;
    }
    return FALSE;
}

/* One of another kind has the name that a wanted relation is to have */
const HbObject *hb_conflicts_find_namesake(const HbConflicts *conflicts, const HbObject *wanted)
{
    for (guint kind = 0; hb_kind_is_relation(wanted->kind) && kind < HB_KIND_COUNT; kind++) {
        if (kind == wanted->kind || !hb_kind_is_relation(kind))
            continue;
        g_autofree char *identity = hb_identity_new(kind, hb_object_get_name(wanted));
        const HbObject *found = hb_conflicts_find_there(conflicts, identity);
        if (found != NULL)
            return found;
    }
    return NULL;
}
