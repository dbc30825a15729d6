/* SPDX-License-Identifier: Apache-2.0 */
/* Hosts that share the groups of pieces, as threads with boards of their own */
#include "support/check.h"

#include "work/source/piece_groups.h"

static GArray *make_pieces(const guint64 *bytes, gsize count, guint64 most)
{
    GArray *pieces = hb_pieces_new();

    for (gsize i = 0; i < count; i++) {
        const HbPiece piece = {.range = {.bytes = bytes[i]}};
        g_array_append_val(pieces, piece);
    }
    hb_pieces_group(pieces, most);
    return pieces;
}

static void pieces_fill_groups(void **state)
{
    static const struct {
        guint64 bytes[6], most;
        guint groups[6];
    } cases[] = {
        {{100, 50, 30, 20, 10, 1}, 50, {0, 1, 2, 2, 3, 3}}, {{100, 100, 1, 1, 1, 1}, 100, {0, 1, 2, 2, 2, 2}},
        {{5, 4, 3, 2, 1, 0}, 0, {0, 1, 2, 3, 4, 5}},        {{5, 4, 3, 2, 1, 0}, 15, {0, 0, 0, 0, 0, 0}},
        {{5, 4, 3, 2, 1, 1}, 15, {0, 0, 0, 0, 0, 1}},
    };
    guint64 many[130] = {0};

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(cases); i++) {
        g_autoptr(GArray) pieces = make_pieces(cases[i].bytes, 6, cases[i].most);
        for (guint p = 0; p < 6; p++)
            assert_int_equal(g_array_index(pieces, HbPiece, p).group, cases[i].groups[p]);
    }
    g_autoptr(GArray) pieces = make_pieces(many, G_N_ELEMENTS(many), 1);
    assert_int_equal(g_array_index(pieces, HbPiece, 63).group, 0);
    assert_int_equal(g_array_index(pieces, HbPiece, 64).group, 1);
    assert_int_equal(g_array_index(pieces, HbPiece, 129).group, 2);
}

/* What the server and the folder know: who has a group, and which are done */
#define GROUPS 40
#define HOSTS  3

static struct {
    GMutex lock;
    int holder[GROUPS]; /* 0: nobody */
    gboolean done[GROUPS];
    guint reads[GROUPS];
} world;

typedef struct {
    int number;
    guint dies_after; /* so many groups; it holds the last one for a while. 0: it lives */
    HbGroupBoard *board;
} Host;

static gboolean take(gpointer data, HbSession *session, guint group, HbGroupState *state, GError **error)
{
    const Host *host = data;

    (void)session;
    (void)error;
    g_mutex_lock(&world.lock);
    *state = world.done[group] ? HB_GROUP_DONE : world.holder[group] != 0 ? HB_GROUP_ELSEWHERE : HB_GROUP_OURS;
    if (*state == HB_GROUP_OURS)
        world.holder[group] = host->number;
    g_mutex_unlock(&world.lock);
    return TRUE;
}

static gboolean publish(gpointer data, HbSession *session, gpointer context, guint group, GError **error)
{
    (void)data;
    (void)session;
    (void)context;
    (void)error;
    g_mutex_lock(&world.lock);
    world.done[group] = TRUE;
    world.reads[group]++;
    world.holder[group] = 0;
    g_mutex_unlock(&world.lock);
    return TRUE;
}

static gpointer run_host(gpointer data)
{
    Host *host = data;
    const HbWorker worker = {0};
    guint first, end, count = 0;

    while (hb_group_board_take(host->board, &worker, &first, &end, NULL) && first < end) {
        const guint group = g_array_index(hb_group_board_get_pieces(host->board), HbPiece, first).group;
        g_usleep(1000);
        if (++count == host->dies_after) {
            g_usleep(300 * 1000);
            g_mutex_lock(&world.lock);
            world.holder[group] = 0; /* its session ends */
            g_mutex_unlock(&world.lock);
            return NULL;
        }
        assert_true(hb_group_board_publish(host->board, &worker, NULL, group, NULL));
    }
    return NULL;
}

/* Each group is read by exactly one, and what the dead one had is read by another */
static void each_group_is_read_once(void **state)
{
    guint64 bytes[2 * GROUPS];
    Host hosts[HOSTS] = {{1, 0, NULL}, {2, 5, NULL}, {3, 0, NULL}};
    HbSharedReading shared[HOSTS];
    GThread *threads[HOSTS];
    HbStop *stop = hb_stop_new();

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(bytes); i++)
        bytes[i] = 10;
    for (int i = 0; i < HOSTS; i++) {
        shared[i] = (HbSharedReading){take, publish, &hosts[i]};
        hosts[i].board = hb_group_board_new(make_pieces(bytes, G_N_ELEMENTS(bytes), 20), &shared[i], stop);
        assert_int_equal(hb_group_board_count(hosts[i].board), GROUPS);
        assert_int_equal(hb_group_board_get_cost(hosts[i].board, GROUPS - 1), 20);
        threads[i] = g_thread_new("host", run_host, &hosts[i]);
    }
    for (int i = 0; i < HOSTS; i++)
        g_thread_join(threads[i]);
    for (guint group = 0; group < GROUPS; group++)
        assert_int_equal(world.reads[group], 1);
    for (int i = 0; i < HOSTS; i++)
        hb_group_board_free(hosts[i].board);
    hb_stop_free(stop);
}

/* Who is told that a group is done does not ask for it */
static void what_is_settled_is_not_tried(void **state)
{
    static const guint64 bytes[] = {9, 9, 9};
    Host host = {9, 0, NULL};
    const HbSharedReading shared = {take, publish, &host};
    const HbWorker worker = {0};
    HbStop *stop = hb_stop_new();
    guint first, end;

    (void)state;
    world.done[0] = world.done[1] = world.done[2] = FALSE;
    host.board = hb_group_board_new(make_pieces(bytes, 3, 1), &shared, stop);
    assert_true(hb_group_board_settle(host.board, 0));
    assert_false(hb_group_board_settle(host.board, 0));
    assert_true(hb_group_board_take(host.board, &worker, &first, &end, NULL));
    assert_true(first == 1 && end == 2);
    assert_false(hb_group_board_settle(host.board, 1)); /* it is ours */
    assert_true(hb_group_board_settle(host.board, 2));
    assert_true(hb_group_board_take(host.board, &worker, &first, &end, NULL) && first == end);
    world.holder[1] = 0;
    hb_group_board_free(host.board);
    hb_stop_free(stop);
}

/* A stop ends the wait for other hosts */
static void a_wait_for_others_can_be_stopped(void **state)
{
    static const guint64 bytes[] = {9};
    Host host = {9, 0, NULL};
    const HbSharedReading shared = {take, publish, &host};
    const HbWorker worker = {0};
    HbStop *stop = hb_stop_new();
    guint first, end;

    (void)state;
    world.done[0] = FALSE;
    world.holder[0] = 1;
    host.board = hb_group_board_new(make_pieces(bytes, 1, 1), &shared, stop);
    hb_stop_trigger(stop);
    assert_false(hb_group_board_take(host.board, &worker, &first, &end, NULL));
    hb_group_board_free(host.board);
    hb_stop_free(stop);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(pieces_fill_groups),
        cmocka_unit_test(each_group_is_read_once),
        cmocka_unit_test(what_is_settled_is_not_tried),
        cmocka_unit_test(a_wait_for_others_can_be_stopped),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
