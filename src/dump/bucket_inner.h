/* SPDX-License-Identifier: Apache-2.0 */
/*
 * bucket_inner - what the files of the bucket share:
 *
 *     bucket         single files
 *     bucket_list    what is there
 *     bucket_parts   large files, which are written in parts
 *     bucket_beside  whole dumps beside each other
 */
#pragma once

#include "dump/bucket.h"
#include "dump/http.h"

struct HbBucket {
    HbObjectAccess *access;
    HbHttp *http;
    gint is_unconditional; /* atomic: the store does not know conditions */
    gint is_tried;         /* atomic: it was seen to keep to them, or not to know them */
};

/* "/bucket/path/name"; the caller's */
char *hb_bucket_make_path(const HbBucket *bucket, const char *name);

/* A temporary file without a name that holds the text; -1 on error */
int hb_bucket_open_text(const char *text, GError **error);

/* What an answer that is no success comes to; returns FALSE */
gboolean hb_bucket_set_refusal(const HbBucket *bucket, const char *doing, const HbHttpAnswer *answer, GError **error);

/* What begins with the prefix: the rest of the names to sizes (guint64 *); beside: only what is in that folder, folders
 * included. As hb_bucket_list() otherwise */
GHashTable *hb_bucket_list_prefix(HbBucket *bucket, const char *prefix, gboolean beside, guint most, GError **error);

/*
 * Writes a file in parts, each of which is sent again by itself if it fails; nothing of it is seen before all are
 * there. only_if_new: the condition goes with the last request. *status: of the answer to that: 200; 412: the file is
 * there; 404: it may be, for an answer was lost; 501: the store does not know the condition
 */
#define HB_BUCKET_PART_BYTES ((guint64)32 * 1024 * 1024)

typedef struct {
    const char *name, *path; /* hb_bucket_make_path() */
    int fd;
    guint64 bytes;
} HbBucketFile;

gboolean hb_bucket_put_parts(HbBucket *bucket, const HbBucketFile *file, gboolean only_if_new, guint *status,
                             GError **error);

/* Gives up what was begun so, of all files whose path begins with the dump's, and was never ended */
gboolean hb_bucket_end_parts(HbBucket *bucket, GError **error);
