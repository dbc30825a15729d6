/* SPDX-License-Identifier: Apache-2.0 */
/*
 * bucket - the files of one dump in an object store, under the names that they have in a folder. Thread-safe.
 */
#pragma once

#include <glib.h>

typedef struct HbBucket HbBucket;

/* uri: see dump/object_access.h. Asks nothing yet. HB_ERROR_USAGE, HB_ERROR_FILE */
HbBucket *hb_bucket_open(const char *uri, GError **error);
void hb_bucket_close(HbBucket *bucket); /* accepts NULL */

/* What is there below the dump's name: char * to guint64 * (sizes), the caller's. At most so many are asked for (0:
 * all). HB_ERROR_CONNECT: it cannot be reached, or refuses us; HB_ERROR_FILE: there is no such bucket */
GHashTable *hb_bucket_list(HbBucket *bucket, guint most, GError **error);

/* Writes what is not there yet: the first bytes of a file, and their SHA-256. HB_ERROR_FILE: it is */
gboolean hb_bucket_put(HbBucket *bucket, const char *name, int fd, guint64 bytes, const char *sum, GError **error);

/* A temporary file without a name that holds it, at its beginning; -1 on error. HB_ERROR_DAMAGED: it is missing, or has
 * not these bytes */
int hb_bucket_get(HbBucket *bucket, const char *name, guint64 bytes, GError **error);

/* Small texts: write as put() does; *text NULL: there is none. The caller's */
gboolean hb_bucket_write(HbBucket *bucket, const char *name, const char *text, GError **error);
gboolean hb_bucket_read(HbBucket *bucket, const char *name, char **text, GError **error);

/* One that is not there is no error */
gboolean hb_bucket_remove(HbBucket *bucket, const char *name, GError **error);

/* Removes what a dump that was killed has left: everything below the name. HB_ERROR_FILE: the file `last` is there,
 * which makes it a whole dump. *count: how many files went */
gboolean hb_bucket_sweep(const char *uri, const char *last, guint *count, GError **error);

/* ---- Dumps beside each other ---- */

/* What has a name in the same folder of the bucket: char *, sorted; the caller's. NULL on error */
GPtrArray *hb_bucket_list_beside(const char *uri, GError **error);

/*
 * Removes a whole dump. The file `last`, which makes it one, goes first, and before it the object `mark` beside the
 * dump is written, which goes last: where that is, the rest of an interrupted removal is found. end_removal(): what
 * such a mark was left for
 */
gboolean hb_bucket_remove_dump(const char *uri, const char *mark, const char *last, GError **error);
gboolean hb_bucket_end_removal(const char *uri, const char *mark, const char *last, GError **error);
