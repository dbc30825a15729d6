/* SPDX-License-Identifier: Apache-2.0 */
/*
 * conflicts - decides what becomes of the objects that a target has already, when others arrive: which stay, which are
 * dropped and come anew, which tables are emptied, and what is suspended while rows are loaded.
 *
 *                          does the object exist on the target?
 *     no                   it is created; its rows are loaded
 *     keep                 it stays; rows are loaded into a table only if the table is empty
 *     replace              it is dropped with everything that needs it. Whatever of that does not arrive would be lost:
 *                          a blocker for each object, a warning for each part of a dropped one (an index, a grant)
 *     replace, rows only   its table is emptied; foreign keys, triggers and checks that ask other tables are suspended:
 *                          taken off before the rows, and put back as the target had them
 *
 * What always holds: users, and what holds other objects (schemas, extensions, languages), are never dropped; nothing
 * is dropped that is not in the decision; an object that was not selected by name stays where it exists.
 *
 * Cost: O(objects + needs) of both catalogs.
 */
#pragma once

#include "core/base/findings.h"
#include "core/sql/dialect.h"

typedef enum { HB_EXISTING_STOP, HB_EXISTING_KEEP, HB_EXISTING_REPLACE } HbExistingWish;

/* All borrowed */
typedef struct {
    const HbDialect *dialect;
    const HbCatalog *wanted; /* what is to arrive: arranged, and fitted to the target */
    const HbCatalog *there;  /* what the target has: arranged */
    GHashTable *holding;     /* identities of the target's row sets that hold rows */
    GHashTable *empty;       /* identities of wanted row sets that are known to bring no rows; NULL: none are */
    GHashTable *pulled_in;   /* identities of what was not selected by name: it stays if it exists; NULL: none */
    GHashTable *definitions; /* rows only: tables' identities to the definitions that they have in the dump */
    HbExistingWish wish;     /* stop: with rows only */
    gboolean rows_only;      /* wanted holds no structure */
} HbConflictInput;

/* Elements are borrowed from the catalogs of the input */
typedef struct {
    GHashTable *kept;     /* identities of wanted objects that stay as the target has them */
    GPtrArray *dropped;   /* const HbObject *: in the order of dropping; the others go with these */
    GPtrArray *emptied;   /* const HbRowSet *, of the target */
    GPtrArray *suspended; /* const HbObject *: foreign keys, triggers, checks that ask other tables; to be put back in
                         this order, what hangs on them after them */
    GHashTable *gone;     /* identities of all that is dropped, parts and rows among them */
} HbConflictDecision;

/* The outcome and, in findings, what speaks against it or should be known. Clear it with hb_conflict_decision_clear()
 */
void hb_conflicts_decide(const HbConflictInput *input, HbConflictDecision *outcome, GPtrArray *findings);
void hb_conflict_decision_clear(HbConflictDecision *outcome);
