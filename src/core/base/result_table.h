/* SPDX-License-Identifier: Apache-2.0 */
/*
 * result_table - a small table of results: typed columns with titles, rows of texts. What a survey, a listing or a
 * summary consists of; report/ turns it into aligned text or JSON.
 *
 * Life: new, add columns, add rows; read by anyone; free. Owns its strings.
 */
#pragma once

#include <glib.h>

typedef enum {
    HB_COLUMN_TEXT,
    HB_COLUMN_COUNT, /* a whole number */
    HB_COLUMN_BYTES  /* a whole number of bytes */
} HbColumnType;

typedef struct {
    char *key;   /* for JSON */
    char *title; /* for people */
    HbColumnType type;
} HbColumn;

typedef struct {
    char *key;          /* for JSON */
    char *title;        /* for people */
    GPtrArray *columns; /* HbColumn * */
    GPtrArray *rows;    /* char **: a cell for each column, NULL for an empty one */
} HbResultTable;

HbResultTable *hb_result_table_new(const char *key, const char *title);
void hb_result_table_free(HbResultTable *table);
G_DEFINE_AUTOPTR_CLEANUP_FUNC(HbResultTable, hb_result_table_free)

/* A sheet's key, titles and columns as data */
#define HB_RESULT_TABLE_COLUMNS_MAX 8
typedef struct {
    const char *key;
    const char *title;
    struct {
        const char *key;
        const char *title;
        HbColumnType type;
    } columns[HB_RESULT_TABLE_COLUMNS_MAX]; /* ended by one without a key */
} HbResultTableForm;

HbResultTable *hb_result_table_new_from(const HbResultTableForm *form);

void hb_result_table_add_column(HbResultTable *table, const char *key, const char *title, HbColumnType type);

/* A new row of empty cells; set them in any order. Texts are copied */
guint hb_result_table_add_row(HbResultTable *table);
void hb_result_table_set(HbResultTable *table, guint row, guint column, const char *text);
void hb_result_table_set_count(HbResultTable *table, guint row, guint column, guint64 number);
void hb_result_table_sort(HbResultTable *table,
                          guint column); /* rising by the column's text; its cells must not be empty */
const char *hb_result_table_get(const HbResultTable *table, guint row, guint column); /* NULL: an empty cell */
