/* SPDX-License-Identifier: Apache-2.0 */
/*
 * show_create_parser - a table's own words (SHOW CREATE TABLE) taken apart: columns, keys, constraints, options.
 *
 *     CREATE TABLE `loan` (  ITEM ,  ITEM ,  ...  )  OPTIONS
 *
 * An item is a column, a key, a constraint or a period. The texts are the server's, but for the database's own name
 * before those of its sequences, which is taken out.
 */
#pragma once

#include "core/model/catalog.h"

/* How values of a column are guessed; a row set's extent says it */
typedef enum { HB_SPLIT_NONE, HB_SPLIT_NUMBER, HB_SPLIT_TIME, HB_SPLIT_TEXT, HB_SPLIT_BYTES, HB_SPLIT_COUNT } HbSplit;

typedef enum {
    HB_ITEM_COLUMN,
    HB_ITEM_PRIMARY,
    HB_ITEM_UNIQUE,
    HB_ITEM_KEY, /* neither primary nor unique; fulltext and spatial ones, too */
    HB_ITEM_FOREIGN,
    HB_ITEM_OTHER /* checks, periods: they stay where they are */
} HbItemType;

typedef enum {
    HB_COLUMN_STORED,
    HB_COLUMN_GENERATED,
    HB_COLUMN_SYSTEM,      /* ROW START or ROW END */
    HB_COLUMN_TRANSACTION, /* the same by the number of a transaction, which no other server knows */
} HbColumnOrigin;

/* How a column's values are written in a row */
typedef enum {
    HB_CODING_TEXT = 't',  /* as they are, or as the server turns them into UTF-8 */
    HB_CODING_BYTES = 'x', /* as hexadecimal digits */
    HB_CODING_END = 'd', /* NULL stands for the column's default: the end of time, which each version has its own of */
} HbCoding;

/* What is selected to have them exactly */
typedef enum {
    HB_READ_PLAIN,
    HB_READ_AS_DOUBLE, /* a float, which would print too few digits */
    HB_READ_AS_UTF8,
    HB_READ_END /* of a row's life: NULL while it is current */
} HbReadAs;

typedef struct {
    HbItemType type;
    char *text; /* without the comma */
    char *name; /* unquoted; of a column, a key or a constraint; NULL if it has none */

    /* Of columns */
    HbColumnOrigin origin;
    gboolean is_auto;
    gboolean is_not_null;
    HbSplit split; /* how a table can be cut by it */
    HbCoding hex_columns;
    HbReadAs select_expressions;

    /* Of keys and foreign keys */
    GPtrArray *columns;   /* char *, unquoted; of a key: of its parts that are columns */
    guint parts;          /* of a key, expressions included */
    char *other_table;    /* of foreign keys; unquoted */
    char *other_database; /* NULL: this one */
    GPtrArray *other_columns;
} HbItem;

typedef struct {
    GPtrArray *items; /* HbItem * */
    char *options;    /* after the closing parenthesis, without the next AUTO_INCREMENT value */
    char *engine;     /* "InnoDB"; NULL if it is not said */
    char *next_value; /* of AUTO_INCREMENT; NULL: the first one */
    gboolean is_versioned;
    gboolean had_password; /* for another server, in the options: it was taken out */
} HbShowCreate;

/*
 * A table's options without the tablespace that they name, which is none of the database's; *name gets that, unquoted,
 * or NULL. Both are the caller's
 */
char *hb_show_create_cut_tablespace(const char *options, char **name);

/*
 * MySQL puts what older versions of it do not know into comments that newer ones run: the same without these comments,
 * so that all of it is read, and compared, alike. The caller's
 */
char *hb_show_create_unwrap(const char *sql);

/* The collation that a table's options name, for columns without their own; NULL: none. The caller's */
char *hb_show_create_find_collation(const char *options);

/* Options that no storage engine takes, which the server keeps as comments: "`a`='1', `b`='2'"; NULL: none. The
 * caller's */
char *hb_show_create_find_ignored(const char *sql);

/* given: the options that were given when the table was made (CREATE_OPTIONS); NULL: unknown */
HbShowCreate *hb_show_create_read(const char *sql, const char *database, const char *given);
void hb_show_create_free(HbShowCreate *text);
G_DEFINE_AUTOPTR_CLEANUP_FUNC(HbShowCreate, hb_show_create_free)

/* The column of this name; NULL if there is none */
const HbItem *hb_show_create_find_column(const HbShowCreate *text, const char *name);

/* FALSE for engines whose tables only point at rows that are elsewhere */
gboolean hb_show_create_keeps_rows(const HbShowCreate *text);

/* The expression that selects a column (quoted); NULL: the column itself. The caller's */
char *hb_show_create_read_as(HbReadAs how, const char *quoted, const char *end_of_time);
