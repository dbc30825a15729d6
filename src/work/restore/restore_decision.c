/* SPDX-License-Identifier: Apache-2.0 */
#include "work/restore/restore_inner.h"

#include "core/graph/order.h"

#include <string.h>

gboolean hb_restore_is_rows_only(const HbRestore *restore)
{
    return !(restore->options.parts & HB_PART_SCHEMA) && (restore->options.parts & HB_PART_DATA);
}

gboolean hb_restore_requires_empty(const HbRestore *restore)
{
    return restore->options.existing == HB_EXISTING_STOP && (restore->options.parts & HB_PART_SCHEMA) != 0 &&
           !restore->options.whole_server;
}

/* ---- Deciding ---- */

void hb_restore_keep_definitions(HbRestore *restore)
{
    const HbCatalog *catalog = restore->manifest->catalog;

    restore->decision.definitions = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, g_free);
    for (guint i = 0; i < hb_catalog_count(catalog); i++) {
        const HbObject *object = hb_catalog_get(catalog, i);
        if (object->kind == HB_KIND_TABLE)
            g_hash_table_insert(restore->decision.definitions, g_strdup(object->identity),
                                g_strdup(object->definition));
    }
}

/* What came along did so under its old name */
static char *rename_identity(const HbRestore *restore, const char *identity)
{
    const GPtrArray *renames = restore->options.wishes.renames;
    char *name = g_strdup(identity);

    for (guint i = 0; renames != NULL && i < renames->len; i++) {
        char *renamed = restore->options.engine->dialect->rename_identity(name, renames->pdata[i]);
        if (renamed == NULL)
            continue;
        g_free(name);
        name = renamed;
    }
    return name;
}

static GHashTable *index_pulled_in(const HbRestore *restore)
{
    GHashTable *pulled_in = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL);

    for (guint i = 0; i < restore->decision.pulled_in->len; i++)
        g_hash_table_add(pulled_in, rename_identity(restore, restore->decision.pulled_in->pdata[i]));
    return pulled_in;
}

/* A dump knows how many rows it brings; a provider does not */
static GHashTable *index_empty(const HbRestore *restore)
{
    GHashTable *empty = g_hash_table_new(g_str_hash, g_str_equal);

    for (guint i = 0; restore->options.dump != NULL && i < restore->manifest->rows->len; i++) {
        const HbStoredRows *rows = restore->manifest->rows->pdata[i];
        if (rows->digest.rows == 0)
            g_hash_table_add(empty, rows->set->identity);
    }
    return empty;
}

/* Statements about the database name it: quoted alike on both sides, whether it needs that or not */
static void name_database(const HbRestore *restore, HbCatalog *there)
{
    const HbRename same = {
        .kind = HB_RENAME_DATABASE, .old_name = restore->target.database, .new_name = restore->target.database};

    hb_adapt_definitions(there, restore->options.engine, &same, FALSE);
    hb_adapt_definitions(restore->manifest->catalog, restore->options.engine, &same, FALSE);
}

/* holding gets the identities of row sets that hold rows there, borrowed from the catalog, which is the caller's */
static HbCatalog *read_there(HbRestore *restore, HbSession *session, GHashTable *holding, GError **error)
{
    g_autoptr(GPtrArray) sessions = g_ptr_array_new();
    HbCatalog *there;

    g_ptr_array_add(sessions, session);
    there = restore->options.engine->source->read_catalog(sessions, HB_PART_ALL & ~(guint)HB_PART_USERS, error);
    if (there != NULL && (!hb_order_arrange(there, error) ||
                          !restore->options.engine->target->find_rows(session, there, holding, error)))
        g_clear_pointer(&there, hb_catalog_free);
    if (there == NULL)
        g_prefix_error(error, "looking at what %s has: ", restore->target.database);
    return there;
}

static gboolean is_predefined(const HbRestore *restore, const char *identity)
{
    const HbDialect *dialect = restore->options.engine->dialect;

    return dialect->is_predefined != NULL && dialect->is_predefined(identity);
}

/* With --needs no the user says that the target has what the selection needs. there: NULL if it has nothing */
static void look_for_needs(HbRestore *restore, const HbCatalog *there, GHashTable *needed)
{
    g_autoptr(GList) names = g_list_sort(g_hash_table_get_keys(needed), (GCompareFunc)strcmp);

    if (restore->options.selection == NULL || !restore->options.selection->without_needs)
        return;
    for (GList *at = names; at != NULL; at = at->next) {
        const char *identity = at->data;
        const gboolean is_there = there != NULL && hb_catalog_find(there, identity) != NULL;
        if (is_there || is_predefined(restore, identity) || g_str_has_prefix(identity, "role "))
            continue;
        hb_finding_advise(
            hb_findings_add(restore->decision.findings, HB_FINDING_BLOCKER, "need-missing", identity,
                            "is needed by what was taken, does not come along (--needs no), and is not on "
                            "the target"),
            "let it come along, or create it there beforehand", NULL);
    }
}

static gboolean inherit(HbRestore *restore, HbSession *session, const HbConflictInput *input, GError **error)
{
    g_autoptr(GHashTable) journal = restore->options.engine->journal->read(session, error);
    const char *note = journal != NULL ? g_hash_table_lookup(journal, HB_RESTORE_DECISION) : NULL;

    if (journal == NULL || note == NULL)
        return journal != NULL;
    return hb_target_cleanup_inherit(restore->decision.cleanup, journal, note,
                                     restore->options.engine->traits.journal_guarded, input, restore->decision.findings,
                                     error);
}

static gboolean meet(HbRestore *restore, HbSession *session, GError **error)
{
    g_autoptr(GHashTable) holding = g_hash_table_new(g_str_hash, g_str_equal);
    g_autoptr(HbCatalog) there = read_there(restore, session, holding, error);
    g_autoptr(GHashTable) pulled_in = index_pulled_in(restore), empty = index_empty(restore), owners = NULL;
    const HbConflictInput input = {.dialect = restore->options.engine->dialect,
                                   .wanted = restore->manifest->catalog,
                                   .there = there,
                                   .holding = holding,
                                   .empty = empty,
                                   .pulled_in = pulled_in,
                                   .definitions = restore->decision.definitions,
                                   .wish = restore->options.existing,
                                   .rows_only = hb_restore_is_rows_only(restore)};

    if (there == NULL)
        return FALSE;
    owners = hb_restore_index_owners(there);
    hb_adapt_rights(there, restore->options.engine, &restore->options.wishes);
    name_database(restore, there);
    look_for_needs(restore, there, pulled_in);
    restore->decision.cleanup = hb_target_cleanup_new(&input, restore->options.engine, restore->decision.findings);
    if (!hb_restore_read_privileges(restore, session, &input, owners, error))
        return FALSE;
    return !restore->decision.replaces_unfinished || inherit(restore, session, &input, error);
}

/* Users are the server's: that they are there says nothing of this restore */
static const char *find_missing(const HbRestore *restore, const HbCatalog *there, GHashTable *holding)
{
    const HbCatalog *wanted = restore->manifest->catalog;

    for (guint i = 0; i < hb_catalog_count(wanted); i++) {
        const HbObject *object = hb_catalog_get(wanted, i);
        if (hb_kind_get_traits(object->kind)->part != HB_PART_USERS && hb_catalog_find(there, object->identity) == NULL)
            return object->identity;
    }
    for (guint i = 0; i < restore->manifest->rows->len; i++) {
        const HbStoredRows *rows = restore->manifest->rows->pdata[i];
        if (rows->digest.rows > 0 && !g_hash_table_contains(holding, rows->set->identity))
            return rows->set->identity;
    }
    return NULL;
}

static gboolean look_whether_done(HbRestore *restore, HbSession *session, GError **error)
{
    g_autoptr(GHashTable) holding = g_hash_table_new(g_str_hash, g_str_equal);
    g_autoptr(HbCatalog) there = read_there(restore, session, holding, error);
    const char *missing;

    if (there == NULL)
        return FALSE;
    missing = find_missing(restore, there, holding);
    restore->target.is_done = missing == NULL;
    if (missing != NULL) {
        g_autofree char *what = g_strdup_printf(
            "is not empty, and holds no unfinished restore, nor all of this dump (%s is missing)", missing);
        hb_restore_refuse_content(restore, what);
    }
    return TRUE;
}

static void miss_database(HbRestore *restore)
{
    HbFinding *finding =
        hb_findings_add(restore->decision.findings, HB_FINDING_BLOCKER, "database-missing", restore->target.database,
                        "does not exist: there are no tables that the rows could go into");

    hb_finding_advise(finding, "restore the structure, too: --parts schema,data", NULL);
    finding->is_final = TRUE;
}

/* The database is new, or must be empty */
static void look_for_nothing_there(HbRestore *restore)
{
    g_autoptr(GHashTable) pulled_in = index_pulled_in(restore);

    look_for_needs(restore, NULL, pulled_in);
}

gboolean hb_restore_decide(HbRestore *restore, GError **error)
{
    const gboolean rows_only = hb_restore_is_rows_only(restore);
    const char *note =
        restore->run.journal != NULL ? g_hash_table_lookup(restore->run.journal, HB_RESTORE_DECISION) : NULL;

    if (restore->options.whole_server || !(restore->options.parts & (HB_PART_SCHEMA | HB_PART_DATA)))
        return TRUE;
    if (restore->target.may_be_done)
        return hb_restore_with_session(restore, look_whether_done, error);
    if (note != NULL)
        restore->decision.cleanup = hb_target_cleanup_read(note, restore->manifest->seal, error);
    else if (rows_only && !restore->target.exists)
        miss_database(restore);
    else if (restore->target.exists && (rows_only || restore->options.existing != HB_EXISTING_STOP))
        return hb_restore_with_session(restore, meet, error) &&
               hb_target_cleanup_apply(restore->decision.cleanup, restore->manifest->catalog, error);
    else if (!restore->target.is_ours)
        look_for_nothing_there(restore);
    return note == NULL || (restore->decision.cleanup != NULL &&
                            hb_target_cleanup_apply(restore->decision.cleanup, restore->manifest->catalog, error));
}

gboolean hb_restore_note_decision(HbRestore *restore, HbSession *session, GError **error)
{
    g_autofree char *note = restore->decision.cleanup != NULL
                                ? hb_target_cleanup_write(restore->decision.cleanup, restore->manifest->seal)
                                : NULL;

    return note == NULL || restore->options.engine->journal->run_step(session, NULL, HB_RESTORE_DECISION, note, error);
}

const HbTargetCleanup *hb_restore_get_cleanup(const HbRestore *restore)
{
    return restore->decision.cleanup;
}

/* ---- What is gone, at the end ---- */

typedef struct {
    GHashTable *done; /* keys of steps */
    GHashTable *open; /* identities of objects with a step that is not done */
} StepsDone;

static gboolean is_done(const HbRestore *restore, guint number, const HbStep *step)
{
    return hb_plan_get_state(restore->plan.steps->plan, number) == HB_STEP_DONE ||
           (restore->run.journal != NULL && g_hash_table_contains(restore->run.journal, step->key));
}

static StepsDone look_at_steps(const HbRestore *restore)
{
    StepsDone steps = {g_hash_table_new(g_str_hash, g_str_equal), g_hash_table_new(g_str_hash, g_str_equal)};

    for (guint i = 0; i < hb_plan_count(restore->plan.steps->plan); i++) {
        const HbStep *step = hb_plan_get_what(restore->plan.steps->plan, i);
        if (step->key == NULL)
            continue;
        if (is_done(restore, i, step))
            g_hash_table_add(steps.done, step->key);
        else if (step->object != NULL)
            g_hash_table_add(steps.open, step->object->identity);
    }
    return steps;
}

static void tell_gone(HbRestore *restore, const char *identity, const char *message, const char *sql)
{
    g_autofree char *hint = sql != NULL ? g_strdup_printf("it was: %s", sql) : NULL;

    hb_restore_add_exception(restore, HB_OUTCOME_GONE, identity, message, hint);
}

static void tell_items(HbRestore *restore, const StepsDone *steps, const GPtrArray *items, const char *message)
{
    for (guint i = 0; i < items->len; i++) {
        const HbCleanupItem *item = items->pdata[i];
        g_autofree char *key = hb_restore_plan_get_cleanup_key(restore->options.engine, item);
        gboolean is_rows = g_str_has_prefix(item->identity, "rows ");
        gboolean is_open = g_hash_table_contains(steps->open, item->identity) || (is_rows && !restore->run.rows_came);
        if (g_hash_table_contains(steps->done, key) && is_open)
            tell_gone(restore, item->identity, message, item->definition);
    }
}

/* They go when their table goes */
static void tell_rows(HbRestore *restore, const StepsDone *steps)
{
    const HbTargetCleanup *cleanup = restore->decision.cleanup;
    const HbCleanupItem *last = cleanup->dropped->len > 0 ? cleanup->dropped->pdata[cleanup->dropped->len - 1] : NULL;

    for (guint i = 0; last != NULL && i < cleanup->rows->len; i++) {
        const char *rows = cleanup->rows->pdata[i];
        g_autofree char *table = hb_identity_new(HB_KIND_TABLE, strchr(rows, ' ') + 1);
        const HbCleanupItem *item = last; /* of a partition, say, that went with its parent */
        for (guint d = 0; d < cleanup->dropped->len; d++) {
            if (strcmp(((HbCleanupItem *)cleanup->dropped->pdata[d])->identity, table) == 0)
                item = cleanup->dropped->pdata[d];
        }
        g_autofree char *key = hb_restore_plan_get_cleanup_key(restore->options.engine, item);
        if (g_hash_table_contains(steps->done, key) &&
            (g_hash_table_contains(steps->open, rows) || !restore->run.rows_came))
            tell_gone(restore, rows, "went with their table, and are not back", NULL);
    }
}

void hb_restore_list_gone(HbRestore *restore)
{
    StepsDone steps;

    if (restore->decision.cleanup == NULL || restore->plan.steps == NULL)
        return;
    if (!restore->run.is_finished)
        hb_restore_with_session(restore, hb_restore_read_keys, NULL);
    steps = look_at_steps(restore);
    tell_items(restore, &steps, restore->decision.cleanup->dropped, "was dropped, and is not back");
    tell_rows(restore, &steps);
    tell_items(restore, &steps, restore->decision.cleanup->emptied, "were there, and are not back");
    tell_items(restore, &steps, restore->decision.cleanup->suspended, "was taken off, and is not back");
    g_hash_table_unref(steps.done);
    g_hash_table_unref(steps.open);
}
