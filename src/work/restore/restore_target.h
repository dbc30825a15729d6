/* SPDX-License-Identifier: Apache-2.0 */
/*
 * restore_target - what is there: the server and the database that are restored into, as they were found before
 * anything is written. Facts only; what becomes of them is the decision's (see restore_decision.h).
 *
 * Life: hb_restore_target_inspect() fills it; from then on it is only read, by any number of threads. A new database is
 * looked at again by nobody: its name is known, and that it does not exist.
 */
#pragma once

#include "work/restore/restore_options.h"

typedef struct {
    HbAddress address; /* options.to with the database filled in */
    char *database;    /* NULL until it is known, for a whole server */
    HbServerInfo info;
    gboolean exists; /* the database does */

    /* Of a database that exists, unless another run is restoring into it now: then only that is known */
    char *other_run;     /* who that is; NULL: nobody. One that is to be resumed is not looked for */
    char *unfinished;    /* the id of the dump that an unfinished restore into it came from; NULL: there is none */
    GHashTable *journal; /* the steps that it has done: key to note; NULL: there is none */
    char *example;       /* something that it holds, for people: "table plot"; NULL: it is empty */
    GError *untrusted;   /* what is called like the journal, and may be a trap; NULL: nothing is */
} HbRestoreTarget;

/* Looks; writes nothing. On failure, too, it is to be cleared */
gboolean hb_restore_target_inspect(HbRestoreTarget *target, const HbRestoreOptions *options, GError **error);
void hb_restore_target_clear(HbRestoreTarget *target);

/* Is it the source itself, under this or another address? */
gboolean hb_restore_target_is_source(const HbRestoreTarget *target, const HbRestoreOptions *options, gboolean *is,
                                     GError **error);
