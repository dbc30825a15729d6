/* SPDX-License-Identifier: Apache-2.0 */
#include "report/preflight.h"

#include "core/base/name_list.h"
#include "report/pieces.h"
#include "report/text.h"

#include "version.h"

#include <string.h>

/*
 * Findings as people read them: blockers first, then warnings and notes; findings of one name and one text are told
 * once, with the objects listed. The verdict counts what is open: what was accepted is shown, and does not count.
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

void hb_preflight_append_target(GString *out, gboolean color, const HbRestore *restore)
{
    const HbServerInfo *target = hb_restore_get_target(restore);

    if (hb_restore_is_whole_server(restore))
        hb_piece_append_fact(out, color, "to", "%s, %s %s", target->address, target->product, target->version);
    else
        hb_piece_append_fact(out, color, "to", "database %s (%s) at %s, %s %s", hb_restore_get_database(restore),
                             hb_restore_is_new_database(restore) ? "to be created"
                             : hb_restore_is_resumed(restore)    ? "its restore was begun before"
                                                                 : "there already",
                             target->address, target->product, target->version);
    hb_piece_append_fact(out, color, "as", "%s%s", target->user, target->is_superuser ? " (superuser)" : "");
}

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

void hb_preflight_append_warnings(GString *out, gboolean color, const GPtrArray *findings)
{
    g_autoptr(GPtrArray) groups = group(findings);

    append_level(out, color, groups, HB_FINDING_BLOCKER, TRUE);
    append_level(out, color, groups, HB_FINDING_WARNING, FALSE);
}

char *hb_preflight_describe_source(const HbManifest *manifest, const char *path)
{
    g_autofree char *dump = path != NULL ? g_strdup_printf("dump %s of ", path) : g_strdup("");

    if (manifest->members != NULL)
        return g_strdup_printf("%sthe server %s, %s %s: users and tablespaces", dump, manifest->address,
                               manifest->product, manifest->server_version);
    return g_strdup_printf("%sdatabase %s at %s, %s %s", dump, manifest->database, manifest->address, manifest->product,
                           manifest->server_version);
}

static char *describe_contents(const HbManifest *manifest)
{
    g_autofree char *objects = hb_text_plural(hb_catalog_count(manifest->catalog), "object", "objects");
    g_autofree char *tables = hb_text_plural(hb_catalog_get_row_sets(manifest->catalog)->len, "table", "tables");
    guint64 known = hb_manifest_count_bytes(manifest);
    g_autofree char *bytes = hb_text_bytes(known > 0 ? known : hb_catalog_count_bytes(manifest->catalog));

    return g_strdup_printf("%s; about %s of rows in %s", objects, bytes, tables);
}

void hb_preflight_append_contents(GString *out, gboolean color, const HbManifest *manifest)
{
    g_autofree char *contents = describe_contents(manifest);

    hb_piece_append_fact(out, color, "holds", "%s", contents);
}

/* "1 blocker, 2 warnings, no notes" */
static char *count_levels(const GPtrArray *findings)
{
    g_autofree char *blockers = hb_text_plural(hb_findings_count(findings, HB_FINDING_BLOCKER), "blocker", "blockers");
    g_autofree char *warnings = hb_text_plural(hb_findings_count(findings, HB_FINDING_WARNING), "warning", "warnings");
    g_autofree char *notes = hb_text_plural(hb_findings_count(findings, HB_FINDING_NOTE), "note", "notes");

    return g_strdup_printf("%s, %s, %s", blockers, warnings, notes);
}

static gboolean is_all_final(const GPtrArray *findings)
{
    for (guint i = 0; i < findings->len; i++) {
        const HbFinding *finding = findings->pdata[i];
        if (finding->level == HB_FINDING_BLOCKER && !finding->is_final)
            return FALSE;
    }
    return TRUE;
}

char *hb_preflight_page(const HbRestore *restore, const char *path, gboolean color)
{
    GString *out = g_string_new(NULL);
    const GPtrArray *findings = hb_restore_get_findings(restore);
    const HbManifest *manifest = hb_restore_get_manifest(restore);
    g_autoptr(GPtrArray) groups = group(findings);
    g_autofree char *from = hb_preflight_describe_source(manifest, path);
    g_autofree char *counts = count_levels(findings);

    hb_piece_append_heading(out, color, "Preflight");
    hb_piece_append_fact(out, color, "from", "%s", from);
    hb_preflight_append_contents(out, color, manifest);
    hb_preflight_append_target(out, color, restore);
    for (int level = 0; level < HB_FINDING_LEVEL_COUNT; level++)
        append_level(out, color, groups, (HbFindingLevel)level, FALSE);
    g_string_append_c(out, '\n');
    if (hb_restore_is_blocked(restore))
        hb_piece_append_verdict(out, color, FALSE, "Blocked: %s. Mend the blockers%s", counts,
                                is_all_final(findings) ? "" : ", or go on knowingly with --accept NAME");
    else
        hb_piece_append_verdict(out, color, TRUE, "The target can take it: %s", counts);
    return g_string_free(out, FALSE);
}

/* ---- HTML ---- */

static void append_escaped(GString *out, const char *begin, const char *text, const char *end)
{
    g_autofree char *visible = hb_text_visible(text);
    g_autofree char *escaped = g_markup_escape_text(visible, -1);

    g_string_append_printf(out, "%s%s%s", begin, escaped, end);
}

void hb_preflight_begin_html(GString *out)
{
    g_string_append(
        out,
        "<!DOCTYPE html>\n<html lang=\"en\">\n<head>\n<meta charset=\"utf-8\">\n<title>Preflight</title>\n"
        "<meta name=\"viewport\" content=\"width=device-width, initial-scale=1\">\n<style>\n"
        ":root { --ink: #1d2a24; --soft: #5d6b64; --line: #d9e0dc; --ground: #fbfcfb; --code: #eef2ef;\n"
        "  --blocker: #b3261e; --warning: #8a5a00; --note: #2b5f8a; --good: #1f6b3a; }\n"
        "@media (prefers-color-scheme: dark) { :root { --ink: #e4ebe7; --soft: #9aa8a1; --line: #36423c;\n"
        "  --ground: #161c19; --code: #222b26; --blocker: #ff8a80; --warning: #e8b450; --note: #86bdea; --good: "
        "#7fd19b; } }\n"
        "body { font: 16px/1.5 system-ui, sans-serif; color: var(--ink); background: var(--ground); max-width: 60rem;\n"
        "  margin: 2.5rem auto; padding: 0 1.5rem; }\n"
        "h1 { font-size: 1.7rem; margin: 0 0 1rem; } h2 { font-size: 1.15rem; margin: 2rem 0 .25rem; }\n"
        "dl { display: grid; grid-template-columns: max-content 1fr; gap: .15rem 1.2rem; margin: 0; }\n"
        "dt { color: var(--soft); } dd { margin: 0; overflow-wrap: anywhere; }\n"
        ".verdict { font-weight: 600; margin: 1.2rem 0; padding: .6rem .9rem; border-left: .3rem solid; }\n"
        ".fit { color: var(--good); } .blocked { color: var(--blocker); }\n"
        ".blocker { color: var(--blocker); } .warning { color: var(--warning); } .note { color: var(--note); }\n"
        "ul { list-style: none; margin: 0; padding: 0; } li { border-top: 1px solid var(--line); padding: .7rem 0; }\n"
        "li p { margin: .15rem 0; overflow-wrap: anywhere; } .name { color: var(--soft); font-size: .85rem; float: "
        "right; margin-left: 1rem; }\n"
        ".todo { color: var(--soft); }\n"
        "pre { background: var(--code); padding: .5rem .8rem; margin: .4rem 0 0; white-space: pre-wrap; overflow-wrap: "
        "anywhere;\n"
        "  font: 14px/1.45 ui-monospace, monospace; }\n"
        "section + section { margin-top: 3.5rem; } footer { color: var(--soft); font-size: .85rem; margin-top: 3rem; "
        "}\n"
        "@media print { body { margin: 0; max-width: none; } li { break-inside: avoid; } }\n"
        "</style>\n</head>\n<body>\n");
}

static void append_html_group(GString *out, const Group *same)
{
    const HbFinding *finding = same->first;
    g_autofree char *objects = join_objects(same);

    g_string_append_printf(out, "<li><span class=\"name\">%s%s</span>", finding->name,
                           finding->accepted ? ", accepted" : "");
    append_escaped(out, "<p><strong>", objects, "</strong> ");
    append_escaped(out, "", finding->what, "</p>\n");
    if (finding->todo != NULL)
        append_escaped(out, "<p class=\"todo\">What to do: ", finding->todo, "</p>\n");
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

void hb_preflight_append_html(GString *out, const HbRestore *restore, const char *path)
{
    const GPtrArray *findings = hb_restore_get_findings(restore);
    const HbServerInfo *target = hb_restore_get_target(restore);
    g_autoptr(GPtrArray) groups = group(findings);
    g_autofree char *from = hb_preflight_describe_source(hb_restore_get_manifest(restore), path);
    g_autofree char *contents = describe_contents(hb_restore_get_manifest(restore));
    g_autofree char *counts = count_levels(findings);
    g_autofree char *to =
        hb_restore_is_whole_server(restore)
            ? g_strdup_printf("%s, %s %s", target->address, target->product, target->version)
            : g_strdup_printf("database %s (%s) at %s, %s %s, as %s", hb_restore_get_database(restore),
                              hb_restore_is_new_database(restore) ? "to be created" : "there already", target->address,
                              target->product, target->version, target->user);

    append_escaped(out, "<section>\n<h1>Preflight of ",
                   hb_restore_is_whole_server(restore) ? "users and tablespaces" : hb_restore_get_database(restore),
                   "</h1>\n<dl>\n");
    append_escaped(out, "<dt>from</dt><dd>", from, "</dd>\n");
    append_escaped(out, "<dt>holds</dt><dd>", contents, "</dd>\n");
    append_escaped(out, "<dt>to</dt><dd>", to, "</dd>\n</dl>\n");
    if (hb_restore_is_blocked(restore))
        g_string_append_printf(out, "<p class=\"verdict blocked\">Blocked: %s</p>\n", counts);
    else
        g_string_append_printf(out, "<p class=\"verdict fit\">The target can take it: %s</p>\n", counts);
    for (int level = 0; level < HB_FINDING_LEVEL_COUNT; level++)
        append_html_level(out, groups, (HbFindingLevel)level);
    g_string_append(out, "</section>\n");
}

void hb_preflight_end_html(GString *out)
{
    g_autoptr(GDateTime) now = g_date_time_new_now_utc();
    g_autofree char *time = g_date_time_format(now, "%Y-%m-%d %H:%M UTC");

    g_string_append_printf(out, "<footer>hornbeam %s, %s</footer>\n</body>\n</html>\n", HB_VERSION, time);
}
