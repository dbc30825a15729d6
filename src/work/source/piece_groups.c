/* SPDX-License-Identifier: Apache-2.0 */
#include "work/source/piece_groups.h"

/* So that a group which must be read again costs little */
#define GROUP_PIECES_MAX 64

#define LOOK_AGAIN_MS     100
#define LOOK_AGAIN_MS_MAX 1000

enum { FREE, OURS, ELSEWHERE, DONE };

struct HbGroupBoard {
    const HbSharedReading *shared;
    GArray *pieces;
    HbStop *stop;
    GMutex lock;        /* guards the rest */
    GByteArray *states; /* of each group: one of the above */
    GArray *starts;     /* guint: place of each group's first piece, and the end of the last one's; not changed */
    guint next;         /* no group before it is FREE */
    guint elsewhere;    /* so many are */
};

/* ---- Pieces ---- */

static void piece_clear(gpointer data)
{
    g_free(((HbPiece *)data)->range.where);
}

GArray *hb_pieces_new(void)
{
    GArray *pieces = g_array_new(FALSE, TRUE, sizeof(HbPiece));

    g_array_set_clear_func(pieces, piece_clear);
    return pieces;
}

void hb_pieces_group(GArray *pieces, guint64 bytes)
{
    guint64 filled = 0;
    guint group = 0, count = 0;

    for (guint i = 0; i < pieces->len; i++) {
        HbPiece *piece = &g_array_index(pieces, HbPiece, i);
        if (count > 0 && (filled + piece->range.bytes > bytes || count == GROUP_PIECES_MAX)) {
            group++;
            filled = count = 0;
        }
        piece->group = group;
        filled += piece->range.bytes;
        count++;
    }
}

/* ---- The board ---- */

HbGroupBoard *hb_group_board_new(GArray *pieces, const HbSharedReading *shared, HbStop *stop)
{
    HbGroupBoard *board = g_new0(HbGroupBoard, 1);
    const guint8 state = FREE;

    board->shared = shared;
    board->pieces = pieces;
    board->stop = stop;
    board->states = g_byte_array_new();
    board->starts = g_array_new(FALSE, FALSE, sizeof(guint));
    for (guint i = 0; i < pieces->len; i++) {
        if (g_array_index(pieces, HbPiece, i).group < board->states->len)
            continue;
        g_byte_array_append(board->states, &state, 1);
        g_array_append_val(board->starts, i);
    }
    g_array_append_val(board->starts, pieces->len);
    g_mutex_init(&board->lock);
    return board;
}

void hb_group_board_free(HbGroupBoard *board)
{
    if (board == NULL)
        return;
    g_array_unref(board->pieces);
    g_byte_array_unref(board->states);
    g_array_unref(board->starts);
    g_mutex_clear(&board->lock);
    g_free(board);
}

/* The next that nobody is known to have, for us to try; FALSE: there is none */
static gboolean pick(HbGroupBoard *board, guint *group)
{
    gboolean found;

    g_mutex_lock(&board->lock);
    while (board->next < board->states->len && board->states->data[board->next] != FREE)
        board->next++;
    found = board->next < board->states->len;
    *group = board->next;
    if (found)
        board->states->data[board->next] = OURS;
    g_mutex_unlock(&board->lock);
    return found;
}

static void note(HbGroupBoard *board, guint group, guint8 state)
{
    g_mutex_lock(&board->lock);
    board->states->data[group] = state;
    board->elsewhere += state == ELSEWHERE;
    g_mutex_unlock(&board->lock);
}

/* What others had may be done, or free again */
static void look_again(HbGroupBoard *board)
{
    g_mutex_lock(&board->lock);
    for (guint i = 0; i < board->states->len; i++) {
        if (board->states->data[i] == ELSEWHERE)
            board->states->data[i] = FREE;
    }
    board->elsewhere = board->next = 0;
    g_mutex_unlock(&board->lock);
}

static gboolean has_some_elsewhere(HbGroupBoard *board)
{
    gboolean any;

    g_mutex_lock(&board->lock);
    any = board->elsewhere > 0;
    g_mutex_unlock(&board->lock);
    return any;
}

const GArray *hb_group_board_get_pieces(const HbGroupBoard *board)
{
    return board->pieces;
}

guint hb_group_board_count(const HbGroupBoard *board)
{
    return board->states->len;
}

guint64 hb_group_board_get_cost(const HbGroupBoard *board, guint group)
{
    guint64 cost = 0;

    for (guint i = g_array_index(board->starts, guint, group); i < g_array_index(board->starts, guint, group + 1); i++)
        cost += g_array_index(board->pieces, HbPiece, i).range.bytes;
    return cost;
}

gboolean hb_group_board_settle(HbGroupBoard *board, guint group)
{
    gboolean is_news;

    g_mutex_lock(&board->lock);
    is_news = board->states->data[group] == FREE || board->states->data[group] == ELSEWHERE;
    board->elsewhere -= board->states->data[group] == ELSEWHERE;
    if (is_news)
        board->states->data[group] = DONE;
    g_mutex_unlock(&board->lock);
    return is_news;
}

gboolean hb_group_board_publish(HbGroupBoard *board, const HbWorker *worker, gpointer context, guint group,
                                GError **error)
{
    return board->shared->publish(board->shared->data, worker->session, context, group, error);
}

static gboolean try_group(HbGroupBoard *board, const HbWorker *worker, guint group, gboolean *ours, GError **error)
{
    HbGroupState state;

    if (!board->shared->take(board->shared->data, worker->session, group, &state, error))
        return FALSE;
    *ours = state == HB_GROUP_OURS;
    if (!*ours)
        note(board, group, state == HB_GROUP_DONE ? DONE : ELSEWHERE);
    return TRUE;
}

gboolean hb_group_board_take(HbGroupBoard *board, const HbWorker *worker, guint *first, guint *end, GError **error)
{
    guint wait_ms = LOOK_AGAIN_MS, group = 0;
    gboolean ours = FALSE;

    *first = *end = 0;
    while (!ours) {
        while (!ours && pick(board, &group)) {
            if (!try_group(board, worker, group, &ours, error))
                return FALSE;
        }
        if (ours || !has_some_elsewhere(board))
            break;
        if (!hb_stop_sleep(board->stop, wait_ms))
            return hb_stop_set_error(error);
        wait_ms = MIN(2 * wait_ms, LOOK_AGAIN_MS_MAX);
        look_again(board);
    }
    if (ours) {
        *first = g_array_index(board->starts, guint, group);
        *end = g_array_index(board->starts, guint, group + 1);
    }
    return TRUE;
}
