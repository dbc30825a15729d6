/* SPDX-License-Identifier: Apache-2.0 */
/*
 * journal - the table in a target that says which steps of a restore are done, and the steps that are noted with what
 * they do: both or neither.
 */
#pragma once

#include "core/model/catalog.h"
#include "engine/connector.h"

typedef enum {
    HB_CLAIM_OURS,     /* we have its lock, and it is not noted: it is to be done */
    HB_CLAIM_NOTED,    /* we have its lock, and it was done */
    HB_CLAIM_ELSEWHERE /* another session has its lock */
} HbStepClaim;

/* What is noted of rows that are in */
typedef struct {
    const char *key;
    const char *note; /* NULL: none */
} HbJournalEntry;

/* Gives the next bytes of rows, borrowed until the next call; length 0 at the end. FALSE: no row is to be kept */
typedef gboolean (*HbRowSource)(gpointer data, const char **bytes, gsize *length, GError **error);

typedef struct {
    gboolean (*find)(HbSession *session, char **dump_id, GError **error); /* *dump_id NULL: there is none */
    gboolean (*begin)(HbSession *session, const char *dump_id, GError **error);
    GHashTable *(*read)(HbSession *session, GError **error); /* step keys to notes (or ""); the caller's */
    /*
     * Of several hosts that work on one restore: gives up the session's locks on the names of some steps, takes those
     * of others without waiting, and looks which of these are noted, after it has the lock. All in as few round trips
     * as can be. held, keys: char *; states: as many as keys
     */
    gboolean (*take_steps)(HbSession *session, const GPtrArray *held, const GPtrArray *keys, HbStepClaim *states,
                           GError **error);
    /*
     * What broke off in a table without transactions stays there: empties such tables, and forgets their steps. Only
     * for who has the hold, while none of its sessions works. NULL: the engine has no such tables
     */
    gboolean (*empty_broken)(HbSession *session, GError **error);
    gboolean (*forget_steps)(HbSession *session, const char *prefix, GError **error); /* whose keys begin with it */
    gboolean (*settle)(HbSession *session, GError **error); /* all that it notes is on disk from now on */
    gboolean (*end)(HbSession *session, GError **error);    /* also makes sure that all is on disk */

    /*
     * Each does its work and notes the key, both or neither. HB_ERROR_ALREADY_DONE: it is noted by now, for another
     * session has done it: that of a program which was killed while its server still worked, say.
     * HB_ERROR_LEFTOVER: it broke off before, and its part must be taken away first, see empty_broken().
     * HB_ERROR_CONSTRAINT_VIOLATED: it is done and noted, and what the server said of it is to be told
     */
    gboolean (*run_step)(HbSession *session, const char *sql, const char *key, const char *note, GError **error);
    gboolean (*write_rows)(HbSession *session, const HbRowSet *set, HbRowSource source, gpointer data,
                           const HbJournalEntry *entry, GError **error);
} HbJournal;
