/* SPDX-License-Identifier: Apache-2.0 */
/*
 * restore_options - what is wanted of a restore. Whoever fills it keeps what it points to until the restore is freed.
 */
#pragma once

#include "core/compare/conflicts.h"
#include "dump/reader.h"
#include "work/run/observer.h"
#include "work/run/stop.h"
#include "work/source/adapt.h"

typedef struct HbRestoreRun HbRestoreRun;

/*
 * Rows that do not lie in a dump but come from elsewhere, once: load() is called when the structure stands. It fills
 * hb_restore_run_get_rows(), notes each piece in the target's journal under a key of its own, and tells of row sets
 * that could not be loaded by hb_restore_run_fail_rows(). FALSE: the restore cannot go on
 */
typedef struct {
    gboolean (*load)(gpointer data, HbRestoreRun *run, GError **error);
    gpointer data;
} HbRowProvider;

/* The work that a journal's id names, of a target that is brought up to date; see hb_snapshot_source_name_work() */
#define HB_WORK_PASS "pass"

typedef struct {
    const HbManifest *manifest;    /* what is to be restored */
    const HbReader *dump;          /* where its rows are; NULL: only to look ahead */
    const HbRowProvider *provider; /* where they are instead; NULL: in the dump */
    const GPtrArray *pulled_in;    /* char *: of the manifest, what came along when it was chosen; NULL: nothing */
    const HbCatalog *there;        /* what the target has, of all parts that are wanted, arranged; NULL: to be read */
    const char *source;            /* identity of the source's database, if that is a server; NULL: not known */
    char *const *accept;           /* findings to go on with; see hb_findings_accept(); NULL: none */
    const HbEngine *engine;
    HbAddress to; /* a database in it overrides the dump's name */
    guint parts;
    const HbSelection *selection; /* NULL: everything */
    HbExistingWish existing;      /* what becomes of what the target has already */
    HbWishes wishes;
    const char *new_passwords; /* path of a file for them; NULL: roles without a password stay so */
    guint jobs;
    gboolean resume;
    gboolean join;     /* as one of several hosts, which are told so, too; resume is set then */
    gboolean freshens; /* what is there is brought up to date by the provider; an earlier pass may have broken off */
    const char *loose_until; /* of rows that the source's log tells about, too, see HbOrigin; NULL: there are none */
    const GPtrArray *loose;  /* char *: of these tables; NULL: of all */
    gboolean remember;       /* leave in the target where it came from; see work/origin */
    gboolean tentative;      /* what fails will be tried again: it is not told at once */
    gboolean part_of_server; /* one database of a whole server */
    gboolean whole_server;   /* the users and tablespaces of a whole server's dump; keeps the journal open */
    gboolean analyze;
    HbStop *stop;
    HbObservers *observers;
} HbRestoreOptions;
