/* SPDX-License-Identifier: Apache-2.0 */
#include "work/verify/verify.h"

#include "core/graph/order.h"
#include "work/run/lookout.h"
#include "work/source/snapshot_rows.h"
#include "work/verify/questions.h"

#include <string.h>

/* What was found on one side */
typedef struct {
    const HbVerifyOptions *options;
    const HbSide *side;
    guint first_worker;
    char *database;         /* unquoted */
    guint version;          /* that the definitions are for */
    HbCatalog *own_catalog; /* of a server */
    HbCatalog *catalog;     /* own_catalog, or the dump's */
    GMutex lock;            /* guards digests and bytes */
    GHashTable *digests;    /* row set's identity to HbDigest * */
    guint64 bytes;
    HbSnapshot snapshot;
    GPtrArray *readers; /* HbSession *: joined, and not yet taken by a worker */
    GHashTable
        *other_users; /* identities, after renaming, of what is personal of users who are called otherwise in TO */
    GError *error;
} SideContents;

/* ---- Rows to digests: the consumer of a reading ---- */

typedef struct {
    SideContents *contents;
    const HbRowSet *set;
    HbPieceDigest sum;
    guint64 bytes;
} Summing;

static gpointer open_summing(gpointer data)
{
    Summing *summing = g_new0(Summing, 1);

    summing->contents = data;
    return summing;
}

static void close_summing(gpointer context)
{
    Summing *summing = context;

    hb_piece_digest_clear(&summing->sum);
    g_free(summing);
}

static void begin_summing(gpointer context, const HbRowSet *set, guint64 first)
{
    Summing *summing = context;

    (void)first;
    summing->set = set;
    hb_piece_digest_clear(&summing->sum);
    summing->bytes = 0;
}

static gboolean take_row(gpointer context, const char *row, gsize length, GError **error)
{
    Summing *summing = context;

    (void)error;
    hb_piece_digest_add(&summing->sum, row, length);
    summing->bytes += length;
    return TRUE;
}

static gboolean end_summing(gpointer context, gboolean good, GError **error)
{
    Summing *summing = context;
    SideContents *contents = summing->contents;

    (void)error;
    if (!good)
        return TRUE;
    g_mutex_lock(&contents->lock);
    hb_digest_add(g_hash_table_lookup(contents->digests, summing->set->identity), &summing->sum.digest);
    contents->bytes += summing->bytes;
    g_mutex_unlock(&contents->lock);
    return TRUE;
}

/* ---- One side ---- */

static void finding_init(SideContents *contents, const HbVerifyOptions *options, const HbSide *side, guint first_worker)
{
    *contents = (SideContents){.options = options, .side = side, .first_worker = first_worker};
    g_mutex_init(&contents->lock);
    contents->readers = g_ptr_array_new();
    contents->digests = g_hash_table_new_full(g_str_hash, g_str_equal, NULL, g_free);
    contents->other_users = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL);
}

static void finding_clear(SideContents *contents)
{
    g_hash_table_unref(contents->digests);
    g_hash_table_unref(contents->other_users);
    g_ptr_array_unref(contents->readers);
    g_mutex_clear(&contents->lock);
    hb_catalog_free(contents->own_catalog);
    hb_snapshot_clear(&contents->snapshot);
    g_free(contents->database);
    g_clear_error(&contents->error);
}

/* What was chosen when a dump was made, and what is chosen now. What FROM has must be there to be chosen */
static gboolean choose(SideContents *contents, GError **error)
{
    const HbVerifyOptions *options = contents->options;
    gboolean is_from = contents->side == &options->from;

    if (!is_from && options->from.dump != NULL &&
        !hb_selection_apply(hb_reader_get_manifest(options->from.dump)->selection, contents->catalog,
                            options->to.engine->dialect, FALSE, NULL, error))
        return FALSE;
    return hb_selection_apply(options->selection, contents->catalog, options->to.engine->dialect, is_from, NULL,
                              error) &&
           (!is_from || hb_adapt_check_names(contents->catalog, options->to.engine, &options->wishes, error));
}

static gboolean find_in_dump(SideContents *contents, GError **error)
{
    const HbManifest *manifest = hb_reader_get_manifest(contents->side->dump);

    contents->catalog = manifest->catalog;
    contents->version = manifest->version_number;
    contents->database = g_strdup(manifest->database);
    if (!choose(contents, error))
        return FALSE;
    hb_manifest_drop_rows(manifest);
    for (guint i = 0; i < manifest->rows->len; i++) {
        HbStoredRows *rows = manifest->rows->pdata[i];
        g_hash_table_insert(contents->digests, rows->set->identity, g_memdup2(&rows->digest, sizeof(HbDigest)));
    }
    return TRUE;
}

static void pass_remark(gpointer data, const char *what, const char *hint)
{
    hb_observers_note(((SideContents *)data)->options->observers, HB_SEVERITY_NOTE, hint, "%s", what);
}

static gboolean read_catalog(SideContents *contents, GError **error)
{
    const HbVerifyOptions *options = contents->options;

    contents->own_catalog = contents->side->engine->source->read_catalog(
        contents->readers, hb_selection_list_parts(options->selection, options->parts), error);
    contents->catalog = contents->own_catalog;
    if (contents->own_catalog == NULL || !hb_order_arrange(contents->own_catalog, error) || !choose(contents, error))
        return FALSE;
    hb_catalog_keep_parts(contents->catalog, options->parts);
    return hb_catalog_check_rows(contents->catalog, error);
}

static gboolean read_rows(SideContents *contents, GError **error)
{
    const HbVerifyOptions *options = contents->options;
    const HbRowConsumer consumer = {open_summing, close_summing, begin_summing, take_row, end_summing, contents, NULL};
    const HbSnapshotRows reading = {.engine = contents->side->engine,
                                    .address = &contents->side->address,
                                    .snapshot = &contents->snapshot,
                                    .sets = hb_catalog_get_row_sets(contents->catalog),
                                    .sessions = contents->readers,
                                    .jobs = contents->readers->len,
                                    .first_worker = contents->first_worker,
                                    .stop = options->stop,
                                    .observers = options->observers,
                                    .phase = "reading rows",
                                    .consumer = &consumer};

    for (guint i = 0; i < reading.sets->len; i++) {
        const HbRowSet *set = reading.sets->pdata[i];
        g_hash_table_insert(contents->digests, set->identity, g_new0(HbDigest, 1));
    }
    return reading.sets->len == 0 || hb_snapshot_rows_read(&reading, error);
}

static gboolean describe(SideContents *contents, HbSession *keeper, GError **error)
{
    HbServerInfo info = {0};

    if (!contents->side->engine->connector->describe(keeper, &info, error))
        return FALSE;
    contents->database = g_steal_pointer(&info.database);
    contents->version = info.version_number;
    hb_server_info_clear(&info);
    return TRUE;
}

static gboolean read_in_snapshot(SideContents *contents, HbSession *keeper, GError **error)
{
    const HbEngine *engine = contents->side->engine;
    const HbSnapshotSessions readers = {engine, &contents->side->address, &contents->snapshot, contents->options->jobs,
                                        contents->options->stop};

    contents->snapshot.sessions = contents->options->jobs;
    if (!describe(contents, keeper, error) ||
        !engine->source->begin_snapshot(keeper, contents->options->lock_wait_ms, &contents->snapshot, pass_remark,
                                        contents, error))
        return FALSE;
    return hb_snapshot_sessions_open(&readers, keeper, contents->readers, error) && read_catalog(contents, error) &&
           read_rows(contents, error) && engine->source->end_snapshot(keeper, error);
}

static gpointer find_on_server(gpointer data)
{
    SideContents *contents = data;
    const HbEngine *engine = contents->side->engine;
    const HbVerifyOptions *options = contents->options;
    const char *whose = contents->side == &options->from ? "FROM" : "TO";
    HbLookout *lookout = hb_lookout_start(engine, &contents->side->address, whose, options->stop, options->observers);
    HbSession *keeper = engine->connector->open(&contents->side->address, &contents->error);
    gboolean ok = FALSE;

    if (keeper != NULL) {
        ok = read_in_snapshot(contents, keeper, &contents->error);
        hb_snapshot_sessions_close(engine, contents->readers);
        engine->connector->close(keeper);
    }
    hb_lookout_end(lookout);
    if (!ok)
        hb_stop_trigger(options->stop);
    return NULL;
}

/* ---- Comparing ---- */

/*
 * Statements about the database name it; the target's name may be another, and that is no difference. The source's own
 * is written anew, too, so that both are quoted alike
 */
static void fit_names(SideContents *from, SideContents *to)
{
    char *name = (char *)hb_adapt_database(&to->options->wishes, from->database);
    const HbRename there = {.kind = HB_RENAME_DATABASE, .old_name = to->database, .new_name = name};
    const HbRename here = {.kind = HB_RENAME_DATABASE, .old_name = name, .new_name = name};

    if (strcmp(from->database, to->database) == 0)
        return;
    hb_adapt_definitions(to->own_catalog, to->side->engine, &there, FALSE);
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

void hb_verify_catalogs(HbCatalog *from, guint from_version, HbCatalog *to, guint to_version, const HbDialect *dialect,
                        guint parts, HbVerification *result)
{
    if (from_version != to_version)
        compare_across_versions(from, from_version, to, to_version, parts, dialect, result->differences);
    else
        hb_compare_catalogs(from, to, dialect, parts, result->differences);
    note_unread(from, to, result);
    hb_compare_list_own(from, to, dialect, parts, result->only_in_to);
}

/* Versions print the same thing differently: what the target reads as its own is no difference */
static void drop_seeming(const SideContents *from, const SideContents *to, GPtrArray *differences)
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

/* The digests are known by identities, which are other ones now */
static GHashTable *follow_names(SideContents *contents, const GPtrArray *digests)
{
    const GPtrArray *sets = hb_catalog_get_row_sets(contents->catalog);
    GHashTable *renamed = g_hash_table_new_full(g_str_hash, g_str_equal, NULL, g_free);

    for (guint i = 0; i < sets->len; i++) {
        if (digests->pdata[i] != NULL)
            g_hash_table_insert(renamed, ((HbRowSet *)sets->pdata[i])->identity, digests->pdata[i]);
    }
    return renamed;
}

/*
 * What a user has set is the server's: beside a renamed copy it may go on saying the old name, for the original's sake.
 * Either is right
 */
static void rename_settings_of_users(SideContents *to)
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

static void list_other_users(SideContents *from, const HbEngine *engine, const GPtrArray *renames)
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

/* Whoever has another name in TO may have been there before, with attributes and a password of his own */
static void let_others_be(const SideContents *from, HbVerification *result)
{
    for (guint i = result->differences->len; i-- > 0;) {
        const HbDifference *difference = result->differences->pdata[i];
        if (!g_hash_table_contains(from->other_users, difference->identity))
            continue;
        g_ptr_array_add(result->ignored, g_strdup(difference->identity));
        g_ptr_array_remove_index(result->differences, i);
    }
}

/* The names that things were given on the way are those of TO */
static gboolean fulfil_wishes(SideContents *from, SideContents *to, GError **error)
{
    const GPtrArray *sets = hb_catalog_get_row_sets(from->catalog);
    g_autoptr(GPtrArray) digests = g_ptr_array_new();

    for (guint i = 0; i < sets->len; i++) {
        const HbDigest *digest = g_hash_table_lookup(from->digests, ((HbRowSet *)sets->pdata[i])->identity);
        g_ptr_array_add(digests, digest != NULL ? g_memdup2(digest, sizeof *digest) : NULL);
    }
    g_hash_table_remove_all(from->digests);
    hb_adapt_rights(to->catalog, to->side->engine, &to->options->wishes);
    rename_settings_of_users(to);
    list_other_users(from, to->side->engine, to->options->wishes.renames);
    if (!hb_adapt_wishes(from->catalog, to->side->engine, &to->options->wishes, error)) {
        g_ptr_array_set_free_func(digests, g_free);
        return FALSE;
    }
    g_hash_table_unref(from->digests);
    from->digests = follow_names(from, digests);
    return TRUE;
}

static gboolean compare(SideContents *from, SideContents *to, HbVerification *result, GError **error)
{
    GHashTableIter iter;
    gpointer digest;

    if (!fulfil_wishes(from, to, error))
        return FALSE;
    fit_names(from, to);
    hb_catalog_fit(from->catalog, to->version, ""); /* a dump may be written for yet another version */
    hb_verify_catalogs(from->catalog, from->version, to->catalog, to->version, to->side->engine->dialect,
                       to->options->parts, result);
    drop_seeming(from, to, result->differences);
    let_others_be(from, result);
    hb_compare_digests(from->digests, to->digests, result->differences);
    result->objects = hb_catalog_count(from->catalog);
    result->tables = g_hash_table_size(from->digests);
    result->bytes = from->bytes + to->bytes;
    g_hash_table_iter_init(&iter, from->digests);
    while (g_hash_table_iter_next(&iter, NULL, &digest))
        result->rows += ((HbDigest *)digest)->rows;
    return TRUE;
}

/* The cause rather than its echo on the other side */
static gboolean pass_error(SideContents *from, SideContents *to, HbStop *stop, GError **error)
{
    SideContents *guilty = from->error != NULL && !hb_error_is(from->error, HB_ERROR_CANCELLED) ? from : to;

    if (hb_stop_is_by_user(stop))
        return hb_stop_set_error(error);
    if (guilty->error == NULL)
        guilty = guilty == from ? to : from;
    g_propagate_error(error, g_steal_pointer(&guilty->error));
    return FALSE;
}

static void find_both(SideContents *from, SideContents *to)
{
    GThread *thread = NULL;

    if (from->side->dump != NULL)
        find_in_dump(from, &from->error);
    else
        thread = g_thread_new("from", find_on_server, from);
    if (from->error == NULL)
        find_on_server(to);
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
                                     .probes = g_ptr_array_new()};
}

void hb_verification_clear(HbVerification *verification)
{
    g_clear_pointer(&verification->differences, g_ptr_array_unref);
    g_clear_pointer(&verification->unread, g_ptr_array_unref);
    g_clear_pointer(&verification->ignored, g_ptr_array_unref);
    g_clear_pointer(&verification->only_in_to, g_ptr_array_unref);
    g_clear_pointer(&verification->probes, g_ptr_array_unref);
}

gboolean hb_verify_run(const HbVerifyOptions *options, HbVerification *result, GError **error)
{
    SideContents from, to;
    gboolean ok;

    hb_verification_init(result);
    finding_init(&from, options, &options->from, options->jobs);
    finding_init(&to, options, &options->to, 0);
    find_both(&from, &to);
    ok = from.error == NULL && to.error == NULL;
    if (ok)
        ok = compare(&from, &to, result, error) && ask_probes(options, result, error);
    else
        pass_error(&from, &to, options->stop, error);
    finding_clear(&from);
    finding_clear(&to);
    return ok;
}
