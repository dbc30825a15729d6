/* SPDX-License-Identifier: Apache-2.0 */
/*
 * binlog - the events of a binary log, as a server sends them: their headers, table maps, rows. Pure; see "Binary Log
 * Events" in the servers' descriptions.
 *
 * The servers' own client library reads them, too, but not right: it loses a file's name at a change of files, takes
 * signed numbers for unsigned ones, and fails at types that a table may well have.
 */
#pragma once

#include "engine/mariadb/log/row_values.h"

enum {
    HB_MY_EVENT_QUERY = 2,
    HB_MY_EVENT_ROTATE = 4,
    HB_MY_EVENT_FORMAT = 15,
    HB_MY_EVENT_XID = 16,
    HB_MY_EVENT_TABLE_MAP = 19,
    HB_MY_EVENT_HEARTBEAT = 27,
    HB_MY_EVENT_XA_PREPARE = 38,
    HB_MY_EVENT_PARTIAL_ROWS = 39, /* MySQL */
    HB_MY_EVENT_PAYLOAD = 40,      /* MySQL: a compressed transaction */
    HB_MY_EVENT_GTID_MARIADB = 162,
    HB_MY_EVENT_QUERY_PACKED = 165, /* MariaDB: compressed, and the rows that follow */
    HB_MY_EVENT_DELETE_PACKED = 168
};

typedef enum { HB_MY_ROWS_NONE, HB_MY_ROWS_WRITE, HB_MY_ROWS_UPDATE, HB_MY_ROWS_DELETE } HbMyRowsKind;

typedef struct {
    guint32 time; /* seconds since 1970 */
    guint8 type;
    guint32 next; /* where the next event is in the file; 0: not said */
    guint16 flags;
    HbMyBytesLeft body; /* without the checksum */
} HbMyEvent;

/* checksum: bytes at its end. FALSE: it is no event */
gboolean hb_my_read_event(const guint8 *bytes, gsize length, gsize checksum, HbMyEvent *event);

/* Of an event that describes the file's format: how many bytes of checksum follow each event */
gsize hb_my_read_checksum_size(const guint8 *bytes, gsize length);

HbMyRowsKind hb_my_get_rows_kind(guint8 type);

/* A table as an event describes it, before its rows come; clear with hb_my_table_map_clear() */
typedef struct {
    guint64 id;
    char *database, *table;
    GArray *types; /* guint8 */
    GArray *metas; /* guint16 */
} HbMyTableMap;

gboolean hb_my_read_table_map(HbMyEvent *event, HbMyTableMap *map);
void hb_my_table_map_clear(HbMyTableMap *map);

/* A statement that was logged as it was written; texts are the event's, not ended by zeros */
typedef struct {
    const char *database, *text;
    gsize database_length, text_length;
} HbMyLoggedQuery;

gboolean hb_my_read_query(HbMyEvent *event, HbMyLoggedQuery *query);

/* The head of an event with rows */
typedef struct {
    guint64 table_id;
    guint columns;
    gboolean is_whole;  /* all columns are in the images */
    HbMyBytesLeft left; /* the images */
} HbMyRows;

gboolean hb_my_read_rows_head(HbMyEvent *event, HbMyRows *rows);

/*
 * One image of a row: for each column of the row set its text as a row of a dump has it, tabs between, without the line
 * end; fields (gsize, two for each column of the set): where it begins in the text, and its length. columns:
 * HbMyLogColumn, as many as the map has or fewer
 */
gboolean hb_my_read_image(HbMyRows *rows, const HbMyTableMap *map, const GArray *columns, guint set_columns,
                          GString *scratch, GString *text, GArray *fields);
