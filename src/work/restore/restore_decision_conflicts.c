/* SPDX-License-Identifier: Apache-2.0 */
#include "core/graph/order.h"
#include "work/restore/restore_decision_inner.h"

#include <string.h>

/*
 * The target's catalog is read and compared only if something may be there that the restore touches; a new or empty
 * database needs none of it. What was decided by a run that broke off is read from its journal instead.
 */

void hb_decision_keep_definitions(const HbDecisionInput *input)
{
    const HbCatalog *catalog = input->manifest->catalog;

    input->decision->definitions = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, g_free);
    for (guint i = 0; i < hb_catalog_count(catalog); i++) {
        const HbObject *object = hb_catalog_get(catalog, i);
        if (object->kind == HB_KIND_TABLE)
            g_hash_table_insert(input->decision->definitions, g_strdup(object->identity), g_strdup(object->definition));
    }
}

/* What came along did so under its old name */
static char *rename_identity(const HbDecisionInput *input, const char *identity)
{
    const GPtrArray *renames = input->options->wishes.renames;
    char *name = g_strdup(identity);

    for (guint i = 0; renames != NULL && i < renames->len; i++) {
        char *renamed = input->options->engine->dialect->rename_identity(name, renames->pdata[i]);
        if (renamed == NULL)
            continue;
        g_free(name);
        name = renamed;
    }
    return name;
}

static GHashTable *index_pulled_in(const HbDecisionInput *input)
{
    GHashTable *pulled_in = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL);

    for (guint i = 0; i < input->decision->pulled_in->len; i++)
        g_hash_table_add(pulled_in, rename_identity(input, input->decision->pulled_in->pdata[i]));
    return pulled_in;
}

/* What a pass brings into tables that are there, it cares for itself, and for what would act upon that */
static void add_those_there(const HbCatalog *there, GHashTable *empty)
{
    const GPtrArray *sets = hb_catalog_get_row_sets(there);

    for (guint i = 0; i < sets->len; i++)
        g_hash_table_add(empty, ((HbRowSet *)sets->pdata[i])->identity);
}

/* A dump knows how many rows it brings; a provider does not */
static GHashTable *index_empty(const HbDecisionInput *input, const HbCatalog *there)
{
    GHashTable *empty = g_hash_table_new(g_str_hash, g_str_equal);

    if (input->options->freshens)
        add_those_there(there, empty);
    for (guint i = 0; input->options->dump != NULL && i < input->manifest->rows->len; i++) {
        const HbStoredRows *rows = input->manifest->rows->pdata[i];
        if (rows->digest.rows == 0)
            g_hash_table_add(empty, rows->set->identity);
    }
    return empty;
}

/* Statements about the database name it: quoted alike on both sides, whether it needs that or not */
static void name_database(const HbDecisionInput *input, HbCatalog *there)
{
    const HbRename same = {
        .kind = HB_RENAME_DATABASE, .old_name = input->target->database, .new_name = input->target->database};

    hb_adapt_definitions(there, input->options->engine, &same, FALSE);
    hb_adapt_definitions(input->manifest->catalog, input->options->engine, &same, FALSE);
}

#define PARTS_THERE (HB_PART_ALL & ~(guint)HB_PART_USERS)

/* Arranged; the caller's */
static HbCatalog *read_catalog(const HbDecisionInput *input, HbSession *session, GError **error)
{
    g_autoptr(GPtrArray) sessions = g_ptr_array_new();
    HbCatalog *there;

    if (input->options->there != NULL) {
        there = hb_catalog_copy(input->options->there);
        hb_catalog_keep_parts(there, PARTS_THERE);
        return there;
    }
    g_ptr_array_add(sessions, session);
    there = input->options->engine->source->read_catalog(sessions, PARTS_THERE, error);
    if (there != NULL && !hb_order_arrange(there, error))
        g_clear_pointer(&there, hb_catalog_free);
    return there;
}

/* holding gets the identities of row sets that hold rows there, borrowed from the catalog, which is the caller's */
static HbCatalog *read_there(const HbDecisionInput *input, HbSession *session, GHashTable *holding, GError **error)
{
    HbCatalog *there = read_catalog(input, session, error);

    if (there != NULL && !input->options->engine->target->find_rows(session, there, holding, error))
        g_clear_pointer(&there, hb_catalog_free);
    if (there == NULL)
        g_prefix_error(error, "looking at what %s has: ", input->target->database);
    return there;
}

static gboolean is_predefined(const HbDecisionInput *input, const char *identity)
{
    const HbDialect *dialect = input->options->engine->dialect;

    return dialect->is_predefined != NULL && dialect->is_predefined(identity);
}

/* With --needs no the user says that the target has what the selection needs. there: NULL if it has nothing */
static void check_needs(const HbDecisionInput *input, const HbCatalog *there, GHashTable *needed)
{
    g_autoptr(GList) names = g_list_sort(g_hash_table_get_keys(needed), (GCompareFunc)strcmp);

    if (input->options->selection == NULL || !input->options->selection->without_needs)
        return;
    for (GList *at = names; at != NULL; at = at->next) {
        const char *identity = at->data;
        const gboolean is_there = there != NULL && hb_catalog_find(there, identity) != NULL;
        if (is_there || is_predefined(input, identity) || g_str_has_prefix(identity, "role "))
            continue;
        hb_finding_advise(
            hb_findings_add(input->decision->findings, HB_FINDING_BLOCKER, "need-missing", identity,
                            "is needed by what was taken, does not come along (--needs no), and is not on "
                            "the target"),
            "let it come along, or create it there beforehand", NULL);
    }
}

/* What an unfinished restore took off and did not put back is this one's to put back */
static gboolean inherit(const HbDecisionInput *input, const HbConflictInput *conflicts, GError **error)
{
    const char *note = g_hash_table_lookup(input->target->journal, HB_RESTORE_DECISION);

    return note == NULL || hb_target_cleanup_inherit(input->decision->cleanup, input->target->journal, note,
                                                     input->options->engine->traits.journal_guarded, conflicts,
                                                     input->decision->findings, error);
}

static gboolean meet(const HbDecisionInput *input, HbSession *session, GError **error)
{
    g_autoptr(GHashTable) holding = g_hash_table_new(g_str_hash, g_str_equal);
    g_autoptr(HbCatalog) there = read_there(input, session, holding, error);
    g_autoptr(GHashTable) pulled_in = index_pulled_in(input), owners = NULL,
                          empty = there != NULL ? index_empty(input, there) : NULL;
    const HbConflictInput conflicts = {.dialect = input->options->engine->dialect,
                                       .wanted = input->manifest->catalog,
                                       .there = there,
                                       .holding = holding,
                                       .empty = empty,
                                       .pulled_in = pulled_in,
                                       .definitions = input->decision->definitions,
                                       .wish = input->options->existing,
                                       .rows_only = hb_decision_is_rows_only(input)};

    if (there == NULL)
        return FALSE;
    owners = hb_decision_index_owners(there);
    hb_adapt_rights(there, input->options->engine, &input->options->wishes);
    name_database(input, there);
    check_needs(input, there, pulled_in);
    input->decision->cleanup = hb_target_cleanup_new(&conflicts, input->options->engine, input->decision->findings);
    if (!hb_decision_check_privileges(input, session, &conflicts, owners, error))
        return FALSE;
    return !input->decision->replaces_unfinished || inherit(input, &conflicts, error);
}

/* Users are the server's: that they are there says nothing of this restore */
static const char *find_missing(const HbDecisionInput *input, const HbCatalog *there, GHashTable *holding)
{
    const HbCatalog *wanted = input->manifest->catalog;

    for (guint i = 0; i < hb_catalog_count(wanted); i++) {
        const HbObject *object = hb_catalog_get(wanted, i);
        if (hb_kind_get_traits(object->kind)->part != HB_PART_USERS && hb_catalog_find(there, object->identity) == NULL)
            return object->identity;
    }
    for (guint i = 0; i < input->manifest->rows->len; i++) {
        const HbStoredRows *rows = input->manifest->rows->pdata[i];
        if (rows->digest.rows > 0 && !g_hash_table_contains(holding, rows->set->identity))
            return rows->set->identity;
    }
    return NULL;
}

static gboolean check_whether_done(const HbDecisionInput *input, HbSession *session, GError **error)
{
    g_autoptr(GHashTable) holding = g_hash_table_new(g_str_hash, g_str_equal);
    g_autoptr(HbCatalog) there = read_there(input, session, holding, error);
    const char *missing;

    if (there == NULL)
        return FALSE;
    missing = find_missing(input, there, holding);
    input->decision->is_done = missing == NULL;
    if (missing != NULL) {
        g_autofree char *what = g_strdup_printf(
            "is not empty, and holds no unfinished input, nor all of this dump (%s is missing)", missing);
        hb_decision_refuse_content(input, what);
    }
    return TRUE;
}

static void miss_database(const HbDecisionInput *input)
{
    HbFinding *finding =
        hb_findings_add(input->decision->findings, HB_FINDING_BLOCKER, "database-missing", input->target->database,
                        "does not exist: there are no tables that the rows could go into");

    hb_finding_advise(finding, "restore the structure, too: --parts schema,data", NULL);
    finding->is_final = TRUE;
}

/* The database is new, or must be empty */
static void check_nothing_there(const HbDecisionInput *input)
{
    g_autoptr(GHashTable) pulled_in = index_pulled_in(input);

    check_needs(input, NULL, pulled_in);
}

static gboolean with_session(const HbDecisionInput *input,
                             gboolean (*act)(const HbDecisionInput *, HbSession *, GError **), GError **error)
{
    HbSession *session = input->options->engine->connector->open(&input->target->address, error);
    gboolean ok = session != NULL && act(input, session, error);

    input->options->engine->connector->close(session);
    return ok;
}

gboolean hb_decision_meet_target(const HbDecisionInput *input, GError **error)
{
    const gboolean rows_only = hb_decision_is_rows_only(input);
    const char *note =
        input->decision->is_resumed ? g_hash_table_lookup(input->target->journal, HB_RESTORE_DECISION) : NULL;

    if (input->options->whole_server || !(input->options->parts & (HB_PART_SCHEMA | HB_PART_DATA)))
        return TRUE;
    if (input->may_be_done)
        return with_session(input, check_whether_done, error);
    if (note != NULL)
        input->decision->cleanup = hb_target_cleanup_read(note, input->manifest->seal, error);
    else if (rows_only && !input->target->exists)
        miss_database(input);
    else if (input->target->exists && (rows_only || input->options->existing != HB_EXISTING_STOP))
        return with_session(input, meet, error) &&
               hb_target_cleanup_apply(input->decision->cleanup, input->manifest->catalog, error);
    else if (!input->decision->is_resumed)
        check_nothing_there(input);
    return note == NULL || (input->decision->cleanup != NULL &&
                            hb_target_cleanup_apply(input->decision->cleanup, input->manifest->catalog, error));
}
