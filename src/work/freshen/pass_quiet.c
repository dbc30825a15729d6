/* SPDX-License-Identifier: Apache-2.0 */
#include "work/freshen/pass_inner.h"

#include <string.h>

/*
 * What acts when rows change, and what keeps some of them from coming one table after the other: triggers and foreign
 * keys. Where the session's user cannot keep them still, they are taken off before rows are brought, and put back
 * afterwards as the target had them. A pass that breaks off between these leaves them to the next one, for which they
 * are objects of the source that the target has not; what only the target has is therefore never taken off.
 */

/* ---- What touches a table ---- */

static gboolean is_of_kind(const HbPass *pass, const HbObject *object)
{
    return object->kind == HB_KIND_TRIGGER || object->kind == HB_KIND_RULE ||
           (object->kind == HB_KIND_FOREIGN_KEY && !pass->options.to.engine->traits.triggers_act);
}

static void note_touching(GHashTable *touching, const char *table, HbObject *object)
{
    GPtrArray *list = g_hash_table_lookup(touching, table);

    if (list == NULL)
        g_hash_table_insert(touching, (gpointer)table, list = g_ptr_array_new());
    if (list->len == 0 || list->pdata[list->len - 1] != object)
        g_ptr_array_add(list, object);
}

/* Identities of tables to GPtrArray of HbObject *: triggers, rules, foreign keys, attachments; all borrowed */
static GHashTable *index_touching(const HbPass *pass)
{
    const HbCatalog *catalog = pass->target->manifest->catalog;
    GHashTable *touching = g_hash_table_new_full(g_str_hash, g_str_equal, NULL, (GDestroyNotify)g_ptr_array_unref);

    for (guint i = 0; i < hb_catalog_count(catalog); i++) {
        HbObject *object = hb_catalog_get(catalog, i);
        if (!is_of_kind(pass, object) && object->kind != HB_KIND_ATTACHMENT)
            continue;
        if (object->on != NULL)
            note_touching(touching, object->on, object);
        for (guint n = 0; n < object->needs->len; n++)
            note_touching(touching, object->needs->pdata[n], object);
    }
    return touching;
}

/* The table, and those that it is a part of: what they have acts upon its rows. closure: identities, borrowed */
static void add_closure(const HbPass *pass, GHashTable *touching, const char *table, GHashTable *closure)
{
    const HbObject *object = hb_catalog_find(pass->target->manifest->catalog, table);
    const GPtrArray *list = g_hash_table_lookup(touching, table);

    if (object == NULL || object->kind != HB_KIND_TABLE || !g_hash_table_add(closure, object->identity))
        return;
    for (guint n = 0; n < object->needs->len; n++)
        add_closure(pass, touching, object->needs->pdata[n], closure);
    for (guint i = 0; list != NULL && i < list->len; i++) {
        const HbObject *attachment = list->pdata[i];
        if (attachment->kind != HB_KIND_ATTACHMENT || g_strcmp0(attachment->on, table) != 0)
            continue;
        for (guint n = 0; n < attachment->needs->len; n++)
            add_closure(pass, touching, attachment->needs->pdata[n], closure);
    }
}

/* ---- Which are taken off ---- */

#define WITH_RIGHTS                                                                                                    \
    "do it as a superuser, or as the owner of the tables, or, from PostgreSQL 15 on, have one run: GRANT SET ON"       \
    " PARAMETER session_replication_role TO the role"

/* What a later pass would not bring back must not be taken off */
static GError *refuse(const HbPass *pass, const HbObject *object)
{
    GError *error = NULL;

    if (!(pass->options.to.parts & HB_PART_SCHEMA))
        hb_error_set(
            &error, HB_ERROR_RIGHTS, "leave out --parts, so that structure is brought, too; or " WITH_RIGHTS,
            "%s would act upon what is changed, or keep it from coming; without structure among the parts it is "
            "not taken off, because a later pass would not bring it back",
            object->identity);
    else
        hb_error_set(&error, HB_ERROR_STATEMENT, "drop it, or bring it to the source, too",
                     "%s is only in TO, and would act upon what is changed, or keep it from coming", object->identity);
    return error;
}

static GError *refuse_rule(const HbObject *object)
{
    GError *error = NULL;

    hb_error_set(&error, HB_ERROR_RIGHTS, "drop it for the time, or " WITH_RIGHTS, "%s would act upon what is changed",
                 object->identity);
    return error;
}

/* Adds to off what touches one of the tables; FALSE: the table must be left, and says why */
static gboolean choose_touching(const HbPass *pass, const GPtrArray *list, HbPassTable *table, GHashTable *off)
{
    for (guint i = 0; list != NULL && i < list->len; i++) {
        HbObject *object = list->pdata[i];
        if (object->kind == HB_KIND_ATTACHMENT)
            continue;
        if (object->kind == HB_KIND_RULE)
            table->failure = refuse_rule(object);
        else if (hb_catalog_find(pass->wanted, object->identity) == NULL)
            table->failure = refuse(pass, object);
        if (table->failure != NULL)
            return FALSE;
        g_hash_table_add(off, object);
    }
    return TRUE;
}

static void choose(const HbPass *pass, GHashTable *touching, HbPassTable *table, GHashTable *off)
{
    g_autofree char *name = hb_identity_new(HB_KIND_TABLE, table->table);
    g_autoptr(GHashTable) closure = g_hash_table_new(g_str_hash, g_str_equal);
    GHashTableIter iter;
    gpointer one;

    add_closure(pass, touching, name, closure);
    g_hash_table_iter_init(&iter, closure);
    while (g_hash_table_iter_next(&iter, &one, NULL)) {
        if (!choose_touching(pass, g_hash_table_lookup(touching, one), table, off))
            return;
    }
}

/* Nobody knows yet which of them the log will change */
static gboolean choose_for_followed(const HbPass *pass, GHashTable *touching, GHashTable *off, GError **error)
{
    GHashTableIter iter;
    gpointer set;

    g_hash_table_iter_init(&iter, pass->followed);
    while (pass->follows && g_hash_table_iter_next(&iter, NULL, &set)) {
        HbPassTable table = {.table = ((HbRowSet *)set)->table, .to = set};
        choose(pass, touching, &table, off);
        if (table.failure == NULL)
            continue;
        g_propagate_prefixed_error(error, table.failure, "%s: ", table.table);
        return FALSE;
    }
    return TRUE;
}

static gboolean must_take_off(const HbPass *pass, HbSession *session, gboolean *must, GError **error)
{
    const HbEngine *engine = pass->options.to.engine;
    gboolean may = FALSE;

    if (!engine->traits.triggers_act && !engine->target->may_quiet(session, &may, error))
        return FALSE;
    *must = !may;
    return TRUE;
}

/* ---- Doing it ---- */

static gboolean advise(GError *cause, GError **error)
{
    if (hb_error_is(cause, HB_ERROR_RIGHTS))
        return hb_error_set(error, HB_ERROR_RIGHTS, WITH_RIGHTS,
                            "it must not act meanwhile, and cannot be taken off: %s", cause->message);
    g_propagate_error(error, g_error_copy(cause));
    return FALSE;
}

static gboolean take_off(HbPass *pass, HbSession *session, GHashTable *off, GError **error)
{
    const HbCatalog *catalog = pass->target->manifest->catalog;

    for (guint i = 0; i < hb_catalog_count(catalog); i++) {
        HbObject *object = hb_catalog_get(catalog, i);
        g_autofree char *sql = NULL;
        g_autoptr(GError) ours = NULL;
        if (!g_hash_table_contains(off, object))
            continue;
        sql = pass->options.to.engine->dialect->make_drop_sql(catalog, object);
        if (!hb_pass_run_step(pass, session, sql, "take off", object->identity, &ours))
            return advise(ours, error);
        g_ptr_array_add(pass->off, object);
    }
    return TRUE;
}

gboolean hb_pass_quiet(HbPass *pass, HbSession *session, GError **error)
{
    g_autoptr(GHashTable) touching = NULL, off = g_hash_table_new(NULL, NULL);
    gboolean must;

    if (pass->tables->len == 0 && !pass->follows)
        return TRUE;
    if (!must_take_off(pass, session, &must, error))
        return FALSE;
    pass->is_quiet = must;
    if (!must)
        return TRUE;
    touching = index_touching(pass);
    for (guint i = 0; i < pass->tables->len; i++) {
        HbPassTable *table = pass->tables->pdata[i];
        if (table->to != NULL && table->refusal == NULL)
            choose(pass, touching, table, off);
    }
    return choose_for_followed(pass, touching, off, error) && take_off(pass, session, off, error);
}

static void put_back_one(HbPass *pass, HbSession *session, const HbObject *object)
{
    g_autoptr(GError) ours = NULL;

    if (!hb_pass_run_step(pass, session, object->definition, "put back", object->identity, &ours))
        g_hash_table_insert(pass->not_back, object->identity, g_steal_pointer(&ours));
}

/* A comment goes with what it is on */
static gboolean is_of_what_was_off(const HbObject *object, GHashTable *identities)
{
    for (guint n = 0; object->kind == HB_KIND_COMMENT && n < object->needs->len; n++) {
        if (g_hash_table_contains(identities, object->needs->pdata[n]))
            return TRUE;
    }
    return FALSE;
}

void hb_pass_unquiet(HbPass *pass, HbSession *session)
{
    const HbCatalog *catalog = pass->target->manifest->catalog;
    g_autoptr(GHashTable) identities = g_hash_table_new(g_str_hash, g_str_equal);

    for (guint i = 0; i < pass->off->len; i++) {
        const HbObject *object = pass->off->pdata[i];
        put_back_one(pass, session, object);
        g_hash_table_add(identities, object->identity);
    }
    for (guint i = 0; pass->off->len > 0 && i < hb_catalog_count(catalog); i++) {
        const HbObject *object = hb_catalog_get(catalog, i);
        if (is_of_what_was_off(object, identities))
            put_back_one(pass, session, object);
    }
    g_ptr_array_set_size(pass->off, 0);
}
