/* SPDX-License-Identifier: Apache-2.0 */
/*
 * target - what an engine finds and makes on the server that a database goes to, besides the steps of a restore, which
 * are the journal's.
 */
#pragma once

#include "core/base/findings.h"
#include "core/model/catalog.h"
#include "core/rows/row_sketch.h"
#include "engine/connector.h"
#include "engine/journal.h"

/* Another session on a server, as far as this session may see it; clear with hb_peer_clear() */
typedef struct {
    guint64 id;      /* the server's number of it; 0: there is none */
    char *who;       /* for people: "process 4711 of user keeper" */
    gint64 silent_s; /* since its last statement ended; -1: that cannot be seen */
} HbPeer;

void hb_peer_clear(HbPeer *peer);

/* How long the steps of a restore wait for a lock on the target */
#define HB_TARGET_LOCK_WAIT_S 300

/* The database on a target: not there; there, with nothing but extensions that may be changed, or with what this
 * restore has brought; there, with content that is in use */
typedef enum { HB_TARGET_ABSENT, HB_TARGET_EMPTY, HB_TARGET_IN_USE } HbTargetState;

/* A restore that is to come, as far as an engine needs to know of it to look ahead */
typedef struct {
    const HbCatalog *catalog; /* what is to arrive: arranged and chosen, not yet fitted */
    guint version;            /* of servers that its definitions are for */
    HbTargetState state;
    gboolean ownership_mine;
    gboolean part_of_server; /* one database of a whole server's dump */
    guint sessions;          /* that will be opened at once */
    guint64 bytes;           /* of rows */
} HbRestorePreview;

/* What a session's user may change on a target; sets of texts, owned. Clear it with hb_restore_privileges_clear() */
typedef struct {
    GHashTable *owners; /* roles, unquoted, whose objects the user may treat as its own */
    GHashTable *closed; /* identities of schemas without the privilege to create in them */
    guint64 locks;      /* that all transactions of the server can hold together; 0: as many as they need */
} HbRestorePrivileges;

void hb_restore_privileges_clear(HbRestorePrivileges *privileges);

/* What becomes of a table's rows: some go, then others come. Borrowed */
typedef struct {
    gboolean all_go;
    const GArray *gone; /* HbSketchedRow: these go, each |count| times; NULL: none */
    HbRowSource source; /* of those that come, as write_rows() takes them; NULL: none */
    gpointer data;
    gboolean is_quiet; /* keys and triggers were taken off: nothing need be kept from acting */
} HbRowChange;

typedef struct {
    /* ---- The database: address->database must be set ---- */
    gboolean (*find)(const HbAddress *address, HbServerInfo *info, gboolean *exists, GError **error);
    gboolean (*create_database)(const HbAddress *address, GHashTable *properties, gboolean *created, GError **error);
    /* Adapts an arranged catalog, written for servers of this version, to what the target has; what that changes or
     * leaves out becomes an omission */
    gboolean (*fit)(const HbAddress *address, HbTargetState state, guint written_for, HbCatalog *catalog,
                    GError **error);
    /* What would go wrong there, or otherwise than expected: HbFinding; writes nothing */
    gboolean (*preflight)(const HbAddress *address, const HbRestorePreview *preview, GPtrArray *findings,
                          GError **error);

    /* ---- What is there ---- */
    gboolean (*find_content)(HbSession *session, char **example, GError **error); /* *example NULL: it is empty */
    /* Of a catalog that was read from this session's database: adds the identities of row sets that hold rows, borrowed
     */
    gboolean (*find_rows)(HbSession *session, const HbCatalog *catalog, GHashTable *holding, GError **error);
    gboolean (*find_role)(HbSession *session, const char *name, gboolean *found, GError **error); /* name: quoted */
    /* What the session's user may change of what is there. NULL: what its rights say, which preflight() looks at */
    gboolean (*read_privileges)(HbSession *session, HbRestorePrivileges *privileges, GError **error);

    /*
     * Brings a table up to date, in one transaction if the table has any, in which neither foreign keys nor, unless
     * traits.triggers_act says so, triggers act. HB_ERROR_RETRY: not each row that was to go was there,
     * or without a key they could not be told from others.
     * HB_ERROR_RIGHTS: the session's user may not keep keys and triggers from acting, as may_quiet() tells ahead (NULL:
     * triggers act whoever it is, and keys need no right)
     */
    gboolean (*may_quiet)(HbSession *session, gboolean *may, GError **error);
    gboolean (*change_rows)(HbSession *session, const HbRowSet *set, const HbRowChange *change, GError **error);

    /*
     * ---- The origin: one text that a copy keeps, in a place of its own that is no content of the database ----
     *
     * HB_ERROR_BLOCKED if something else is called so, or it cannot be trusted. *text NULL: there is none. Writing
     * replaces what is there, and is on the server's disk when it returns
     */
    gboolean (*read_origin)(HbSession *session, char **text, GError **error);
    gboolean (*write_origin)(HbSession *session, const char *text, GError **error);
    gboolean (*drop_origin)(HbSession *session, GError **error);

    /* ---- SQL that depends on the server; the caller's ---- */

    /*
     * Makes the session's user a member of a role (unquoted), so that it can give objects to that role; *leaving ends
     * the membership. NULL: the engine needs no membership for that
     */
    char *(*make_joining)(HbSession *session, const char *owner, char **leaving);
    /* Gives a role of a catalog this password, hashed here; NULL without an error if it cannot log in */
    char *(*make_password_sql)(HbSession *session, const HbObject *role, const char *password, GError **error);

    /*
     * ---- The hold on the session's database, or on what belongs to none, that one restore has at a time ----
     *
     * claim() takes it until the session is closed: holder->id is 0, or names the session that has it; never waits. To
     * do it again proves that we are alive. serve() marks a session as one that works for the holder, and limits how
     * long it waits for locks. end_lost() ends those of the same user that have the hold or serve, but not the session
     * itself nor those that are alive (guint64 ids): they belong to runs whose connection broke. Waits until they are
     * gone; HB_ERROR_LOCKED if one stays. A server that cannot do this lets everybody have the hold
     */
    gboolean (*claim)(HbSession *session, gboolean of_server, HbPeer *holder, GError **error);
    gboolean (*serve)(HbSession *session, GError **error);
    gboolean (*end_lost)(HbSession *session, const GArray *alive, guint *ended, GError **error);
    /*
     * Of several hosts that work on one restore each has a part of the hold, for as long as its session lives or until
     * leave(), which gives up the hold itself, too. join(): nobody may have the hold then, except the session itself,
     * which keeps a part; holder->id says who has it otherwise. HB_ERROR_BLOCKED: the server has no such locks
     */
    gboolean (*join)(HbSession *session, HbPeer *holder, GError **error);
    gboolean (*leave)(HbSession *session, GError **error);
    /* Asks whoever has the hold to end its work when it can, for as long as the session lives; is anybody asking? */
    gboolean (*ask_holder)(HbSession *session, GError **error);
    gboolean (*is_asked)(HbSession *session, gboolean *asked, GError **error);
} HbTarget;
