/* SPDX-License-Identifier: Apache-2.0 */
#include "work/source/snapshot_rows.h"

/* Pieces of a table: small enough to share the last ones evenly, large enough to cost nothing */
#define PIECE_BYTES_MIN (16 * 1024 * 1024)
#define PIECE_BYTES_MAX (128 * 1024 * 1024)
#define PIECES_A_WORKER 8

/* A row set without rows costs something, too: keeps the progress of thousands of empty tables moving */
#define PIECE_COST_MIN 4096

#define TELL_EVERY_BYTES (1024 * 1024)
#define ATTEMPTS         3

/* ---- Sessions ---- */

gboolean hb_snapshot_sessions_open(const HbSnapshotSessions *readers, GPtrArray *sessions, GError **error)
{
    while (sessions->len < readers->jobs) {
        HbSession *session = readers->engine->connector->open(readers->address, error);
        if (session == NULL)
            return FALSE;
        g_ptr_array_add(sessions, session);
    }
    return TRUE;
}

static void close_beyond(const HbEngine *engine, GPtrArray *sessions, guint count)
{
    while (sessions->len > count) {
        HbSession *session = g_ptr_array_steal_index(sessions, sessions->len - 1);
        engine->connector->close(session);
    }
}

gboolean hb_snapshot_sessions_join(const HbSnapshotSessions *readers, HbSession *keeper, GPtrArray *sessions,
                                   GError **error)
{
    close_beyond(readers->engine, sessions, readers->snapshot->sessions);
    for (guint i = 0; i < sessions->len; i++) {
        if (!readers->engine->source->join_snapshot(sessions->pdata[i], readers->snapshot, error)) {
            g_prefix_error(error, "joining the snapshot: ");
            return FALSE;
        }
    }
    return readers->engine->source->seal_snapshot(keeper, readers->snapshot, error);
}

void hb_snapshot_sessions_close(const HbEngine *engine, GPtrArray *sessions)
{
    close_beyond(engine, sessions, 0);
}

/* ---- Pieces ---- */

typedef struct {
    const HbRowSet *set;
    HbRange range;
} Piece;

/* Shared by the workers */
typedef struct {
    const HbSnapshotRows *reading;
    GArray *pieces; /* Piece, the largest first */
    gint next;      /* atomic: index of the next to take */
} Pieces;

/* One worker's piece while it is read */
typedef struct {
    const HbSnapshotRows *reading;
    HbWorker *worker;
    gpointer context;
    guint64 cost;       /* of the piece */
    guint64 told;       /* of the cost */
    guint64 unreported; /* bytes not told yet */
} Current;

static guint64 piece_bytes(const HbSnapshotRows *reading)
{
    guint64 total = 0;

    for (guint i = 0; i < reading->sets->len; i++)
        total += ((const HbRowSet *)reading->sets->pdata[i])->bytes;
    return CLAMP(total / (reading->jobs * PIECES_A_WORKER), PIECE_BYTES_MIN, PIECE_BYTES_MAX);
}

static gint compare_pieces(gconstpointer one, gconstpointer other)
{
    const Piece *a = one, *b = other;

    if (a->range.bytes != b->range.bytes)
        return a->range.bytes > b->range.bytes ? -1 : 1;
    return a->range.first < b->range.first ? -1 : a->range.first > b->range.first;
}

static void add_pieces(GArray *pieces, HbSession *session, const HbSnapshotRows *reading, const HbRowSet *set,
                       guint64 bytes)
{
    g_autoptr(GArray) ranges = reading->engine->source->split_rows(session, set, bytes);

    for (guint r = 0; r < ranges->len; r++) {
        Piece piece = {set, g_array_index(ranges, HbRange, r)};
        g_array_index(ranges, HbRange, r).where = NULL; /* the piece's by now */
        piece.range.bytes = MAX(piece.range.bytes, PIECE_COST_MIN);
        g_array_append_val(pieces, piece);
    }
}

static void piece_clear(gpointer data)
{
    g_free(((Piece *)data)->range.where);
}

static GArray *cut_pieces(const HbSnapshotRows *reading, HbSession *session, guint64 *total)
{
    GArray *pieces = g_array_new(FALSE, FALSE, sizeof(Piece));

    g_array_set_clear_func(pieces, piece_clear);
    guint64 bytes = piece_bytes(reading);

    for (guint i = 0; i < reading->sets->len; i++) {
        const guint before = pieces->len;
        add_pieces(pieces, session, reading, reading->sets->pdata[i], bytes);
        if (reading->consumer->cut != NULL)
            reading->consumer->cut(reading->consumer->data, reading->sets->pdata[i], pieces->len - before);
    }
    g_array_sort(pieces, compare_pieces);
    *total = 0;
    for (guint i = 0; i < pieces->len; i++)
        *total += g_array_index(pieces, Piece, i).range.bytes;
    return pieces;
}

/* Cost is an estimate, bytes are real: a piece never tells more than its cost, and the rest when it is finished */
static void tell(Current *current, gboolean finished)
{
    guint64 left = current->cost - current->told;
    guint64 cost = finished ? left : MIN(left, current->unreported);

    hb_worker_notify_advanced(current->worker, cost, current->unreported);
    hb_throttle_take(current->reading->throttle, current->unreported, current->reading->stop);
    current->told += cost;
    current->unreported = 0;
}

static gboolean take_row(gpointer data, const char *row, gsize length, GError **error)
{
    Current *current = data;

    current->unreported += length;
    if (current->unreported >= TELL_EVERY_BYTES) {
        tell(current, FALSE);
        if (hb_stop_is_set(current->reading->stop))
            return hb_stop_set_error(error);
    }
    return current->reading->consumer->take(current->context, row, length, error);
}

static gboolean read_piece(Current *current, const Piece *piece, GError **error)
{
    const HbSnapshotRows *reading = current->reading;
    gboolean good;

    current->cost = piece->range.bytes;
    current->told = 0;
    current->unreported = 0;
    reading->consumer->begin(current->context, piece->set, piece->range.first);
    good = reading->engine->source->read_rows(current->worker->session, piece->set, &piece->range, take_row, current,
                                              error);
    if (!reading->consumer->end(current->context, good, good ? error : NULL))
        good = FALSE;
    if (good)
        tell(current, TRUE);
    return good;
}

/*
 * A lost connection is opened again and the piece read anew, as long as the snapshot still stands. The taker of
 * the rows may want them again for a passing reason of its own, which does not concern this session
 */
static gboolean read_stubbornly(Current *current, const Piece *piece, GError **error)
{
    for (int attempt = 1;; attempt++) {
        g_autoptr(GError) ours = NULL;
        if (read_piece(current, piece, &ours))
            return TRUE;
        if (hb_error_is(ours, HB_ERROR_RETRY) && attempt < ATTEMPTS && !hb_stop_is_set(current->reading->stop))
            continue;
        if (!hb_error_is(ours, HB_ERROR_LOST) || attempt == ATTEMPTS || hb_stop_is_set(current->reading->stop) ||
            !hb_worker_reopen(current->worker, NULL)) {
            g_propagate_prefixed_error(error, g_steal_pointer(&ours), "reading the rows of %s: ", piece->set->table);
            return FALSE;
        }
    }
}

static gboolean join(HbWorker *worker, gpointer data, GError **error)
{
    const Pieces *pieces = data;

    return worker->workers->engine->source->join_snapshot(worker->session, pieces->reading->snapshot, error);
}

static gboolean work(HbWorker *worker, gpointer data, GError **error)
{
    Pieces *pieces = data;
    const HbRowConsumer *consumer = pieces->reading->consumer;
    Current current = {.reading = pieces->reading, .worker = worker, .context = consumer->open(consumer->data)};
    gboolean ok = TRUE;
    guint at;

    while (ok && (at = (guint)g_atomic_int_add(&pieces->next, 1)) < pieces->pieces->len) {
        const Piece *piece = &g_array_index(pieces->pieces, Piece, at);
        if (hb_stop_is_set(pieces->reading->stop)) {
            ok = hb_stop_set_error(error);
            break;
        }
        hb_worker_notify_started(worker, &(HbWorkerTask){.what = piece->set->table, .cost = piece->range.bytes});
        ok = read_stubbornly(&current, piece, error);
        hb_worker_notify_finished(worker);
    }
    consumer->close(current.context);
    return ok;
}

gboolean hb_snapshot_rows_read(const HbSnapshotRows *reading, GError **error)
{
    HbSession *session = reading->engine->connector->open(reading->address, error);
    Pieces pieces = {.reading = reading};
    guint64 total = 0;
    gboolean ok;

    if (session == NULL)
        return FALSE;
    pieces.pieces = cut_pieces(reading, session, &total);
    reading->engine->connector->close(session);
    hb_observers_begin_phase(reading->observers, reading->phase, total);
    HbWorkers workers = {.engine = reading->engine,
                         .address = reading->address,
                         .jobs = MAX(MIN(reading->jobs, pieces.pieces->len), 1),
                         .first_number = reading->first_worker,
                         .sessions = reading->sessions,
                         .keeps_sessions = reading->keeps_sessions,
                         .stop = reading->stop,
                         .observers = reading->observers,
                         .enter = join,
                         .work = work,
                         .data = &pieces};
    ok = hb_workers_run(&workers, error);
    g_array_unref(pieces.pieces);
    return ok;
}
