/* SPDX-License-Identifier: Apache-2.0 */
/*
 * store - the files of a dump that is there, wherever they lie: in a folder, as members of a tar, or in an object
 * store.
 *
 * After opening, any number of threads may read.
 */
#pragma once

#include "dump/file.h"

typedef struct HbStore HbStore;

/* Folder, tar, or in an object store (s3://); HB_ERROR_FILE if it is not there or cannot be read, HB_ERROR_DAMAGED if
 * it is none of them, HB_ERROR_CONNECT */
HbStore *hb_store_open(const char *path, GError **error);
/* The files below a folder of it; the outer one may be closed before */
HbStore *hb_store_open_below(const HbStore *outer, const char *folder, GError **error);
void hb_store_close(HbStore *store); /* accepts NULL */

/* All names, sorted: char *; the caller's */
GPtrArray *hb_store_list(const HbStore *store, GError **error);

/* FALSE if there is no such file */
gboolean hb_store_find_size(const HbStore *store, const char *name, guint64 *bytes);

/* The whole file, ended by a zero byte; HB_ERROR_DAMAGED if it is missing or larger than limit */
gboolean hb_store_read(const HbStore *store, const char *name, guint64 limit, char **bytes, gsize *length,
                       GError **error);

/* A file that is open: a descriptor, and the part of it that is meant. Of an object store it has come as a whole, and
 * can be read more than once */
typedef struct {
    int fd;
    guint64 offset, bytes;
} HbStoreFile;

gboolean hb_store_open_file(const HbStore *store, const char *name, HbStoreFile *file, GError **error);
void hb_store_close_file(HbStoreFile *file);

/* As hb_store_read(), of an open one */
gboolean hb_store_read_file(const HbStoreFile *file, const char *name, guint64 limit, char **bytes, gsize *length,
                            GError **error);
