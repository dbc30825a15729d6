/* SPDX-License-Identifier: Apache-2.0 */
#include "work/follow/follow_inner.h"

#include <string.h>

/* A batch that waits for its turn grows to this; then the reader waits */
#define BATCH_BYTES (8 * 1024 * 1024)
/* A transaction that is larger goes over in pieces */
#define PIECE_BYTES (32 * 1024 * 1024)

/* How often a connection is tried again while the copy keeps up: for about five minutes */
#define ATTEMPTS_KEEPING_UP 25

#define WAIT_MS       200
#define SHORT_WAIT_MS 10
#define TELL_EVERY_US G_USEC_PER_SEC
#define NOTE_EVERY_US (60 * G_USEC_PER_SEC)
#define REST_EVERY_US (10 * G_USEC_PER_SEC) /* where nothing changes, the position is noted all the same */

typedef struct {
    const HbFollowOptions *options;
    HbFollowResult *result;
    HbLogReader *reader;
    HbBatchApplier *applier;
    HbBatch *batch;
    gboolean in_transaction;       /* of the source: rows came since its last commit */
    HbOrigin *known;               /* what the reader knows of the log; the options' origin is the applier's */
    const HbRowSet *changed_table; /* of the copy, whose structure has changed; NULL: none */
    char *idle_at;                 /* the position at which nothing more came; NULL: something has since */
    guint64 behind;                /* bytes of log that were not told */
    gint64 next_tell_us, next_note_us, next_rest_us;
    gboolean is_over;
} Following;

void hb_follow_result_clear(HbFollowResult *result)
{
    g_clear_pointer(&result->changed, g_hash_table_unref);
    g_free(result->structure);
    *result = (HbFollowResult){0};
}

static const HbLog *log_of(const Following *following)
{
    return following->options->engine->log;
}

/* ---- Lag ---- */

/* How old is the last commit that is in? Nothing is missing, while nothing waits and the log has no more */
static double measure_lag(const Following *following)
{
    gint64 time_us;
    char *position;

    if (following->idle_at != NULL && hb_batch_is_empty(following->batch) &&
        hb_batch_applier_count_waiting(following->applier) == 0)
        return 0;
    position = hb_batch_applier_get_position(following->applier, &time_us);
    g_free(position);
    return time_us > 0 ? MAX((double)(g_get_real_time() - time_us) / G_USEC_PER_SEC, 0.001) : G_MAXDOUBLE;
}

static char *describe(const Following *following, double lag)
{
    guint64 rows, transactions;
    g_autofree char *behind = lag >= G_MAXDOUBLE ? g_strdup("behind, it is not known yet how far")
                              : lag >= 0.1       ? g_strdup_printf("%.1f s behind", lag)
                              : lag > 0          ? g_strdup("less than 0.1 s behind")
                                                 : g_strdup("up to date"),
                    *more = following->behind > 0 ? g_strdup_printf(", %" G_GUINT64_FORMAT " kB of log to read",
                                                                    following->behind / 1000 + 1)
                                                  : g_strdup("");

    hb_batch_applier_get_counts(following->applier, &rows, &transactions);
    return g_strdup_printf("%s%s; brought: %" G_GUINT64_FORMAT " changes, %" G_GUINT64_FORMAT " transactions", behind,
                           more, rows, transactions);
}

static void tell(Following *following)
{
    const gint64 now = g_get_monotonic_time();
    g_autofree char *text = NULL;

    if (now < following->next_tell_us)
        return;
    following->result->lag_s = measure_lag(following);
    text = describe(following, following->result->lag_s);
    hb_observers_notify(following->options->observers, &(HbEvent){.type = HB_EVENT_STARTED, .what = text});
    if (now >= following->next_note_us && following->next_tell_us > 0) {
        hb_observers_note(following->options->observers, HB_SEVERITY_NOTE, NULL, "%s", text);
        following->next_note_us = now + NOTE_EVERY_US;
    }
    following->next_tell_us = now + TELL_EVERY_US;
}

/* ---- Handing over ---- */

/* Up to where all was told, and is in the batch or before it; NULL: nothing is known */
static const char *told_up_to(const Following *following)
{
    if (following->in_transaction)
        return NULL;
    return following->idle_at != NULL ? following->idle_at : following->batch->position;
}

/* Until the copy has passed the place up to which some changes may be in, its rows may be of different moments: all of
 * that goes over at once */
static gboolean is_before_loose_end(const Following *following)
{
    const char *position = told_up_to(following);

    return following->known->loose_until != NULL && position != NULL &&
           log_of(following)->compare(position, following->known->loose_until) < 0;
}

static void hand_over(Following *following, gboolean commits)
{
    HbBatch *batch = following->batch;

    batch->commits = commits;
    if (following->known->loose_until != NULL && commits &&
        log_of(following)->compare(batch->position, following->known->loose_until) >= 0)
        hb_origin_set_loose(following->known, NULL, NULL);
    hb_batch_applier_push(following->applier, batch);
    following->batch = hb_batch_new();
}

/* What is on the copy's disk the source may forget; and it hears that we live */
static gboolean confirm(Following *following, GError **error)
{
    gint64 time_us;
    g_autofree char *position = hb_batch_applier_get_position(following->applier, &time_us);

    return log_of(following)->confirm(following->reader, position, error);
}

/* The reader waits for the applier, but never in silence */
static gboolean wait_for_room(Following *following, guint room, GError **error)
{
    while (hb_batch_applier_count_waiting(following->applier) > room &&
           !hb_batch_applier_has_failed(following->applier)) {
        if (!confirm(following, error))
            return FALSE;
        tell(following);
        g_usleep(SHORT_WAIT_MS * 100);
    }
    return TRUE;
}

/* Between two transactions: does the batch go now? */
static gboolean consider(Following *following, GError **error)
{
    const guint waiting = hb_batch_applier_count_waiting(following->applier);

    if (hb_batch_is_empty(following->batch) || following->batch->position == NULL || following->in_transaction)
        return TRUE;
    if (is_before_loose_end(following) && following->batch->bytes < PIECE_BYTES)
        return TRUE;
    if (waiting > 0 && following->batch->bytes < BATCH_BYTES)
        return TRUE;
    if (!wait_for_room(following, 1, error))
        return FALSE;
    hand_over(following, TRUE);
    return TRUE;
}

/* ---- What the log tells ---- */

static gboolean take_row(Following *following, const HbLogEvent *event, GError **error)
{
    if (!g_hash_table_contains(following->options->tables, event->set))
        return TRUE;
    g_clear_pointer(&following->idle_at, g_free);
    following->in_transaction = TRUE;
    hb_batch_add(following->batch, event);
    if (following->batch->bytes < PIECE_BYTES)
        return TRUE;
    if (!wait_for_room(following, 0, error))
        return FALSE;
    hand_over(following, FALSE);
    return TRUE;
}

static void take_commit(Following *following, const HbLogEvent *event)
{
    g_clear_pointer(&following->idle_at, g_free);
    g_free(following->batch->position);
    following->batch->position = g_strdup(event->position);
    following->batch->time_us = event->time_us;
    following->batch->transactions++;
    following->in_transaction = FALSE;
    following->behind = event->behind;
}

/* An empty batch has only its position */
static void note_rest(Following *following, const char *position)
{
    following->batch->position = g_strdup(position);
    hand_over(following, TRUE);
    following->next_rest_us = g_get_monotonic_time() + REST_EVERY_US;
}

static void take_nothing(Following *following, const HbLogEvent *event)
{
    following->behind = event->behind;
    if (following->in_transaction)
        return;
    g_free(following->idle_at);
    following->idle_at = g_strdup(event->position);
    if (hb_batch_is_empty(following->batch) && g_get_monotonic_time() >= following->next_rest_us &&
        hb_batch_applier_count_waiting(following->applier) == 0) {
        g_clear_pointer(&following->batch->position, g_free);
        note_rest(following, event->position);
    }
}

static gboolean is_still_loose(const Following *following, const HbRowSet *set)
{
    const HbRowSet *to = g_hash_table_lookup(following->options->tables, set);

    return hb_origin_is_loose(following->known, to->table);
}

/*
 * Of a table that was compared meanwhile, the changes before that need not be understood. Any other one is to be
 * compared by the next pass. Where a pass looks at the structure anyway, that something of it changed is no news
 */
static void take_structure(Following *following, const HbLogEvent *event)
{
    if (event->set != NULL
            ? !g_hash_table_contains(following->options->tables, event->set) || is_still_loose(following, event->set)
            : following->options->until != NULL)
        return;
    following->result->structure = g_strdup(event->what);
    following->changed_table = event->set != NULL ? g_hash_table_lookup(following->options->tables, event->set) : NULL;
    following->is_over = TRUE;
}

static gboolean take(Following *following, const HbLogEvent *event, GError **error)
{
    switch (event->kind) {
    case HB_LOG_NOTHING:
        take_nothing(following, event);
        return TRUE;
    case HB_LOG_COMMIT:
        take_commit(following, event);
        return TRUE;
    case HB_LOG_STRUCTURE:
        if (event->set == NULL)
            take_commit(following, event);
        take_structure(following, event);
        return TRUE;
    default:
        return take_row(following, event, error);
    }
}

/* ---- The end ---- */

static gboolean has_arrived(const Following *following)
{
    const HbFollowOptions *options = following->options;
    const char *position = told_up_to(following);

    return options->until != NULL && position != NULL && log_of(following)->compare(position, options->until) >= 0;
}

static gboolean is_near_enough(const Following *following)
{
    return following->options->until_lag_s > 0 && measure_lag(following) <= following->options->until_lag_s;
}

static void consider_end(Following *following)
{
    if (following->options->until == NULL && hb_stop_is_asked(following->options->stop) && !following->in_transaction) {
        following->is_over = TRUE;
        if (hb_stop_is_handed_on(following->options->stop))
            hb_observers_note(following->options->observers, HB_SEVERITY_NOTE, NULL,
                              "a hand-over wants to go on from here: what was read is brought, and this ends");
        else
            hb_observers_note(following->options->observers, HB_SEVERITY_NOTE, "a second signal ends it at once",
                              "asked to end: what was read is brought, and a last pass does the rest");
    }
    following->is_over |= hb_stop_is_set(following->options->stop) || has_arrived(following) ||
                          is_near_enough(following) || hb_batch_applier_has_failed(following->applier);
}

/* What came since the last batch may depend on what is not known: it is read again. The copy notes what is to be
 * compared
 */
static gboolean leave_to_next(Following *following, GError **error)
{
    const HbFollowOptions *options = following->options;

    hb_batch_free(following->batch);
    following->batch = hb_batch_new();
    hb_origin_add_unaligned(options->origin, following->changed_table->table);
    for (guint i = 0; following->known->loose != NULL && i < following->known->loose->len; i++)
        hb_origin_add_unaligned(options->origin, following->known->loose->pdata[i]);
    following->batch->position = g_strdup(options->origin->log_position);
    following->batch->gives_up = TRUE;
    hand_over(following, TRUE);
    return wait_for_room(following, 0, error);
}

/* What is whole goes over, and the position at which the log is silent is noted */
static gboolean finish(Following *following, GError **error)
{
    const char *position = told_up_to(following);

    if (!wait_for_room(following, 0, error))
        return FALSE;
    if (following->changed_table != NULL)
        return leave_to_next(following, error);
    if (following->in_transaction || position == NULL)
        return TRUE;
    if (!hb_batch_is_empty(following->batch) || following->batch->transactions > 0)
        hand_over(following, TRUE);
    if (following->idle_at != NULL)
        note_rest(following, following->idle_at);
    return wait_for_room(following, 0, error) && confirm(following, error);
}

static gboolean read_on(Following *following, GError **error)
{
    while (!following->is_over) {
        const gboolean is_waiting = !hb_batch_is_empty(following->batch) && !following->in_transaction;
        HbLogEvent event;
        if (!log_of(following)->next(following->reader, is_waiting ? SHORT_WAIT_MS : WAIT_MS, &event, error) ||
            !take(following, &event, error))
            return FALSE;
        if (event.kind != HB_LOG_COMMIT && event.kind != HB_LOG_NOTHING)
            continue;
        if (!consider(following, error) || !confirm(following, error))
            return FALSE;
        tell(following);
        consider_end(following);
    }
    return finish(following, error);
}

/* ---- The whole ---- */

static gboolean follow_once(Following *following, GError **error)
{
    const HbFollowOptions *options = following->options;
    GPtrArray *sets = g_ptr_array_new();
    GHashTableIter iter;
    gpointer set;
    GError *ours = NULL, *appliers = NULL;

    g_hash_table_iter_init(&iter, options->tables);
    while (g_hash_table_iter_next(&iter, &set, NULL))
        g_ptr_array_add(sets, set);
    following->batch = hb_batch_new();
    following->in_transaction = FALSE;
    following->is_over = FALSE;
    following->changed_table = NULL;
    following->known = hb_origin_new_empty();
    hb_origin_copy_log(following->known, options->origin);
    following->reader =
        log_of(following)->open(&options->from, options->origin->log_name, options->origin->log_position, sets, &ours);
    if (following->reader != NULL) {
        following->applier = hb_batch_applier_start(options, following->result);
        read_on(following, &ours);
        hb_batch_applier_finish(following->applier, &appliers);
    }
    log_of(following)->close(following->reader);
    g_ptr_array_unref(sets);
    g_clear_pointer(&following->batch, hb_batch_free);
    g_clear_pointer(&following->idle_at, g_free);
    g_clear_pointer(&following->known, hb_origin_free);
    return !hb_error_propagate_cause(appliers, ours, error);
}

/* Whether the last batch is in, nobody knows but the copy */
static gboolean recall_position(const HbFollowOptions *options, GError **error)
{
    HbSession *session = options->engine->connector->open(&options->to, error);
    g_autoptr(HbOrigin) there = NULL;
    const gboolean ok =
        session != NULL && hb_origin_recall_in(options->engine, session, &there, error) &&
        (there != NULL || hb_error_set(error, HB_ERROR_BLOCKED, NULL, "TO has lost what it remembers of its source"));

    options->engine->connector->close(session);
    if (ok)
        hb_origin_copy_log(options->origin, there);
    return ok;
}

static gboolean is_passing(const GError *error)
{
    return hb_error_is(error, HB_ERROR_LOST) || hb_error_is(error, HB_ERROR_CONNECT) ||
           hb_error_is(error, HB_ERROR_RETRY) || hb_error_is(error, HB_ERROR_LOCKED);
}

/* Waits, longer each time, until both sides can be followed again. FALSE: patience is over, or it is no passing matter
 */
static gboolean wait_for_return(const HbFollowOptions *options, guint attempt, GError **cause)
{
    static const guint waits_ms[] = {200, 500, 1000, 2000, 4000, 8000, 15000};
    const guint most = options->until != NULL ? G_N_ELEMENTS(waits_ms) - 1 : ATTEMPTS_KEEPING_UP;

    if (!is_passing(*cause) || attempt >= most)
        return FALSE;
    hb_observers_note(options->observers, HB_SEVERITY_NOTE, NULL, "%s; going on from the copy's own note",
                      (*cause)->message);
    if (!hb_stop_sleep(options->stop, waits_ms[MIN(attempt, G_N_ELEMENTS(waits_ms) - 1)]))
        return FALSE;
    g_clear_error(cause);
    return TRUE;
}

gboolean hb_follow_run(const HbFollowOptions *options, HbFollowResult *result, GError **error)
{
    Following following = {.options = options, .result = result};
    g_autoptr(GError) ours = NULL;
    guint attempt = 0;

    if (result->changed == NULL)
        result->changed = g_hash_table_new(NULL, NULL);
    following.next_note_us = g_get_monotonic_time() + NOTE_EVERY_US;
    for (;;) {
        const guint64 before = result->transactions;
        if ((attempt == 0 || recall_position(options, &ours)) && follow_once(&following, &ours))
            break;
        attempt = result->transactions > before ? 1 : attempt + 1;
        if (!hb_stop_is_set(options->stop) && wait_for_return(options, attempt, &ours))
            continue;
        g_propagate_error(error, g_steal_pointer(&ours));
        return FALSE;
    }
    return !hb_stop_is_set(options->stop) || hb_stop_set_error(error);
}
