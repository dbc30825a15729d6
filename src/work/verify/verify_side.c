/* SPDX-License-Identifier: Apache-2.0 */
#include "work/verify/verify_inner.h"

#include "core/graph/order.h"
#include "work/run/lookout.h"
#include "work/source/adapt.h"
#include "work/source/snapshot_rows.h"

#include <string.h>

/*
 * One side of a comparison: a dump, whose digests are known, or a server, which is read at one moment by sessions of
 * its own.
 */

/* ---- One side ---- */

void hb_side_contents_init(HbSideContents *contents, const HbVerifyOptions *options, const HbSide *side,
                           guint first_worker)
{
    *contents = (HbSideContents){.options = options, .side = side, .first_worker = first_worker};
    contents->readers = g_ptr_array_new();
    hb_row_sums_init(&contents->sums);
    contents->other_users = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL);
}

/* What FROM has must be there to be chosen */
static gboolean choose_from(HbSideContents *from, GError **error)
{
    const HbVerifyOptions *options = from->options;

    return hb_selection_apply(options->selection, from->catalog, options->to.engine->dialect, TRUE, NULL, error) &&
           hb_adapt_check_names(from->catalog, options->to.engine, &options->wishes, error);
}

/* What was chosen when a dump was made, and what is chosen now */
static gboolean choose_to(HbSideContents *to, GError **error)
{
    const HbVerifyOptions *options = to->options;
    const HbSelection *of_dump =
        options->from.dump != NULL ? hb_reader_get_manifest(options->from.dump)->selection : NULL;

    return hb_adapt_choose(of_dump, to->catalog, options->to.engine, &options->wishes, error) &&
           hb_adapt_choose(options->selection, to->catalog, options->to.engine, &options->wishes, error);
}

static gboolean choose(HbSideContents *contents, GError **error)
{
    return contents->side == &contents->options->from ? choose_from(contents, error) : choose_to(contents, error);
}

gboolean hb_side_contents_read_dump(HbSideContents *contents, GError **error)
{
    const HbManifest *manifest = hb_reader_get_manifest(contents->side->dump);

    contents->catalog = hb_catalog_copy(manifest->catalog);
    contents->version = manifest->version_number;
    contents->database = g_strdup(manifest->database);
    if (!choose(contents, error))
        return FALSE;
    for (guint i = 0; i < manifest->rows->len; i++) {
        HbStoredRows *rows = manifest->rows->pdata[i];
        if (hb_catalog_find(contents->catalog, rows->set->identity) == NULL)
            continue;
        HbRowSum *sum = g_new0(HbRowSum, 1);
        *sum = (HbRowSum){.digest = rows->digest, .stored = rows};
        g_hash_table_insert(contents->sums.table, rows->set->identity, sum);
    }
    return TRUE;
}

static void pass_remark(gpointer data, const char *what, const char *hint)
{
    hb_observers_note(((HbSideContents *)data)->options->observers, HB_SEVERITY_NOTE, hint, "%s", what);
}

static gboolean read_catalog(HbSideContents *contents, GError **error)
{
    const HbVerifyOptions *options = contents->options;

    contents->catalog = contents->side->engine->source->read_catalog(
        contents->readers, hb_selection_list_parts(options->selection, options->parts), error);
    if (contents->catalog == NULL || !hb_order_arrange(contents->catalog, error) || !choose(contents, error))
        return FALSE;
    hb_catalog_keep_parts(contents->catalog, options->parts);
    return hb_catalog_check_rows(contents->catalog, error);
}

HbThrottle *hb_side_contents_get_throttle(const HbSideContents *contents)
{
    const HbVerifyOptions *options = contents->options;

    if (contents->side->dump != NULL)
        return NULL;
    return contents->side == &options->from ? options->throttle_from : options->throttle_to;
}

/* The row sets that are to be read; the caller's, its elements are not */
static GPtrArray *choose_rows(const HbSideContents *contents)
{
    const HbVerifyOptions *options = contents->options;
    GHashTable *wanted = contents->side == &options->from ? options->rows_from : options->rows_to;
    const GPtrArray *all = hb_catalog_get_row_sets(contents->catalog);
    GPtrArray *sets = g_ptr_array_new();

    for (guint i = 0; i < all->len; i++) {
        if (wanted == NULL || g_hash_table_contains(wanted, ((const HbRowSet *)all->pdata[i])->table))
            g_ptr_array_add(sets, all->pdata[i]);
    }
    return sets;
}

static HbSnapshotRows reading_of(HbSideContents *contents, const GPtrArray *sets, const char *phase)
{
    const HbVerifyOptions *options = contents->options;

    return (HbSnapshotRows){.engine = contents->side->engine,
                            .address = &contents->side->address,
                            .snapshot = &contents->snapshot,
                            .sets = sets,
                            .sessions = contents->readers,
                            .keeps_sessions = TRUE,
                            .jobs = contents->readers->len,
                            .first_worker = contents->first_worker,
                            .throttle = hb_side_contents_get_throttle(contents),
                            .stop = options->stop,
                            .observers = options->observers,
                            .phase = phase};
}

static gboolean read_rows(HbSideContents *contents, GError **error)
{
    g_autoptr(GPtrArray) sets = choose_rows(contents);
    const HbSnapshotRows reading = reading_of(contents, sets, "reading rows");

    return hb_row_sums_read(&contents->sums, &reading, FALSE, error);
}

void hb_side_contents_add_sketches(HbSideContents *contents, const GPtrArray *differences)
{
    g_autoptr(GPtrArray) sets = g_ptr_array_new();
    const HbSnapshotRows reading = reading_of(contents, sets, "reading rows that differ");

    for (guint i = 0; i < differences->len; i++) {
        const HbDifference *difference = differences->pdata[i];
        const HbRowSum *sum = g_hash_table_lookup(contents->sums.table, difference->identity);
        if (difference->type == HB_DIFFERENCE_ROWS && sum != NULL)
            g_ptr_array_add(sets, sum->set);
    }
    if (sets->len > 0 && !hb_row_sums_add_sketches(&contents->sums, &reading, &contents->error))
        hb_stop_trigger(contents->options->stop);
}

static gboolean describe(HbSideContents *contents, HbSession *keeper, GError **error)
{
    HbServerInfo info = {0};

    if (!contents->side->engine->connector->describe(keeper, &info, error))
        return FALSE;
    contents->database = g_steal_pointer(&info.database);
    contents->version = info.version_number;
    hb_server_info_clear(&info);
    return TRUE;
}

/* What is called like the journal and is none is an object like others */
static void look_for_journal(HbSideContents *contents, HbSession *keeper)
{
    const HbJournal *journal = contents->side->engine->journal;
    g_autoptr(GHashTable) steps = NULL;

    if (contents->side != &contents->options->to || !journal->find(keeper, &contents->unfinished, NULL) ||
        contents->unfinished == NULL)
        return;
    steps = journal->read(keeper, NULL);
    contents->steps_done = steps != NULL ? g_hash_table_size(steps) : 0;
}

static gboolean read_in_snapshot(HbSideContents *contents, HbSession *keeper, GError **error)
{
    const HbEngine *engine = contents->side->engine;
    const HbSnapshotSessions readers = {engine, &contents->side->address, &contents->snapshot, contents->options->jobs,
                                        contents->options->stop};

    contents->snapshot.sessions = contents->options->jobs;
    look_for_journal(contents, keeper);
    if (!describe(contents, keeper, error) || !hb_snapshot_sessions_open(&readers, contents->readers, error) ||
        !engine->source->begin_snapshot(keeper, contents->options->lock_wait_ms, &contents->snapshot, pass_remark,
                                        contents, error))
        return FALSE;
    return hb_snapshot_sessions_join(&readers, contents->readers, error) &&
           engine->source->seal_snapshot(keeper, &contents->snapshot, error) && read_catalog(contents, error) &&
           read_rows(contents, error);
}

static void close_keeper(HbSideContents *contents)
{
    if (contents->side->dump != NULL)
        return;
    hb_snapshot_sessions_close(contents->side->engine, contents->readers);
    contents->side->engine->connector->close(contents->keeper);
    contents->keeper = NULL;
    hb_lookout_end(contents->lookout);
    contents->lookout = NULL;
}

void hb_side_contents_clear(HbSideContents *contents)
{
    close_keeper(contents);
    hb_row_sums_clear(&contents->sums);
    g_hash_table_unref(contents->other_users);
    g_ptr_array_unref(contents->readers);
    hb_catalog_free(contents->catalog);
    hb_snapshot_clear(&contents->snapshot);
    g_free(contents->database);
    g_free(contents->unfinished);
    g_clear_error(&contents->error);
}

gboolean hb_side_contents_end(HbSideContents *contents, GError **error)
{
    const gboolean ok =
        contents->keeper == NULL || contents->side->engine->source->end_snapshot(contents->keeper, error);

    close_keeper(contents);
    return ok;
}

static void take_known(HbSideContents *contents)
{
    const HbManifest *known = contents->side->known;

    contents->catalog = hb_catalog_copy(known->catalog);
    contents->version = known->version_number;
    contents->database = g_strdup(known->database);
    hb_catalog_keep_parts(contents->catalog, contents->options->parts);
}

void hb_side_contents_read_server(HbSideContents *contents)
{
    const HbEngine *engine = contents->side->engine;
    const HbVerifyOptions *options = contents->options;
    const char *whose = contents->side == &options->from ? "FROM" : "TO";

    if (contents->side->known != NULL) {
        take_known(contents);
        return;
    }
    contents->lookout = hb_lookout_start(engine, &contents->side->address, whose, options->stop, options->observers);
    contents->keeper = engine->connector->open(&contents->side->address, &contents->error);
    if (contents->keeper != NULL && read_in_snapshot(contents, contents->keeper, &contents->error))
        return;
    close_keeper(contents);
    hb_stop_trigger(options->stop);
}
