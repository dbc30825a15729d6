/* SPDX-License-Identifier: Apache-2.0 */
/*
 * dump_notes - what the hosts on one dump tell each other, as texts: JSON of this version of the program, which no
 * other one need read. What is read is held against the manifest of the reader; HB_ERROR_DAMAGED names what is wrong.
 */
#pragma once

#include "dump/manifest.h"
#include "work/source/piece_groups.h"

/* ---- The moment: which dump it is, and how to join its snapshot. Texts are the caller's ---- */
char *hb_note_write_moment(const char *dump_id, const HbSnapshot *snapshot);
gboolean hb_note_read_moment(const char *text, char **dump_id, HbSnapshot *snapshot, GError **error);

/* ---- The plan: HbPiece of the row sets of a manifest. HB_ERROR_BLOCKED if the manifest of the reader has others ----
 */
char *hb_note_write_plan(const HbManifest *manifest, const GArray *pieces);
GArray *hb_note_read_plan(const char *text, const HbManifest *manifest, GError **error);

/* ---- What was written of a group ---- */

typedef struct {
    char *rows; /* identity of the row set */
    HbChunk *chunk;
    HbFileSum *sum; /* of its file */
} HbWrittenChunk;

typedef struct {
    char *host;        /* for people */
    guint64 bytes;     /* of rows */
    GPtrArray *chunks; /* HbWrittenChunk * */
} HbGroupNote;

HbGroupNote *hb_group_note_new(const char *host);
void hb_group_note_free(HbGroupNote *note); /* accepts NULL */
G_DEFINE_AUTOPTR_CLEANUP_FUNC(HbGroupNote, hb_group_note_free)
void hb_group_note_add(HbGroupNote *note, const HbRowSet *set, const HbChunk *chunk, const HbFileSum *sum);

char *hb_note_write_group(const HbGroupNote *note);
HbGroupNote *hb_note_read_group(const char *text, GError **error);
