/* SPDX-License-Identifier: Apache-2.0 */
/*
 * dialect - what is particular about one engine's SQL, as data and pure functions of text.
 *
 * The core asks the dialect where it would have to know a word of an engine's SQL. Nothing here needs a session: all of
 * it is tested without a server. Texts that a function returns are the caller's; functions may be called from any
 * thread. A function that a dialect does not have is NULL where that is said.
 */
#pragma once

#include "core/model/catalog.h"
#include "core/sql/lexer.h"

/* ---- Names that become others on the way ---- */

typedef enum {
    HB_RENAME_DATABASE,
    HB_RENAME_SCHEMA,
    HB_RENAME_OWNER, /* a user, wherever it is named */
    HB_RENAME_TABLESPACE,
    HB_RENAME_STORAGE,  /* of a storage engine */
    HB_RENAME_COLLATION /* of columns, tables and the database */
} HbRenameKind;

typedef struct {
    HbRenameKind kind;
    char *old_name; /* unquoted, both */
    char *new_name;
    GHashTable
        *inside; /* of a schema: the plain names of what stands in it, so that an alias is not taken for it; or NULL */
    gboolean left; /* set by a dialect: the old name stands inside a string, which is left as it is */
} HbRename;

/* ---- Scripts for the engine's stock shell ---- */

/* Does the engine's stock shell hand a definition to the server as it is? */
typedef enum {
    HB_SHELL_PLAIN,  /* yes */
    HB_SHELL_STRICT, /* if it is started so that it changes and runs nothing itself: the script then asks for that */
    HB_SHELL_NEVER   /* no: it would take something in it for a command of its own, or not find its end */
} HbShellReading;

/* What a script is made of; all texts are the caller's, with their line ends */
typedef struct {
    HbShellReading (*read)(const HbObject *object); /* NULL: write_object() makes all of them plain */
    char *(*demand_strict)(void);                   /* ends the script early in a shell that is not strict */
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
} HbScriptForm;

/* ---- Locks ---- */

/* Locks that a statement takes beside those of the tables, keys and indexes that it names; all 0: none are counted */
typedef struct {
    guint beside_table; /* that is dropped */
    guint beside_foreign_key;
    guint beside_others;
} HbLockCosts;

typedef struct {
    const HbLexicalRules *rules;
    HbScriptForm script;
    HbLockCosts locks;
    const char *preamble;         /* SQL that makes a stock shell read a dump's SQL files as they were meant */
    const char *cleanup_preamble; /* SQL before what drops and empties, so that it does not wait long for the locks of
                                     others; NULL: none */
    const char *insert_override;  /* behind the columns of an INSERT that also fills what the server numbers; or "" */

    guint (*read_version)(const char *text); /* "15" to the engine's number; 0: it knows none such */

    /* ---- Reading definitions ---- */

    char *(*hide_secrets)(const char *sql);                   /* a copy without passwords and their hashes */
    void (*append_literal_byte)(GString *sql, char byte);     /* of a text in single quotes */
    gboolean (*demands_value)(const char *column);            /* must a row give one? The column's line, or NULL */
    gboolean (*makes_key)(const char *definition);            /* primary or unique. NULL makes none */
    gboolean (*is_unlogged)(const HbObject *table);           /* does the server empty it when it crashes? */
    GPtrArray *(*list_role_mentions)(const HbObject *object); /* char *, as roles' identities have them */

    /* ---- Comparing ---- */

    /* A catalog that is written for servers of one version, for another that may be another product's. What is left
     * out, or arrives otherwise, becomes an omission. NULL: there is one product */
    void (*translate)(HbCatalog *catalog, guint from, guint to);
    gboolean (*is_kept_as_written)(HbKind kind); /* the server keeps its text byte by byte. NULL: never */
    /* Do two definitions, that differ as texts of tokens, come to the same? NULL: they never do */
    gboolean (*means_same)(const HbObject *one, const HbObject *other);
    /* Is it what the server gives an object, or a database, without being told? NULL: nothing is */
    gboolean (*is_initial)(const HbObject *object);
    /* Is this setting of a database a part of what the database is, so that one which only the target has counts? */
    gboolean (*describes_database)(const HbObject *setting);
    gboolean (*is_predefined)(const char *identity); /* does every database have it? NULL: it has nothing */

    /* ---- Changing definitions ---- */

    /* The object's SQL with another name in it; NULL: it does not say the old one */
    char *(*rename)(const HbObject *object, const char *sql, HbRename *rename);
    char *(*rename_identity)(const char *identity, const HbRename *rename); /* likewise */
    /* The definition without its definer: the user that runs it becomes the definer. NULL: it names none.
     * NULL: definitions name no user */
    char *(*disown)(const char *definition);
    /* One statement for two definitions of parts of one table, where that is cheaper; NULL: it is not, or they do not
     * go together. NULL: it never is */
    char *(*join_definitions)(const char *one, const char *other);

    /* ---- Statements ---- */

    /* SQL that drops an object of the catalog, if it is there; NULL: it cannot be dropped alone */
    char *(*make_drop_sql)(const HbCatalog *catalog, const HbObject *object);
    /* SQL that takes all rows out of a table; NULL: they are those of no table */
    /*
     * Makes of what is there what is wanted, where the wanted definition alone would not: an object that stands for
     * many small ones gets those that it has not, and loses the others; a sequence goes back. Either may be NULL. NULL:
     * nothing is to be done, or the definition does it. NULL: it always does
     */
    char *(*make_align_sql)(const HbObject *wanted, const HbObject *there);
    char *(*make_empty_sql)(const HbRowSet *set);
    char *(*make_analyze_sql)(const char *table); /* refreshes the planner's figures; NULL: it has none */
    /* SQL that gives an object to its owner, and for that moment the owner the privilege to create in the schema; NULL:
     * the object has no owner or schema. NULL: owners need no such privilege */
    char *(*make_lending)(const HbObject *object);
} HbDialect;
