/* SPDX-License-Identifier: Apache-2.0 */
/*
 * whole_server - the use cases for all databases of a server: their dumps inside one dump, with users and tablespaces.
 *
 * Each database is one moment in time; the server has no snapshot over several of them. One pool of sessions serves all
 * databases (see work/run/database_pool.h).
 */
#pragma once

#include "work/dump/dump.h"
#include "work/restore/restore.h"
#include "work/verify/verify.h"

/* What happened to one database, told as soon as it did */
typedef struct {
    void (*dumped)(gpointer data, const HbManifest *manifest, const char *path, double seconds);
    void (*inspected)(gpointer data, const HbRestore *restore); /* before anything is written to any database */
    gboolean (*agree)(gpointer data, GError **error);           /* after that: may it be written? */
    void (*about_to_restore)(gpointer data, const HbRestore *restore, const HbReader *dump);
    void (*restored)(gpointer data, const HbRestore *restore, const HbRestoreResult *result);
    gpointer data;
} HbServerCallbacks;

/* For the files of this folder: takes out of a catalog what belongs to no database and is to be skipped */
gboolean hb_whole_server_select(const HbSelection *selection, const HbEngine *engine, HbCatalog *catalog,
                                GError **error);

/* The databases of a server that are worth carrying: HbDatabase, the caller's */
GArray *hb_whole_server_list(const HbSide *side, GError **error);

/*
 * Reads what belongs to no database into a manifest, and lists the databases that are taken: HbDatabase, the caller's,
 * also on failure. The manifest is one that holds members
 */
gboolean hb_whole_server_read(const HbSnapshotSourceOptions *options, HbManifest *manifest, GArray **databases,
                              GError **error);

/* Compares what belongs to no database; the sides' databases are passed over */
gboolean hb_whole_server_compare(const HbVerifyOptions *options, HbVerification *result, GError **error);

/* The manifest of the finished dump, with its members; NULL on error, and then there is no dump. The caller's */
HbManifest *hb_whole_server_dump(const HbDumpOptions *options, const HbServerCallbacks *callbacks, GError **error);

/* Looks at all targets of the dump; what is found is told. Fails if one of them cannot be looked at */
gboolean hb_whole_server_preview(const HbRestoreOptions *options, const HbServerCallbacks *callbacks, GError **error);

/*
 * Users and tablespaces first, then database by database. All targets are looked at before anything is written. What
 * fails in one database is in its result; FALSE if the work could not go on at all.
 */
gboolean hb_whole_server_restore(const HbRestoreOptions *options, const HbServerCallbacks *callbacks, GError **error);
