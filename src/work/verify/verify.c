/* SPDX-License-Identifier: Apache-2.0 */
#include "work/verify/verify.h"

#include "work/source/adapt.h"
#include "work/verify/questions.h"
#include "work/verify/verify_inner.h"

#include <string.h>

/*
 * Statements about the database name it; the target's name may be another, and that is no difference. The source's own
 * is written anew, too, so that both are quoted alike
 */
static void fit_names(HbSideContents *from, HbSideContents *to)
{
    char *name = (char *)hb_adapt_database(&to->options->wishes, from->database);
    const HbRename there = {.kind = HB_RENAME_DATABASE, .old_name = to->database, .new_name = name};
    const HbRename here = {.kind = HB_RENAME_DATABASE, .old_name = name, .new_name = name};

    if (strcmp(from->database, to->database) == 0)
        return;
    hb_adapt_definitions(to->catalog, to->side->engine, &there, FALSE);
    hb_adapt_definitions(from->catalog, to->side->engine, &here, FALSE);
}

static char *key_of(const HbDifference *difference)
{
    return g_strdup_printf("%d %s", (int)difference->type, difference->identity);
}

static GHashTable *index_differences(const GPtrArray *differences)
{
    GHashTable *keys = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL);

    for (guint i = 0; i < differences->len; i++)
        g_hash_table_add(keys, key_of(differences->pdata[i]));
    return keys;
}

/*
 * Between versions: FROM in the words that it has for TO's version, against TO as it is; then TO, too, in those that it
 * has for FROM's, because the older one cannot express everything. What is equal either way is no difference.
 */
static void compare_across_versions(HbCatalog *from, guint from_version, HbCatalog *to, guint to_version, guint parts,
                                    const HbDialect *dialect, GPtrArray *differences)
{
    g_autoptr(GPtrArray) first = hb_compare_new();
    g_autoptr(GHashTable) found = NULL;

    hb_catalog_fit(from, to_version, "");
    hb_compare_catalogs(from, to, dialect, parts, first);
    found = index_differences(first);
    hb_catalog_fit(to, from_version, "");
    hb_compare_catalogs(from, to, dialect, parts, differences);
    for (guint i = differences->len; i-- > 0;) {
        g_autofree char *key = key_of(differences->pdata[i]);
        if (!g_hash_table_contains(found, key))
            g_ptr_array_remove_index(differences, i);
    }
}

static void note_unread(const HbCatalog *from, const HbCatalog *to, HbVerification *result)
{
    for (int kind = 0; kind < HB_KIND_COUNT; kind++) {
        if (hb_catalog_is_unread(from, (HbKind)kind) || hb_catalog_is_unread(to, (HbKind)kind))
            g_ptr_array_add(result->unread, g_strdup(hb_kind_get_traits((HbKind)kind)->plural));
    }
}

/* What a restore would have made of FROM for TO's product */
static void translate(HbCatalog *from, guint from_version, guint to_version, const HbDialect *dialect,
                      HbVerification *result)
{
    const GPtrArray *omissions = hb_catalog_get_omissions(from);
    const guint before = omissions->len;

    if (dialect->translate == NULL)
        return;
    dialect->translate(from, from_version, to_version);
    for (guint i = before; i < omissions->len; i++)
        g_ptr_array_add(result->translated, g_strdup(((const HbOmission *)omissions->pdata[i])->what));
}

void hb_verify_catalogs(HbCatalog *from, guint from_version, HbCatalog *to, guint to_version, const HbDialect *dialect,
                        guint parts, HbVerification *result)
{
    translate(from, from_version, to_version, dialect, result);
    if (from_version != to_version)
        compare_across_versions(from, from_version, to, to_version, parts, dialect, result->differences);
    else
        hb_compare_catalogs(from, to, dialect, parts, result->differences);
    note_unread(from, to, result);
    hb_compare_list_own(from, to, dialect, parts, result->only_in_to);
}

/* ---- Differences that only seem to be some ---- */

/* Versions print the same thing differently: what the target reads as its own is no difference */
static void drop_seeming(const HbSideContents *from, const HbSideContents *to, GPtrArray *differences)
{
    const HbEngine *engine = to->side->engine;
    HbSession *session = NULL;

    for (guint i = differences->len; i-- > 0;) {
        const HbDifference *difference = differences->pdata[i];
        if (difference->type != HB_DIFFERENCE_DEFINITION)
            continue;
        if (session == NULL && (session = engine->connector->open(&to->side->address, NULL)) == NULL)
            return;
        if (engine->source->reads_same(session, hb_catalog_find(from->catalog, difference->identity),
                                       hb_catalog_find(to->catalog, difference->identity)))
            g_ptr_array_remove_index(differences, i);
    }
    engine->connector->close(session);
}

/* What is said of a user, whether or not it has rights in the database */
static gboolean is_about_user(const HbObject *object)
{
    switch (object->kind) {
    case HB_KIND_ROLE:
    case HB_KIND_PASSWORD:
    case HB_KIND_MEMBERSHIP:
    case HB_KIND_ROLE_SETTING:
    case HB_KIND_GLOBAL_GRANT:
        return TRUE;
    default:
        return FALSE;
    }
}

/* Users that TO has, but did not read, as they have nothing to do with the database there: identities, borrowed from
 * FROM's catalog */
static GHashTable *find_unread_users(const HbSideContents *from, const HbSideContents *to, const GPtrArray *differences)
{
    const HbEngine *engine = to->side->engine;
    GHashTable *users = g_hash_table_new(g_str_hash, g_str_equal);
    HbSession *session = NULL;

    for (guint i = 0; i < differences->len; i++) {
        const HbDifference *difference = differences->pdata[i];
        const HbObject *object = hb_catalog_find(from->catalog, difference->identity);
        gboolean found = FALSE;
        if (difference->type != HB_DIFFERENCE_MISSING || object == NULL || object->kind != HB_KIND_ROLE)
            continue;
        if (session == NULL && (session = engine->connector->open(&to->side->address, NULL)) == NULL)
            break;
        if (engine->target->find_role(session, hb_object_get_name(object), &found, NULL) && found)
            g_hash_table_add(users, object->identity);
    }
    engine->connector->close(session);
    return users;
}

static gboolean is_of_users(const HbObject *object, GHashTable *users)
{
    gboolean is_one = g_hash_table_contains(users, object->identity);

    for (guint i = 0; i < object->needs->len && !is_one; i++)
        is_one = g_hash_table_contains(users, object->needs->pdata[i]);
    return is_one && is_about_user(object);
}

/* The rights in the database that they lack are differences still */
static void drop_unread_users(const HbSideContents *from, const HbSideContents *to, HbVerification *result)
{
    g_autoptr(GHashTable) users = find_unread_users(from, to, result->differences);

    for (guint i = result->differences->len; i-- > 0;) {
        const HbDifference *difference = result->differences->pdata[i];
        const HbObject *object = hb_catalog_find(from->catalog, difference->identity);
        if (difference->type != HB_DIFFERENCE_MISSING || object == NULL || !is_of_users(object, users))
            continue;
        g_ptr_array_add(result->unread, g_strdup(object->identity));
        g_ptr_array_remove_index(result->differences, i);
    }
}

/* The sums are known by identities, which are other ones now */
static GHashTable *follow_names(HbSideContents *contents, const GPtrArray *sums)
{
    const GPtrArray *sets = hb_catalog_get_row_sets(contents->catalog);
    GHashTable *renamed = g_hash_table_new_full(g_str_hash, g_str_equal, NULL, hb_row_sum_free);

    for (guint i = 0; i < sets->len; i++) {
        if (sums->pdata[i] != NULL)
            g_hash_table_insert(renamed, ((HbRowSet *)sets->pdata[i])->identity, sums->pdata[i]);
    }
    return renamed;
}

/*
 * What a user has set is the server's: beside a renamed copy it may go on saying the old name, for the original's sake.
 * Either is right
 */
static void rename_settings_of_users(HbSideContents *to)
{
    const GPtrArray *renames = to->options->wishes.renames;

    for (guint r = 0; renames != NULL && r < renames->len; r++) {
        HbRename *rename = renames->pdata[r];
        for (guint i = 0; rename->kind == HB_RENAME_SCHEMA && i < hb_catalog_count(to->catalog); i++) {
            HbObject *object = hb_catalog_get(to->catalog, i);
            char *renamed = object->kind == HB_KIND_ROLE_SETTING
                                ? to->side->engine->dialect->rename(object, object->definition, rename)
                                : NULL;
            if (renamed == NULL)
                continue;
            g_free(object->definition);
            object->definition = renamed;
        }
    }
}

static void list_other_users(HbSideContents *from, const HbEngine *engine, const GPtrArray *renames)
{
    for (guint r = 0; renames != NULL && r < renames->len; r++) {
        const HbRename *rename = renames->pdata[r];
        for (guint i = 0; rename->kind == HB_RENAME_OWNER && i < hb_catalog_count(from->catalog); i++) {
            const HbObject *object = hb_catalog_get(from->catalog, i);
            char *identity =
                hb_kind_is_personal(object->kind) ? engine->dialect->rename_identity(object->identity, rename) : NULL;
            if (identity != NULL)
                g_hash_table_add(from->other_users, identity);
        }
    }
}

/* A user with another name in TO may have existed there before, with attributes and a password of its own */
static void let_others_be(const HbSideContents *from, HbVerification *result)
{
    for (guint i = result->differences->len; i-- > 0;) {
        const HbDifference *difference = result->differences->pdata[i];
        if (!g_hash_table_contains(from->other_users, difference->identity))
            continue;
        g_ptr_array_add(result->ignored, g_strdup(difference->identity));
        g_ptr_array_remove_index(result->differences, i);
    }
}

static void free_sum(gpointer sum, gpointer data)
{
    (void)data;
    hb_row_sum_free(sum);
}

/* The names that things were given on the way are those of TO */
static gboolean fulfil_wishes(HbSideContents *from, HbSideContents *to, GError **error)
{
    const GPtrArray *sets = hb_catalog_get_row_sets(from->catalog);
    g_autoptr(GPtrArray) sums = g_ptr_array_new();

    for (guint i = 0; i < sets->len; i++) {
        gpointer sum = NULL;
        g_hash_table_steal_extended(from->sums.table, ((HbRowSet *)sets->pdata[i])->identity, NULL, &sum);
        g_ptr_array_add(sums, sum);
    }
    hb_adapt_rights(to->catalog, to->side->engine, &to->options->wishes);
    rename_settings_of_users(to);
    list_other_users(from, to->side->engine, to->options->wishes.renames);
    if (!hb_adapt_wishes(from->catalog, to->side->engine, &to->options->wishes, error)) {
        g_ptr_array_foreach(sums, free_sum, NULL);
        return FALSE;
    }
    g_hash_table_unref(from->sums.table);
    from->sums.table = follow_names(from, sums);
    return TRUE;
}

static gboolean is_left_out(gpointer identity, gpointer sum, gpointer catalog)
{
    (void)sum;
    return hb_catalog_find(catalog, identity) == NULL;
}

/* FALSE, always */
static gboolean pass_error(HbSideContents *from, HbSideContents *to, HbStop *stop, GError **error)
{
    if (hb_stop_is_by_user(stop))
        return hb_stop_set_error(error);
    return !hb_error_propagate_cause(g_steal_pointer(&from->error), g_steal_pointer(&to->error), error);
}

typedef struct {
    HbSideContents *contents;
    const GPtrArray *differences;
} SideToSketch;

static gpointer add_sketches(gpointer data)
{
    const SideToSketch *side = data;

    hb_side_contents_add_sketches(side->contents, side->differences);
    return NULL;
}

/* Both servers at once, each by its own sessions */
static gboolean sketch_both(HbSideContents *from, HbSideContents *to, const GPtrArray *differences, GError **error)
{
    SideToSketch of_from = {from, differences};
    GThread *thread = NULL;

    if (from->side->dump == NULL)
        thread = g_thread_new("from", add_sketches, &of_from);
    hb_side_contents_add_sketches(to, differences);
    if (thread != NULL)
        g_thread_join(thread);
    return (from->error == NULL && to->error == NULL) || pass_error(from, to, from->options->stop, error);
}

static gboolean compare(HbSideContents *from, HbSideContents *to, HbVerification *result, GError **error)
{
    GHashTableIter iter;
    gpointer sum;

    if (!fulfil_wishes(from, to, error))
        return FALSE;
    fit_names(from, to);
    hb_catalog_fit(from->catalog, to->version, ""); /* a dump may be written for yet another version */
    hb_verify_catalogs(from->catalog, from->version, to->catalog, to->version, to->side->engine->dialect,
                       to->options->parts, result);
    g_hash_table_foreach_remove(from->sums.table, is_left_out, from->catalog);
    drop_seeming(from, to, result->differences);
    drop_unread_users(from, to, result);
    let_others_be(from, result);
    hb_compare_digests(from->sums.table, to->sums.table, result->differences);
    if (!sketch_both(from, to, result->differences, error) ||
        !hb_verify_name_rows(from, to, result->differences, error))
        return FALSE;
    result->database = g_strdup(to->database);
    result->unfinished = g_strdup(to->unfinished);
    result->steps_done = to->steps_done;
    result->objects = hb_catalog_count(from->catalog);
    result->tables = g_hash_table_size(from->sums.table);
    result->bytes = from->sums.bytes + to->sums.bytes;
    g_hash_table_iter_init(&iter, from->sums.table);
    while (g_hash_table_iter_next(&iter, NULL, &sum))
        result->rows += ((HbRowSum *)sum)->digest.rows;
    return TRUE;
}

static gpointer read_server(gpointer data)
{
    hb_side_contents_read_server(data);
    return NULL;
}

static void find_both(HbSideContents *from, HbSideContents *to)
{
    GThread *thread = NULL;

    if (from->side->dump != NULL)
        hb_side_contents_read_dump(from, &from->error);
    else
        thread = g_thread_new("from", read_server, from);
    if (from->error == NULL)
        hb_side_contents_read_server(to);
    if (thread != NULL)
        g_thread_join(thread);
}

gboolean hb_verification_is_equal(const HbVerification *verification)
{
    for (guint i = 0; i < verification->probes->len; i++) {
        if (!((const HbAnswer *)verification->probes->pdata[i])->same)
            return FALSE;
    }
    return verification->differences->len == 0;
}

static gboolean ask_probes(const HbVerifyOptions *options, HbVerification *result, GError **error)
{
    const HbQuestions questions = {&options->from, &options->to, options->probes, &options->wishes};
    GPtrArray *probes = options->probes != NULL ? hb_questions_ask(&questions, error) : g_ptr_array_new();

    if (probes == NULL)
        return FALSE;
    g_ptr_array_unref(result->probes);
    result->probes = probes;
    return TRUE;
}

void hb_verification_init(HbVerification *verification)
{
    *verification = (HbVerification){.differences = hb_compare_new(),
                                     .unread = g_ptr_array_new_with_free_func(g_free),
                                     .only_in_to = g_ptr_array_new_with_free_func(g_free),
                                     .ignored = g_ptr_array_new_with_free_func(g_free),
                                     .translated = g_ptr_array_new_with_free_func(g_free),
                                     .probes = g_ptr_array_new()};
}

void hb_verification_clear(HbVerification *verification)
{
    g_clear_pointer(&verification->database, g_free);
    g_clear_pointer(&verification->unfinished, g_free);
    g_clear_pointer(&verification->differences, g_ptr_array_unref);
    g_clear_pointer(&verification->unread, g_ptr_array_unref);
    g_clear_pointer(&verification->ignored, g_ptr_array_unref);
    g_clear_pointer(&verification->only_in_to, g_ptr_array_unref);
    g_clear_pointer(&verification->translated, g_ptr_array_unref);
    g_clear_pointer(&verification->probes, g_ptr_array_unref);
}

gboolean hb_verify_run(const HbVerifyOptions *options, HbVerification *result, GError **error)
{
    HbSideContents from, to;
    gboolean ok;

    hb_verification_init(result);
    hb_side_contents_init(&from, options, &options->from, options->jobs);
    hb_side_contents_init(&to, options, &options->to, 0);
    find_both(&from, &to);
    ok = from.error == NULL && to.error == NULL;
    if (ok)
        ok = compare(&from, &to, result, error) && hb_side_contents_end(&from, error) &&
             hb_side_contents_end(&to, error) && ask_probes(options, result, error);
    else
        pass_error(&from, &to, options->stop, error);
    hb_side_contents_clear(&from);
    hb_side_contents_clear(&to);
    return ok;
}
