/* SPDX-License-Identifier: Apache-2.0 */
/*
 * clearing - what a restore does with what the target has already, decided once and kept in the target's journal.
 *
 *     decide -> (the user agrees) -> note in the journal -> drop, empty, take off -> ... restore ... -> put back
 *
 * A restore that goes on reads the decision instead of making another one: what it finds by then is partly its own.
 */
#pragma once

#include "core/existing.h"
#include "engine/engine.h"

/* Something on the target that is dropped or emptied, or taken off and put back */
typedef struct {
    char *identity;   /* of the object or, if a table is emptied, of its rows */
    char *sql;        /* that does it; NULL: it goes with another */
    char *definition; /* of what is put back; otherwise NULL */
    GPtrArray *needs; /* char *: identities of others that are put back before it */
    guint turn;       /* of the transactions that do it, one after the other; 0: the first, and usually the only one */
} HbClearItem;

typedef struct {
    GPtrArray *kept;    /* char *: identities of what does not arrive, because it is there */
    GPtrArray *dropped; /* HbClearItem *, in the order of dropping */
    GPtrArray *emptied; /* HbClearItem * */
    GPtrArray *aside;   /* HbClearItem *, in the order of putting back */
    GPtrArray *rows;    /* char *: identities of the rows that go with what is dropped */
    guint objects;      /* dropped, parts of others not counted; only known when it is new */
} HbClearing;

/* Judges the meeting; findings get what speaks against it */
HbClearing *hb_clearing_new(const HbMeeting *meeting, const HbEngine *engine, GPtrArray *findings);
void hb_clearing_free(HbClearing *clearing); /* accepts NULL */
G_DEFINE_AUTOPTR_CLEANUP_FUNC(HbClearing, hb_clearing_free)

/*
 * Takes over what an earlier run took off and did not put back, as its journal's note and keys tell, and what neither
 * is there nor arrives. Each becomes a finding, and a blocker where others may have written the note (not guarded)
 */
gboolean hb_clearing_inherit(HbClearing *clearing, GHashTable *journal, const char *note, gboolean guarded,
                             const HbMeeting *meeting, GPtrArray *findings, GError **error);

/*
 * So many locks are all that a transaction can take: cuts the work into turns that need no more each. Returns how many
 * turns that makes; there: as the meeting has it
 */
guint hb_clearing_take_turns(HbClearing *clearing, const HbCatalog *there, guint64 locks);

/*
 * As text, for the journal, which others may be able to write to: the text begins with its HMAC (SHA-256), whose key is
 * something that only those know who have the dump (NULL: there is none). Reading fails with HB_ERROR_DAMAGED, and with
 * HB_ERROR_BLOCKED if the text was not written with this key
 */
char *hb_clearing_write(const HbClearing *clearing, const char *key);
HbClearing *hb_clearing_read(const char *text, const char *key, GError **error);

/* Takes out of an arranged catalog what is kept, and adds what is put back */
gboolean hb_clearing_apply(const HbClearing *clearing, HbCatalog *catalog, GError **error);

/* Does it take anything away for more than a while? */
gboolean hb_clearing_is_destructive(const HbClearing *clearing);

/* The statements, in their order: HbClearItem *, borrowed; the array is the caller's */
GPtrArray *hb_clearing_list(const HbClearing *clearing);
