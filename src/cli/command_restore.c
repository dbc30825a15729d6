/* SPDX-License-Identifier: Apache-2.0 */
/*
 * restore DUMP TO - carry out a dump on a server.
 */
#include "cli/restoring.h"
#include "cli/whole.h"
#include "core/error.h"
#include "report/json.h"
#include "report/pages.h"
#include "work/restore.h"

static void report(HbCli *cli, const HbRestore *restore, const HbRestoreResult *result)
{
    g_autofree char *plain = hb_page_restore(restore, result, FALSE);

    hb_voice_write_log(cli->voice, plain);
    if (cli->options.json)
        hb_cli_print(cli, hb_json_restore(restore, result));
    else if (!cli->options.quiet)
        hb_cli_print(cli, hb_page_restore(restore, result, cli->color));
}

static HbStatus run_opened(HbCli *cli, HbRestore *restore, const HbReader *dump, GError **error)
{
    HbRestoreResult result = {0};
    HbStatus status;

    if (hb_restore_is_blocked(restore)) {
        hb_cli_show_refusal(cli, restore, hb_reader_get_path(dump));
        hb_restore_set_blocked_error(restore, error);
        return HB_STATUS_REMARKS;
    }
    hb_cli_show_plan(cli, restore, hb_reader_get_path(dump));
    hb_restore_run(restore, &result, error);
    report(cli, restore, &result);
    status = hb_cli_judge_restore(&result);
    hb_restore_result_clear(&result);
    return status;
}

static HbStatus restore_whole(HbCli *cli, const HbRestoreOptions *options, const char *uri, GError **error)
{
    g_autofree char *database = options->engine->get_database(uri);

    if (database == NULL)
        return hb_cli_restore_whole(cli, options, error);
    hb_error_set(error, HB_ERROR_USAGE,
                 "name the server without a database, or one of the dumps in its folder databases/",
                 "%s is the dump of a whole server, and the address names database %s",
                 hb_reader_get_path(options->dump), database);
    return HB_STATUS_USAGE;
}

static HbStatus run(HbCli *cli, char **arguments, GError **error)
{
    HbRestoreOptions options = hb_cli_make_restore(cli);
    g_autoptr(HbReader) dump = NULL;
    HbRestore *restore;
    HbStatus status = HB_STATUS_SERVER;

    if (!hb_cli_find_server(cli, arguments[1], &options.engine, &options.to, error))
        return HB_STATUS_USAGE;
    dump = hb_reader_open(arguments[0], error);
    if (dump == NULL)
        return HB_STATUS_DUMP;
    options.dump = dump;
    options.manifest = hb_reader_get_manifest(dump);
    if (hb_reader_get_manifest(dump)->members != NULL)
        return restore_whole(cli, &options, arguments[1], error);
    restore = hb_restore_open(&options, error);
    if (restore != NULL)
        status = run_opened(cli, restore, dump, error);
    hb_restore_free(restore);
    return status;
}

const HbCommand hb_command_restore = {
    .name = "restore",
    .summary = "carry out a dump on a server",
    .arguments = "DUMP TO",
    .description = "Restores a dump into a database: the one that the URI names, or one of the source's name. It is\n"
                   "created if it is missing; one that holds anything is refused. Users come first; one who is there\n"
                   "already is kept. A restore that was interrupted goes on with --resume.",
    .arguments_min = 2,
    .arguments_max = 2,
    .bit = HB_FOR_RESTORE,
    .run = run,
};
