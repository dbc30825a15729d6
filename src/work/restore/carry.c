/* SPDX-License-Identifier: Apache-2.0 */
#include "work/restore/carry.h"

#include "work/run/block_queue.h"
#include "work/source/snapshot_rows.h"

/*
 * Each reader of the source has a writer of its own with a session of the target; between them at most four blocks of
 * a megabyte. A piece that breaks on either side is read once more: the source still stands at its moment. What the
 * target must have taken is known by the keys in its journal; what a crash took is emptied and read again.
 */

#define ROUNDS 4 /* of reading what a crashing target loses */

struct HbCarry {
    HbRowProvider provider;
    HbSnapshotSource *source;
    HbRestoreRun *run;
    gint pieces;        /* atomic: numbers keys */
    GMutex lock;        /* guards what follows */
    GHashTable *by_set; /* HbRowSet * of the source to HbStoredRows * of the run, whose sets are the target's */
    GHashTable *left;   /* HbRowSet * of sets to how many of their pieces are not in yet */
    GHashTable *done;   /* keys of pieces that the target has to HbStoredRows * */
};

/* Marks: the piece has ended; it broke off; the rows of a set (the data) are complete; the writer leaves */
enum { COMPLETES = HB_BLOCK_MARKS, LEAVES };

/* One reader and its writer: a thread with a session of the target */
typedef struct {
    HbCarry *carry;
    GThread *thread;
    HbBlockQueue *queue;
    GAsyncQueue *done; /* something for each piece that has ended */
    HbSession *session;
    gboolean lost; /* another session of it broke */

    /* Of the piece; the writer's until done */
    char *key;
    GError *error;
    gint failed; /* atomic: the rest of the piece is in vain */

    /* Of the piece; the reader's */
    const HbRowSet *set;
    HbPieceDigest sum;
    guint64 bytes;
} Lane;

static const HbSnapshotSourceOptions *options_of(const Lane *worker)
{
    return worker->carry->source->options;
}

/* The row set on the target, where it may have another name */
static const HbRowSet *target_of(const Lane *worker)
{
    return ((const HbStoredRows *)g_hash_table_lookup(worker->carry->by_set, worker->set))->set;
}

/* ---- The writer ---- */

static void close_target(Lane *worker)
{
    options_of(worker)->engine->connector->close(worker->session);
    worker->session = NULL;
}

static gboolean try_target(gpointer data, GError **error)
{
    Lane *worker = data;
    const HbSnapshotSourceOptions *options = options_of(worker);

    worker->session = options->engine->connector->open(hb_restore_run_get_address(worker->carry->run), error);
    if (worker->session != NULL && hb_restore_run_enter(worker->carry->run, worker->session, worker->lost, error))
        return TRUE;
    close_target(worker);
    return FALSE;
}

static gboolean open_target(Lane *worker, GError **error)
{
    HbStop *stop = options_of(worker)->stop;

    if (worker->session != NULL)
        return TRUE;
    if (hb_stop_is_set(stop))
        return hb_stop_set_error(error);
    return try_target(worker, NULL) || hb_stop_retry(stop, try_target, worker, error);
}

/* After a lost connection: a piece may have been committed although the answer did not come */
static gboolean is_there_after_all(Lane *worker)
{
    g_autoptr(GHashTable) journal = NULL;

    hb_restore_run_note_broken(worker->carry->run);
    worker->lost = TRUE;
    close_target(worker);
    if (!open_target(worker, NULL))
        return FALSE;
    journal = options_of(worker)->engine->journal->read(worker->session, NULL);
    return journal != NULL && g_hash_table_contains(journal, worker->key);
}

/* A piece: its first block has come */
static void write_piece(Lane *worker, HbBlock *first)
{
    HbBlockReader reader = {.queue = worker->queue, .block = first};

    if (open_target(worker, &worker->error))
        options_of(worker)->engine->journal->write_rows(worker->session, target_of(worker), hb_block_reader_give,
                                                        &reader, &(HbJournalEntry){worker->key, NULL}, &worker->error);
    if (worker->error != NULL && !hb_restore_run_keep_rows(worker->carry->run, target_of(worker), &worker->error))
        g_atomic_int_set(&worker->failed, TRUE);
    hb_block_reader_drain(&reader);
    if (hb_error_is(worker->error, HB_ERROR_LOST) && is_there_after_all(worker))
        g_clear_error(&worker->error);
}

static void complete(Lane *worker, HbBlock *block)
{
    if (open_target(worker, NULL))
        hb_restore_run_complete_rows(worker->carry->run, worker->session, block->data);
    hb_block_queue_give_back(worker->queue, block);
}

static gpointer run_writer(gpointer data)
{
    Lane *worker = data;
    HbBlock *block;

    while ((block = hb_block_queue_take(worker->queue))->mark != LEAVES) {
        if (block->mark == COMPLETES) {
            complete(worker, block);
            continue;
        }
        if (block->length > 0)
            write_piece(worker, block);
        else
            hb_block_queue_give_back(worker->queue, block);
        g_async_queue_push(worker->done, worker);
    }
    close_target(worker);
    return NULL;
}

/* ---- The reader: a consumer of rows ---- */

static gpointer open_lane(gpointer data)
{
    Lane *worker = g_new0(Lane, 1);

    worker->carry = data;
    worker->queue = hb_block_queue_new();
    worker->done = g_async_queue_new();
    worker->thread = g_thread_new("writer", run_writer, worker);
    return worker;
}

static void close_lane(gpointer context)
{
    Lane *worker = context;

    hb_block_queue_mark(worker->queue, LEAVES, NULL);
    g_thread_join(worker->thread);
    hb_block_queue_free(worker->queue);
    g_async_queue_unref(worker->done);
    hb_piece_digest_clear(&worker->sum);
    g_clear_error(&worker->error);
    g_free(worker->key);
    g_free(worker);
}

static void begin_piece(gpointer context, const HbRowSet *set, guint64 first)
{
    Lane *worker = context;

    (void)first;
    worker->set = set;
    worker->bytes = 0;
    hb_piece_digest_clear(&worker->sum);
    g_clear_error(&worker->error);
    g_atomic_int_set(&worker->failed, FALSE);
    g_free(worker->key);
    worker->key =
        g_strdup_printf("%s piece %d", target_of(worker)->identity, g_atomic_int_add(&worker->carry->pieces, 1) + 1);
}

static gboolean take_row(gpointer context, const char *row, gsize length, GError **error)
{
    Lane *worker = context;

    (void)error;
    if (worker->set->binary)
        worker->sum.digest.rows++;
    else
        hb_piece_digest_add(&worker->sum, row, length);
    worker->bytes += length;
    if (!g_atomic_int_get(&worker->failed))
        hb_block_queue_add(worker->queue, row, length, NULL);
    return TRUE;
}

static void note_cut(gpointer data, const HbRowSet *set, guint pieces)
{
    g_hash_table_insert(((HbCarry *)data)->left, (gpointer)set, GUINT_TO_POINTER(pieces));
}

static void count_piece(Lane *worker)
{
    HbCarry *carry = worker->carry;
    HbStoredRows *rows = g_hash_table_lookup(carry->by_set, worker->set);
    guint left;

    g_mutex_lock(&carry->lock);
    left = GPOINTER_TO_UINT(g_hash_table_lookup(carry->left, worker->set)) - 1;
    g_hash_table_insert(carry->left, (gpointer)worker->set, GUINT_TO_POINTER(left));
    hb_digest_add(&rows->digest, &worker->sum.digest);
    rows->bytes += worker->bytes;
    if (worker->bytes > 0)
        g_hash_table_insert(carry->done, g_strdup(worker->key), rows);
    g_mutex_unlock(&carry->lock);
    if (left == 0)
        hb_block_queue_mark(worker->queue, COMPLETES, (gpointer)rows->set);
}

/* What a table's rows fail for is that table's matter; a lost connection or a stop is everybody's */
static gboolean judge_piece(Lane *worker, GError **error)
{
    if (worker->error == NULL) {
        count_piece(worker);
        return TRUE;
    }
    if (hb_stop_is_set(options_of(worker)->stop))
        return hb_stop_set_error(error);
    /* the target's session is mended already, and the source's is whole: the piece is read once more */
    if (hb_error_is(worker->error, HB_ERROR_LOST) && worker->session != NULL)
        return hb_error_set(error, HB_ERROR_RETRY, hb_error_hint(worker->error), "on the target: %s",
                            worker->error->message);
    if (hb_error_is(worker->error, HB_ERROR_LOST) || hb_error_is(worker->error, HB_ERROR_CONNECT)) {
        g_propagate_prefixed_error(error, g_error_copy(worker->error), "on the target: ");
        return FALSE;
    }
    hb_restore_run_fail_rows(worker->carry->run, target_of(worker), worker->error);
    return TRUE;
}

static gboolean end_piece(gpointer context, gboolean good, GError **error)
{
    Lane *worker = context;

    hb_block_queue_mark(worker->queue, good ? HB_BLOCK_ENDS : HB_BLOCK_BREAKS_OFF, NULL);
    g_async_queue_pop(worker->done);
    return !good || judge_piece(worker, error);
}

/* ---- The whole ---- */

/* Row sets are read by the names that they have in the source */
static void index_rows(HbCarry *carry)
{
    const GPtrArray *rows = hb_restore_run_get_rows(carry->run);

    for (guint i = 0; i < rows->len; i++) {
        HbStoredRows *one = rows->pdata[i];
        g_hash_table_insert(carry->by_set, (gpointer)one->original->set, one);
    }
}

/*
 * Servers of one major version spare each other the writing and reading of text, which is most of the work. Row sets
 * that the target does not get are not read
 */
static GPtrArray *choose_sets(HbCarry *carry)
{
    GPtrArray *chosen = g_ptr_array_new();
    guint within = carry->source->options->engine->traits.binary_compatible_divisor;
    guint from = carry->source->manifest->version_number, to = hb_restore_run_get_target(carry->run)->version_number;
    const GPtrArray *sets = hb_catalog_get_row_sets(carry->source->manifest->catalog);

    for (guint i = 0; i < sets->len; i++) {
        HbRowSet *set = sets->pdata[i];
        HbStoredRows *rows = g_hash_table_lookup(carry->by_set, set);
        if (rows == NULL)
            continue;
        set->binary = set->has_binary && set->columns->len > 0 && within != 0 && from / within == to / within;
        ((HbRowSet *)rows->set)->binary = set->binary;
        g_ptr_array_add(chosen, set);
    }
    return chosen;
}

/*
 * A server that crashed may have lost commits that it had confirmed, as none of them waited for the disk, and it has
 * emptied some tables: HbStoredRows *, the caller's. NULL if the target cannot be asked
 */
static GHashTable *find_lost(HbCarry *carry, GError **error)
{
    g_autoptr(GPtrArray) emptied = NULL;
    GHashTable *lost;
    GHashTableIter iter;
    gpointer key, rows;

    if (!hb_restore_run_read_journal(carry->run, error))
        return NULL;
    lost = g_hash_table_new(NULL, NULL);
    g_hash_table_iter_init(&iter, carry->done);
    while (g_hash_table_iter_next(&iter, &key, &rows)) {
        if (!hb_restore_run_is_noted(carry->run, key))
            g_hash_table_add(lost, rows);
    }
    emptied = hb_restore_run_is_broken(carry->run) ? hb_restore_run_find_emptied(carry->run) : g_ptr_array_new();
    for (guint i = 0; i < emptied->len; i++)
        g_hash_table_add(lost, emptied->pdata[i]);
    return lost;
}

static gboolean is_of(gpointer key, gpointer value, gpointer rows)
{
    (void)key;
    return value == rows;
}

/* Empties the table of what is left, so that its rows can be read again: the source still stands at its moment */
static gboolean take_back(HbCarry *carry, HbSession *session, HbStoredRows *rows, int round)
{
    const HbEngine *engine = carry->source->options->engine;
    g_autofree char *sql = engine->dialect->make_empty_sql(rows->set);
    g_autofree char *key = g_strdup_printf("take back %s, %d", rows->set->identity, round);

    if (sql == NULL || !engine->journal->run_step(session, sql, key, NULL, NULL))
        return FALSE;
    g_hash_table_foreach_remove(carry->done, is_of, rows);
    rows->digest = (HbDigest){0};
    rows->bytes = 0;
    return TRUE;
}

/* Leaves in sets those that are to be read again; what cannot be is told */
static void choose_again(HbCarry *carry, GPtrArray *sets, GHashTable *lost, int round)
{
    const HbEngine *engine = carry->source->options->engine;
    HbSession *session = engine->connector->open(hb_restore_run_get_address(carry->run), NULL);
    g_autoptr(GError) cause = NULL;

    hb_error_set(&cause, HB_ERROR_LOST, NULL, "the target took its rows, and has lost some of them since");
    for (guint i = sets->len; i-- > 0;) {
        HbStoredRows *rows = g_hash_table_lookup(carry->by_set, sets->pdata[i]);
        const gboolean is_lost = g_hash_table_contains(lost, rows);
        if (is_lost && session != NULL && round < ROUNDS && take_back(carry, session, rows, round))
            continue;
        if (is_lost)
            hb_restore_run_fail_rows(carry->run, rows->set, cause);
        g_ptr_array_remove_index(sets, i);
    }
    engine->connector->close(session);
}

/* Reads, and reads again what a crash of the target took */
static gboolean read_all(HbCarry *carry, HbSnapshotRows *reading, GPtrArray *sets, GError **error)
{
    for (int round = 1; sets->len > 0; round++) {
        g_autoptr(GHashTable) lost = NULL;
        if (!hb_snapshot_rows_read(reading, error) || (lost = find_lost(carry, error)) == NULL)
            return FALSE;
        choose_again(carry, sets, lost, round);
        if (sets->len > 0)
            hb_observers_note(carry->source->options->observers, HB_SEVERITY_NOTE, NULL,
                              "the target crashed, and lost rows of %u table%s: they are read again", sets->len,
                              sets->len == 1 ? "" : "s");
    }
    return TRUE;
}

static gboolean load(gpointer data, HbRestoreRun *run, GError **error)
{
    HbCarry *carry = data;
    HbSnapshotSource *source = carry->source;
    const HbSnapshotSourceOptions *options = source->options;
    g_autoptr(GPtrArray) sets = NULL;
    const HbRowConsumer consumer = {open_lane, close_lane, begin_piece, take_row, end_piece, carry, note_cut};
    HbSnapshotRows reading = {.engine = options->engine,
                              .address = &options->from,
                              .snapshot = &source->snapshot,
                              .sessions = source->readers,
                              .jobs = source->readers->len,
                              .stop = options->stop,
                              .throttle = options->throttle,
                              .observers = options->observers,
                              .phase = "carrying rows",
                              .consumer = &consumer};

    carry->run = run;
    index_rows(carry);
    sets = choose_sets(carry);
    reading.sets = sets;
    return read_all(carry, &reading, sets, error) && hb_restore_run_read_journal(run, error) &&
           hb_snapshot_source_end(source, error);
}

/* ---- Life ---- */

HbCarry *hb_carry_new(HbSnapshotSource *source)
{
    const GPtrArray *sets = hb_catalog_get_row_sets(source->manifest->catalog);
    HbCarry *carry = g_new0(HbCarry, 1);

    carry->provider = (HbRowProvider){.load = load, .data = carry};
    carry->source = source;
    hb_snapshot_source_name_work(source->manifest, "carry");
    carry->by_set = g_hash_table_new(NULL, NULL);
    carry->left = g_hash_table_new(NULL, NULL);
    carry->done = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL);
    g_mutex_init(&carry->lock);
    for (guint i = 0; i < sets->len; i++)
        hb_manifest_add_rows(source->manifest, sets->pdata[i]);
    return carry;
}

void hb_carry_free(HbCarry *carry)
{
    if (carry == NULL)
        return;
    g_hash_table_unref(carry->by_set);
    g_hash_table_unref(carry->left);
    g_hash_table_unref(carry->done);
    g_mutex_clear(&carry->lock);
    g_free(carry);
}

const HbRowProvider *hb_carry_get_provider(const HbCarry *carry)
{
    return &carry->provider;
}
