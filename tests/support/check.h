/* SPDX-License-Identifier: Apache-2.0 */
/*
 * check - what all tests include: cmocka in its right order, and assertions that print both values.
 */
#pragma once

#include <setjmp.h>
#include <stdarg.h>
#include <stddef.h>
#include <stdint.h>

#include <cmocka.h>
#include <glib.h>

#include "core/base/error.h"
#include "core/model/catalog.h"
#include "dump/manifest.h"

/* Fails unless text holds part; prints both */
void check_contains(const char *text, const char *part);
void check_lacks(const char *text, const char *part);

/* Fails unless the error is there, has this code, and its message holds part; clears it */
void check_error(GError **error, HbErrorCode code, const char *part);

/* Fails with the error's message if there is one */
void check_no_error(GError *error);

/*
 * A catalog from lines "kind name: need, need". A line that begins with '+' has a stand-in. Needs are identities.
 */
HbCatalog *check_read_catalog(const char *lines);

/* A manifest whose head is filled in, with nothing in it; the caller's */
HbManifest *check_make_manifest(void);

/* The identities in order, joined by "; "; the caller's */
char *check_list_identities(const HbCatalog *catalog);

/* A folder that is removed by check_remove_folder(); the caller's */
char *check_make_folder(void);
void check_remove_folder(char *path);

/* Fails unless the text is the golden file of that name; says how both go on where they differ. With the environment's
 * HORNBEAM_RENEW the file is written anew instead: read what has changed before it is committed */
void check_golden(const char *name, const char *text);

/* Overwrites one byte of a file, or cuts the file */
void check_flip_byte(const char *path, long at);
void check_truncate(const char *path, long length);
