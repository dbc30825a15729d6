/* SPDX-License-Identifier: Apache-2.0 */
#include "dump/invariants.h"

#include "core/base/error.h"

#include <string.h>

static gboolean broken(const HbObject *object, const char *how, GError **error)
{
    return hb_error_set(error, HB_ERROR_DAMAGED, "copy the dump again from where it is whole, or take a new one",
                        HB_MANIFEST_FILE ": %s %s", object->identity, how);
}

static gboolean needs_stand_before(const HbCatalog *catalog, guint place)
{
    const HbObject *object = hb_catalog_get(catalog, place);

    for (guint n = 0; n < object->needs->len; n++) {
        if (hb_catalog_find(catalog, object->needs->pdata[n]) == NULL ||
            hb_catalog_get_place(catalog, object->needs->pdata[n]) >= place)
            return FALSE;
    }
    return TRUE;
}

static gboolean is_identity(const char *text)
{
    const char *blank = strchr(text, ' ');
    g_autofree char *kind_name = blank != NULL ? g_strndup(text, (gsize)(blank - text)) : NULL;
    HbKind kind;

    return kind_name != NULL && hb_kind_find(kind_name, &kind);
}

gboolean hb_invariants_check(const HbManifest *manifest, GError **error)
{
    HbStage stage = 0;

    for (guint i = 0; i < hb_catalog_count(manifest->catalog); i++) {
        const HbObject *object = hb_catalog_get(manifest->catalog, i);
        if (!needs_stand_before(manifest->catalog, i))
            return broken(object, "needs an object that the dump does not hold before it", error);
        if (object->stage < stage)
            return broken(object, "stands behind objects of a later stage", error);
        if (object->on != NULL && !is_identity(object->on))
            return broken(object, "is on something that is no object", error);
        stage = object->stage;
    }
    return TRUE;
}

static gboolean lies_within(const HbSegment *segment, guint64 length)
{
    const guint64 all = segment->bytes + (segment->owner_bytes > 0 ? segment->owner_bytes + 1 : 0);

    return segment->at <= length && all <= length - segment->at;
}

gboolean hb_invariants_check_stage(const HbManifest *manifest, HbStage stage, guint64 length, GError **error)
{
    guint64 total = 0;

    for (guint i = 0; i < hb_catalog_count(manifest->catalog); i++) {
        const HbObject *object = hb_catalog_get(manifest->catalog, i);
        const HbSegment *segment = &g_array_index(manifest->segments, HbSegment, i);
        if (object->stage != stage || object->kind == HB_KIND_ROWS)
            continue;
        if (segment->bytes == 0)
            return broken(object, "has no definition", error);
        total += segment->bytes + segment->owner_bytes;
        if (!lies_within(segment, length))
            return broken(object, "has its definition outside of its stage's file", error);
        if (total > length)
            return broken(object, "shares its definition with others", error);
    }
    return TRUE;
}
