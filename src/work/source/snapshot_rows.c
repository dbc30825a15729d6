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

typedef struct {
    const HbSnapshotSessions *readers;
    GThread *thread;
    GError *error;
} Opening;

static gpointer open_session(gpointer data)
{
    Opening *opening = data;

    return opening->readers->engine->connector->open(opening->readers->address, &opening->error);
}

/* All at the same time: far from a server each takes several round trips */
gboolean hb_snapshot_sessions_open(const HbSnapshotSessions *readers, GPtrArray *sessions, GError **error)
{
    const guint count = readers->jobs - MIN(readers->jobs, sessions->len);
    g_autofree Opening *openings = g_new0(Opening, count);
    GError *first = NULL;

    for (guint i = 0; i < count; i++) {
        openings[i].readers = readers;
        openings[i].thread = g_thread_new("opening", open_session, &openings[i]);
    }
    for (guint i = 0; i < count; i++) {
        HbSession *session = g_thread_join(openings[i].thread);
        if (session != NULL)
            g_ptr_array_add(sessions, session);
        else if (first == NULL)
            first = openings[i].error;
        else
            g_error_free(openings[i].error);
    }
    if (first != NULL)
        g_propagate_error(error, first);
    return first == NULL;
}

static void close_beyond(const HbEngine *engine, GPtrArray *sessions, guint count)
{
    while (sessions->len > count) {
        HbSession *session = g_ptr_array_steal_index(sessions, sessions->len - 1);
        engine->connector->close(session);
    }
}

gboolean hb_snapshot_sessions_join(const HbSnapshotSessions *readers, GPtrArray *sessions, GError **error)
{
    close_beyond(readers->engine, sessions, readers->snapshot->sessions);
    for (guint i = 0; i < sessions->len; i++) {
        if (!readers->engine->source->join_snapshot(sessions->pdata[i], readers->snapshot, error)) {
            g_prefix_error(error, "joining the snapshot: ");
            return FALSE;
        }
    }
    return TRUE;
}

void hb_snapshot_sessions_close(const HbEngine *engine, GPtrArray *sessions)
{
    close_beyond(engine, sessions, 0);
}

/* ---- Pieces ---- */

/* Shared by the workers */
typedef struct {
    const HbSnapshotRows *reading;
    const GArray *pieces; /* HbPiece, the largest first */
    gint next;            /* atomic: index of the next to take, if no other host takes any */
    gint read;            /* atomic: so many were */
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

/* Of so many bytes each, all workers have a few pieces */
static guint64 count_share(const HbSnapshotRows *reading, guint hosts)
{
    guint64 total = 0;

    for (guint i = 0; i < reading->sets->len; i++)
        total += ((const HbRowSet *)reading->sets->pdata[i])->bytes;
    return total / (reading->jobs * hosts * PIECES_A_WORKER);
}

static gint compare_pieces(gconstpointer one, gconstpointer other)
{
    const HbPiece *a = one, *b = other;

    if (a->range.bytes != b->range.bytes)
        return a->range.bytes > b->range.bytes ? -1 : 1;
    return a->range.first < b->range.first ? -1 : a->range.first > b->range.first;
}

static void add_pieces(GArray *pieces, HbSession *session, const HbSnapshotRows *reading, const HbRowSet *set,
                       guint64 bytes)
{
    g_autoptr(GArray) ranges = reading->engine->source->split_rows(session, set, bytes);

    for (guint r = 0; r < ranges->len; r++) {
        HbPiece piece = {set, g_array_index(ranges, HbRange, r), 0};
        g_array_index(ranges, HbRange, r).where = NULL; /* the piece's by now */
        piece.range.bytes = MAX(piece.range.bytes, PIECE_COST_MIN);
        g_array_append_val(pieces, piece);
    }
}

GArray *hb_snapshot_rows_cut(const HbSnapshotRows *reading, guint hosts, GError **error)
{
    HbSession *session = reading->engine->connector->open(reading->address, error);
    const guint64 share = count_share(reading, hosts), bytes = CLAMP(share, PIECE_BYTES_MIN, PIECE_BYTES_MAX);
    GArray *pieces;

    if (session == NULL)
        return NULL;
    pieces = hb_pieces_new();
    for (guint i = 0; i < reading->sets->len; i++) {
        const guint before = pieces->len;
        add_pieces(pieces, session, reading, reading->sets->pdata[i], bytes);
        if (reading->consumer->cut != NULL)
            reading->consumer->cut(reading->consumer->data, reading->sets->pdata[i], pieces->len - before);
    }
    reading->engine->connector->close(session);
    g_array_sort(pieces, compare_pieces);
    hb_pieces_group(pieces, share);
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

static gboolean read_piece(Current *current, const HbPiece *piece, GError **error)
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
static gboolean read_stubbornly(Current *current, const HbPiece *piece, GError **error)
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

/* *at == *end: there is nothing left for this worker */
static gboolean take_pieces(Pieces *pieces, const HbWorker *worker, guint *at, guint *end, GError **error)
{
    if (hb_stop_is_set(pieces->reading->stop))
        return hb_stop_set_error(error);
    if (pieces->reading->board != NULL)
        return hb_group_board_take(pieces->reading->board, worker, at, end, error);
    *at = (guint)g_atomic_int_add(&pieces->next, 1);
    *end = MIN(*at + 1, pieces->pieces->len);
    return TRUE;
}

static gboolean read_pieces(Pieces *pieces, Current *current, guint at, guint end, GError **error)
{
    HbGroupBoard *board = pieces->reading->board;
    const guint group = g_array_index(pieces->pieces, HbPiece, at).group;

    for (; at < end; at++) {
        const HbPiece *piece = &g_array_index(pieces->pieces, HbPiece, at);
        gboolean ok;
        hb_worker_notify_started(current->worker,
                                 &(HbWorkerTask){.what = piece->set->table, .cost = piece->range.bytes});
        ok = read_stubbornly(current, piece, error);
        hb_worker_notify_finished(current->worker);
        if (!ok)
            return FALSE;
        g_atomic_int_inc(&pieces->read);
    }
    return board == NULL || hb_group_board_publish(board, current->worker, current->context, group, error);
}

static gboolean work(HbWorker *worker, gpointer data, GError **error)
{
    Pieces *pieces = data;
    const HbRowConsumer *consumer = pieces->reading->consumer;
    Current current = {.reading = pieces->reading, .worker = worker, .context = consumer->open(consumer->data)};
    gboolean ok = TRUE;
    guint at, end;

    while (ok && (ok = take_pieces(pieces, worker, &at, &end, error)) && at < end)
        ok = read_pieces(pieces, &current, at, end, error);
    consumer->close(current.context);
    return ok;
}

static guint64 count_bytes(const GArray *pieces)
{
    guint64 total = 0;

    for (guint i = 0; i < pieces->len; i++)
        total += g_array_index(pieces, HbPiece, i).range.bytes;
    return total;
}

gboolean hb_snapshot_rows_read(const HbSnapshotRows *reading, GError **error)
{
    g_autoptr(GArray) own = reading->board == NULL ? hb_snapshot_rows_cut(reading, 1, error) : NULL;
    Pieces pieces = {.reading = reading,
                     .pieces = reading->board != NULL ? hb_group_board_get_pieces(reading->board) : own};

    if (pieces.pieces == NULL)
        return FALSE;
    hb_observers_begin_phase(reading->observers, reading->phase, count_bytes(pieces.pieces));
    HbWorkers workers = {.engine = reading->engine,
                         .address = reading->address,
                         .jobs = MAX(MIN(reading->jobs, pieces.pieces->len), 1),
                         .first_number = reading->first_worker,
                         .sessions = reading->sessions,
                         .keeps_sessions = reading->keeps_sessions,
                         .are_fed = TRUE,
                         .stop = reading->stop,
                         .observers = reading->observers,
                         .enter = join,
                         .work = work,
                         .data = &pieces};
    if (!hb_workers_run(&workers, error))
        return FALSE;
    g_assert(reading->board != NULL || (guint)pieces.read == pieces.pieces->len); /* none was left out */
    return TRUE;
}
