/* SPDX-License-Identifier: Apache-2.0 */
/*
 * tamper - dumps that somebody has changed who knows the format: their sums are right, so that nothing but the looks of
 * what they say gives them away.
 */
#pragma once

#include <glib.h>

/* A copy of a dump's folder beside it, under a name of its own; its path is the caller's */
char *tamper_copy(const char *dump);

/* Replaces a text, which must be there, in the definitions; the manifest places them anew */
void tamper_definitions(const char *dump, const char *find, const char *put);

/* Replaces a text, which must be there, in one of the files */
void tamper_file(const char *dump, const char *file, const char *find, const char *put);

/* A chunk's rows become other ones: packed, with the sizes that they have now, but with the digests that they had */
void tamper_rows(const char *dump, const char *file, const char *text, gsize length);

/*
 * The same with a stream: each member that edit() gives other bytes for (the caller's; NULL: as it is) is replaced by
 * them. nth: which of the members of that name it is, from 0 on; sums: what SHA256SUMS would say by now
 */
typedef char *(*TamperEdit)(const char *name, int nth, const char *bytes, gsize length, const char *sums,
                            gsize *new_length);
void tamper_stream(const char *from, const char *to, TamperEdit edit);

/* Makes SHA256SUMS say what the files are now; the functions above do */
void tamper_sum_up(const char *dump);
