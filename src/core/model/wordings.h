/* SPDX-License-Identifier: Apache-2.0 */
/*
 * wordings - SQL that depends on the version of the server that runs it.
 *
 * A text may hold marked pieces, each a choice between two wordings:
 *
 *     MARK since MARK until MARK wording MARK other wording MARK what is lost with the other MARK
 *
 * The first wording holds for versions from `since` to below `until` (0: for ever), the other one elsewhere. Versions
 * are the engine's numbers. The mark is a string that occurs nowhere else; pieces are not nested.
 */
#pragma once

#include <glib.h>

/* One wording of a whole definition, for servers from this version on */
typedef struct {
    guint since;
    char *definition; /* NULL: these versions cannot express it */
    char *lost;       /* what is not carried to these versions; NULL: nothing */
} HbWording;

void hb_wording_free(HbWording *wording);
HbWording *hb_wording_new(guint since, const char *definition, const char *lost);

/* All of them, HbWording *; the caller's */
GPtrArray *hb_wordings_copy(const GPtrArray *wordings);

/*
 * All wordings of a marked text: HbWording *, rising by `since`, the first from version 0. The caller's. NULL if the
 * text is not marked at all, or not well.
 */
GPtrArray *hb_wordings_read(const char *text, const char *mark);

/* Before this version nothing expresses it: replaces the wordings of older versions by none, with the reason */
void hb_wordings_cut(GPtrArray *wordings, guint since, const char *lost);

/* From this version on nothing expresses it any more */
void hb_wordings_end(GPtrArray *wordings, guint until, const char *lost);

/* The one that holds for a version, borrowed */
const HbWording *hb_wordings_find(const GPtrArray *wordings, guint version);
