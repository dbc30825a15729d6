/* SPDX-License-Identifier: Apache-2.0 */
/*
 * log - the source's own log of row changes: how the server keeps it for a copy, and how it is read.
 *
 * A place in it is a text of the engine's own ("0/16B3748", "log.000008:1234"). What a snapshot with keep_log has
 * begun to keep is read from that snapshot's position on: the rows of the snapshot and the changes that the log tells
 * after its position are together all rows, none of them twice.
 *
 * Life of a reader: open, next() again and again, close; by one thread.
 */
#pragma once

#include "core/model/catalog.h"
#include "engine/connector.h"

/* What a server keeps of its log for copies; clear with hb_kept_log_clear() */
typedef struct {
    char *name;       /* what the server knows it by, or what was asked for where it keeps its log for nobody */
    char *position;   /* from where on it is kept; NULL: it is lost */
    char *complaint;  /* why it cannot be read any more, and what to do; NULL: it can */
    guint64 bytes;    /* that are kept for it */
    gboolean is_read; /* a session is reading it */
    char *limit;      /* for people: what ends the keeping */
} HbKeptLog;

void hb_kept_log_clear(HbKeptLog *log);
GArray *hb_kept_logs_new(void); /* of HbKeptLog; owns their texts */

typedef int (*HbComparePositions)(const char *position, const char *other); /* like strcmp() */

/* Can the log of that name, as list() has told of it, be read from the position on? HB_ERROR_BLOCKED: it is gone, lost,
 * or another copy has read on */
gboolean hb_kept_logs_check(const GArray *kept, const char *name, const char *position, HbComparePositions compare,
                            GError **error);

typedef enum {
    HB_LOG_NOTHING,  /* nothing came for a while; up to position all is told */
    HB_LOG_INSERTED, /* row, key */
    HB_LOG_UPDATED,  /* row, key, kept; old_key if it was another */
    HB_LOG_DELETED,  /* key */
    HB_LOG_EMPTIED,  /* the table lost all rows */
    HB_LOG_COMMIT,   /* what came since the last one is one transaction; position, time_us */
    /* What the log tells of this table is not what the catalog says (what): it is another one, or was changed by more
     * than rows. Without a table: something of the database's structure has changed before the position */
    HB_LOG_STRUCTURE
} HbLogKind;

/* One thing that a log tells; its texts are the reader's, until next() is called again */
typedef struct {
    HbLogKind kind;
    const HbRowSet *set;             /* of the catalog that the reader was opened with */
    const GArray *key_places;        /* guint: of the key in its columns */
    const char *key, *old_key, *row; /* as in core/rows/changes.h; old_key NULL: it stayed */
    gsize key_length, old_key_length, row_length;
    const guint8 *kept;   /* NULL: no value stays unsaid */
    const char *position; /* all that the log tells before it was told */
    const char *what;
    gint64 time_us; /* of the commit, since 1970, by our clock as far as the source tells its own */
    guint64 behind; /* bytes of log that the server has and did not send yet, as far as it says */
} HbLogEvent;

typedef struct HbLogReader HbLogReader; /* each engine's own */

typedef struct {
    /* Can this session's user keep and read the log of this server? HB_ERROR_BLOCKED, HB_ERROR_RIGHTS: says what to
     * do */
    gboolean (*check)(HbSession *session, GError **error);
    /* Of what a snapshot has begun to keep, only the row sets of this catalog matter */
    gboolean (*narrow)(HbSession *session, const char *name, const HbCatalog *catalog, GError **error);
    /* Which of the catalog's row sets the log tells about (added to logged: HbRowSet *, borrowed), and why not of the
     * others (added to unlogged: HbOmission *, of those that hold rows of their own) */
    gboolean (*find_tables)(HbSession *session, const char *name, const HbCatalog *catalog, GHashTable *logged,
                            GPtrArray *unlogged, GError **error);
    /* The server keeps nothing under this name any more; it need not be there */
    gboolean (*release)(HbSession *session, const char *name, GError **error);
    /* What is kept for us in the session's database; name: only that; NULL: all. HbKeptLog, the caller's */
    GArray *(*list)(HbSession *session, const char *name, GError **error);
    /* Where the log ends: what was committed before the call is before it, and a reader comes to it soon, also if
     * nobody writes any more. The caller's */
    char *(*find_end)(HbSession *session, GError **error);
    HbComparePositions compare;

    /* name: as kept. HB_ERROR_BLOCKED: it cannot be read from there any more. tables: HbRowSet * that are of interest
     */
    HbLogReader *(*open)(const HbAddress *address, const char *name, const char *position, const GPtrArray *tables,
                         GError **error);
    void (*close)(HbLogReader *reader); /* accepts NULL */
    /* Waits for at most so long */
    gboolean (*next)(HbLogReader *reader, guint wait_ms, HbLogEvent *event, GError **error);
    /* What is before the position is on the copy's disk, and need not be kept; to be called now and then, also if
     * nothing is new: a reader that says nothing is taken for dead. NULL: nothing is new */
    gboolean (*confirm)(HbLogReader *reader, const char *position, GError **error);
} HbLog;
