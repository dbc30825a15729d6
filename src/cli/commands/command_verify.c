/* SPDX-License-Identifier: Apache-2.0 */
/*
 * verify DUMP - are the dump's own files whole? verify FROM TO - does TO hold what FROM holds?
 */
#include "cli/commands/whole_server.h"
#include "engine/registry.h"
#include "report/json.h"
#include "report/pages.h"
#include "work/verify/verify.h"

static HbStatus verify_one(HbCli *cli, const HbReader *dump, GError **error)
{
    const char *path = hb_reader_get_path(dump);
    HbFileCheck check = {0};
    HbStatus status = HB_STATUS_DUMP;

    if (hb_verify_files(dump, cli->options.job_count, cli->stop, cli->observers, &check, error)) {
        g_autofree char *plain = hb_page_files(&check, path, FALSE);
        hb_voice_write_log(cli->voice, plain);
        hb_cli_conclude(cli, hb_json_files(&check, path), hb_page_files(&check, path, cli->color));
        status = check.flaws->len == 0 ? HB_STATUS_DONE : HB_STATUS_DUMP;
    }
    hb_file_check_clear(&check);
    return status;
}

/* The databases' own dumps inside that of a whole server, then what belongs to none of them */
static HbStatus verify_files(HbCli *cli, const char *path, GError **error)
{
    g_autoptr(HbReader) dump = hb_reader_open(path, cli->key, error);
    const GPtrArray *members = dump != NULL ? hb_reader_get_manifest(dump)->members : NULL;
    HbStatus status = dump != NULL ? HB_STATUS_DONE : HB_STATUS_DUMP;

    for (guint i = 0; members != NULL && i < members->len && status == HB_STATUS_DONE; i++) {
        g_autoptr(HbReader) member = hb_reader_open_member(dump, members->pdata[i], error);
        status = member != NULL ? verify_one(cli, member, error) : HB_STATUS_DUMP;
    }
    return status == HB_STATUS_DONE ? verify_one(cli, dump, error) : status;
}

static HbStatus compare(HbCli *cli, const HbVerifyOptions *options, GError **error)
{
    HbVerification verification = {0};
    HbStatus status = HB_STATUS_STATEMENT;

    if (hb_verify_run(options, &verification, error)) {
        g_autofree char *plain =
            hb_page_verification(&verification, cli->options.rows_named_max, cli->options.verbose, FALSE);
        hb_voice_write_log(cli->voice, plain);
        hb_cli_conclude(
            cli, hb_json_verification(&verification),
            hb_page_verification(&verification, cli->options.rows_named_max, cli->options.verbose, cli->color));
        status = hb_verification_is_equal(&verification) ? HB_STATUS_DONE : HB_STATUS_REMARKS;
    }
    hb_verification_clear(&verification);
    return status;
}

/* Like restore: without a database in the URI, the one that has the source's name */
static void default_database(HbVerifyOptions *options, const char *name)
{
    hb_cli_default_database(options->to.engine, &options->to.address, &options->wishes, name);
}

static HbStatus verify_against_dump(HbCli *cli, HbVerifyOptions *options, const char *path, GError **error)
{
    g_autoptr(HbReader) dump = hb_reader_open(path, cli->key, error);

    if (dump == NULL)
        return HB_STATUS_DUMP;
    options->from.dump = dump;
    options->parts &= hb_reader_get_manifest(dump)->parts;
    if (hb_reader_get_manifest(dump)->members != NULL)
        return hb_cli_verify_whole(cli, options, error);
    default_database(options, hb_reader_get_manifest(dump)->database);
    return compare(cli, options, error);
}

static HbStatus verify_against_server(HbCli *cli, HbVerifyOptions *options, const char *uri, GError **error)
{
    g_autofree char *database = NULL;

    if (!hb_cli_find_server(cli, uri, &options->from.engine, &options->from.address, error) ||
        !hb_cli_check_same_kind(options->from.engine, options->to.engine, error))
        return HB_STATUS_USAGE;
    database = options->from.engine->connector->get_database(uri);
    if (database == NULL)
        return hb_cli_verify_whole(cli, options, error);
    default_database(options, database);
    return compare(cli, options, error);
}

static HbStatus run(HbCli *cli, char **arguments, GError **error)
{
    HbVerifyOptions options = {.parts = cli->options.part_bits,
                               .selection = cli->options.selection,
                               .wishes = cli->options.wishes,
                               .jobs = cli->options.job_count,
                               .lock_wait_ms = cli->options.lock_wait_ms,
                               .rows_max = cli->options.rows_named_max,
                               .show_values = cli->options.show_values,
                               .throttle_from = cli->throttle,
                               .throttle_to = cli->throttle_to,
                               .probes = cli->options.probes,
                               .stop = cli->stop,
                               .observers = cli->observers};

    if (arguments[1] == NULL)
        return verify_files(cli, arguments[0], error);
    if (!hb_cli_find_server(cli, arguments[1], &options.to.engine, &options.to.address, error))
        return HB_STATUS_USAGE;
    if (hb_engine_is_uri(arguments[0]))
        return verify_against_server(cli, &options, arguments[0], error);
    return verify_against_dump(cli, &options, arguments[0], error);
}

const HbCommand hb_command_verify = {
    .name = "verify",
    .summary = "is a dump whole; does a server hold the same?",
    .arguments = "DUMP | FROM TO",
    .route_arguments = "DUMP TO | FROM TO | DUMP",
    .description = "With one argument: reads every file of a dump and checks it against its sums and counts.\n"
                   "With two: compares the database TO with FROM, a server or a dump: objects and their definitions,\n"
                   "owners, grants, settings, sequence values, and every row of every table.",
    .arguments_min = 1,
    .arguments_max = 2,
    .bit = HB_FOR_VERIFY,
    .run = run,
};
