/* SPDX-License-Identifier: Apache-2.0 */
#include "work/source/adapt.h"

#include "core/base/error.h"
#include "core/select/rename.h"

#include <string.h>

/*
 * A catalog on its way from a source to a target, changed in place: it is the caller's copy. The order matters: owners
 * and grants first, then one rename after the other (so that two names can be swapped through a third), then the
 * target's version, then what the target's engine finds there. Each loss becomes an omission under the name that the
 * object has by then.
 */

static gboolean is_grant(const HbObject *object)
{
    return object->kind == HB_KIND_GRANT || object->kind == HB_KIND_DEFAULT_GRANT ||
           object->kind == HB_KIND_PARAMETER_GRANT || strcmp(object->identity, "database-setting grants") == 0;
}

static void disown_text(const HbEngine *engine, char **sql)
{
    char *disowned = *sql != NULL && engine->dialect->disown != NULL ? engine->dialect->disown(*sql) : NULL;

    if (disowned == NULL)
        return;
    g_free(*sql);
    *sql = disowned;
}

static void forget_owner(const HbEngine *engine, HbObject *object)
{
    g_clear_pointer(&object->owner, g_free);
    g_clear_pointer(&object->owner_sql, g_free);
    if (hb_kind_get_traits(object->kind)->part != HB_PART_SCHEMA)
        return;
    disown_text(engine, &object->definition);
    disown_text(engine, &object->stand_in);
}

static void rename_text(const HbEngine *engine, const HbObject *object, char **sql, HbRename *rename)
{
    char *renamed = *sql != NULL ? engine->dialect->rename(object, *sql, rename) : NULL;

    if (renamed == NULL)
        return;
    g_free(*sql);
    *sql = renamed;
}

void hb_adapt_definitions(HbCatalog *catalog, const HbEngine *engine, const HbRename *rename, gboolean tell)
{
    HbRename own = *rename;

    for (guint i = 0; i < hb_catalog_count(catalog); i++) {
        HbObject *object = hb_catalog_get(catalog, i);
        own.left = FALSE;
        rename_text(engine, object, &object->definition, &own);
        rename_text(engine, object, &object->owner_sql, &own);
        for (guint v = 0; object->wordings != NULL && v < object->wordings->len; v++)
            rename_text(engine, object, &((HbWording *)object->wordings->pdata[v])->definition, &own);
        if (own.left && tell) {
            g_autofree char *why = g_strdup_printf(
                "“%s” stands inside a string in it, which is left as it is: see whether it should follow",
                rename->old_name);
            g_autofree char *renamed = engine->dialect->rename_identity(object->identity, rename);
            hb_catalog_add_omission(catalog, renamed != NULL ? renamed : object->identity, why);
        }
    }
}

typedef struct {
    const HbEngine *engine;
    const HbRename *rename;
} Identities;

static char *rename_identity(gpointer data, const char *identity)
{
    const Identities *identities = data;

    return identities->engine->dialect->rename_identity(identity, identities->rename);
}

static void rename_owners(HbCatalog *catalog, const HbRename *rename)
{
    for (guint i = 0; i < hb_catalog_count(catalog); i++) {
        HbObject *object = hb_catalog_get(catalog, i);
        if (g_strcmp0(object->owner, rename->old_name) != 0)
            continue;
        g_free(object->owner);
        object->owner = g_strdup(rename->new_name);
    }
}

static void rename_property(HbCatalog *catalog, const char *name, const HbRename *rename)
{
    if (g_strcmp0(g_hash_table_lookup(hb_catalog_get_properties(catalog), name), rename->old_name) == 0)
        hb_catalog_set_property(catalog, name, rename->new_name);
}

/* ---- Two users become one ---- */

/* "membership ida in ida" */
static gboolean is_of_itself(const HbObject *object, const char *identity)
{
    static const char in[] = " in ";
    const char *name = strchr(identity, ' ') + 1, *at = strstr(name, in);

    return object->kind == HB_KIND_MEMBERSHIP && at != NULL && strlen(at + strlen(in)) == (gsize)(at - name) &&
           strncmp(name, at + strlen(in), (gsize)(at - name)) == 0;
}

/* The new name is that of another role that arrives; or the old one is a superuser, which no role becomes by a rename
 */
static gboolean is_merged(const HbCatalog *catalog, const HbEngine *engine, const HbRename *rename)
{
    for (guint i = 0; i < hb_catalog_count(catalog); i++) {
        const HbObject *object = hb_catalog_get(catalog, i);
        g_autofree char *renamed =
            object->kind == HB_KIND_ROLE ? engine->dialect->rename_identity(object->identity, rename) : NULL;
        if (renamed != NULL && strcmp(renamed, object->identity) != 0)
            return hb_catalog_find(catalog, renamed) != NULL || strstr(object->definition, " SUPERUSER") != NULL;
    }
    return FALSE;
}

/* What the one has been given is the other's from now on */
static void hand_over(HbObject *to, const HbObject *from)
{
    char *both = g_strconcat(to->definition, "\n", from->definition, NULL);

    g_free(to->definition);
    to->definition = both;
}

static void merge_users(HbCatalog *catalog, const HbEngine *engine, const HbRename *rename)
{
    g_autoptr(GHashTable) gone = g_hash_table_new(g_str_hash, g_str_equal);

    if (!is_merged(catalog, engine, rename))
        return;
    for (guint i = 0; i < hb_catalog_count(catalog); i++) {
        HbObject *object = hb_catalog_get(catalog, i);
        g_autofree char *renamed = engine->dialect->rename_identity(object->identity, rename);
        HbObject *other = renamed != NULL ? hb_catalog_find(catalog, renamed) : NULL;
        if (renamed == NULL || strcmp(renamed, object->identity) == 0)
            continue;
        if (hb_kind_is_personal(object->kind) || is_of_itself(object, renamed))
            g_hash_table_add(gone, object->identity);
        else if (other != NULL) {
            hand_over(other, object);
            g_hash_table_add(gone, object->identity);
        }
    }
    hb_catalog_remove(catalog, gone);
}

gboolean hb_adapt_name(HbCatalog *catalog, const HbEngine *engine, HbRename *rename, GError **error)
{
    Identities identities = {engine, rename};
    g_autoptr(GError) taken = NULL;

    g_clear_pointer(&rename->inside, g_hash_table_unref);
    if (rename->kind == HB_RENAME_SCHEMA)
        rename->inside = hb_rename_list_inside(catalog, rename->old_name);
    if (rename->kind == HB_RENAME_OWNER)
        merge_users(catalog, engine, rename);
    hb_adapt_definitions(catalog, engine, rename, TRUE);
    if (rename->kind == HB_RENAME_OWNER)
        rename_owners(catalog, rename);
    if (rename->kind == HB_RENAME_TABLESPACE)
        rename_property(catalog, "tablespace", rename);
    if (rename->kind == HB_RENAME_DATABASE)
        rename_property(catalog, "name", rename);
    if (rename->kind == HB_RENAME_COLLATION)
        rename_property(catalog, "collation", rename);
    if (hb_catalog_rename(catalog, rename_identity, &identities, &taken))
        return TRUE;
    return hb_error_set(error, HB_ERROR_USAGE, "choose a name that nothing has", "--rename %s:%s=%s: %s",
                        hb_rename_kind_get_name(rename->kind), rename->old_name, rename->new_name, taken->message);
}

static gboolean has_property(const HbCatalog *catalog, const char *name, const char *value)
{
    return g_strcmp0(g_hash_table_lookup(hb_catalog_get_properties(catalog), name), value) == 0;
}

/* Does anything have the old name? */
static gboolean names_something(const HbCatalog *catalog, const HbEngine *engine, const HbRename *rename)
{
    const char *database = g_hash_table_lookup(hb_catalog_get_properties(catalog), "name");

    if (rename->kind == HB_RENAME_DATABASE)
        return database == NULL || strcmp(database, rename->old_name) == 0;
    if (rename->kind == HB_RENAME_COLLATION && has_property(catalog, "collation", rename->old_name))
        return TRUE;
    if (rename->kind == HB_RENAME_TABLESPACE && has_property(catalog, "tablespace", rename->old_name))
        return TRUE;
    for (guint i = 0; i < hb_catalog_count(catalog); i++) {
        const HbObject *object = hb_catalog_get(catalog, i);
        HbRename own = *rename;
        g_autofree char *identity = engine->dialect->rename_identity(object->identity, rename);
        g_autofree char *definition =
            object->definition != NULL ? engine->dialect->rename(object, object->definition, &own) : NULL;
        if (identity != NULL || definition != NULL ||
            (rename->kind == HB_RENAME_OWNER && g_strcmp0(object->owner, rename->old_name) == 0))
            return TRUE;
    }
    return FALSE;
}

gboolean hb_adapt_check_names(const HbCatalog *catalog, const HbEngine *engine, const HbWishes *wishes, GError **error)
{
    for (guint i = 0; !wishes->lenient && wishes->renames != NULL && i < wishes->renames->len; i++) {
        const HbRename *rename = wishes->renames->pdata[i];
        if (!names_something(catalog, engine, rename))
            return hb_error_set(error, HB_ERROR_USAGE, "see the names: `hornbeam show DUMP`, or `hornbeam survey`",
                                "--rename %s:%s=%s: nothing has the old name", hb_rename_kind_get_name(rename->kind),
                                rename->old_name, rename->new_name);
    }
    return TRUE;
}

gboolean hb_adapt_wishes(HbCatalog *catalog, const HbEngine *engine, const HbWishes *wishes, GError **error)
{
    if (!hb_adapt_check_names(catalog, engine, wishes, error))
        return FALSE;
    hb_adapt_rights(catalog, engine, wishes);
    for (guint i = 0; wishes->renames != NULL && i < wishes->renames->len; i++) {
        if (!hb_adapt_name(catalog, engine, wishes->renames->pdata[i], error))
            return FALSE;
    }
    return TRUE;
}

/* ---- A choice by the names of before ---- */

/* What has the old name still is another object, and would be in the way */
static void drop_namesakes(HbCatalog *catalog, const HbEngine *engine, const HbRename *rename)
{
    g_autoptr(GHashTable) gone = g_hash_table_new(g_str_hash, g_str_equal);

    for (guint i = 0; i < hb_catalog_count(catalog); i++) {
        HbObject *object = hb_catalog_get(catalog, i);
        g_autofree char *renamed = engine->dialect->rename_identity(object->identity, rename);
        if (renamed != NULL)
            g_hash_table_add(gone, object->identity);
    }
    hb_catalog_remove(catalog, gone);
}

/* back: from the new names to the old ones */
static gboolean rename_identities(HbCatalog *catalog, const HbEngine *engine, const GPtrArray *renames, gboolean back,
                                  GError **error)
{
    for (guint i = 0; i < renames->len; i++) {
        const HbRename *rename = renames->pdata[back ? renames->len - 1 - i : i];
        const HbRename way_back = {.kind = rename->kind, .old_name = rename->new_name, .new_name = rename->old_name};
        Identities identities = {engine, back ? &way_back : rename};
        if (back)
            drop_namesakes(catalog, engine, rename);
        if (!hb_catalog_rename(catalog, rename_identity, &identities, error))
            return FALSE;
    }
    return TRUE;
}

/* NULL on failure; the caller's */
static HbCatalog *choose_by_old_names(const HbSelection *selection, const HbCatalog *catalog, const HbEngine *engine,
                                      const GPtrArray *renames, GError **error)
{
    g_autoptr(HbCatalog) chosen = hb_catalog_copy(catalog);

    if (rename_identities(chosen, engine, renames, TRUE, error) &&
        hb_selection_apply(selection, chosen, engine->dialect, FALSE, NULL, error) &&
        rename_identities(chosen, engine, renames, FALSE, error))
        return g_steal_pointer(&chosen);
    return NULL;
}

/* By their own names; but a schema that has the old name of a renamed one is not that. A user may be: two can become
 * one
 */
static HbCatalog *choose_by_own_names(const HbSelection *selection, const HbCatalog *catalog, const HbEngine *engine,
                                      const GPtrArray *renames, GError **error)
{
    g_autoptr(HbCatalog) chosen = hb_catalog_copy(catalog);

    if (!hb_selection_apply(selection, chosen, engine->dialect, FALSE, NULL, error))
        return NULL;
    for (guint i = 0; i < renames->len; i++) {
        const HbRename *rename = renames->pdata[i];
        if (rename->kind == HB_RENAME_SCHEMA)
            drop_namesakes(chosen, engine, rename);
    }
    return g_steal_pointer(&chosen);
}

static void keep_either(HbCatalog *catalog, const HbCatalog *one, const HbCatalog *other)
{
    g_autoptr(GHashTable) gone = g_hash_table_new(g_str_hash, g_str_equal);

    for (guint i = 0; i < hb_catalog_count(catalog); i++) {
        HbObject *object = hb_catalog_get(catalog, i);
        if (hb_catalog_find(one, object->identity) == NULL && hb_catalog_find(other, object->identity) == NULL)
            g_hash_table_add(gone, object->identity);
    }
    hb_catalog_remove(catalog, gone);
}

gboolean hb_adapt_choose(const HbSelection *selection, HbCatalog *catalog, const HbEngine *engine,
                         const HbWishes *wishes, GError **error)
{
    g_autoptr(HbCatalog) by_old_names = NULL, by_own_names = NULL;

    if (wishes->renames == NULL || !hb_selection_is_partial(selection))
        return hb_selection_apply(selection, catalog, engine->dialect, FALSE, NULL, error);
    by_old_names = choose_by_old_names(selection, catalog, engine, wishes->renames, error);
    if (by_old_names == NULL)
        return FALSE;
    by_own_names = choose_by_own_names(selection, catalog, engine, wishes->renames, error);
    if (by_own_names == NULL)
        return FALSE;
    keep_either(catalog, by_old_names, by_own_names);
    return TRUE;
}

const char *hb_adapt_database(const HbWishes *wishes, const char *name)
{
    for (guint i = 0; wishes->renames != NULL && i < wishes->renames->len; i++) {
        const HbRename *rename = wishes->renames->pdata[i];
        if (rename->kind == HB_RENAME_DATABASE && g_strcmp0(rename->old_name, name) == 0)
            return rename->new_name;
    }
    return name;
}

void hb_adapt_rights(HbCatalog *catalog, const HbEngine *engine, const HbWishes *wishes)
{
    g_autoptr(GHashTable) gone = g_hash_table_new(g_str_hash, g_str_equal);

    for (guint i = 0; i < hb_catalog_count(catalog); i++) {
        HbObject *object = hb_catalog_get(catalog, i);
        if ((wishes->grants_drop && is_grant(object)) ||
            (wishes->ownership_mine && object->kind == HB_KIND_DATABASE_OWNER))
            g_hash_table_add(gone, object->identity);
        if (wishes->ownership_mine)
            forget_owner(engine, object);
    }
    if (g_hash_table_size(gone) > 0)
        hb_catalog_remove(catalog, gone);
}

#define NAMED_EACH 20

void hb_adapt_report_pulled_in(HbObservers *observers, const HbSelection *selection, const GPtrArray *pulled_in)
{
    for (guint i = 0; i < pulled_in->len; i++) {
        const char *what = pulled_in->pdata[i];
        HbSeverity severity = i < NAMED_EACH ? HB_SEVERITY_NOTE : HB_SEVERITY_DETAIL;
        if (selection->without_needs)
            hb_observers_note(observers, severity, NULL, "needed, and not taken: %s; the target must have it", what);
        else
            hb_observers_note(observers, severity, NULL, "comes along, because it is needed: %s", what);
    }
    if (pulled_in->len > NAMED_EACH)
        hb_observers_note(observers, HB_SEVERITY_NOTE, NULL, "and %u more (--verbose names them)",
                          pulled_in->len - NAMED_EACH);
}

gboolean hb_adapt_to_target(HbCatalog *catalog, guint written_for, const HbEngine *engine, const HbAddress *address,
                            const HbServerInfo *target, HbTargetState state, GError **error)
{
    g_autofree char *product = g_strdup_printf("%s %s", target->product, target->version);

    if (target->version_number != written_for)
        hb_catalog_fit(catalog, target->version_number, product);
    return engine->target->fit(address, state, written_for, catalog, error);
}
