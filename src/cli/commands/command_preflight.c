/* SPDX-License-Identifier: Apache-2.0 */
/*
 * preflight FROM TO - can TO take FROM? Findings, each with what to do.
 */
#include "cli/commands/kept_logs.h"
#include "cli/commands/restore_report.h"
#include "cli/commands/whole_server.h"
#include "core/base/error.h"
#include "engine/registry.h"
#include "report/html.h"
#include "report/json.h"
#include "report/preflight.h"

/* What was found, database by database */
typedef struct {
    HbCli *cli;
    const char *path; /* of the dump; NULL: FROM is a server */
    HbStatus status;
    GPtrArray *documents; /* char *: JSON */
    GString *html;
} PreflightRun;

static void tell(gpointer data, const HbRestore *restore)
{
    PreflightRun *preflight = data;
    g_autofree char *plain = hb_preflight_page(restore, preflight->path, FALSE);

    hb_voice_write_log(preflight->cli->voice, plain);
    g_ptr_array_add(preflight->documents, hb_json_preflight(restore));
    hb_preflight_append_html(preflight->html, restore, preflight->path);
    if (!preflight->cli->options.json)
        hb_cli_print(preflight->cli, hb_preflight_page(restore, preflight->path, preflight->cli->color));
    if (hb_restore_is_blocked(restore))
        preflight->status = HB_STATUS_REMARKS;
}

static gboolean look(PreflightRun *preflight, const HbRestoreOptions *options, GError **error)
{
    HbRestore *restore = hb_restore_open(options, error);

    if (restore == NULL)
        return FALSE;
    tell(preflight, restore);
    hb_restore_free(restore);
    return TRUE;
}

/* ---- From a dump ---- */

static gboolean preflight_dump(PreflightRun *preflight, HbRestoreOptions *options, GError **error)
{
    const HbServerCallbacks callbacks = {.inspected = tell, .data = preflight};
    g_autoptr(HbReader) dump = hb_reader_open(preflight->path, preflight->cli->key, error);

    if (dump == NULL)
        return FALSE;
    options->dump = dump;
    options->manifest = hb_reader_get_manifest(dump);
    if (options->manifest->members == NULL)
        return look(preflight, options, error);
    preflight->cli->options.selection->lenient = TRUE;
    preflight->cli->options.wishes.lenient = TRUE;
    return hb_whole_server_preview(options, &callbacks, error);
}

/* ---- From a server ---- */

static gboolean preflight_database(PreflightRun *preflight, HbRestoreOptions *options,
                                   const HbSnapshotSourceOptions *from, GError **error)
{
    HbSnapshotSource *source = hb_snapshot_source_new(from, error);
    g_autoptr(HbManifest) manifest = NULL;
    g_autofree char *identity = NULL;

    if (source == NULL || !hb_snapshot_source_read(source, error)) {
        hb_snapshot_source_free(source);
        return FALSE;
    }
    identity = g_strdup(source->identity);
    manifest = hb_snapshot_source_take_manifest(source);
    options->manifest = manifest;
    options->source = identity;
    return look(preflight, options, error);
}

static gboolean preflight_server(PreflightRun *preflight, HbRestoreOptions *options, HbSnapshotSourceOptions *from,
                                 GError **error)
{
    const HbSide side = {.engine = from->engine, .address = from->from};
    g_autoptr(GArray) databases = hb_whole_server_list(&side, error);

    preflight->cli->options.selection->lenient = TRUE;
    preflight->cli->options.wishes.lenient = TRUE;
    options->part_of_server = TRUE;
    for (guint i = 0; databases != NULL && i < databases->len; i++) {
        const char *name = g_array_index(databases, HbDatabase, i).name;
        from->from.database = name;
        options->to.database = name;
        if (hb_selection_takes_database(from->selection, name) && !preflight_database(preflight, options, from, error))
            return FALSE;
    }
    return databases != NULL;
}

static gboolean preflight_uri(PreflightRun *preflight, HbRestoreOptions *options, const char *uri, GError **error)
{
    HbSnapshotSourceOptions from = hb_cli_make_source(preflight->cli);
    g_autofree char *database = NULL;
    HbAddress copy = options->to;

    from.name_losses = TRUE;
    if (!hb_cli_find_server(preflight->cli, uri, &from.engine, &from.from, error) ||
        !hb_cli_check_same_kind(from.engine, options->engine, error))
        return FALSE;
    database = from.engine->connector->get_database(uri);
    if (database != NULL)
        hb_cli_default_database(options->engine, &copy, &options->wishes, database);
    hb_cli_tell_log_of(preflight->cli, from.engine, &from.from, &copy);
    return database != NULL ? preflight_database(preflight, options, &from, error)
                            : preflight_server(preflight, options, &from, error);
}

/* ---- The whole ---- */

static gboolean write_html(PreflightRun *preflight, GError **error)
{
    const char *path = preflight->cli->options.report;
    g_autoptr(GError) cause = NULL;

    if (path == NULL)
        return TRUE;
    hb_html_end(preflight->html);
    return g_file_set_contents(path, preflight->html->str, (gssize)preflight->html->len, &cause) ||
           hb_error_set(error, HB_ERROR_FILE, "name a file that can be written", "--report: %s", cause->message);
}

static void conclude(PreflightRun *preflight)
{
    hb_cli_conclude(preflight->cli,
                    preflight->documents->len == 1 ? g_strdup(preflight->documents->pdata[0])
                                                   : hb_json_list("server preflight", preflight->documents),
                    preflight->documents->len == 0
                        ? g_strdup("FROM has no database that could be moved, and nothing beside them.")
                        : NULL);
}

static HbStatus run(HbCli *cli, char **arguments, GError **error)
{
    HbRestoreOptions options = hb_cli_make_restore(cli);
    PreflightRun preflight = {
        .cli = cli, .documents = g_ptr_array_new_with_free_func(g_free), .html = g_string_new(NULL)};
    gboolean ok = hb_cli_find_server(cli, arguments[1], &options.engine, &options.to, error);

    hb_html_begin(preflight.html, "Preflight");
    if (ok)
        hb_cli_tell_kept_logs(cli, options.engine, &options.to);
    if (!hb_engine_is_uri(arguments[0]))
        preflight.path = arguments[0];
    if (ok)
        ok = preflight.path != NULL ? preflight_dump(&preflight, &options, error)
                                    : preflight_uri(&preflight, &options, arguments[0], error);
    if (ok && write_html(&preflight, error))
        conclude(&preflight);
    g_ptr_array_unref(preflight.documents);
    g_string_free(preflight.html, TRUE);
    return preflight.status;
}

const HbCommand hb_command_preflight = {
    .name = "preflight",
    .summary = "can a server take a database or a dump?",
    .arguments = "FROM TO",
    .route_arguments = "FROM TO | DUMP TO",
    .description =
        "Looks at the server TO, and says what would go wrong, or otherwise than expected, if FROM (a database,\n"
        "a server, or a dump) were restored there: blockers, warnings and notes, each with what to do. Nothing\n"
        "is written. restore looks at the same first, and stops at blockers.",
    .arguments_min = 2,
    .arguments_max = 2,
    .bit = HB_FOR_PREFLIGHT,
    .run = run,
};
