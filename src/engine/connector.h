/* SPDX-License-Identifier: Apache-2.0 */
/*
 * connector - how an engine reaches servers: addresses, sessions, and what a server says of itself.
 *
 * Life of a session: open, use from one thread at a time, close. Only interrupt(), cut() and get_id() may come from
 * another thread; they return at once.
 *
 * Errors of all functions of an engine: HB_ERROR_CONNECT when a session cannot be opened, HB_ERROR_LOST when an open
 * one breaks (close it and open another), HB_ERROR_RETRY for passing reasons, HB_ERROR_EXISTS, HB_ERROR_RIGHTS,
 * HB_ERROR_LOCKED, HB_ERROR_STATEMENT, HB_ERROR_CANCELLED after interrupt(). What is cancelled or lost in the middle
 * leaves nothing half-done in the server.
 */
#pragma once

#include "core/base/error.h"

typedef struct HbSession HbSession; /* each engine's own */

typedef struct HbEngine HbEngine;

/*
 * An observer of all sessions, which can end those that hang: opened() as soon as there is a connection, before
 * anything is asked through it; closed() while it is still there. From any thread
 */
typedef struct {
    void (*opened)(gpointer data, const HbEngine *engine, HbSession *session, const char *uri);
    void (*closed)(gpointer data, HbSession *session);
    gpointer data;
} HbSessionWatch;

/* Where a server is. Nothing here is ever shown: use display() */
typedef struct {
    const char *uri;
    const char *database;        /* NULL: the URI's own */
    const char *password;        /* NULL: the engine's own places */
    const HbSessionWatch *watch; /* NULL: none; outlives the sessions */
} HbAddress;

/* What a server says of itself and of us; clear with hb_server_info_clear() */
typedef struct {
    char *product; /* "PostgreSQL" */
    char *version; /* "15.14" */
    guint version_number;
    char *address; /* for people, without secrets and without the database */
    char *database;
    char *database_quoted;
    char *user;
    gboolean is_superuser;
    char *
        identity; /* the same for two addresses of one server and database, while it runs; NULL if it cannot be known */
    char *lasting; /* likewise over restarts; a copy of all the server's files may have the same */
} HbServerInfo;

void hb_server_info_clear(HbServerInfo *info);

typedef struct {
    const char *const *schemes; /* of URIs, NULL-terminated */

    /* ---- Addresses, without connecting; texts are the caller's ---- */
    gboolean (*check_uri)(const char *uri, GError **error); /* HB_ERROR_USAGE */
    char *(*describe_library)(void);                        /* "libpq 15.18": what speaks to servers; the caller's */
    char *(*display)(const HbAddress *address);             /* for people, without secrets */
    char *(*get_database)(const char *uri);                 /* NULL if the URI names none */

    /* ---- Sessions ---- */
    HbSession *(*open)(const HbAddress *address, GError **error);
    void (*close)(HbSession *session);     /* accepts NULL */
    void (*interrupt)(HbSession *session); /* asks the server to end the statement that runs, if it can be reached */
    void (*cut)(HbSession *session);       /* ends the connection: a call that waits for it fails with HB_ERROR_LOST */
    gboolean (*needs_password)(const HbAddress *address); /* would a password make open() succeed? */
    gboolean (*describe)(HbSession *session, HbServerInfo *info, GError **error);

    /* ---- What sessions do ---- */
    guint64 (*get_id)(const HbSession *session); /* the server's number of it */
    /* What one of these sessions (guint64 ids) waits for, in words, and which session holds it; *wait NULL: none waits,
     * as far as can be seen. The caller's */
    gboolean (*find_wait)(HbSession *session, const GArray *ids, char **wait, GError **error);

    /* ---- What hosts that work together agree on: locks on names of their own, each in the session's database. Never
     * wait; a lock ends with its session, too ---- */
    gboolean (*lock_name)(HbSession *session, const char *name, gboolean *taken, GError **error);
    gboolean (*unlock_name)(HbSession *session, const char *name, GError **error);
    gboolean (*is_name_locked)(HbSession *session, const char *name, gboolean *locked,
                               GError **error); /* by whomever */
} HbConnector;

/* How soon a peer that is gone is noticed, by engines' connections over TCP: by silence, and by what is not
 * acknowledged */
#define HB_KEEPALIVE_IDLE_S     30
#define HB_KEEPALIVE_INTERVAL_S 10
#define HB_KEEPALIVE_COUNT      3
#define HB_USER_TIMEOUT_S       60

/* To the address's watch, if it has one */
void hb_engine_notify_opened(const HbAddress *address, const HbEngine *engine, HbSession *session);
void hb_engine_notify_closed(const HbAddress *address, HbSession *session);
