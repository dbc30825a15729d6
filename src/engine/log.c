/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/log.h"

void hb_kept_log_clear(HbKeptLog *log)
{
    g_free(log->name);
    g_free(log->position);
    g_free(log->complaint);
    g_free(log->limit);
    *log = (HbKeptLog){0};
}

static void clear(gpointer data)
{
    hb_kept_log_clear(data);
}

GArray *hb_kept_logs_new(void)
{
    GArray *logs = g_array_new(FALSE, TRUE, sizeof(HbKeptLog));

    g_array_set_clear_func(logs, clear);
    return logs;
}

gboolean hb_kept_logs_check(const GArray *kept, const char *name, const char *position, HbComparePositions compare,
                            GError **error)
{
    static const char way_out[] = "bring it up to date by comparing, and have the log kept anew: freshen --by rows "
                                  "--keep-log";
    const HbKeptLog *log = kept->len > 0 ? &g_array_index(kept, HbKeptLog, 0) : NULL;

    if (log == NULL)
        return hb_error_set(error, HB_ERROR_BLOCKED, way_out, "FROM keeps no log for this copy any more (%s)", name);
    if (log->complaint != NULL)
        return hb_error_set(error, HB_ERROR_BLOCKED, way_out, "FROM has lost the log that it kept for this copy: %s",
                            log->complaint);
    return compare(log->position, position) <= 0 ||
           hb_error_set(error, HB_ERROR_BLOCKED, way_out,
                        "FROM keeps its log from %s on, and this copy needs it from %s on", log->position, position);
}
