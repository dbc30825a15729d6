/* SPDX-License-Identifier: Apache-2.0 */
/*
 * row_scan - the hash of each row that streams by, and its key: what tells one row of a table from all others.
 *
 * The hash is that of a digest (core/base/digest.h). The key is the text of the key's fields as the row has them,
 * escapes included, with tabs between them.
 */
#pragma once

#include <glib.h>

/* Longer keys are not kept: most are numbers, times, short codes and UUIDs */
#define HB_ROW_KEY_MAX 41

typedef struct {
    guint64 low, high;
    guint key_length; /* HB_ROW_KEY_NONE: there is no key, or it is too long */
    char key[HB_ROW_KEY_MAX + 1];
} HbRowMark;

#define HB_ROW_KEY_NONE G_MAXUINT

typedef struct {
    const guint *fields; /* numbers (from 0) of those that make the key, rising; borrowed */
    guint count;         /* 0: no key */
    HbRowMark mark;
    guint field; /* of the row that has begun */
    guint next;  /* of the key's fields */
    gpointer state;
    gboolean is_open;
} HbRowScan;

void hb_row_scan_init(HbRowScan *scan, const guint *fields, guint count);
void hb_row_scan_clear(HbRowScan *scan);

/* A row or a piece of one, as a HbRowSink gets it: only its last ends with a line end. TRUE: the row has ended, and
 * scan->mark is its */
gboolean hb_row_scan_add(HbRowScan *scan, const char *piece, gsize length);
