/* SPDX-License-Identifier: Apache-2.0 */
/*
 * freshen FROM TO - brings a copy up to date.
 */
#include "cli/commands/pass_run.h"
#include "cli/commands/restore_report.h"
#include "core/base/error.h"

static gboolean find_servers(HbCli *cli, char **arguments, HbPassOptions *options, GError **error)
{
    if (!hb_cli_find_server(cli, arguments[0], &options->from.engine, &options->from.from, error) ||
        !hb_cli_find_server(cli, arguments[1], &options->to.engine, &options->to.to, error))
        return FALSE;
    return hb_cli_check_same_kind(options->from.engine, options->to.engine, error);
}

static HbStatus run(HbCli *cli, char **arguments, GError **error)
{
    HbPassOptions options = {.from = hb_cli_make_source(cli), .to = hb_cli_make_restore(cli)};
    g_autofree char *named = NULL, *source = NULL;

    if (!find_servers(cli, arguments, &options, error))
        return HB_STATUS_USAGE;
    source = options.from.engine->connector->get_database(arguments[0]);
    named = options.to.engine->connector->get_database(arguments[1]);
    if (source == NULL && named != NULL) {
        hb_cli_set_half_named_error(named, error);
        return HB_STATUS_USAGE;
    }
    if (source == NULL)
        return hb_cli_run_passes(cli, &options, error);
    if (named == NULL)
        options.to.to.database = hb_adapt_database(&options.to.wishes, source);
    return hb_cli_run_pass(cli, &options, error);
}

const HbCommand hb_command_freshen = {
    .name = "freshen",
    .summary = "bring a copy up to date",
    .arguments = "FROM TO",
    .description =
        "Compares the database TO with FROM, row by row, at the cost of reading both once, and brings over\n"
        "what differs: rows that are missing, changed or too many, objects that TO has not yet, sequences.\n"
        "Objects that differ in other ways are named and left. It says first what it will do, and asks. What\n"
        "breaks off, the next pass completes. Without databases in the addresses: all of a server.",
    .arguments_min = 2,
    .arguments_max = 2,
    .bit = HB_FOR_FRESHEN,
    .run = run,
};
