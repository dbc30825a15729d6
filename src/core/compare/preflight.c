/* SPDX-License-Identifier: Apache-2.0 */
#include "core/compare/preflight.h"

#include "core/base/name_list.h"

#include <string.h>

/*
 * What can be said of a restore by looking at catalogs alone: no server is asked. Each check adds findings and knows
 * nothing of the others; what an engine adds comes from its own preflight().
 */

/* What a session loads at least, as measured on small machines; indexes and keys included */
#define BYTES_A_SECOND    ((guint64)12 * 1024 * 1024)
#define SESSIONS_THAT_PAY 4

#define NAMED_MAX 5

/* ---- Catalogs ---- */

/* A table that the target's version cannot have takes its rows with it; what else may be lacking is found before */
static void judge_omission(const HbCatalog *catalog, const HbOmission *omission, GPtrArray *findings)
{
    const gboolean is_table = g_str_has_prefix(omission->what, "table ") &&
                              g_str_has_prefix(omission->why, HB_LEFT_OUT_FOR) &&
                              hb_catalog_find(catalog, omission->what) == NULL;

    hb_finding_advise(
        hb_findings_add(findings, is_table ? HB_FINDING_BLOCKER : HB_FINDING_WARNING, "not-as-source", omission->what,
                        "%s%s", omission->why, is_table ? "; its rows stay behind" : ""),
        is_table ? "change the table in the source, or go on without it: --accept not-as-source:TABLE" : NULL, NULL);
}

void hb_preflight_check_omissions(const HbCatalog *catalog, guint first, GPtrArray *findings)
{
    const GPtrArray *omissions = hb_catalog_get_omissions(catalog);

    for (guint i = 0; i < omissions->len; i++) {
        const HbOmission *omission = omissions->pdata[i];
        if (i < first)
            hb_findings_add(findings, HB_FINDING_NOTE, "left-out-of-dump", omission->what, "is not in the dump: %s",
                            omission->why);
        else
            judge_omission(catalog, omission, findings);
    }
}

static GHashTable *find_tables_with_key(const HbCatalog *catalog, const HbDialect *dialect)
{
    GHashTable *keyed = g_hash_table_new(g_str_hash, g_str_equal);

    for (guint i = 0; i < hb_catalog_count(catalog); i++) {
        const HbObject *object = hb_catalog_get(catalog, i);
        if (object->kind == HB_KIND_TABLE && dialect->makes_key(object->definition))
            g_hash_table_add(keyed, object->identity);
        else if ((object->kind == HB_KIND_KEY || object->kind == HB_KIND_INDEX) && object->on != NULL &&
                 dialect->makes_key(object->definition))
            g_hash_table_add(keyed, object->on);
    }
    return keyed;
}

static void check_keys(const HbCatalog *catalog, const HbDialect *dialect, GPtrArray *findings)
{
    g_autoptr(GHashTable) keyed = find_tables_with_key(catalog, dialect);
    const GPtrArray *sets = hb_catalog_get_row_sets(catalog);
    HbNameList names;

    hb_name_list_init(&names, NAMED_MAX);
    for (guint i = 0; i < sets->len; i++) {
        const HbRowSet *set = sets->pdata[i];
        g_autofree char *table = hb_identity_new(HB_KIND_TABLE, set->table);
        if (hb_catalog_find(catalog, table) != NULL && !g_hash_table_contains(keyed, table))
            hb_name_list_add(&names, set->table);
    }
    g_autofree char *list = hb_name_list_end(&names);
    if (names.count == 0)
        return;
    hb_findings_add(findings, HB_FINDING_NOTE, "no-key", list,
                    names.count == 1 ? "has no primary or unique key: its rows are told by all of their values"
                                     : "have no primary or unique key: their rows are told by all of their values");
}

static void check_hosts(const HbCatalog *catalog, GPtrArray *findings)
{
    for (guint i = 0; i < hb_catalog_count(catalog); i++) {
        const HbObject *object = hb_catalog_get(catalog, i);
        if (object->kind == HB_KIND_FOREIGN_SERVER || object->kind == HB_KIND_SUBSCRIPTION)
            hb_finding_advise(hb_findings_add(findings, HB_FINDING_WARNING, "foreign-host", object->identity,
                                              "leads to another host, which the target must be able to reach; its "
                                              "passwords do not come along"),
                              "see to its address, its firewall and its passwords after the restore", NULL);
    }
}

/* What the server evaluates while rows load, or while keys and indexes are made */
static gboolean runs_while_loading(HbKind kind)
{
    return kind == HB_KIND_CHECK || kind == HB_KIND_DOMAIN || kind == HB_KIND_TABLE || kind == HB_KIND_DEFAULT ||
           kind == HB_KIND_INDEX || kind == HB_KIND_KEY || kind == HB_KIND_MATERIALIZED_VIEW;
}

static void check_code(const HbCatalog *catalog, GPtrArray *findings)
{
    g_autoptr(GHashTable) seen = g_hash_table_new(g_str_hash, g_str_equal);
    HbNameList names;

    hb_name_list_init(&names, NAMED_MAX);
    for (guint i = 0; i < hb_catalog_count(catalog); i++) {
        const HbObject *object = hb_catalog_get(catalog, i);
        for (guint n = 0; runs_while_loading(object->kind) && n < object->needs->len; n++) {
            const char *need = object->needs->pdata[n];
            if (g_str_has_prefix(need, "function ") && g_hash_table_add(seen, (gpointer)need))
                hb_name_list_add(&names, need + strlen("function "));
        }
    }
    g_autofree char *list = hb_name_list_end(&names);
    if (names.count == 0)
        return;
    hb_finding_advise(
        hb_findings_add(findings, HB_FINDING_NOTE, "code-runs", list,
                        "will run with the privileges of the restoring role, while rows load and indexes are made"),
        "read them first, unless you trust their author: see docs/trust.md", NULL);
}

void hb_preflight_check_objects(const HbCatalog *catalog, const HbDialect *dialect, GPtrArray *findings)
{
    check_code(catalog, findings);
    check_keys(catalog, dialect, findings);
    check_hosts(catalog, findings);
}

/* ---- Settings, room, time ---- */

void hb_preflight_check_settings(const HbCatalog *catalog, GHashTable *own, const char *prefix, GPtrArray *findings)
{
    GHashTable *properties = hb_catalog_get_properties(catalog);
    g_autoptr(GList) names = g_list_sort(g_hash_table_get_keys(own), (GCompareFunc)strcmp);

    for (GList *at = names; at != NULL; at = at->next) {
        g_autofree char *property = g_strconcat(prefix, at->data, NULL);
        g_autofree char *carried = hb_identity_new(HB_KIND_DATABASE_SETTING, at->data);
        const char *there = g_hash_table_lookup(own, at->data);
        const char *here = g_hash_table_lookup(properties, property);
        if (here == NULL || g_strcmp0(here, there) == 0 || hb_catalog_find(catalog, carried) != NULL)
            continue;
        hb_finding_advise(hb_findings_add(findings, HB_FINDING_WARNING, "setting-differs", at->data,
                                          "is “%s” on the target, and “%s” in the source: what relies on it will mean "
                                          "something else",
                                          there, here),
                          "set it there as in the source, or see that nothing relies on it", NULL);
    }
}

#define ROOM_NEEDED  2 /* rows as text, times this: with indexes, on average */
#define ROOM_CAREFUL 4

void hb_preflight_judge_room(guint64 bytes, guint64 free, GPtrArray *findings)
{
    g_autofree char *rows = g_format_size(bytes);
    g_autofree char *needed = g_format_size(bytes * ROOM_NEEDED);
    g_autofree char *there = g_format_size(free);

    if (free == G_MAXUINT64)
        hb_findings_add(findings, HB_FINDING_NOTE, "room", "disk of the target",
                        "cannot be seen from here: %s of rows will need about %s with their indexes", rows, needed);
    else if (free < bytes)
        hb_finding_advise(hb_findings_add(findings, HB_FINDING_BLOCKER, "room", "disk of the target",
                                          "has %s free, and there are %s of rows", there, rows),
                          "make room there", NULL);
    else if (free < bytes * ROOM_CAREFUL)
        hb_finding_advise(hb_findings_add(findings, HB_FINDING_WARNING, "room", "disk of the target",
                                          "has %s free: %s of rows will need about %s with their indexes, and more "
                                          "while these are built",
                                          there, rows, needed),
                          "make room there", NULL);
}

void hb_preflight_guess_duration(guint64 bytes, guint sessions, GPtrArray *findings)
{
    guint64 seconds = bytes / BYTES_A_SECOND / CLAMP(sessions, 1, SESSIONS_THAT_PAY);

    if (seconds < 60)
        hb_findings_add(findings, HB_FINDING_NOTE, "duration", "rows", "should take less than a minute to load");
    else
        hb_findings_add(findings, HB_FINDING_NOTE, "duration", "rows",
                        "may take about %" G_GUINT64_FORMAT " minutes to load and index on a small machine",
                        (seconds + 59) / 60);
}
