/* SPDX-License-Identifier: Apache-2.0 */
/*
 * target_cleanup - what a restore does with what the target has already, decided once and kept in the target's journal.
 *
 *     decide -> (the user agrees) -> note in the journal -> drop, empty, take off -> ... restore ... -> put back
 *
 * A restore that goes on reads the decision instead of making another one: what it finds by then is partly its own.
 */
#pragma once

#include "core/compare/conflicts.h"
#include "engine/engine.h"

/* Something on the target that is dropped or emptied, or taken off and put back */
typedef struct {
    char *identity;   /* of the object or, if a table is emptied, of its rows */
    char *sql;        /* that does it; NULL: it goes with another */
    char *definition; /* of what is put back; otherwise NULL */
    GPtrArray *needs; /* char *: identities of others that are put back before it */
    guint turn;       /* of the transactions that do it, one after the other; 0: the first, and usually the only one */
} HbCleanupItem;

typedef struct {
    GPtrArray *kept;      /* char *: identities of what does not arrive, because it is there */
    GPtrArray *dropped;   /* HbCleanupItem *, in the order of dropping */
    GPtrArray *emptied;   /* HbCleanupItem * */
    GPtrArray *suspended; /* HbCleanupItem *, in the order of putting back */
    GPtrArray *rows;      /* char *: identities of the rows that go with what is dropped */
    guint objects;        /* dropped, parts of others not counted; only known when it is new */
} HbTargetCleanup;

/* Decides about the conflicts of the input; findings get what speaks against the decision */
HbTargetCleanup *hb_target_cleanup_new(const HbConflictInput *input, const HbEngine *engine, GPtrArray *findings);
void hb_target_cleanup_free(HbTargetCleanup *cleanup); /* accepts NULL */
G_DEFINE_AUTOPTR_CLEANUP_FUNC(HbTargetCleanup, hb_target_cleanup_free)

/*
 * Takes over what an earlier run took off and did not put back, as its journal's note and keys tell, and what neither
 * is there nor arrives. Each becomes a finding, and a blocker where others may have written the note (not guarded)
 */
gboolean hb_target_cleanup_inherit(HbTargetCleanup *cleanup, GHashTable *journal, const char *note, gboolean guarded,
                                   const HbConflictInput *input, GPtrArray *findings, GError **error);

/*
 * So many locks are all that a transaction can take: cuts the work into turns that need no more each. Returns how many
 * turns that makes; there: as in the input
 */
guint hb_target_cleanup_take_turns(HbTargetCleanup *cleanup, const HbLockCosts *costs, const HbCatalog *there,
                                   guint64 locks);

/*
 * As text, for the journal, which others may be able to write to: the text begins with its HMAC (SHA-256), whose key is
 * a secret of the dump (NULL: there is none). Reading fails with HB_ERROR_DAMAGED, and with
 * HB_ERROR_BLOCKED if the text was not written with this key
 */
char *hb_target_cleanup_write(const HbTargetCleanup *cleanup, const char *key);
HbTargetCleanup *hb_target_cleanup_read(const char *text, const char *key, GError **error);

/* Takes out of an arranged catalog what is kept, and adds what is put back */
gboolean hb_target_cleanup_apply(const HbTargetCleanup *cleanup, HbCatalog *catalog, GError **error);

/* Does it take anything away for more than a while? */
gboolean hb_target_cleanup_is_destructive(const HbTargetCleanup *cleanup);

/* The statements, in their order: HbCleanupItem *, borrowed; the array is the caller's */
GPtrArray *hb_target_cleanup_list(const HbTargetCleanup *cleanup);
