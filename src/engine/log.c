/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/log.h"

void hb_kept_log_clear(HbKeptLog *log)
{
    g_free(log->name);
    g_free(log->position);
    g_free(log->end);
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

HbOmission *hb_unlogged_new(const char *table, const char *why)
{
    HbOmission *omission = g_new0(HbOmission, 1);

    omission->what = g_strdup(table);
    omission->why = g_strdup(why);
    return omission;
}

void hb_unlogged_free(gpointer data)
{
    HbOmission *omission = data;

    g_free(omission->what);
    g_free(omission->why);
    g_free(omission);
}
