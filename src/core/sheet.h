/* SPDX-License-Identifier: Apache-2.0 */
/*
 * sheet - a small table of results: typed columns with titles, rows of texts. What a survey, a listing or a summary
 * consists of; report/ turns it into aligned text or JSON.
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
} HbSheet;

HbSheet *hb_sheet_new(const char *key, const char *title);
void hb_sheet_free(HbSheet *sheet);
G_DEFINE_AUTOPTR_CLEANUP_FUNC(HbSheet, hb_sheet_free)

/* A sheet's key, titles and columns as data */
#define HB_SHEET_COLUMNS_MAX 8
typedef struct {
    const char *key;
    const char *title;
    struct {
        const char *key;
        const char *title;
        HbColumnType type;
    } columns[HB_SHEET_COLUMNS_MAX]; /* ended by one without a key */
} HbSheetForm;

HbSheet *hb_sheet_new_from(const HbSheetForm *form);

void hb_sheet_add_column(HbSheet *sheet, const char *key, const char *title, HbColumnType type);

/* A new row of empty cells; set them in any order. Texts are copied */
guint hb_sheet_add_row(HbSheet *sheet);
void hb_sheet_set(HbSheet *sheet, guint row, guint column, const char *text);
void hb_sheet_set_count(HbSheet *sheet, guint row, guint column, guint64 number);
void hb_sheet_sort(HbSheet *sheet, guint column); /* rising by the column's text; its cells must not be empty */
const char *hb_sheet_get(const HbSheet *sheet, guint row, guint column); /* NULL: an empty cell */
