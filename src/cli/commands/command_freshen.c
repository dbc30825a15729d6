/* SPDX-License-Identifier: Apache-2.0 */
/*
 * freshen FROM TO - brings a copy up to date.
 */
#include "cli/commands/kept_logs.h"
#include "cli/commands/pass_run.h"
#include "cli/commands/restore_report.h"
#include "core/base/error.h"
#include "dump/reader.h"
#include "engine/registry.h"

static gboolean find_servers(HbCli *cli, char **arguments, HbPassOptions *options, GError **error)
{
    if (!hb_cli_find_server(cli, arguments[0], &options->from.engine, &options->from.from, error) ||
        !hb_cli_find_server(cli, arguments[1], &options->to.engine, &options->to.to, error))
        return FALSE;
    return hb_cli_check_same_kind(options->from.engine, options->to.engine, error);
}

/* A dump, newer than the one that the copy was made from */
static HbStatus freshen_from_dump(HbCli *cli, char **arguments, HbPassOptions *options, GError **error)
{
    g_autoptr(HbReader) dump = hb_reader_open(arguments[0], cli->key, error);
    const HbManifest *manifest = dump != NULL ? hb_reader_get_manifest(dump) : NULL;

    if (dump == NULL)
        return HB_STATUS_DUMP;
    if (!hb_cli_find_server(cli, arguments[1], &options->to.engine, &options->to.to, error))
        return HB_STATUS_USAGE;
    if (manifest->members != NULL) {
        hb_error_set(error, HB_ERROR_USAGE, "name the dump of one database inside it: DUMP/" HB_MEMBERS_FOLDER "/NAME",
                     "%s is the dump of a whole server, which is not brought over in one pass", arguments[0]);
        return HB_STATUS_USAGE;
    }
    options->dump = dump;
    options->from.engine = options->to.engine;
    options->from.parts &= manifest->parts;
    options->to.parts &= manifest->parts;
    hb_cli_default_database(options->to.engine, &options->to.to, &options->to.wishes, manifest->database);
    return hb_cli_run_pass(cli, options, error);
}

static gboolean wants_log(const HbCli *cli)
{
    return cli->options.keep_up || cli->options.keep_log || cli->options.by_place == HB_PASS_BY_LOG;
}

/* A log is kept anew from a moment that was compared */
static HbPassOptions make_options(const HbCli *cli)
{
    HbPassOptions options = {.from = hb_cli_make_source(cli),
                             .to = hb_cli_make_restore(cli),
                             .by = (HbPassBy)cli->options.by_place,
                             .keeps_up = cli->options.keep_up,
                             .until_lag_s = cli->options.until_lag_s};

    options.to.remember |= cli->options.keep_log;
    if (cli->options.keep_log)
        options.by = HB_PASS_BY_ROWS;
    else if (cli->options.keep_up)
        options.by = HB_PASS_BY_LOG;
    return options;
}

static HbStatus run(HbCli *cli, char **arguments, GError **error)
{
    HbPassOptions options = make_options(cli);
    g_autofree char *named = NULL, *source = NULL;

    if (cli->options.release)
        return hb_cli_release_log(cli, arguments[0], arguments[1], error);
    if (arguments[1] == NULL) {
        hb_error_set(error, HB_ERROR_USAGE, "`hornbeam help freshen` shows how it is used",
                     "freshen takes FROM and TO");
        return HB_STATUS_USAGE;
    }
    if (cli->options.keep_log && (cli->options.keep_up || cli->options.by_place == HB_PASS_BY_LOG)) {
        hb_error_set(error, HB_ERROR_USAGE, "keep the log with one pass, and read it with the next",
                     "--keep-log compares first: it does not go with --keep-up and --by log");
        return HB_STATUS_USAGE;
    }
    if (wants_log(cli) && !hb_engine_is_uri(arguments[0])) {
        hb_error_set(error, HB_ERROR_USAGE, "name the server that it was made from", "a dump has no log");
        return HB_STATUS_USAGE;
    }
    if (!hb_engine_is_uri(arguments[0]))
        return freshen_from_dump(cli, arguments, &options, error);
    if (!find_servers(cli, arguments, &options, error))
        return HB_STATUS_USAGE;
    source = options.from.engine->connector->get_database(arguments[0]);
    named = options.to.engine->connector->get_database(arguments[1]);
    if (source == NULL && named != NULL) {
        hb_cli_set_half_named_error(named, error);
        return HB_STATUS_USAGE;
    }
    if (source == NULL && wants_log(cli)) {
        hb_error_set(error, HB_ERROR_USAGE, "name a database on both sides",
                     "a log is kept and followed for one database at a time");
        return HB_STATUS_USAGE;
    }
    if (source == NULL)
        return hb_cli_run_passes(cli, &options, error);
    hb_cli_default_database(options.to.engine, &options.to.to, &options.to.wishes, source);
    return hb_cli_run_pass(cli, &options, error);
}

const HbCommand hb_command_freshen = {
    .name = "freshen",
    .summary = "bring a copy up to date",
    .arguments = "FROM [TO]",
    .description =
        "Compares the database TO with FROM, row by row, at the cost of reading both once, and brings over\n"
        "what differs: rows that are missing, changed or too many, objects that TO has not yet, sequences.\n"
        "Objects that differ in other ways are named and left. It says first what it will do, and asks. What\n"
        "breaks off, the next pass completes. FROM may be a newer dump. Without databases in the addresses: all\n"
        "of a server. Where FROM keeps its log for TO (--keep-log), the changes are read from that instead, whatever\n"
        "the size of the database, and --keep-up goes on with it.",
    .arguments_min = 1,
    .arguments_max = 2,
    .bit = HB_FOR_FRESHEN,
    .run = run,
};
