/* SPDX-License-Identifier: Apache-2.0 */
/*
 * log_reader_inner - a log that is read: log_reader.c has the stream, log_reader_events.c makes changes of its events;
 * no other file includes it.
 */
#pragma once

#include "engine/mariadb/log/binlog.h"
#include "engine/mariadb/log/log_reader.h"
#include "engine/mariadb/log/table_layouts.h"

#define WAY_OUT "bring the copy up to date by comparing: freshen --by rows"

struct HbLogReader {
    HbSession *session; /* NULL in tests */
    char *database;
    GHashTable *layouts; /* names to HbMyLayout * */
    GHashTable *maps;    /* numbers of tables to HbMyMapped * */
    gsize checksum;      /* bytes at the end of each event */
    char *file;
    guint64 byte;
    GString *position, *what;
    gboolean has_pending; /* a definition is being told, of these tables: HbRowSet *, borrowed */
    GPtrArray *pending;
    gboolean owes_commit; /* a statement that is a transaction by itself was told */
    guint32 time;         /* when */

    /* The event with rows that is being told */
    HbMyRows rows;
    HbMyRowsKind rows_kind;
    const HbMyLayout *layout; /* NULL: none is */
    const HbMyTableMap *map;
    GString *scratch, *before, *after, *key, *old_key;
    GArray *before_fields, *after_fields;
    gboolean in_transaction;
};

typedef struct {
    HbMyTableMap map;
    const HbMyLayout *layout; /* NULL: it is of no interest */
    gboolean fits;
} HbMyMapped;

void hb_my_log_free_mapped(gpointer data);
gboolean hb_my_log_set_damaged(GError **error);
gboolean hb_my_log_tell_row(HbLogReader *reader, gboolean *has_event, HbLogEvent *event, GError **error);
void hb_my_log_tell_commit(HbLogReader *reader, guint32 time, gboolean *has_event, HbLogEvent *told);
void hb_my_log_tell_pending(HbLogReader *reader, HbLogEvent *event);
