/* SPDX-License-Identifier: Apache-2.0 */
/*
 * folder_inner - a dump in the making: folder.c makes its files, folder_commit.c ends it, folder_read.c reads what is
 * there; no other file includes it.
 */
#pragma once

#include "dump/bucket.h"
#include "dump/folder.h"
#include "dump/tar.h"

struct HbFolder {
    HbTarWriter *tar;    /* NULL: a folder */
    char *below;         /* what its members' names begin with, as it is part of another's tar; NULL: it is its own */
    int fd;              /* of the tar */
    char *path;          /* the final one */
    char *temporary;     /* where it is now; NULL: standard output */
    GThreadPool *syncer; /* takes names of large files while others are still written */
    GMutex lock;         /* guards the rest */
    GHashTable *sums;    /* name to HbFileSum *, owned */
    GHashTable *synced;  /* names of files that are safe on disk, owned */
    GError *error;       /* of the syncer: the kernel tells each failure only once */
    HbBucket *bucket;    /* into which each file goes as soon as it is closed; NULL: it stays here */
    char *prefix;        /* of its names there: "", or "databases/garden/" */
    HbFolder *outer;     /* of a dump within another one there; NULL: it is its own */
    const HbRecipients *recipients; /* for whom files are sealed; NULL: they are not */
    GPtrArray *given;               /* char *: names there of dumps within this one that are whole */
};

/* A dump in the making beside its final name; the last part tells it from others of that name */
#define HB_UNFINISHED_NAME ".%s.unfinished-%s"

/* One that is there already; takes bucket and prefix, whose files go there from a temporary folder */
HbFolder *hb_folder_new_inside(const char *path, const char *temporary);
HbFolder *hb_folder_new_remote(const char *path, HbBucket *bucket, HbFolder *outer, char *prefix, GError **error);

void hb_folder_remove_tree(const char *path);
gboolean hb_folder_rename_to_free(const char *from, const char *to); /* FALSE with errno; EEXIST: it is taken */
gboolean hb_folder_sync_path(const char *path, const char *name, int flags, GError **error);
void hb_folder_wait_for_syncer(HbFolder *folder);
void hb_folder_free(HbFolder *folder);
GHashTable *hb_folder_new_sums(void); /* HbFileSum * by name */
