/* SPDX-License-Identifier: Apache-2.0 */
/*
 * engine - the contract between Hornbeam and a kind of database server.
 *
 * An engine is one constant HbEngine: a table of functions and of what it can do. Nothing outside its folder knows its
 * SQL. All functions that can fail return FALSE or NULL and set the error; all strings that an engine hands out as
 * names are quoted as its SQL wants them.
 *
 * Life of a session: open, use from one thread at a time, close. Only interrupt() and cut() may come from another
 * thread; they return at once.
 *
 * Errors: HB_ERROR_CONNECT when a session cannot be opened, HB_ERROR_LOST when an open one breaks (close it and open
 * another), HB_ERROR_RETRY for passing reasons, HB_ERROR_EXISTS, HB_ERROR_RIGHTS, HB_ERROR_LOCKED, HB_ERROR_STATEMENT,
 * HB_ERROR_CANCELLED after interrupt(). What is cancelled or lost in the middle leaves nothing half-done in the server.
 */
#pragma once

#include "core/base/error.h"
#include "core/base/result_table.h"
#include "core/compare/preflight.h"
#include "core/model/catalog.h"
#include "core/select/rename.h"
#include "core/sql/lexer.h"

typedef struct HbSession HbSession; /* each engine's own */

typedef struct HbEngine HbEngine;

/*
 * Who is told of every session, so that he can end what hangs: opened() as soon as there is a connection, before
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
    const HbSessionWatch *watch; /* NULL: nobody; outlives the sessions */
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
    char *identity; /* the same for two addresses of one server and database; NULL if it cannot be known */
} HbServerInfo;

void hb_server_info_clear(HbServerInfo *info);

/* A moment in time that several sessions can read; clear with hb_snapshot_clear() */
typedef struct {
    char *token;          /* for joining */
    char *time;           /* ISO 8601, UTC */
    char *position;       /* in the server's log; NULL if unknown */
    guint lock_wait_ms;   /* how long those who join wait for a lock */
    gboolean hold_tables; /* also keep what no snapshot holds from changing until it ends; to be set before it begins */
    guint sessions;       /* how many will join; to be set before it begins, which may lower it to 1 */
} HbSnapshot;

void hb_snapshot_clear(HbSnapshot *snapshot);

/* Somebody's session on a server, as far as ours may see it; clear with hb_peer_clear() */
typedef struct {
    guint64 id;      /* the server's number of it; 0: there is none */
    char *who;       /* for people: "process 4711 of user keeper" */
    gint64 silent_s; /* since its last statement ended; -1: that cannot be seen */
} HbPeer;

void hb_peer_clear(HbPeer *peer);

/* How long the steps of a restore wait for a lock on the target */
#define HB_TARGET_LOCK_WAIT_S 300

/* A piece of a row set, in the engine's own unit: first <= unit < end */
typedef struct {
    guint64 first;
    guint64 end;   /* G_MAXUINT64: to the end, however far that is by now */
    guint64 bytes; /* estimate */
    char *where;   /* the same as the engine's SQL, where it does not count in numbers; NULL: all, or it does */
} HbRange;

GArray *hb_ranges_new(void); /* of HbRange; owns their texts */

/* Takes one row, its line end included (a row in binary form has none, and comes at once), or a piece of one: only the
 * last ends with a line end. FALSE ends the reading
 */
typedef gboolean (*HbRowSink)(gpointer data, const char *piece, gsize length, GError **error);

/* Gives the next bytes of rows, borrowed until the next call; length 0 at the end. FALSE: no row is to be kept */
typedef gboolean (*HbRowSource)(gpointer data, const char **bytes, gsize *length, GError **error);

/* Told of what a reader should know, such as a lock that could not be taken ahead */
typedef void (*HbRemark)(gpointer data, const char *what, const char *hint);

/* A database of a server, as hb_databases_new() holds them */
typedef struct {
    char *name;    /* unquoted */
    guint64 bytes; /* on disk */
} HbDatabase;

GArray *hb_databases_new(void); /* frees the names with itself */
void hb_databases_add(GArray *databases, const char *name, guint64 bytes);

typedef struct {
    guint64 analyze_from_rows;       /* smaller tables need no refreshing of the planner's figures */
    guint binary_compatible_divisor; /* versions that are equal when divided by this share a binary form; 0: there is
                                        none */
    gboolean cross_database_needs;   /* what is in one database may need what is in another */
    gboolean serialise_grants;       /* changes of users and rights get in each other's way */
    gboolean journal_guarded;        /* nobody else can write to a journal, but for superusers */
    gboolean transactional_ddl;      /* what defines and drops is part of a transaction, and undone with it */
} HbEngineTraits;

/* The database on a target: not there; there, with nothing but extensions that may be changed, or with what this
 * restore has brought; there, with what somebody uses */
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

/* What somebody may change of what is on a target; sets of texts, owned. Clear it with hb_restore_privileges_clear() */
typedef struct {
    GHashTable *owners; /* names, unquoted, of those whose objects are as good as his own */
    GHashTable *closed; /* identities of schemas that he may create nothing in */
    guint64 locks;      /* that all transactions of the server can hold together; 0: as many as they need */
} HbRestorePrivileges;

void hb_restore_privileges_clear(HbRestorePrivileges *reach);

/* The settings that change what SQL means are properties of a catalog under this prefix and their name */
#define HB_SEMANTIC_SETTING_PREFIX "setting "

/* Does the engine's stock shell hand a definition to the server as it is? */
typedef enum {
    HB_SHELL_PLAIN,  /* yes */
    HB_SHELL_STRICT, /* if it is started so that it changes and runs nothing itself: the script then asks for that */
    HB_SHELL_NEVER   /* no: it would take something in it for a command of its own, or not find its end */
} HbShellReading;

/* What a script for the engine's stock shell is made of; all texts are the caller's, with their line ends */
typedef struct {
    HbShellReading (*read)(const HbObject *object); /* NULL: write_object() makes all of them plain */
    char *(*demand_strict)(void);                   /* ends the script early in a shell that is not strict */
    HbDialect dialect;
    gboolean has_bulk; /* rows have a form of their own, which is the dump's; otherwise they are INSERTs */

    /* Why what becomes of an object could not be undone as part of one transaction; NULL: it could. Borrowed */
    const char *(*refuse_in_transaction)(const HbObject *object);
    /* What of a table's definition says that its rows stay whatever becomes of the transaction; NULL: nothing does.
     * Borrowed. NULL: there are no such tables */
    const char *(*find_untransacted)(const HbObject *table);

    /* Stops at errors, creates and selects a database (NULL: not), refuses one that holds such objects (if guarded) */
    char *(*begin)(const HbCatalog *catalog, const char *database, gboolean guarded);
    char *(*write_object)(const HbCatalog *catalog, const HbObject *object); /* its definition, and its owner's */
    char *(*get_table)(const HbRowSet *set);                                 /* that rows are inserted into */
    char *(*begin_rows)(const HbRowSet *set, gboolean bulk);                 /* NULL: nothing is needed */
    char *(*end_rows)(const HbRowSet *set, gboolean bulk);
} HbScripting;

struct HbEngine {
    const char *name;           /* in manifests: "postgresql" */
    const char *const *schemes; /* of URIs, NULL-terminated */
    HbEngineTraits traits;
    HbScripting script;
    const char *preamble; /* SQL that makes a stock shell read a dump's SQL files as they were meant */

    /* ---- Addresses, without connecting ---- */
    gboolean (*check_uri)(const char *uri, GError **error); /* HB_ERROR_USAGE */
    char *(*display)(const HbAddress *address);             /* for people, without secrets; the caller's */
    char *(*get_database)(const char *uri);                 /* NULL if the URI names none; the caller's */
    guint (*read_version)(const char *text);                /* "15" to the engine's number; 0: it knows none such */

    /* ---- Sessions ---- */
    HbSession *(*open)(const HbAddress *address, GError **error);
    void (*close)(HbSession *session); /* accepts NULL */
    void (*interrupt)(
        HbSession *session);         /* asks the server to end the statement that runs, if the server can be reached */
    void (*cut)(HbSession *session); /* ends the connection: whoever waits for it has HB_ERROR_LOST */
    gboolean (*needs_password)(const HbAddress *address); /* would a password make open() succeed? */
    gboolean (*describe)(HbSession *session, HbServerInfo *info, GError **error);

    /* ---- Other sessions of the server ---- */
    guint64 (*get_id)(const HbSession *session); /* the server's number of it. From any thread */
    /*
     * The hold on the session's database, or on what belongs to none, that one restore has at a time. claim() takes it
     * until the session is closed: holder->id is 0, or says who has it instead; never waits. To do it again proves that
     * we are alive. serve() marks a session as one that works for the holder, and limits how long it waits for locks.
     * end_lost() ends those of the same user that have the hold or serve, but not the session itself nor who is alive
     * (guint64 ids): they belong to runs whose connection broke. Waits until they are gone; HB_ERROR_LOCKED if one
     * stays. A server that cannot do this lets everybody have the hold
     */
    gboolean (*claim)(HbSession *session, gboolean of_server, HbPeer *holder, GError **error);
    gboolean (*serve)(HbSession *session, GError **error);
    gboolean (*end_lost)(HbSession *session, const GArray *alive, guint *ended, GError **error);
    /* What one of these sessions (guint64 ids) waits for, in words, with whoever holds it; *wait NULL: none waits, as
     * far as can be seen. The caller's */
    gboolean (*find_wait)(HbSession *session, const GArray *ids, char **wait, GError **error);

    /* ---- Looking ---- */
    GPtrArray *(*survey)(HbSession *session, gboolean whole_server, GError **error); /* HbResultTable *; the caller's */

    /* Not yet arranged. sessions: HbSession *, one at least, all in one snapshot: they share the work */
    HbCatalog *(*read_catalog)(GPtrArray *sessions, guint parts, GError **error);

    /* A whole server: what belongs to no database (not yet arranged), and the names, unquoted, of those worth carrying
     */
    HbCatalog *(*read_server)(HbSession *session, guint parts, GError **error);
    GArray *(*list_databases)(HbSession *session, const HbAddress *address,
                              GError **error); /* HbDatabase, largest first */

    /* ---- A snapshot: begun in one session, which keeps locks on all tables, joined by others ---- */
    gboolean (*begin_snapshot)(HbSession *session, guint lock_wait_ms, HbSnapshot *snapshot, HbRemark remark,
                               gpointer data, GError **error);
    gboolean (*join_snapshot)(HbSession *session, const HbSnapshot *snapshot, GError **error);
    /* All have joined: what kept the moment still is let go */
    gboolean (*seal_snapshot)(HbSession *session, HbSnapshot *snapshot, GError **error);
    gboolean (*check_structure)(HbSession *session, GError **error); /* HB_ERROR_RETRY if it changed since begin */
    void (*drop_snapshot)(HbSession *session);                       /* without looking back */
    gboolean (*end_snapshot)(HbSession *session, GError **error);    /* fails if the structure changed meanwhile */

    /* A query's answer, in a transaction that may write nothing: columns as they are called, all as text. The caller's
     */
    HbResultTable *(*ask)(HbSession *session, const char *question, GError **error);

    /* ---- Rows ---- */
    GArray *(*split_rows)(HbSession *session, const HbRowSet *set, guint64 bytes); /* HbRange; the caller's */
    gboolean (*read_rows)(HbSession *session, const HbRowSet *set, const HbRange *range, HbRowSink sink, gpointer data,
                          GError **error);

    /* ---- A target: address->database must be set for the first two ---- */
    gboolean (*find_target)(const HbAddress *address, HbServerInfo *info, gboolean *exists, GError **error);
    /* Adapts an arranged catalog to what the target has; what that changes or leaves out becomes an omission */
    gboolean (*fit_target)(const HbAddress *address, HbTargetState state, HbCatalog *catalog, GError **error);
    /* What would go wrong there, or otherwise than expected: HbFinding; writes nothing */
    gboolean (*preflight)(const HbAddress *address, const HbRestorePreview *ahead, GPtrArray *findings, GError **error);
    gboolean (*create_database)(const HbAddress *address, GHashTable *properties, gboolean *created, GError **error);
    gboolean (*find_content)(HbSession *session, char **example, GError **error); /* *example NULL: it is empty */
    gboolean (*find_journal)(HbSession *session, char **dump_id, GError **error); /* *dump_id NULL: there is none */
    gboolean (*begin_journal)(HbSession *session, const char *dump_id, GError **error);
    /* Of a catalog that was read from this session's database: adds the identities of row sets that hold rows, borrowed
     */
    gboolean (*find_rows)(HbSession *session, const HbCatalog *catalog, GHashTable *holding, GError **error);
    /* SQL that drops an object of the catalog, if it is there; NULL: it cannot be dropped alone. The caller's */
    char *(*make_drop_sql)(const HbCatalog *catalog, const HbObject *object);
    /* SQL that takes all rows out of a table; NULL: they are those of no table. The caller's */
    char *(*make_empty_sql)(const HbRowSet *set);
    const char *clearing_preamble; /* SQL before both, so that locks of others are not waited for long; NULL: none */
    GHashTable *(*read_journal)(HbSession *session, GError **error); /* step keys to notes (or ""); the caller's */
    gboolean (*forget_steps)(HbSession *session, const char *prefix, GError **error); /* whose keys begin with it */
    gboolean (*settle_journal)(HbSession *session, GError **error); /* all that it notes is on disk from now on */
    gboolean (*end_journal)(HbSession *session, GError **error);    /* also makes sure that all is on disk */

    /*
     * Does the server take the other object's definition for what it prints for its own? Changes nothing; says FALSE
     * where it cannot tell
     */
    gboolean (*reads_same)(HbSession *session, const HbObject *other, const HbObject *own);

    /* Is there a user of this name (quoted)? */
    gboolean (*find_role)(HbSession *session, const char *name, gboolean *found, GError **error);

    /*
     * SQL that makes the session's user a member of an owner (unquoted), so that it can give him what he owns, and SQL
     * that ends it; both the caller's. NULL: owners are nobody's to join
     */
    char *(*make_joining)(HbSession *session, const char *owner, char **leaving);

    /*
     * The SQL that gives an object its owner, who gets the right to create in its schema for the time of that; NULL:
     * there is none. The caller's. NULL: owners need no such right
     */
    char *(*make_lending)(const HbObject *object);

    /* What the session's user may change of what is there. NULL: what its rights say, which preflight() looks at */
    gboolean (*read_privileges)(HbSession *session, HbRestorePrivileges *reach, GError **error);

    /* SQL that gives a role of a catalog this password, hashed here; NULL without an error if it cannot log in */
    char *(*make_password_sql)(HbSession *session, const HbObject *role, const char *password, GError **error);

    /*
     * Each does its work and notes the key in the journal, both or neither. HB_ERROR_ALREADY_DONE: it is there by now,
     * for another session has done it: that of a program which was killed while its server still worked, say
     */
    gboolean (*run_step)(HbSession *session, const char *sql, const char *key, const char *note, GError **error);
    gboolean (*write_rows)(HbSession *session, const HbRowSet *set, HbRowSource source, gpointer data, const char *key,
                           GError **error);
    /*
     * One statement for two definitions of parts of one table, where that is cheaper; NULL: it is not, or they do not
     * go together. The caller's
     */
    char *(*join_definitions)(const char *one, const char *other);

    /* The object's SQL with another name in it; NULL: it does not say the old one. The caller's */
    char *(*rename)(const HbObject *object, const char *sql, HbRename *rename);
    char *(*rename_identity)(const char *identity, const HbRename *rename); /* likewise */

    /* The definition without the user who defines it, so that it becomes that of whoever runs it. NULL: it names none.
     * The caller's. NULL: definitions name nobody */
    char *(*disown)(const char *definition);

    gboolean (*is_unlogged)(const HbObject *table); /* does the server empty it when it crashes? */
    char *(*get_analyze_sql)(const char *table); /* refreshes the planner's figures; NULL: it has none. The caller's */
};

/* An answer may have so many rows and columns; more is no question */
#define HB_ANSWER_ROWS_MAX    500
#define HB_ANSWER_COLUMNS_MAX 64

/* ---- For engines ---- */

/* How soon a peer that is gone is noticed, by engines' connections over TCP: by silence, and by what is not
 * acknowledged */
#define HB_KEEPALIVE_IDLE_S     30
#define HB_KEEPALIVE_INTERVAL_S 10
#define HB_KEEPALIVE_COUNT      3
#define HB_USER_TIMEOUT_S       60

/* To the address's watch, if it has one */
void hb_engine_tell_opened(const HbAddress *address, const HbEngine *engine, HbSession *session);
void hb_engine_tell_closed(const HbAddress *address, HbSession *session);

/* The sessions (guint64) of end_lost() that are still there; NULL on error. The caller's */
typedef GArray *(*HbListLost)(HbSession *session, const GArray *alive, GError **error);

/* After they were told to end: waits until none is left, for 10 s at most; then HB_ERROR_LOCKED, with the hint. lost:
 * what the list said before; taken */
gboolean hb_engine_await_end(HbSession *session, const GArray *alive, HbListLost list, GArray *lost, const char *hint,
                             GError **error);

/* "1,2" of these guint64; the caller's */
char *hb_engine_join_ids(const GArray *ids);

/* Is the id among these guint64? */
gboolean hb_engine_has_id(const GArray *ids, guint64 id);

/* HB_ERROR_USAGE if there are more. For engines */
gboolean hb_engine_check_answer(guint64 rows, guint columns, GError **error);

/* The hint where a statement was cancelled, and not by us. For engines */
#define HB_CANCELLED_BY_OTHERS                                                                                         \
    "somebody else cancelled it on the server, or a time limit there did: see its log, then begin again"

/* Is the structure's fingerprint what it was? HB_ERROR_RETRY if not. For engines */
gboolean hb_engine_check_fingerprint(const char *now, const char *before, const char *address, GError **error);

/* Free bytes of the file system that holds a path of this machine; G_MAXUINT64 if that cannot be known. For engines */
guint64 hb_engine_find_room(const char *path);
