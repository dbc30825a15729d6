/* SPDX-License-Identifier: Apache-2.0 */
/*
 * session - one connection to a PostgreSQL server, its settings, its errors.
 *
 * Every session reads and writes canonical text: empty search_path, ISO dates, UTC, shortest exact floats, hex bytea,
 * no timeouts. Only the files in this folder include this header.
 */
#pragma once

#include "engine/postgres/dialect/dialect.h"
#include "engine/postgres/dialect/lexical.h"
#include "engine/postgres/dialect/names.h"
#include "engine/postgres/postgres.h"

#include <libpq-fe.h>

/* The schema that the journal of a restore stands in; what would be in it twice is HB_ERROR_ALREADY_DONE */
#define HB_PG_JOURNAL "hornbeam_journal"
/* That in which a copy remembers where it came from */
#define HB_PG_ORIGIN "hornbeam_origin"

struct HbSession {
    PGconn *conn;
    PGcancel *cancel;            /* taken by the thread that interrupts; NULL from then on */
    const HbSessionWatch *watch; /* NULL: none */
    int version;                 /* as libpq numbers it: 150014 */
    char *address;               /* for people */
    gboolean found_duplicate;    /* the last error was that a unique key has a value already */
    gint interrupted;            /* atomic: we asked the server to cancel a statement */
    char *fingerprint;           /* of the structure when the snapshot began; NULL without one */
    GHashTable *schemas;         /* "number name" of each, when the snapshot began; NULL without one */
    gboolean readers_lock;       /* there are locks enough for joining sessions, too */
    char *uri;                   /* that it was opened with, and what follows, to open another one there */
    char *database, *password;   /* NULL: the URI's own */
    HbSession *holder;           /* of a keeper whose log is kept: the session that exports the snapshot; or NULL */
    char *kept_token;            /* of that snapshot */
    gboolean release_locks;      /* give a table's lock back when its rows are read, because there are too many */
};

typedef PGresult HbResult;
G_DEFINE_AUTOPTR_CLEANUP_FUNC(HbResult, PQclear)

/* Life */
HbSession *hb_pg_open(const HbAddress *address, GError **error);
/* One that reads the log: it knows queries without parameters, and the commands of replication */
HbSession *hb_pg_open_for_log(const HbAddress *address, GError **error);
HbSession *hb_pg_open_again(const HbSession *session, gboolean for_log, GError **error); /* to the same database */
void hb_pg_close(HbSession *session);
void hb_pg_interrupt(HbSession *session);
void hb_pg_cut(HbSession *session);
void hb_pg_cancel_now(HbSession *session); /* the same as interrupt(), by the session's own thread: waits for it */
gboolean hb_pg_needs_password(const HbAddress *address);
gboolean hb_pg_describe(HbSession *session, HbServerInfo *info, GError **error);

/* Runs one query that gives rows; NULL on error */
HbResult *hb_pg_query(HbSession *session, const char *sql, GError **error);

/* Runs one query with text parameters ($1...) */
HbResult *hb_pg_query_with(HbSession *session, const char *sql, int count, const char *const *values, GError **error);

/*
 * The same for several statements, of which the last gives the rows, and those before it divide by zero unless what is
 * named is still what it was: HB_ERROR_RETRY, naming what
 */
HbResult *hb_pg_query_guarded(HbSession *session, const char *sql, const char *what, GError **error);

gboolean hb_pg_is_guard_error(const PGresult *result);
gboolean hb_pg_set_guard_error(const char *what, GError **error); /* returns FALSE */

/* The first column of a query's rows as a set of texts; the caller's */
GHashTable *hb_pg_read_names(HbSession *session, const char *sql, GError **error);

/* Runs statements that give no rows */
gboolean hb_pg_execute(HbSession *session, const char *sql, GError **error);

/* The same for text that is not ours: one statement, whatever it says, and not more */
gboolean hb_pg_execute_one(HbSession *session, const char *sql, GError **error);

/* Sets the error from a failed result, or from the connection if result is NULL. Returns FALSE */
gboolean hb_pg_set_error(HbSession *session, const PGresult *result, GError **error);

/* Quoting, by the server's rules for this connection; the caller's */
char *hb_pg_quote_literal(HbSession *session, const char *text);

/* A cell as text, borrowed; NULL if it is NULL or the result has no such column */
const char *hb_pg_get(const PGresult *result, int row, const char *column);
