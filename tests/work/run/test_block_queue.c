/* SPDX-License-Identifier: Apache-2.0 */
/* Bytes and marks arrive whole and in order, whatever their sizes */
#include "support/check.h"

#include "work/run/block_queue.h"

#include <string.h>

enum { STOPS = 1, ENDS };

typedef struct {
    HbBlockQueue *queue;
    GString *got; /* bytes, and each mark as a letter behind them */
} Taker;

static gpointer take_all(gpointer data)
{
    Taker *taker = data;
    guint mark = 0;

    while (mark != ENDS) {
        HbBlock *block = hb_block_queue_take(taker->queue);
        g_string_append_len(taker->got, block->bytes, (gssize)block->length);
        mark = block->mark;
        if (mark != 0)
            g_string_append_printf(taker->got, "[%u %s]", mark, (const char *)block->data);
        hb_block_queue_give_back(taker->queue, block);
    }
    return NULL;
}

static void bytes_and_marks_arrive_in_order(void **state)
{
    static const gsize sizes[] = {
        0, 1, HB_BLOCK_BYTES - 1, HB_BLOCK_BYTES, HB_BLOCK_BYTES + 1, 2 * HB_BLOCK_BYTES, 7 * HB_BLOCK_BYTES + 3};

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(sizes); i++) {
        Taker taker = {hb_block_queue_new(), g_string_new(NULL)};
        g_autoptr(GString) expected = g_string_new(NULL);
        g_autofree char *bytes = g_malloc(sizes[i] + 1);
        GThread *thread = g_thread_new("taker", take_all, &taker);

        for (gsize b = 0; b < sizes[i]; b++)
            bytes[b] = (char)('a' + b % 23);
        for (int round = 0; round < 2; round++) {
            hb_block_queue_add(taker.queue, bytes, sizes[i], NULL);
            hb_block_queue_mark(taker.queue, STOPS, (gpointer) "here");
            g_string_append_len(expected, bytes, (gssize)sizes[i]);
            g_string_append(expected, "[1 here]");
        }
        hb_block_queue_wait(taker.queue); /* nothing is on its way any more */
        assert_int_equal(taker.got->len, expected->len);
        hb_block_queue_mark(taker.queue, ENDS, (gpointer) "there");
        g_string_append(expected, "[2 there]");
        g_thread_join(thread);
        assert_int_equal(taker.got->len, expected->len);
        assert_memory_equal(taker.got->str, expected->str, expected->len);
        hb_block_queue_free(taker.queue);
        g_string_free(taker.got, TRUE);
    }
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(bytes_and_marks_arrive_in_order),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
