/* SPDX-License-Identifier: Apache-2.0 */
#include "report/pages.h"

#include "report/origin.h"

#include "core/graph/closure.h"
#include "report/exceptions.h"
#include "report/findings.h"
#include "report/pieces.h"
#include "report/preflight.h"
#include "report/probes.h"
#include "report/table.h"

#include <string.h>

/*
 * What people read on a terminal: one page for each result, as text with or without colours. A page says the result
 * last, because that is where the eye is when a command has ended. Long lists are shortened here, never in the result:
 * what was left out is counted, and --verbose or --json has it.
 */

/* ---- Pieces ---- */

static char *rate_text(guint64 bytes, double seconds)
{
    g_autofree char *rate = hb_text_bytes((guint64)((double)bytes / MAX(seconds, 0.001)));
    g_autofree char *duration = hb_text_duration(seconds);

    return g_strdup_printf("%s, %s/s", duration, rate);
}

/* ---- Survey ---- */

#define TABLES_SHOWN 20

/* Sheets that have no rows say only that all is well: they are left out. JSON has them, and all tables */
static void append_sheets(GString *out, const GPtrArray *sheets, gboolean color)
{
    static const char *const only_if_any[] = {
        "invalid_indexes", "transactions", "subscriptions", "slots", "missing_definers", "events", NULL};

    for (guint i = 0; i < sheets->len; i++) {
        const HbResultTable *sheet = sheets->pdata[i];
        if (sheet->rows->len == 0 && g_strv_contains(only_if_any, sheet->key))
            continue;
        g_string_append_c(out, '\n');
        hb_table_append_first(out, sheet, g_str_equal(sheet->key, "tables") ? TABLES_SHOWN : G_MAXUINT, color);
    }
}

char *hb_page_survey(const HbSurvey *survey, gboolean color)
{
    GString *out = g_string_new(NULL);
    const HbServerInfo *server = &survey->server;

    hb_piece_append_heading(out, color, survey->whole_server ? "Survey of a server" : "Survey of a database");
    hb_piece_append_fact(out, color, "server", "%s, %s %s", server->address, server->product, server->version);
    if (!survey->whole_server)
        hb_piece_append_fact(out, color, "database", "%s", server->database);
    hb_piece_append_fact(out, color, "as", "%s%s", server->user, server->is_superuser ? " (superuser)" : "");
    hb_piece_append_fact(out, color, "time", "%s", survey->time);
    if (survey->origin != NULL) {
        g_autofree char *origin = hb_origin_describe(survey->origin);
        hb_piece_append_fact(out, color, "origin", "%s", origin);
    }
    append_sheets(out, survey->tables, color);
    return g_string_free(out, FALSE);
}

/* ---- Dumps ---- */

static void append_contents(GString *out, gboolean color, const HbManifest *manifest)
{
    g_autofree char *objects = hb_text_plural(hb_catalog_count(manifest->catalog), "object", "objects");
    g_autofree char *rows = hb_text_plural(hb_manifest_count_rows(manifest), "row", "rows");
    g_autofree char *tables = hb_text_plural(manifest->rows->len, "table", "tables");
    g_autofree char *bytes = hb_text_bytes(hb_manifest_count_bytes(manifest));
    g_autofree char *stored = hb_text_bytes(hb_manifest_count_stored(manifest));
    g_autofree char *chunks = hb_text_plural(hb_manifest_count_chunks(manifest), "chunk", "chunks");

    hb_piece_append_fact(out, color, "holds", "%s; %s of %s", objects, rows, tables);
    hb_piece_append_fact(out, color, "size", "%s of rows as text, %s stored in %s", bytes, stored, chunks);
}

static void append_dump_head(GString *out, gboolean color, const HbManifest *manifest)
{
    g_autofree char *parts = hb_parts_write(manifest->parts);

    hb_piece_append_fact(out, color, "source", "database %s at %s, %s %s", manifest->database, manifest->address,
                         manifest->product, manifest->server_version);
    hb_piece_append_fact(out, color, "snapshot", "%s%s%s", manifest->snapshot_time,
                         manifest->snapshot_position != NULL ? ", log position " : "",
                         manifest->snapshot_position != NULL ? manifest->snapshot_position : "");
    hb_piece_append_fact(out, color, "parts", "%s", parts);
    append_contents(out, color, manifest);
}

static void append_omissions(GString *out, gboolean color, const GPtrArray *omissions)
{
    g_autoptr(HbResultTable) table = hb_result_table_new("left_out", "Not in the dump");

    if (omissions->len == 0)
        return;
    hb_result_table_add_column(table, "what", "what", HB_COLUMN_TEXT);
    hb_result_table_add_column(table, "why", "why", HB_COLUMN_TEXT);
    for (guint i = 0; i < omissions->len; i++) {
        const HbOmission *omission = omissions->pdata[i];
        guint row = hb_result_table_add_row(table);
        hb_result_table_set(table, row, 0, omission->what);
        hb_result_table_set(table, row, 1, omission->why);
    }
    g_string_append_c(out, '\n');
    hb_table_append(out, table, color);
}

static void append_dump_verdict(GString *out, gboolean color, const char *path, guint omitted)
{
    g_autofree char *visible = hb_text_visible(path);
    g_autofree char *things = hb_text_plural(omitted, "thing is", "things are");

    if (omitted == 0)
        hb_piece_append_verdict(out, color, TRUE, "Written whole: %s", visible);
    else
        hb_piece_append_verdict(out, color, FALSE, "Written: %s, but %s left out, as listed above", visible, things);
}

char *hb_page_whole_dump(const HbManifest *manifest, const HbResultTable *databases, const GPtrArray *omissions,
                         const char *path, gboolean color)
{
    GString *out = g_string_new(NULL);

    hb_piece_append_heading(out, color, "Dump of a whole server");
    hb_piece_append_fact(out, color, "source", "%s, %s %s", manifest->address, manifest->product,
                         manifest->server_version);
    hb_piece_append_fact(out, color, "holds", "%u objects that belong to no database",
                         hb_catalog_count(manifest->catalog));
    g_string_append_c(out, '\n');
    hb_table_append(out, databases, color);
    append_omissions(out, color, omissions);
    append_dump_verdict(out, color, path, omissions->len);
    return g_string_free(out, FALSE);
}

char *hb_page_title(const char *title, gboolean color)
{
    GString *out = g_string_new(NULL);
    g_autofree char *visible = hb_text_visible(title);

    hb_piece_append_heading(out, color, visible);
    return g_string_free(out, FALSE);
}

char *hb_page_dump(const HbManifest *manifest, const char *path, double seconds, gboolean color)
{
    GString *out = g_string_new(NULL);
    guint omitted = hb_catalog_get_omissions(manifest->catalog)->len;
    g_autofree char *rate = rate_text(hb_manifest_count_bytes(manifest), seconds);

    hb_piece_append_heading(out, color, "Dump");
    append_dump_head(out, color, manifest);
    hb_piece_append_fact(out, color, "time", "%s", rate);
    append_omissions(out, color, hb_catalog_get_omissions(manifest->catalog));
    append_dump_verdict(out, color, path, omitted);
    return g_string_free(out, FALSE);
}

static HbResultTable *list_objects(const HbManifest *manifest)
{
    g_autoptr(GHashTable) stored = g_hash_table_new(g_str_hash, g_str_equal);
    HbResultTable *table = hb_result_table_new("order", "In the order of restoring");

    hb_result_table_add_column(table, "place", "place", HB_COLUMN_COUNT);
    hb_result_table_add_column(table, "stage", "stage", HB_COLUMN_TEXT);
    hb_result_table_add_column(table, "kind", "kind", HB_COLUMN_TEXT);
    hb_result_table_add_column(table, "name", "name", HB_COLUMN_TEXT);
    hb_result_table_add_column(table, "owner", "owner", HB_COLUMN_TEXT);
    hb_result_table_add_column(table, "rows", "rows", HB_COLUMN_COUNT);
    hb_result_table_add_column(table, "bytes", "size", HB_COLUMN_BYTES);
    for (guint i = 0; i < manifest->rows->len; i++) {
        HbStoredRows *rows = manifest->rows->pdata[i];
        g_hash_table_insert(stored, rows->set->identity, rows);
    }
    for (guint i = 0; i < hb_catalog_count(manifest->catalog); i++) {
        const HbObject *object = hb_catalog_get(manifest->catalog, i);
        const HbStoredRows *rows = g_hash_table_lookup(stored, object->identity);
        guint row = hb_result_table_add_row(table);
        hb_result_table_set_count(table, row, 0, i + 1);
        hb_result_table_set(table, row, 1, hb_stage_get_name(object->stage));
        hb_result_table_set(table, row, 2, hb_kind_get_traits(object->kind)->name);
        hb_result_table_set(table, row, 3, hb_object_get_name(object));
        hb_result_table_set(table, row, 4, object->owner);
        if (rows != NULL) {
            hb_result_table_set_count(table, row, 5, rows->digest.rows);
            hb_result_table_set_count(table, row, 6, rows->bytes);
        }
    }
    return table;
}

static void append_members(GString *out, gboolean color, const HbManifest *manifest)
{
    g_autoptr(HbResultTable) table = hb_result_table_new("databases", "Databases, each a dump of its own");

    if (manifest->members == NULL)
        return;
    hb_result_table_add_column(table, "name", "database", HB_COLUMN_TEXT);
    hb_result_table_add_column(table, "folder", "folder", HB_COLUMN_TEXT);
    for (guint i = 0; i < manifest->members->len; i++) {
        const HbMember *member = manifest->members->pdata[i];
        guint row = hb_result_table_add_row(table);
        hb_result_table_set(table, row, 0, member->name);
        hb_result_table_set(table, row, 1, member->folder);
    }
    g_string_append_c(out, '\n');
    hb_table_append(out, table, color);
}

char *hb_page_show(const HbManifest *manifest, const char *path, gboolean color)
{
    GString *out = g_string_new(NULL);
    g_autoptr(HbResultTable) objects = list_objects(manifest);
    g_autofree char *title = g_strdup_printf("Dump %s", path);

    hb_piece_append_heading(out, color, title);
    append_dump_head(out, color, manifest);
    append_members(out, color, manifest);
    g_string_append_c(out, '\n');
    hb_table_append(out, objects, color);
    append_omissions(out, color, hb_catalog_get_omissions(manifest->catalog));
    return g_string_free(out, FALSE);
}

static void append_needs(GString *out, gboolean color, const char *title, GArray *needs)
{
    g_string_append_c(out, '\n');
    hb_piece_append_heading(out, color, title);
    if (needs->len == 0)
        g_string_append(out, "  nothing\n");
    for (guint i = 0; i < needs->len; i++) {
        const HbClosureItem *need = &g_array_index(needs, HbClosureItem, i);
        g_autofree char *visible = hb_text_visible(need->object->identity);
        g_autofree char *distance =
            need->distance == 1 ? g_strdup("") : g_strdup_printf("  (%u steps away)", need->distance);
        g_string_append_printf(out, "  %s", visible);
        hb_text_append_painted(out, color, HB_PAINT_FAINT, distance);
        g_string_append_c(out, '\n');
    }
    g_array_unref(needs);
}

char *hb_page_needs(const HbCatalog *catalog, const HbObject *object, gboolean color)
{
    GString *out = g_string_new(NULL);

    hb_piece_append_heading(out, color, object->identity);
    hb_piece_append_fact(out, color, "place", "%u of %u", hb_catalog_get_place(catalog, object->identity) + 1,
                         hb_catalog_count(catalog));
    hb_piece_append_fact(out, color, "stage", "%s", hb_stage_get_name(object->stage));
    if (object->owner != NULL)
        hb_piece_append_fact(out, color, "owner", "%s", object->owner);
    append_needs(out, color, "It needs", hb_closure_find_needed(catalog, object));
    append_needs(out, color, "Needed by", hb_closure_find_needing(catalog, object));
    return g_string_free(out, FALSE);
}

/* ---- Restore ---- */

char *hb_page_restore_plan(const HbRestore *restore, const HbManifest *manifest, const char *path, gboolean color)
{
    GString *out = g_string_new(NULL);
    g_autofree char *source = hb_preflight_describe_source(manifest, path);

    hb_piece_append_heading(out, color, hb_restore_is_resumed(restore) ? "About to go on writing" : "About to write");
    if (manifest->members != NULL)
        hb_piece_append_fact(out, color, "from", "%s, then its databases", source);
    else
        hb_piece_append_fact(out, color, "from", "%s, %s", source, manifest->snapshot_time);
    if (path != NULL)
        append_contents(out, color, manifest);
    else
        hb_preflight_append_contents(out, color, manifest);
    hb_preflight_append_target(out, color, restore);
    hb_findings_append_warnings(out, color, hb_restore_get_findings(restore));
    g_string_append_c(out, '\n');
    return g_string_free(out, FALSE);
}

#define BEGIN_AGAIN "Begin again: into a new database, or with --existing replace --accept unfinished-restore"

static void append_restore_verdict(GString *out, gboolean color, const HbRestore *restore,
                                   const HbRestoreResult *result, guint failed, guint remarks, guint left_out)
{
    g_autofree char *name = hb_text_visible(hb_restore_get_database(restore));
    g_autofree char *things = hb_text_plural(remarks + left_out, "thing is", "things are");
    g_autofree char *what =
        hb_restore_is_whole_server(restore) ? g_strdup("users and tablespaces") : g_strdup_printf("database %s", name);

    const char *again = hb_restore_can_resume(restore) ? "Go on with --resume" : BEGIN_AGAIN;

    if (hb_restore_is_done_before(restore))
        hb_piece_append_verdict(out, color, TRUE,
                                "Finished already: %s holds all of this dump; nothing was done. Verify compares it",
                                what);
    else if (failed > 0)
        hb_piece_append_verdict(out, color, FALSE, "Not complete: %u failed, %u left out. Mend the causes. %s", failed,
                                left_out, again);
    else if (result->open > 0)
        hb_piece_append_verdict(out, color, FALSE, "Not complete: %u steps are still open. %s", result->open, again);
    else if (remarks + left_out > 0)
        hb_piece_append_verdict(out, color, FALSE, "Restored: %s, but %s not as in the source, as listed above", what,
                                things);
    else if (hb_restore_get_cleanup(restore) != NULL)
        hb_piece_append_verdict(out, color, TRUE, "Restored: %s, and what it had already as was asked for", what);
    else if (hb_restore_result_count(result, HB_OUTCOME_ABSENT) > 0)
        hb_piece_append_verdict(out, color, TRUE,
                                "Restored whole, but for what is not in the dump, as listed above: %s", what);
    else
        hb_piece_append_verdict(out, color, TRUE, "Restored whole: %s", what);
}

char *hb_page_restore(const HbRestore *restore, const HbRestoreResult *result, gboolean color)
{
    GString *out = g_string_new(NULL);
    g_autofree char *rate = rate_text(result->bytes, result->seconds);
    g_autofree char *rows = hb_text_plural(result->rows, "row", "rows");
    g_autofree char *done = hb_text_plural(result->done, "step", "steps");
    const gboolean is_told = hb_restore_is_resumed(restore) || hb_restore_is_done_before(restore);
    g_autofree char *before = is_told && (result->done_before > 0 || result->elsewhere == 0)
                                  ? g_strdup_printf(" (and %u by the earlier run)", result->done_before)
                                  : NULL;
    guint failed, left_out, remarks;

    hb_piece_append_heading(out, color,
                            hb_restore_is_whole_server(restore) ? "Restore of users and tablespaces" : "Restore");
    hb_piece_append_fact(out, color, "done", "%s%s, %s", done, before != NULL ? before : "", rows);
    if (result->elsewhere > 0)
        hb_piece_append_fact(out, color, "hosts", "%u of these steps by this one, %u by others",
                             result->done - result->elsewhere, result->elsewhere);
    hb_piece_append_fact(out, color, "time", "%s", rate);
    hb_exceptions_append(out, color, result, HB_OUTCOME_KEPT, "Kept");
    hb_exceptions_append(out, color, result, HB_OUTCOME_ABSENT, "Not in the dump");
    remarks = hb_exceptions_append(out, color, result, HB_OUTCOME_CHANGED, "Changed for this target");
    failed = hb_exceptions_append(out, color, result, HB_OUTCOME_FAILED, "Failed");
    remarks += hb_exceptions_append(out, color, result, HB_OUTCOME_REFUSED, "Refused by the server");
    left_out = hb_exceptions_append(out, color, result, HB_OUTCOME_LEFT_OUT, "Left out");
    hb_exceptions_append(out, color, result, HB_OUTCOME_GONE, "Gone from the target");
    append_restore_verdict(out, color, restore, result, failed, remarks, left_out);
    return g_string_free(out, FALSE);
}

/* ---- Verify ---- */

char *hb_page_files(const HbFileCheck *check, const char *path, gboolean color)
{
    GString *out = g_string_new(NULL);
    g_autofree char *files = hb_text_plural(check->files, "file", "files");
    g_autofree char *bytes = hb_text_bytes(check->bytes);
    g_autofree char *rows = hb_text_plural(check->rows, "row", "rows");
    g_autofree char *flaws = hb_text_plural(check->flaws->len, "flaw", "flaws");
    g_autofree char *visible = hb_text_visible(path);

    hb_piece_append_heading(out, color, "Verification of a dump's files");
    hb_piece_append_fact(out, color, "read", "%s, %s, %s", files, bytes, rows);
    for (guint i = 0; i < check->flaws->len; i++) {
        const HbFlaw *flaw = check->flaws->pdata[i];
        g_autofree char *file = hb_text_visible(flaw->file);
        g_autofree char *problem = hb_text_visible(flaw->problem);
        g_string_append_printf(out, "  %s: %s\n", file, problem);
    }
    if (check->flaws->len == 0)
        hb_piece_append_verdict(out, color, TRUE, "Whole: %s", visible);
    else
        hb_piece_append_verdict(out, color, FALSE, "Damaged: %s has %s", visible, flaws);
    return g_string_free(out, FALSE);
}
