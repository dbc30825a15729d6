/* SPDX-License-Identifier: Apache-2.0 */
/*
 * session - one connection to a MariaDB or MySQL server, its settings, its errors.
 *
 * Every session reads and writes in one known way: UTF-8, UTC, a sql_mode without surprises, checks off, no timeouts.
 * Only the files in this folder include this header.
 */
#pragma once

#include "engine/mariadb/dialect/dialect.h"
#include "engine/mariadb/dialect/features.h"
#include "engine/mariadb/dialect/lexical.h"
#include "engine/mariadb/dialect/names.h"
#include "engine/mariadb/mariadb.h"

#include <mysql.h>

#define HB_MY_JOURNAL      "hornbeam_journal"
#define HB_MY_JOURNAL_STEP "hornbeam_journal_step"
#define HB_MY_ORIGIN       "hornbeam_origin"

/* What is ours in a database, as a list for IN (): no content of it */
#define HB_MY_OURS "'" HB_MY_JOURNAL "', '" HB_MY_JOURNAL_STEP "', '" HB_MY_ORIGIN "'"

struct HbSession {
    MYSQL *mysql;
    HbAddress origin;         /* where it was opened, for interrupting it; copies */
    gboolean is_maria;        /* MariaDB rather than MySQL */
    guint version;            /* 101106 */
    guint64 packet;           /* the largest that the server takes; 0: not asked yet */
    unsigned long thread_id;  /* the server's, of this connection */
    char *address;            /* for people */
    gboolean found_duplicate; /* the last error was that a unique key has a value already */
    gint interrupted;         /* atomic: we had a statement killed */
    char *database;           /* unquoted; NULL: none is chosen */
    char *held;           /* statement that lets go of what keeps the moment of a snapshot still; NULL: nothing does */
    gboolean serves;      /* it works for the hold on a target; see peers.h */
    gint newer_processes; /* has it the newer list of sessions? -1: no; 0: not known yet */
    guint part;           /* of the hold on a target: the number of its lock; 0: none */
    gboolean is_raw;      /* results come without conversion, as row sets need them */
    HbSession *holder;    /* another one that does so instead; NULL: none */
    char *fingerprint;    /* of the structure when the snapshot began; NULL without one */
};

typedef MYSQL_RES HbMyResult;
G_DEFINE_AUTOPTR_CLEANUP_FUNC(HbMyResult, mysql_free_result)

/* Life */
HbSession *hb_my_open(const HbAddress *address, GError **error);
void hb_my_close(HbSession *session);
void hb_my_interrupt(HbSession *session);
void hb_my_cut(HbSession *session);
void hb_my_cancel_now(HbSession *session); /* the same as interrupt(), by the session's own thread: waits for it */
gboolean hb_my_needs_password(const HbAddress *address);
gboolean hb_my_describe(HbSession *session, HbServerInfo *info, GError **error);

/* Does the session's server have it? */
gboolean hb_my_can(const HbSession *session, HbMyFeature feature);

/* Back to what every session sets, whatever a definition left behind: also what it had locked or begun is gone */
gboolean hb_my_renew(HbSession *session, GError **error);

/* Back to what every session sets, by statements */
gboolean hb_my_reset(HbSession *session, GError **error);

/*
 * The end of a current row in a versioned table, as a literal: the last moment that a TIMESTAMP of this server can
 * hold. Of the session's version; borrowed for ever
 */
const char *hb_my_get_end_of_time(const HbSession *session);

/*
 * Behind a table in FROM: keeps no index from being used, but is an error of a view. A user who puts one in a table's
 * place must not have its functions run by us
 */
#define HB_MY_ONLY_TABLES "USE INDEX FOR GROUP BY ()"

/* Results as they are stored (for row sets), or in UTF-8 (for everything else, which sees to it by itself) */
gboolean hb_my_set_raw(HbSession *session, gboolean raw, GError **error);

/*
 * The server's list of sessions, in the text of a query. MySQL's older one cannot be read while another session runs a
 * statement with bytes that are no text (error 3854), whatever columns are asked for: hb_my_query() reads the newer one
 * where there is one
 */
#define HB_MY_PROCESSES "information_schema./* or newer */PROCESSLIST"

/* One statement. A query gives all its rows, NULL on error; execute throws rows away */
HbMyResult *hb_my_query(HbSession *session, const char *sql, GError **error);
HbMyResult *hb_my_query_format(HbSession *session, GError **error, const char *format, ...) G_GNUC_PRINTF(3, 4);
gboolean hb_my_execute(HbSession *session, const char *sql, GError **error);

/* The first cell of a query's first row; *text is NULL if it is NULL or there is no row. The caller's */
gboolean hb_my_read_text(HbSession *session, const char *sql, char **text, GError **error);

/* Sets the error from the session's last failure. Returns FALSE */
gboolean hb_my_set_error(HbSession *session, GError **error);
gboolean hb_my_set_error_text(HbSession *session, guint number, const char *message, GError **error);

/*
 * Runs one statement. A query is a check: what it finds is put into *complaint (the caller's) unless something is there
 * already
 */
gboolean hb_my_run_statement(HbSession *session, const char *sql, char **complaint, GError **error);
