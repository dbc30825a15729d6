/* SPDX-License-Identifier: Apache-2.0 */
/* The one way to end work early: who is told, who is not, and who need not wait any more */
#include "support/check.h"

#include "work/run/stop.h"

#include <poll.h>

static gboolean is_readable(HbStop *stop)
{
    struct pollfd wait = {.fd = hb_stop_get_fd(stop), .events = POLLIN};

    return poll(&wait, 1, 0) == 1;
}

static void the_first_trigger_decides_who_it_was(void **state)
{
    HbStop *stop = hb_stop_new();
    GError *error = NULL;

    (void)state;
    assert_false(hb_stop_is_set(stop) || hb_stop_is_by_user(stop) || is_readable(stop));
    hb_stop_trigger(stop);
    assert_true(hb_stop_is_set(stop) && is_readable(stop));
    assert_true(hb_stop_trigger_by_user(stop));
    assert_false(hb_stop_is_by_user(stop)); /* a failure had ended the work before */
    assert_false(hb_stop_set_error(&error));
    check_error(&error, HB_ERROR_CANCELLED, "interrupted");
    hb_stop_free(stop);
    stop = hb_stop_new();
    assert_true(hb_stop_trigger_by_user(stop));
    assert_true(hb_stop_is_set(stop) && hb_stop_is_by_user(stop));
    hb_stop_free(stop);
}

/* Patient work is asked first; asked again a second later, it ends */
static void patient_work_is_asked_first(void **state)
{
    HbStop *stop = hb_stop_new();

    (void)state;
    hb_stop_ask(stop); /* work that is not patient is not asked by other programs */
    assert_false(hb_stop_is_asked(stop));
    hb_stop_set_patient(stop, TRUE);
    assert_false(hb_stop_trigger_by_user(stop));
    assert_true(hb_stop_is_asked(stop));
    assert_false(hb_stop_is_set(stop) || hb_stop_is_handed_on(stop));
    assert_false(hb_stop_trigger_by_user(stop)); /* a key that was held down asks once */
    g_usleep(1100 * 1000);
    assert_true(hb_stop_trigger_by_user(stop));
    assert_true(hb_stop_is_set(stop) && hb_stop_is_by_user(stop));
    hb_stop_free(stop);
    stop = hb_stop_new();
    hb_stop_set_patient(stop, TRUE);
    hb_stop_ask(stop);
    assert_true(hb_stop_is_asked(stop) && hb_stop_is_handed_on(stop));
    assert_false(hb_stop_is_set(stop));
    hb_stop_free(stop);
}

/* One database of many ends alone; all end with the whole, and a part that is made later is born stopped */
static void a_part_ends_alone_and_with_the_whole(void **state)
{
    HbStop *whole = hb_stop_new(), *one = hb_stop_new_part(whole), *other = hb_stop_new_part(whole), *late;

    (void)state;
    hb_stop_trigger(one);
    assert_true(hb_stop_is_set(one));
    assert_false(hb_stop_is_set(other) || hb_stop_is_set(whole));
    hb_stop_trigger_by_user(whole);
    assert_true(hb_stop_is_set(other) && hb_stop_is_by_user(other) && is_readable(other));
    assert_false(hb_stop_is_by_user(one));
    late = hb_stop_new_part(whole);
    assert_true(hb_stop_is_set(late) && hb_stop_is_by_user(late));
    hb_stop_free(late);
    hb_stop_free(other);
    hb_stop_free(one);
    hb_stop_free(whole);
}

static gpointer trigger_soon(gpointer data)
{
    g_usleep(50 * 1000);
    hb_stop_trigger(data);
    return NULL;
}

static void nobody_sleeps_through_it(void **state)
{
    HbStop *stop = hb_stop_new();
    const gint64 begin = g_get_monotonic_time();
    GThread *thread;

    (void)state;
    assert_true(hb_stop_sleep(stop, 1));
    thread = g_thread_new("trigger", trigger_soon, stop);
    assert_false(hb_stop_sleep(stop, 60 * 1000));
    assert_false(hb_stop_sleep(stop, 60 * 1000));
    assert_true(g_get_monotonic_time() - begin < 30 * G_USEC_PER_SEC);
    g_thread_join(thread);
    hb_stop_free(stop);
}

typedef struct {
    HbStop *stop;
    guint count, good_at; /* attempts so far; the one that succeeds, 0: none */
    HbErrorCode code;
    gboolean triggers;
} Attempts;

static gboolean attempt(gpointer data, GError **error)
{
    Attempts *attempts = data;

    attempts->count++;
    if (attempts->triggers)
        hb_stop_trigger(attempts->stop);
    return attempts->count == attempts->good_at || hb_error_set(error, attempts->code, NULL, "not yet");
}

static void what_may_pass_is_tried_again(void **state)
{
    static const struct {
        guint good_at;
        HbErrorCode code, outcome; /* outcome 0: it succeeds */
        gboolean triggers;
        guint count;
    } cases[] = {
        {1, HB_ERROR_LOST, 0, FALSE, 1},
        {2, HB_ERROR_CONNECT, 0, FALSE, 2},
        {0, HB_ERROR_BLOCKED, HB_ERROR_BLOCKED, FALSE, 1}, /* no waiting mends it */
        {0, HB_ERROR_LOST, HB_ERROR_CANCELLED, TRUE, 1},
    };

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(cases); i++) {
        Attempts attempts = {
            .stop = hb_stop_new(), .good_at = cases[i].good_at, .code = cases[i].code, .triggers = cases[i].triggers};
        GError *error = NULL;
        const gboolean ok = hb_stop_retry(attempts.stop, attempt, &attempts, &error);

        assert_int_equal(ok, cases[i].outcome == 0);
        if (!ok)
            check_error(&error, cases[i].outcome, "");
        if (attempts.count != cases[i].count)
            fail_msg("case %zu: %u attempts", i, attempts.count);
        hb_stop_free(attempts.stop);
    }
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(the_first_trigger_decides_who_it_was), cmocka_unit_test(patient_work_is_asked_first),
        cmocka_unit_test(a_part_ends_alone_and_with_the_whole), cmocka_unit_test(nobody_sleeps_through_it),
        cmocka_unit_test(what_may_pass_is_tried_again),
    };

    return cmocka_run_group_tests(tests, NULL, NULL);
}
