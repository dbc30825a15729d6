/* SPDX-License-Identifier: Apache-2.0 */
/*
 * checks - small questions that engines ask alike.
 */
#pragma once

#include "core/base/error.h"

/* HB_ERROR_USAGE if there are more. */
gboolean hb_engine_check_answer(guint64 rows, guint columns, GError **error);

/* The hint where a statement was cancelled, and not by us. */
#define HB_CANCELLED_BY_OTHERS                                                                                         \
    "somebody else cancelled it on the server, or a time limit there did: see its log, then begin again"

/* Is the structure's fingerprint what it was? HB_ERROR_RETRY if not. */
gboolean hb_engine_check_fingerprint(const char *now, const char *before, const char *address, GError **error);

/* Free bytes of the file system that holds a path of this machine; G_MAXUINT64 if that cannot be known. */
guint64 hb_engine_find_room(const char *path);
