/* SPDX-License-Identifier: Apache-2.0 */
/*
 * piece_groups - who reads what, where several hosts read one snapshot.
 *
 * The pieces of all row sets are put into groups, which are read as a whole: a large piece is a group of its own, many
 * small ones share one, so that agreeing on groups costs little even where there are ten thousand tables. All hosts
 * have the same pieces. A group is taken by a lock that lives and ends with the session of its reader, and is done when
 * that has published what came of it; what a host that is gone had taken is taken again.
 */
#pragma once

#include "work/run/workers.h"

/* A part of a row set that one session reads at a time */
typedef struct {
    const HbRowSet *set;
    HbRange range;
    guint group;
} HbPiece;

GArray *hb_pieces_new(void); /* of HbPiece; owns the texts of their ranges */

/* Numbers the groups of sorted pieces: each has so many bytes, unless a single piece has more */
void hb_pieces_group(GArray *pieces, guint64 bytes);

typedef enum { HB_GROUP_OURS, HB_GROUP_ELSEWHERE, HB_GROUP_DONE } HbGroupState;

/* How the hosts agree. From any thread; neither waits for other hosts */
typedef struct {
    gboolean (*take)(gpointer data, HbSession *session, guint group, HbGroupState *state, GError **error);
    /* context: the consumer's, which has read all of the group */
    gboolean (*publish)(gpointer data, HbSession *session, gpointer context, guint group, GError **error);
    gpointer data;
} HbSharedReading;

/* What the workers of this host know of the groups. Thread-safe */
typedef struct HbGroupBoard HbGroupBoard;

/* pieces: HbPiece, group by group, taken */
HbGroupBoard *hb_group_board_new(GArray *pieces, const HbSharedReading *shared, HbStop *stop);
void hb_group_board_free(HbGroupBoard *board); /* accepts NULL */
const GArray *hb_group_board_get_pieces(const HbGroupBoard *board);
guint hb_group_board_count(const HbGroupBoard *board); /* groups */
guint64 hb_group_board_get_cost(const HbGroupBoard *board, guint group);

/* The pieces (first <= place < end) of a group that is the worker's now; first == end: all groups are done, or other
 * workers of this host read them. Waits for those that other hosts read */
gboolean hb_group_board_take(HbGroupBoard *board, const HbWorker *worker, guint *first, guint *end, GError **error);
gboolean hb_group_board_publish(HbGroupBoard *board, const HbWorker *worker, gpointer context, guint group,
                                GError **error);

/* Another host has published it. TRUE: that was not known here */
gboolean hb_group_board_settle(HbGroupBoard *board, guint group);
