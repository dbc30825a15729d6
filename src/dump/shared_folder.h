/* SPDX-License-Identifier: Apache-2.0 */
/*
 * shared_folder - a dump in the making into which several hosts write, in a folder that all of them have, or in an
 * object store.
 *
 * The host that began it finds a name for it as always (see dump/folder.h). It leaves notes in it, small texts under
 * "hosts/", by which others find it; they leave notes of what they have written. Before the dump gets its name, the
 * first host takes over what the others have written, and removes the notes.
 *
 * Who may write into the folder may write into the dump: a note is believed no more than the dump is. What comes to a
 * server out of a note must be proved otherwise.
 */
#pragma once

#include "dump/folder.h"

/* Where dumps to this path are in the making, or were when their program was killed: char *, for join(). HB_ERROR_FILE.
 * The caller's */
GPtrArray *hb_shared_folder_list_places(const char *path, GError **error);

/* What it writes stays when it leaves, which also frees it. HB_ERROR_FILE */
HbFolder *hb_shared_folder_join(const char *path, const char *place, GError **error);
void hb_shared_folder_leave(HbFolder *folder); /* accepts NULL */

/* ---- Notes ---- */

/* All of it is there at once, or none. *written FALSE: there is one of this name already, which stays */
gboolean hb_shared_folder_write_note(HbFolder *folder, const char *name, const char *text, gboolean *written,
                                     GError **error);
/* *text NULL: there is none. The caller's */
gboolean hb_shared_folder_read_note(HbFolder *folder, const char *name, char **text, GError **error);
gboolean hb_shared_folder_remove_note(HbFolder *folder, const char *name, GError **error);
/* Their names, as a set; the caller's */
GHashTable *hb_shared_folder_list_notes(HbFolder *folder, GError **error);

/* ---- Files ---- */

/* One that was closed here, and now is safe where it lies. NULL on error. Borrowed until it is removed */
const HbFileSum *hb_shared_folder_settle_file(HbFolder *folder, const char *name, GError **error);

/* Those of other hosts (HbFileSum *, taken): each is there, with its size. HB_ERROR_DAMAGED */
gboolean hb_shared_folder_adopt(HbFolder *folder, GPtrArray *sums, GError **error);

/* Removes the notes, and what hosts that are gone have left */
gboolean hb_shared_folder_clear(HbFolder *folder, GError **error);
