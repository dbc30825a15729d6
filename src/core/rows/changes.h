/* SPDX-License-Identifier: Apache-2.0 */
/*
 * changes - what becomes of one table's rows after a number of changes that followed each other: of each row that was
 * touched, known by its key, the last state, and whether it was there before the first change.
 *
 * A log tells each change as it happened; brought one by one, each would cost a statement. Folded, many changes of one
 * table become three statements: what goes, what changes in part, what comes. Between two commits of the source that is
 * the same, since nobody sees the table in between; and since whatever goes does so before anything comes, rows may
 * swap the values of their unique columns.
 *
 * Rows are lines in the encoding of a dump (row_counter.h). A key is the text of its fields as the row has them, with
 * tabs between. All texts are copied. Cost: one look into a hash table for each change.
 */
#pragma once

#include "core/model/catalog.h"

typedef struct HbChanges HbChanges;

/* A row that was touched; borrowed from its changes, until the next one */
typedef struct {
    const char *key;
    gsize key_length;
    const char *row; /* what it is now, its line end included; NULL: it is gone */
    gsize row_length;
    const guint8 *kept; /* for each field TRUE if it stays what it was, whatever the row says; NULL: none does */
    gboolean was_there; /* before the first change: otherwise it came by them */
} HbChangedRow;

/* set: the table; key: guint, rising, the places of the key in its columns, one at least, copied */
HbChanges *hb_changes_new(const HbRowSet *set, const GArray *key);
void hb_changes_free(HbChanges *changes); /* accepts NULL */

void hb_changes_insert(HbChanges *changes, const char *key, gsize key_length, const char *row, gsize row_length);
void hb_changes_delete(HbChanges *changes, const char *key, gsize key_length);
/*
 * old_key: NULL, the key stays. kept: as above. FALSE: it was not taken, because the row gets another key and keeps
 * values that are not known here: it is to be changed at once, after what is here was brought
 */
gboolean hb_changes_update(HbChanges *changes, const char *old_key, gsize old_key_length, const char *key,
                           gsize key_length, const char *row, gsize row_length, const guint8 *kept);
void hb_changes_empty(HbChanges *changes); /* all rows go, also those that nobody has touched */

const HbRowSet *hb_changes_get_set(const HbChanges *changes);
const GArray *hb_changes_get_key(const HbChanges *changes);
gboolean hb_changes_are_all_gone(const HbChanges *changes); /* all rows go first, those that are listed aside */
const GPtrArray *hb_changes_list(const HbChanges *changes); /* HbChangedRow *, in the order of their first change */
gsize hb_changes_get_bytes(const HbChanges *changes);       /* of memory, about */
