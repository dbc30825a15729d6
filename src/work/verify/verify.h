/* SPDX-License-Identifier: Apache-2.0 */
/*
 * verify - the use case: is a dump whole; does a server hold what another server, or a dump, holds?
 */
#pragma once

#include "core/compare/compare.h"
#include "dump/reader.h"
#include "work/run/observer.h"
#include "work/run/stop.h"
#include "work/run/throttle.h"
#include "work/source/adapt.h"
#include "work/verify/side.h"

/* ---- A dump's own files ---- */

typedef struct {
    char *file;
    char *problem;
} HbFlaw;

typedef struct {
    guint files;
    guint64 bytes;    /* of all files */
    guint64 rows;     /* read and counted */
    GPtrArray *flaws; /* HbFlaw *, by file */
} HbFileCheck;

void hb_file_check_clear(HbFileCheck *check);

/* Reads every byte. Fails only if the dump cannot be read at all, or when stopped; flaws are a result */
gboolean hb_verify_files(const HbReader *dump, guint jobs, HbStop *stop, HbObservers *observers, HbFileCheck *check,
                         GError **error);

/* ---- A server against a server or a dump ---- */

typedef struct {
    HbSide from;
    HbSide to; /* a server */
    guint parts;
    const HbSelection *selection; /* NULL: everything */
    HbWishes wishes;
    guint jobs; /* on each side */
    guint lock_wait_ms;
    HbThrottle *throttle_from; /* how fast each side is read; NULL: as fast as can be */
    HbThrottle *throttle_to;
    GHashTable *rows_from; /* tables, as FROM calls them, whose rows are read; NULL: all */
    GHashTable *rows_to;   /* the same, as TO does */
    guint rows_max;        /* so many rows of a table that differ are looked at */
    gboolean show_values;  /* and keep their values */
    char *const *probes;   /* questions for both sides, ended by NULL; NULL: none */
    HbStop *stop;
    HbObservers *observers;
} HbVerifyOptions;

typedef struct {
    char *unfinished; /* TO's journal is that of this work (a dump's id); NULL: nothing broke off there */
    guint steps_done; /* of that work */
    char *database;   /* TO's; NULL: what belongs to none */
    guint objects;    /* compared */
    guint tables;
    guint64 rows;           /* of FROM */
    guint64 bytes;          /* read */
    GPtrArray *differences; /* HbDifference * */
    GPtrArray *only_in_to;  /* char *: identities of memberships and settings that only TO has: no difference */
    GPtrArray *ignored;     /* char *: identities of differences of renamed users: these may be other users in TO */
    GPtrArray *translated;  /* char *: what the other product cannot have, or only otherwise: it is no difference */
    GPtrArray *probes;      /* HbAnswer * (see work/probe.h); those of one database only */
    GPtrArray *unread;      /* char *: kinds that one side could not read, and so are not compared */
} HbVerification;

gboolean hb_verification_is_equal(const HbVerification *verification); /* no difference, and no other answer */
void hb_verification_init(HbVerification *verification);
void hb_verification_clear(HbVerification *verification);

/* Compares the definitions of two arranged catalogs, each written for servers of a version; rewrites them */
void hb_verify_catalogs(HbCatalog *from, guint from_version, HbCatalog *to, guint to_version, const HbDialect *dialect,
                        guint parts, HbVerification *result);

gboolean hb_verify_run(const HbVerifyOptions *options, HbVerification *result, GError **error);
