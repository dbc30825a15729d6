/* SPDX-License-Identifier: Apache-2.0 */
/*
 * file - one file of a dump while it is written: counted and summed (SHA-256) as the bytes pass.
 *
 * Life: create, write, close or discard. One thread at a time.
 */
#pragma once

#include <glib.h>

typedef struct HbFile HbFile;

#define HB_SUM_TEXT_LENGTH 64 /* a SHA-256 in hexadecimal */

typedef struct {
    char *name; /* within the dump, with '/' */
    char sum[HB_SUM_TEXT_LENGTH + 1];
    guint64 bytes;
} HbFileSum;

HbFileSum *hb_file_sum_copy(const HbFileSum *sum);
void hb_file_sum_free(HbFileSum *sum);
G_DEFINE_AUTOPTR_CLEANUP_FUNC(HbFileSum, hb_file_sum_free)

/* path: where it really is; name: within the dump. It must not exist yet. HB_ERROR_FILE */
HbFile *hb_file_create(const char *path, const char *name, GError **error);
HbFile *hb_file_create_in_memory(const char *name);
gboolean hb_file_write(HbFile *file, const void *bytes, gsize length, GError **error);

const char *hb_file_get_name(const HbFile *file);

/* What was written to a file in memory; borrowed, NULL of any other */
const void *hb_file_get_bytes(const HbFile *file, gsize *length);

/* Both free the file. close() hands out its sum; the bytes are not yet safe on disk */
HbFileSum *hb_file_close(HbFile *file, GError **error);
void hb_file_discard(HbFile *file); /* accepts NULL; removes what was written */

/* The sum of a part of a file that is there. progress (may be NULL) is told the bytes of each block */
typedef gboolean (*HbFileProgress)(gpointer data, guint64 bytes);
HbFileSum *hb_file_sum(int fd, guint64 offset, guint64 bytes, const char *name, HbFileProgress progress, gpointer data,
                       GError **error);

/*
 * Opens a file of a dump's folder for reading; name may hold folders. Nothing outside of it is ever opened: no link is
 * followed below the folder, and only a regular file is taken (HB_ERROR_DAMAGED). -1 on error; HB_ERROR_FILE
 */
int hb_file_open_inside(const char *folder, const char *name, GError **error);

/* As that, of a file that need not be there: *fd is -1 then. The open tells, for who looks first looks too early */
gboolean hb_file_find_inside(const char *folder, const char *name, int *fd, GError **error);

/* HB_ERROR_DAMAGED, of a file that the dump should have. Returns FALSE */
gboolean hb_file_set_missing(const char *name, GError **error);

/* All of the bytes, however often it takes; FALSE with errno */
gboolean hb_file_write_fully(int fd, const char *bytes, gsize length);

/* Sets the error from errno: "writing rows/x: No space left on device". Returns FALSE */
gboolean hb_file_error(GError **error, const char *doing, const char *name);

/* Of char * in a GPtrArray, byte by byte */
gint hb_file_compare_names(gconstpointer one, gconstpointer other);

/* Is the name one that a dump may contain: relative, without "..", no odd bytes? */
gboolean hb_file_is_safe_name(const char *name);
