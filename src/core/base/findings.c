/* SPDX-License-Identifier: Apache-2.0 */
#include "core/base/findings.h"

#include "core/base/glob.h"

#include <string.h>

const char *const hb_finding_names[] = {
    /* The target itself */
    "same-database", "system-database", "target-not-empty", "nothing-unfinished", "unfinished-restore", "another-run",
    "journal-untrusted", "read-only", "other-sessions", "event-trigger", "standby-missing", "prepared-transaction",
    "locked", "publishes-all", "connections", "room", "duration",
    /* What it lacks */
    "extension-missing", "extension-differs", "storage-missing", "plugin-missing", "locale-missing",
    "collation-missing", "encoding-differs", "encryption-missing", "time-zone-missing", "password-refused",
    "history-refused", "function-missing", "function-native", "phrase-missing", "name-case", "database-missing",
    "not-as-source", "left-out-of-dump",
    /* What is there already */
    "name-taken", "need-missing", "would-be-lost", "part-lost", "rows-there", "table-missing", "columns-differ",
    "exists-otherwise", "stays", "dropped", "emptied", "set-aside", "in-parts",
    /* Users and rights */
    "role-missing", "role-differs", "right-missing", "refused", "ownership",
    /* What means something else there, or leads elsewhere */
    "setting-differs", "collation-differs", "foreign-host", "other-database", "code-runs",
    /* What should be known of the source */
    "no-key", "no-transactions",
    /* Of a hand-over */
    "writes-go-on", "not-its-copy", "begun-before", "string-fails", "way-back", "retention", NULL};

static const struct {
    const char *name, *plural;
} levels[HB_FINDING_LEVEL_COUNT] = {{"blocker", "Blockers"}, {"warning", "Warnings"}, {"note", "Notes"}};

const char *hb_finding_level_get_name(HbFindingLevel level)
{
    return levels[level].name;
}

const char *hb_finding_level_get_plural(HbFindingLevel level)
{
    return levels[level].plural;
}

/* ---- The list ---- */

static void finding_free(gpointer data)
{
    HbFinding *finding = data;

    g_free(finding->name);
    g_free(finding->object);
    g_free(finding->what);
    g_free(finding->todo);
    g_free(finding->sql);
    g_free(finding);
}

GPtrArray *hb_findings_new(void)
{
    return g_ptr_array_new_with_free_func(finding_free);
}

HbFinding *hb_findings_add(GPtrArray *findings, HbFindingLevel level, const char *name, const char *object,
                           const char *what, ...)
{
    HbFinding *finding = g_new0(HbFinding, 1);
    va_list arguments;

    g_assert(g_strv_contains(hb_finding_names, name));
    va_start(arguments, what);
    finding->level = level;
    finding->name = g_strdup(name);
    finding->object = g_strdup(object);
    finding->what = g_strdup_vprintf(what, arguments);
    va_end(arguments);
    g_ptr_array_add(findings, finding);
    return finding;
}

void hb_finding_advise(HbFinding *finding, const char *todo, const char *sql)
{
    g_free(finding->todo);
    g_free(finding->sql);
    finding->todo = g_strdup(todo);
    finding->sql = g_strdup(sql);
}

static gint compare_levels(gconstpointer one, gconstpointer other)
{
    const HbFinding *a = *(HbFinding *const *)one, *b = *(HbFinding *const *)other;

    return (gint)a->level - (gint)b->level;
}

/* g_ptr_array_sort() keeps the order of equals (it is a merge sort, by its manual) */
void hb_findings_sort(GPtrArray *findings)
{
    g_ptr_array_sort(findings, compare_levels);
}

guint hb_findings_count(const GPtrArray *findings, HbFindingLevel level)
{
    guint count = 0;

    for (guint i = 0; i < findings->len; i++)
        count += ((const HbFinding *)findings->pdata[i])->level == level;
    return count;
}

guint hb_findings_count_open(const GPtrArray *findings)
{
    guint count = 0;

    for (guint i = 0; i < findings->len; i++) {
        const HbFinding *finding = findings->pdata[i];
        count += finding->level == HB_FINDING_BLOCKER && !finding->accepted;
    }
    return count;
}

static gboolean is_accepted(const HbFinding *finding, const char *text)
{
    gsize length = strlen(finding->name);

    if (!g_str_has_prefix(text, finding->name))
        return FALSE;
    return text[length] == '\0' || (text[length] == ':' && hb_glob_fits(text + length + 1, finding->object));
}

void hb_findings_accept(GPtrArray *findings, char *const *accepted)
{
    for (; accepted != NULL && *accepted != NULL; accepted++) {
        for (guint i = 0; i < findings->len; i++) {
            HbFinding *finding = findings->pdata[i];
            finding->accepted = finding->accepted || (!finding->is_final && is_accepted(finding, *accepted));
        }
    }
}
