/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/common/checks.h"

#include "engine/source.h"

#include <sys/statvfs.h>

gboolean hb_engine_check_answer(guint64 rows, guint columns, GError **error)
{
    if (columns == 0)
        return hb_error_set(error, HB_ERROR_USAGE, "ask with SELECT", "that is no question: it has no answer");
    return (rows <= HB_ANSWER_ROWS_MAX && columns <= HB_ANSWER_COLUMNS_MAX) ||
           hb_error_set(error, HB_ERROR_USAGE, "ask for counts, sums and the like",
                        "the answer has %" G_GUINT64_FORMAT " rows of %u columns; at most %d rows of %d are compared",
                        rows, columns, HB_ANSWER_ROWS_MAX, HB_ANSWER_COLUMNS_MAX);
}

gboolean hb_engine_check_fingerprint(const char *now, const char *before, const char *address, GError **error)
{
    return g_strcmp0(now, before) == 0 ||
           hb_error_set(error, HB_ERROR_RETRY, "dump again, when no structure is being changed",
                        "%s: the structure of the database changed while it was read", address);
}

guint64 hb_engine_find_room(const char *path)
{
    struct statvfs room;

    return path != NULL && statvfs(path, &room) == 0 ? (guint64)room.f_bavail * room.f_frsize : G_MAXUINT64;
}
