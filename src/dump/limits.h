/* SPDX-License-Identifier: Apache-2.0 */
/*
 * limits - what no honest dump exceeds, whether it lies in a folder or comes through a pipe. Everything that is read
 * from outside is held against these before it is believed; a dump beyond them is refused as damaged
 * (HB_ERROR_DAMAGED).
 */
#pragma once

#include <glib.h>

/* Entries of any list in a manifest: objects, row sets, chunks */
#define HB_LIMIT_ENTRIES 20000000

/* A number of rows or bytes, of anything, in a manifest */
#define HB_LIMIT_BYTES ((gint64)1 << 56)

/* The definition of one object, in bytes */
#define HB_LIMIT_DEFINITION ((gint64)1 << 30)

/* SHA256SUMS; a manifest, or a file of definitions, which are held in memory as a whole */
#define HB_LIMIT_SUMS ((guint64)256 * 1024 * 1024)
#define HB_LIMIT_TEXT ((guint64)2 * 1024 * 1024 * 1024 - 1)

/* A chunk that comes through a pipe: it ends with the row that fills it, and a row may have many large values */
#define HB_LIMIT_CHUNK ((guint64)8 * 1024 * 1024 * 1024)

/* The name of a file within a dump, in bytes; how deep its folders go */
#define HB_LIMIT_NAME  1024
#define HB_LIMIT_DEPTH 6
