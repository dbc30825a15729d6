/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/source.h"

void hb_snapshot_clear(HbSnapshot *snapshot)
{
    g_free(snapshot->token);
    g_free(snapshot->time);
    g_free(snapshot->position);
    *snapshot = (HbSnapshot){0};
}

static void range_clear(gpointer data)
{
    g_free(((HbRange *)data)->where);
}

GArray *hb_ranges_new(void)
{
    GArray *ranges = g_array_new(FALSE, TRUE, sizeof(HbRange));

    g_array_set_clear_func(ranges, range_clear);
    return ranges;
}

static void database_clear(gpointer data)
{
    g_free(((HbDatabase *)data)->name);
}

GArray *hb_databases_new(void)
{
    GArray *databases = g_array_new(FALSE, FALSE, sizeof(HbDatabase));

    g_array_set_clear_func(databases, database_clear);
    return databases;
}

void hb_databases_add(GArray *databases, const char *name, guint64 bytes)
{
    HbDatabase database = {.name = g_strdup(name), .bytes = bytes};

    g_array_append_val(databases, database);
}
