/* SPDX-License-Identifier: Apache-2.0 */
/*
 * gate - who may write to a database: how writing is stopped for a hand-over, and let in again, and the connection
 * strings that applications come in with.
 *
 * What stopping will change is noted first (make_note), as a text of the engine's own, so that open() can put it back
 * from any machine, whatever was killed in between. Both stop() and open() do nothing that is done already. A note may
 * have been written by anybody: it is checked before anything of it reaches a server.
 */
#pragma once

#include "core/base/findings.h"
#include "engine/connector.h"

/* In a new session at the server nobody but administrators may enter; or everybody may, and only read */
typedef enum { HB_GATE_SESSIONS, HB_GATE_READ_ONLY } HbGateWay;

/* A connection string in one of the forms that applications take */
typedef struct {
    const char *form;      /* "JDBC" */
    char *text;            /* NULL: this form has no words for it */
    const char *complaint; /* why; NULL with a text */
    gboolean is_read_here; /* try_form() can connect with it */
} HbConnectionForm;

void hb_connection_form_free(gpointer form);

#define HB_FORM_PASSWORD "PASSWORD" /* stands for it in texts */

typedef struct {
    /* The way that suits this server, as far as its rights allow any. is_copy: we shall write to it meanwhile */
    HbGateWay (*find_best)(HbSession *session, gboolean is_copy);
    /* In which a database that was handed over is kept as it is: it outlasts restarts, and holds nobody else's database
     * up. is_copy: we shall write to it ourselves */
    HbGateWay (*find_lasting)(HbSession *session, gboolean is_copy);
    /* What would keep writing from being stopped in that way, and who else would feel it: HbFinding. ours: guint64 ids
     * of sessions */
    gboolean (*look)(HbSession *session, HbGateWay way, const GArray *ours, GPtrArray *findings, GError **error);
    char *(*make_note)(HbSession *session, HbGateWay way, GError **error); /* the caller's */
    gboolean (*stop)(HbSession *session, const char *note, GError **error);
    gboolean (*open)(HbSession *session, const char *note, GError **error);
    /* Does an object differ because of what the note says? */
    gboolean (*explains)(const char *note, const char *identity);
    gboolean (*is_same_way)(const char *note, const char *other);
    char *(*describe)(const char *note); /* what stop() does, for people; the caller's. NULL: it cannot be read */
    /* The statements (char *) that open() runs, for a database of this name; the caller's. NULL with an error */
    GPtrArray *(*list_opening)(const char *database, const char *note, GError **error);
    /* The sessions of others that are in the session's database, or that the note is about */
    gboolean (*end_sessions)(HbSession *session, const char *note, const GArray *ours, guint *ended, GError **error);
    /*
     * writers: char *, those who have written something that is not committed, as far as this session may see them.
     * *state: a text that becomes another one when rows are written to the database, to a second; *counters: one that
     * does so with each row, and may also change by itself some time after it. Both the caller's
     */
    gboolean (*find_writers)(HbSession *session, const GArray *ours, GPtrArray *writers, char **state, char **counters,
                             GError **error);

    /* Of a database in which nobody is; address names it. rename NULL: servers of this kind cannot */
    gboolean (*rename_database)(const HbAddress *address, const char *new_name, GError **error);
    gboolean (*drop_database)(const HbAddress *address, GError **error);

    /*
     * HbConnectionForm * of a database at a server, the caller's. user: NULL: the address's own. password:
     * HB_FORM_PASSWORD, or one to try them with; NULL: without
     */
    GPtrArray *(*list_forms)(const HbAddress *address, const HbServerInfo *server, const char *user,
                             const char *password);
    /* A user's password, where the engine has a place of ours for it; NULL: none is known. The caller's, to be wiped */
    char *(*find_password)(const HbAddress *address, const char *user);
    /* Connects with a text as it is, and asks the server where it is. *unknown: it wants a password, and none is known
     */
    gboolean (*try_form)(const HbConnectionForm *form, const HbAddress *address, gboolean *unknown, GError **error);
} HbGate;
