/* SPDX-License-Identifier: Apache-2.0 */
/* One pool of sessions for many databases */
#include "support/check.h"
#include "work/run/database_pool.h"

typedef struct {
    GMutex lock;
    guint jobs[8]; /* by item, 0: not done */
    guint small_begun;
    gboolean large_after_small;
    guint failing;     /* item */
    HbObservers *last; /* of the worker of a small item */
} Tally;

static gboolean note(gpointer data, guint item, const HbDatabaseWorker *worker, GError **error)
{
    Tally *tally = data;

    g_mutex_lock(&tally->lock);
    tally->jobs[item] = worker->jobs;
    if (worker->jobs == 1)
        tally->small_begun++, tally->last = worker->observers;
    else
        tally->large_after_small |= tally->small_begun > 0;
    g_mutex_unlock(&tally->lock);
    hb_observers_begin_phase(worker->observers, "silent", 0);
    hb_observers_begin_phase(worker->observers, "told", 5);
    if (item == tally->failing)
        return hb_error_set(error, HB_ERROR_STATEMENT, NULL, "item %u failed", item);
    return TRUE;
}

static void count_told(gpointer data, const HbEvent *event)
{
    if (event->type == HB_EVENT_PHASE && event->total > 0)
        (*(guint *)data)++;
}

static void large_items_get_all_sessions_and_small_ones_share_them(void **state)
{
    static const guint64 bytes[] = {1, HB_LARGE_DATABASE_BYTES, 2, 3, HB_LARGE_DATABASE_BYTES * 4, 0};
    static const guint jobs[] = {1, 3, 1, 1, 3, 1};
    HbObservers *observers = hb_observers_new();
    Tally tally = {.failing = G_MAXUINT};
    HbDatabasePool *pool;
    GError *error = NULL;
    guint told = 0;

    (void)state;
    g_mutex_init(&tally.lock);
    hb_observers_add(observers, count_told, &told);
    pool = hb_database_pool_new(3, observers);
    assert_true(hb_database_pool_run(pool, bytes, G_N_ELEMENTS(bytes), note, &tally, &error));
    check_no_error(error);
    for (guint i = 0; i < G_N_ELEMENTS(jobs); i++)
        assert_int_equal(tally.jobs[i], jobs[i]);
    assert_false(tally.large_after_small);
    assert_int_equal(told, G_N_ELEMENTS(bytes));
    /* what an item has left behind may still tell, as the watch over a session does */
    hb_observers_begin_phase(tally.last, "watching", 1);
    assert_int_equal(told, G_N_ELEMENTS(bytes) + 1);
    hb_database_pool_free(pool);
    hb_observers_free(observers);
    g_mutex_clear(&tally.lock);
}

static void the_first_failure_ends_the_work(void **state)
{
    static const guint64 bytes[] = {1, 1, HB_LARGE_DATABASE_BYTES};
    HbDatabasePool *pool;
    GError *error = NULL;
    Tally tally = {.failing = 2};

    (void)state;
    g_mutex_init(&tally.lock);
    pool = hb_database_pool_new(2, NULL);
    assert_false(hb_database_pool_run(pool, bytes, G_N_ELEMENTS(bytes), note, &tally, &error));
    hb_database_pool_free(pool);
    check_error(&error, HB_ERROR_STATEMENT, "item 2 failed");
    assert_int_equal(tally.jobs[0] + tally.jobs[1], 0);
    tally.failing = 0;
    pool = hb_database_pool_new(1, NULL);
    assert_false(hb_database_pool_run(pool, bytes, 2, note, &tally, &error));
    hb_database_pool_free(pool);
    check_error(&error, HB_ERROR_STATEMENT, "item 0 failed");
    assert_int_equal(tally.jobs[1], 0);
    g_mutex_clear(&tally.lock);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(large_items_get_all_sessions_and_small_ones_share_them),
        cmocka_unit_test(the_first_failure_ends_the_work),
    };

    return cmocka_run_group_tests(tests, NULL, NULL);
}
