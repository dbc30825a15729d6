/* SPDX-License-Identifier: Apache-2.0 */
/*
 * row_scan - the hash of each row that streams by, and its key: what tells one row of a table from all others.
 *
 * The hash is that of a digest (core/base/digest.h). The key is the text of the key's fields as the row has them,
 * escapes included, with tabs between them.
 */
#pragma once

#include <glib.h>

/* Two UUIDs, or numbers, times and short codes: longer keys are known by a hash only */
#define HB_ROW_KEY_MAX 83

typedef struct {
    guint64 low, high;
    guint key_length; /* or one of the two that follow */
    char key[HB_ROW_KEY_MAX + 1];
} HbRowMark;

#define HB_ROW_KEY_NONE   254 /* the table has no key */
#define HB_ROW_KEY_HASHED 255 /* the key is longer, and these are the eight bytes of its hash */

typedef struct {
    const guint *fields; /* numbers (from 0) of those that make the key, rising; borrowed */
    guint count;         /* 0: no key */
    HbRowMark mark;
    guint field;      /* of the row that has begun */
    guint next;       /* of the key's fields */
    guint64 long_key; /* hash of a key that is too long, so far */
    gpointer state;
    gboolean is_open;
} HbRowScan;

/* How many bytes of a mark's key mean something */
guint hb_row_key_count_bytes(guint key_length);

/* A number that rows with the same key have in common, or, without a key, the same rows: each of its bits is set as
 * often as not */
guint64 hb_row_mark_spread(const HbRowMark *mark);

void hb_row_scan_init(HbRowScan *scan, const guint *fields, guint count);
void hb_row_scan_clear(HbRowScan *scan);

/* A row or a piece of one, as a HbRowSink gets it: only its last ends with a line end. TRUE: the row has ended, and
 * scan->mark is its */
gboolean hb_row_scan_add(HbRowScan *scan, const char *piece, gsize length);
