/* SPDX-License-Identifier: Apache-2.0 */
/*
 * source - what an engine reads from a server: its survey, its catalogs, a snapshot, rows, answers to questions.
 */
#pragma once

#include "core/base/result_table.h"
#include "core/model/catalog.h"
#include "engine/connector.h"

/* The settings that change what SQL means are properties of a catalog under this prefix and their name */
#define HB_SEMANTIC_SETTING_PREFIX "setting "

/* A moment in time that several sessions can read; clear with hb_snapshot_clear() */
typedef struct {
    char *token;          /* for joining */
    char *time;           /* ISO 8601, UTC */
    char *position;       /* in the server's log: all that the snapshot holds is before it; NULL if unknown */
    guint lock_wait_ms;   /* how long joining sessions wait for a lock */
    gboolean hold_tables; /* also keep what no snapshot holds from changing until it ends; to be set before it begins */
    guint sessions;       /* how many will join; to be set before it begins, which may lower it to 1 */
    /* The name under which the server is to keep its log from this moment on (see engine/log.h), borrowed; to be set
     * before it begins; NULL: it need not. Whoever sets it releases it, unless it is to stay */
    const char *keep_log;
} HbSnapshot;

void hb_snapshot_clear(HbSnapshot *snapshot);

/* A piece of a row set, in the engine's own unit: first <= unit < end */
typedef struct {
    guint64 first;
    guint64 end;   /* G_MAXUINT64: to the end, however far that is by now */
    guint64 bytes; /* estimate */
    char *where; /* the same as the engine's SQL, where it does not count in numbers, or certain rows; NULL: all, or it
                  * does */
} HbRange;

GArray *hb_ranges_new(void); /* of HbRange; owns their texts */

/* Takes one row, its line end included (a row in binary form has none, and comes at once), or a piece of one: only the
 * last ends with a line end. FALSE ends the reading
 */
typedef gboolean (*HbRowSink)(gpointer data, const char *piece, gsize length, GError **error);

/* Told of what a reader should know, such as a lock that could not be taken ahead */
typedef void (*HbRemark)(gpointer data, const char *what, const char *hint);

/* A database of a server, as hb_databases_new() holds them */
typedef struct {
    char *name;    /* unquoted */
    guint64 bytes; /* on disk */
} HbDatabase;

GArray *hb_databases_new(void); /* frees the names with itself */
void hb_databases_add(GArray *databases, const char *name, guint64 bytes);

/* An answer may have so many rows and columns; more is no question */
#define HB_ANSWER_ROWS_MAX    500
#define HB_ANSWER_COLUMNS_MAX 64

typedef struct {
    GPtrArray *(*survey)(HbSession *session, gboolean whole_server, GError **error); /* HbResultTable *; the caller's */

    /* ---- Catalogs, not yet arranged; the caller's ---- */

    /* sessions: HbSession *, one at least, all in one snapshot: they share the work */
    HbCatalog *(*read_catalog)(GPtrArray *sessions, guint parts, GError **error);
    /* What belongs to no database */
    HbCatalog *(*read_server)(HbSession *session, guint parts, GError **error);
    /* Those worth carrying: HbDatabase, largest first */
    GArray *(*list_databases)(HbSession *session, const HbAddress *address, GError **error);
    /* Does the server take the other object's definition for what it prints for its own? Changes nothing; says FALSE
     * where it cannot tell */
    gboolean (*reads_same)(HbSession *session, const HbObject *other, const HbObject *own);
    /* Values in the catalog's row sets that are more than their text says become omissions. sessions: as for
     * read_catalog(). Costs a reading of the columns that may hold such; NULL: there are none */
    gboolean (*name_text_losses)(GPtrArray *sessions, HbCatalog *catalog, GError **error);

    /* ---- A snapshot: begun in one session, which keeps locks on all tables, joined by others ---- */
    gboolean (*begin_snapshot)(HbSession *session, guint lock_wait_ms, HbSnapshot *snapshot, HbRemark remark,
                               gpointer data, GError **error);
    gboolean (*join_snapshot)(HbSession *session, const HbSnapshot *snapshot,
                              GError **error); /* HB_ERROR_BLOCKED: it is gone */
    gboolean is_joined_later; /* a snapshot can be joined, also by other programs, until it ends; else until the seal */
    /* All have joined: what kept the moment still is let go */
    gboolean (*seal_snapshot)(HbSession *session, HbSnapshot *snapshot, GError **error);
    gboolean (*check_structure)(HbSession *session, GError **error); /* HB_ERROR_RETRY if it changed since begin */
    void (*drop_snapshot)(HbSession *session);                       /* without looking back */
    gboolean (*end_snapshot)(HbSession *session, GError **error);    /* fails if the structure changed meanwhile */

    /* ---- Rows ---- */
    GArray *(*split_rows)(HbSession *session, const HbRowSet *set, guint64 bytes); /* HbRange; the caller's */
    gboolean (*read_rows)(HbSession *session, const HbRowSet *set, const HbRange *range, HbRowSink sink, gpointer data,
                          GError **error);

    /* A query's answer, in a transaction that may write nothing: columns as they are called, all as text. The caller's
     */
    HbResultTable *(*ask)(HbSession *session, const char *question, GError **error);
} HbSource;
