/* SPDX-License-Identifier: Apache-2.0 */
/*
 * folder - a dump as a folder: created under a temporary name beside its final one, complete or not there at all.
 *
 *     create ---> .NAME.unfinished-XXXXXX/ ---commit: sync, rename---> NAME/
 *                          \------discard: removed                     \---remove---> .NAME.removed
 *
 * A path that ends in ".tar" is a single file with the same members, and "-" is standard output: files are then held in
 * memory until they are closed, written one after the other, and cannot be removed any more.
 *
 * The folder is 0700, its files 0600. create_file() and note() may be called from several threads.
 */
#pragma once

#include "dump/file.h"
#include "dump/seal.h"

#define HB_SUMS_FILE "SHA256SUMS"

typedef struct HbFolder HbFolder;

/* Is the path that of a tar, or of standard output? */
gboolean hb_folder_is_stream(const char *path);

/* HB_ERROR_FILE if path is taken, or its parent cannot be written */
HbFolder *hb_folder_create(const char *path, GError **error);

/*
 * A dump within another that is a stream: its files become members below that name. It ends with its own sums, and the
 * stream goes on; the outer one must outlive it
 */
HbFolder *hb_folder_create_below(HbFolder *outer, const char *name);

/* The same as a folder of its own inside one, whatever its name ends in */
HbFolder *hb_folder_create_inside(HbFolder *outer, const char *name, GError **error);

/*
 * From here on each file but SHA256SUMS and HB_LABEL_FILE is sealed for these when it is closed, and has
 * HB_SEALED_SUFFIX behind its name; until then it is held in memory. Call it before any other file is made: it writes
 * HB_RECIPIENTS_FILE. Borrows recipients
 */
gboolean hb_folder_seal_for(HbFolder *folder, const HbRecipients *recipients, GError **error);

/* A new file; name may hold one level of sub-folders after "rows/", which are made */
HbFile *hb_folder_create_file(HbFolder *folder, const char *name, GError **error);

/* Closes the file and keeps its sum for SHA256SUMS. *bytes (may be NULL): its size */
gboolean hb_folder_close_file(HbFolder *folder, HbFile *file, guint64 *bytes, GError **error);

/* Removes a file that was closed before. From a stream nothing can be removed: commit() then fails */
void hb_folder_remove_file(HbFolder *folder, const char *name);

/* Writes a whole small file at once */
gboolean hb_folder_write_file(HbFolder *folder, const char *name, const char *bytes, gsize length, GError **error);

/* A folder inside, made if it is missing */
gboolean hb_folder_make_below(HbFolder *folder, const char *name, GError **error);

/* Writes SHA256SUMS, syncs everything and gives the folder its name. Frees the folder in any case */
gboolean hb_folder_commit(HbFolder *folder, GError **error);
void hb_folder_discard(HbFolder *folder); /* accepts NULL */

/* A dump's own name, and the path of what has another name beside it, of a folder, a file or in an object store. The
 * caller's */
char *hb_folder_get_name(const char *path);
char *hb_folder_name_beside(const char *path, const char *name);

/* The names of what is beside a dump, in its folder or in its folder of a bucket: char *, sorted; the caller's.
 * HB_ERROR_FILE, HB_ERROR_CONNECT */
GPtrArray *hb_folder_list_beside(const char *path, GError **error);

/*
 * Removes a dump that is there, a folder, a tar or in an object store. It loses its name first, or there the file that
 * makes it one, so that what an interruption leaves of it is no dump any more. HB_ERROR_FILE, HB_ERROR_CONNECT
 */
gboolean hb_folder_remove(const char *path, GError **error);

/* The name of a dump of which this hidden entry of a folder is what an interrupted removal left; NULL: it is none. The
 * caller's */
char *hb_folder_read_removed(const char *entry);

/* Removes what an interrupted removal left of the dump */
void hb_folder_sweep(const char *path);

/* The text of SHA256SUMS, as far as files are closed: for a stream, whose reader needs them early */
char *hb_folder_make_sums(HbFolder *folder);

/* Reading SHA256SUMS: HbFileSum * by name; NULL with HB_ERROR_DAMAGED. The caller's */
GHashTable *hb_folder_read_sums(const char *text, GError **error);

/* All files below path, as names within it, sorted; HB_ERROR_FILE. The caller's */
GPtrArray *hb_folder_list(const char *path, GError **error);
