/* SPDX-License-Identifier: Apache-2.0 */
/*
 * manifest - what a dump says of itself: manifest.json. Its fields are described in docs/dump-format.md.
 *
 * Life: a writer fills it and writes it; a reader reads it, fills in the definitions from the SQL files, and from then
 * on only reads. Who restores it otherwise than it was written changes a copy. Everything in it is owned by it.
 */
#pragma once

#include "core/base/result_table.h"
#include "core/model/catalog.h"
#include "core/select/selection.h"
#include "dump/chunk.h"

#define HB_MANIFEST_FILE    "manifest.json"
#define HB_MEMBERS_FOLDER   "databases"
#define HB_MANIFEST_VERSION 2

/* Where an object's SQL stands */
typedef struct {
    guint64 at;          /* byte offset in the stage's file */
    guint64 bytes;       /* of the definition; 0: none */
    guint64 owner_bytes; /* of the statement that gives the owner, which stands `bytes` + 1 behind `at`; 0: none */
} HbSegment;

typedef struct HbStoredRows HbStoredRows;
struct HbStoredRows {
    const HbRowSet *set;          /* in the catalog */
    HbDigest digest;              /* of all its rows, count included */
    guint64 bytes;                /* of text */
    GPtrArray *chunks;            /* HbChunk *, in reading order */
    char *folder;                 /* below rows/, in which its chunks lie; NULL: not known */
    const HbStoredRows *original; /* those that they were copied from, which may be called otherwise; NULL: no copy */
};

/* A database's own dump inside that of a whole server */
typedef struct {
    char *name;    /* of the database */
    char *folder;  /* within the dump: "databases/garden" */
    guint64 bytes; /* of its rows, as text */
} HbMember;

typedef struct {
    char *id;   /* a UUID */
    char *seal; /* SHA-256 of the text that it was read from: known only with the dump at hand; NULL: it was not read */
    char *created; /* ISO 8601, UTC */
    char *tool;    /* version of the program */
    char *engine;
    char *product;
    char *server_version;
    guint version_number;
    guint written_for;     /* the version that the definitions are for */
    char *source_id;       /* the same for two addresses of the source's database; NULL: not known */
    char *address;         /* of the source, for people */
    char *database;        /* plain */
    char *database_quoted; /* as its SQL has it */
    char *snapshot_time;
    char *snapshot_position; /* may be NULL */
    char *kept_log; /* the name under which the source keeps its log from that position on; NULL: it does not */
    guint parts;
    gboolean rows_follow;   /* this one begins a stream: another follows the rows */
    HbSelection *selection; /* what was taken and skipped; NULL: everything was taken */
    HbCatalog *catalog;     /* arranged */
    GArray *segments;       /* HbSegment, by place in the catalog */
    GPtrArray *rows;        /* HbStoredRows *, one for each row set of the catalog; in a manifest that was read or
                             * filled, with the same index */
    GPtrArray *survey;      /* HbResultTable * */
    GPtrArray *members;     /* HbMember *; NULL: this is the dump of one database */
} HbManifest;

HbManifest *hb_manifest_new(void);
HbManifest *hb_manifest_copy(const HbManifest *manifest); /* must be outlived by its original */
void hb_manifest_free(HbManifest *manifest);
G_DEFINE_AUTOPTR_CLEANUP_FUNC(HbManifest, hb_manifest_free)

/* Adds a row set's place for chunks; set is one of the manifest's catalog */
HbStoredRows *hb_manifest_add_rows(HbManifest *manifest, const HbRowSet *set);

/* HbStoredRows * by the identity of their row set; all borrowed but the table */
GHashTable *hb_manifest_index_rows(const HbManifest *manifest);

/* Frees the rows of row sets that are no longer in the catalog */
void hb_manifest_drop_rows(HbManifest *manifest);

/* Makes it that of a whole server; adds a database to that, and takes both texts */
void hb_manifest_hold_members(HbManifest *manifest);
void hb_manifest_add_member(HbManifest *manifest, char *name, char *folder, guint64 bytes);

/* Sums over all row sets */
guint64 hb_manifest_count_rows(const HbManifest *manifest);
guint64 hb_manifest_count_bytes(const HbManifest *manifest);
guint64 hb_manifest_count_stored(const HbManifest *manifest);
guint hb_manifest_count_chunks(const HbManifest *manifest);

/* The JSON text; the caller's */
char *hb_manifest_write(const HbManifest *manifest);

/* The same without all that is in the dump: no objects, rows, omissions, properties of the database, nor a survey */
char *hb_manifest_write_label(const HbManifest *manifest);

/* Checks everything that can be checked without the other files. HB_ERROR_DAMAGED, naming the field */
HbManifest *hb_manifest_read(const char *text, gsize length, GError **error);
