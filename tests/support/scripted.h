/* SPDX-License-Identifier: Apache-2.0 */
/*
 * scripted - an engine in memory that does as it is told, and fails when it is told.
 *
 * There is one source (a catalog from lines, rows by table) and one target (what was run, loaded and noted there). URIs
 * are scripted://source/NAME and scripted://target/NAME. Thread-safe, as an engine must be.
 */
#pragma once

#include "engine/engine.h"

extern const HbEngine scripted_engine;

typedef enum {
    SCRIPTED_OPEN,
    SCRIPTED_SERVE, /* each session that is marked as one of a restore's */
    SCRIPTED_CATALOG,
    SCRIPTED_READ,   /* each row that is read */
    SCRIPTED_WRITE,  /* each block that is written */
    SCRIPTED_STEP,   /* each statement, before it has an effect */
    SCRIPTED_COMMIT, /* each statement, after it has taken effect: the answer gets lost */
    SCRIPTED_POINTS
} ScriptedPoint;

/* Forgets everything. lines: see check_read_catalog(); each "rows T" gets that many rows unless set otherwise */
void scripted_reset(const char *lines, guint rows_each);

/* The at-th time (from 1) that the point is passed, and `times` times from there, it fails with the code */
void scripted_fail(ScriptedPoint point, guint at, guint times, HbErrorCode code);

/* The first failure at a step also undoes so many steps before it, as a server does that crashes */
void scripted_forget(guint steps);

/* A statement that always fails with the code; NULL: none */
void scripted_fail_statement(const char *part, HbErrorCode code);

/* What the target holds: SQL in the order of running, joined by newlines; the caller's */
char *scripted_get_run(void);
guint scripted_count_loaded(const char *table); /* rows */
gboolean scripted_has_journal(void);
guint scripted_count_sessions(void); /* open ones */

/* A user of this name is on the target already */
void scripted_set_role(const char *name);

/* The target's database exists, and holds this (NULL: nothing) */
void scripted_set_target(gboolean exists, const char *content);

/* Who has the hold on the target, look after look (id 0: nobody), and for how long he is silent, in s; -1: unknown */
typedef struct {
    guint64 id;
    gint64 silent_s;
} ScriptedHolder;

/* Borrowed */
void scripted_set_holders(const ScriptedHolder *holders, guint count);
