/* SPDX-License-Identifier: Apache-2.0 */
#include "report/findings.h"

#include "core/base/name_list.h"
#include "core/model/object.h"
#include "report/html.h"
#include "report/pieces.h"
#include "report/text.h"

#include <string.h>

/*
 * Blockers first, then warnings and notes; findings of one name and one text are told once, with the objects listed.
 * What was accepted is shown, and does not count as open.
 */

#define OBJECTS_NAMED 12
#define LISTED_FROM   5

/* It must be seen before it is agreed to */
#define OBJECTS_NAMED_OF_LOSS 2000

/* Findings that say the same of several objects are shown as one */
typedef struct {
    const HbFinding *first;
    GPtrArray *objects; /* char *, borrowed */
} Group;

static void group_free(gpointer data)
{
    g_ptr_array_unref(((Group *)data)->objects);
    g_free(data);
}

static char *key_of(const HbFinding *finding)
{
    return g_strdup_printf("%d\n%s\n%s\n%s\n%s", (int)finding->level * 2 + finding->accepted, finding->name,
                           finding->what, finding->todo != NULL ? finding->todo : "",
                           finding->sql != NULL ? finding->sql : "");
}

/* Group *, in the order of their first findings; the caller's */
static GPtrArray *group(const GPtrArray *findings)
{
    GPtrArray *groups = g_ptr_array_new_with_free_func(group_free);
    g_autoptr(GHashTable) known = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL);

    for (guint i = 0; i < findings->len; i++) {
        const HbFinding *finding = findings->pdata[i];
        char *key = key_of(finding);
        Group *same = g_hash_table_lookup(known, key);
        if (same == NULL) {
            same = g_new0(Group, 1);
            same->first = finding;
            same->objects = g_ptr_array_new();
            g_ptr_array_add(groups, same);
            g_hash_table_insert(known, g_steal_pointer(&key), same);
        }
        g_free(key);
        g_ptr_array_add(same->objects, finding->object);
    }
    return groups;
}

static guint count_named(const HbFinding *finding)
{
    static const char *const losses[] = {"dropped", "emptied", "would-be-lost", "part-lost", NULL};

    return g_strv_contains(losses, finding->name) ? OBJECTS_NAMED_OF_LOSS : OBJECTS_NAMED;
}

static char *join_objects(const Group *same)
{
    HbNameList names;

    hb_name_list_init(&names, count_named(same->first));
    for (guint i = 0; i < same->objects->len; i++)
        hb_name_list_add(&names, same->objects->pdata[i]);
    return hb_name_list_end(&names);
}

/* ---- Text ---- */

static const HbPaint paints[HB_FINDING_LEVEL_COUNT] = {HB_PAINT_BAD, HB_PAINT_WARN, HB_PAINT_STRONG};

static void append_line(GString *out, const char *indent, const char *label, const char *text)
{
    g_autofree char *visible = hb_text_visible(text);

    g_string_append_printf(out, "%s%s%s\n", indent, label, visible);
}

/* Of one kind, in the order in which the kinds appear */
typedef struct {
    const char *label;
    GPtrArray *names; /* char *, borrowed */
} Bucket;

static void bucket_clear(gpointer data)
{
    g_ptr_array_unref(((Bucket *)data)->names);
}

static void add_to_bucket(GArray *buckets, const char *label, const char *name)
{
    for (guint i = 0; i < buckets->len; i++) {
        Bucket *bucket = &g_array_index(buckets, Bucket, i);
        if (strcmp(bucket->label, label) != 0)
            continue;
        g_ptr_array_add(bucket->names, (gpointer)name);
        return;
    }
    Bucket bucket = {label, g_ptr_array_new()};
    g_ptr_array_add(bucket.names, (gpointer)name);
    g_array_append_val(buckets, bucket);
}

/* Many are listed by kind, below what is said of them */
static void append_objects(GString *out, const Group *same)
{
    g_autoptr(GArray) buckets = g_array_new(FALSE, FALSE, sizeof(Bucket));
    guint count = MIN(same->objects->len, count_named(same->first));

    g_array_set_clear_func(buckets, bucket_clear);
    for (guint i = 0; i < count; i++) {
        const char *object = same->objects->pdata[i], *blank = strchr(object, ' ');
        g_autofree char *word = blank != NULL ? g_strndup(object, (gsize)(blank - object)) : g_strdup("");
        HbKind kind;
        if (hb_kind_find(word, &kind))
            add_to_bucket(buckets, hb_kind_get_traits(kind)->plural, blank + 1);
        else
            add_to_bucket(buckets, "of", object);
    }
    for (guint i = 0; i < buckets->len; i++)
        hb_piece_append_list(out, g_array_index(buckets, Bucket, i).label, g_array_index(buckets, Bucket, i).names);
    if (same->objects->len > count)
        g_string_append_printf(out, "      and %u more\n", same->objects->len - count);
}

static void append_group(GString *out, gboolean color, const Group *same)
{
    const HbFinding *finding = same->first;
    const gboolean is_list = same->objects->len >= LISTED_FROM;
    g_autofree char *objects = is_list ? g_strdup_printf("%u objects", same->objects->len) : join_objects(same);
    g_autofree char *visible = hb_text_visible(objects);
    g_autofree char *what = hb_text_visible(finding->what);

    g_string_append_printf(out, "  %s: %s", visible, what);
    hb_text_append_painted(out, color, HB_PAINT_FAINT, "  [");
    hb_text_append_painted(out, color, HB_PAINT_FAINT, finding->name);
    hb_text_append_painted(out, color, HB_PAINT_FAINT, finding->accepted ? ", accepted]" : "]");
    g_string_append_c(out, '\n');
    if (is_list)
        append_objects(out, same);
    if (finding->todo != NULL)
        append_line(out, "      ", "what to do: ", finding->todo);
    if (finding->sql != NULL) {
        g_auto(GStrv) lines = g_strsplit(finding->sql, "\n", -1);
        for (char **line = lines; *line != NULL; line++)
            append_line(out, "        ", "", *line);
    }
}

static void append_level(GString *out, gboolean color, const GPtrArray *groups, HbFindingLevel level,
                         gboolean accepted_only)
{
    gboolean begun = FALSE;

    for (guint i = 0; i < groups->len; i++) {
        const Group *same = groups->pdata[i];
        if (same->first->level != level || (accepted_only && !same->first->accepted))
            continue;
        if (!begun) {
            g_string_append_c(out, '\n');
            hb_text_append_painted(out, color, paints[level],
                                   accepted_only ? "Blockers, accepted" : hb_finding_level_get_plural(level));
            g_string_append_c(out, '\n');
        }
        begun = TRUE;
        append_group(out, color, same);
    }
}

void hb_findings_append_warnings(GString *out, gboolean color, const GPtrArray *findings)
{
    g_autoptr(GPtrArray) groups = group(findings);

    append_level(out, color, groups, HB_FINDING_BLOCKER, TRUE);
    append_level(out, color, groups, HB_FINDING_WARNING, FALSE);
}

void hb_findings_append(GString *out, gboolean color, const GPtrArray *findings)
{
    g_autoptr(GPtrArray) groups = group(findings);

    for (int level = 0; level < HB_FINDING_LEVEL_COUNT; level++)
        append_level(out, color, groups, (HbFindingLevel)level, FALSE);
}

char *hb_findings_describe_counts(const GPtrArray *findings)
{
    g_autofree char *blockers = hb_text_plural(hb_findings_count(findings, HB_FINDING_BLOCKER), "blocker", "blockers");
    g_autofree char *warnings = hb_text_plural(hb_findings_count(findings, HB_FINDING_WARNING), "warning", "warnings");
    g_autofree char *notes = hb_text_plural(hb_findings_count(findings, HB_FINDING_NOTE), "note", "notes");

    return g_strdup_printf("%s, %s, %s", blockers, warnings, notes);
}

/* ---- HTML ---- */

static void append_html_group(GString *out, const Group *same)
{
    const HbFinding *finding = same->first;
    g_autofree char *objects = join_objects(same);

    g_string_append_printf(out, "<li><span class=\"name\">%s%s</span>", finding->name,
                           finding->accepted ? ", accepted" : "");
    hb_html_append_text(out, "<p><strong>", objects, "</strong> ");
    hb_html_append_text(out, "", finding->what, "</p>\n");
    if (finding->todo != NULL)
        hb_html_append_text(out, "<p class=\"todo\">What to do: ", finding->todo, "</p>\n");
    if (finding->sql != NULL) {
        g_autofree char *valid = g_utf8_make_valid(finding->sql, -1);
        g_autofree char *escaped = g_markup_escape_text(valid, -1);
        g_string_append_printf(out, "<pre>%s</pre>\n", escaped);
    }
    g_string_append(out, "</li>\n");
}

static void append_html_level(GString *out, const GPtrArray *groups, HbFindingLevel level)
{
    gboolean begun = FALSE;

    for (guint i = 0; i < groups->len; i++) {
        const Group *same = groups->pdata[i];
        if (same->first->level != level)
            continue;
        if (!begun)
            g_string_append_printf(out, "<h2 class=\"%s\">%s</h2>\n<ul>\n", hb_finding_level_get_name(level),
                                   hb_finding_level_get_plural(level));
        begun = TRUE;
        append_html_group(out, same);
    }
    if (begun)
        g_string_append(out, "</ul>\n");
}

void hb_findings_append_html(GString *out, const GPtrArray *findings)
{
    g_autoptr(GPtrArray) groups = group(findings);

    for (int level = 0; level < HB_FINDING_LEVEL_COUNT; level++)
        append_html_level(out, groups, (HbFindingLevel)level);
}
