/* SPDX-License-Identifier: Apache-2.0 */
/*
 * freshen FROM TO - brings a copy up to date.
 */
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
    g_autoptr(HbReader) dump = hb_reader_open(arguments[0], error);
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

static HbStatus run(HbCli *cli, char **arguments, GError **error)
{
    HbPassOptions options = {.from = hb_cli_make_source(cli), .to = hb_cli_make_restore(cli)};
    g_autofree char *named = NULL, *source = NULL;

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
    if (source == NULL)
        return hb_cli_run_passes(cli, &options, error);
    hb_cli_default_database(options.to.engine, &options.to.to, &options.to.wishes, source);
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
        "breaks off, the next pass completes. FROM may be a newer dump. Without databases in the addresses: all\n"
        "of a server.",
    .arguments_min = 2,
    .arguments_max = 2,
    .bit = HB_FOR_FRESHEN,
    .run = run,
};
