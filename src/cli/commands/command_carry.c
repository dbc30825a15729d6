/* SPDX-License-Identifier: Apache-2.0 */
/*
 * carry FROM TO - from server to server, with nothing on disk.
 */
#include "cli/commands/pass_run.h"
#include "cli/commands/restore_report.h"
#include "cli/commands/whole_server.h"
#include "core/base/error.h"
#include "work/origin/origin.h"
#include "work/restore/carry.h"

/* A log that the copy does not remember would be kept for nobody */
static void settle_log(const HbCli *cli, HbSnapshotSource *source, const HbRestore *restore,
                       const HbRestoreOptions *options)
{
    HbAddress to = options->to;

    to.database = hb_restore_get_database(restore);
    source->leaves_log = hb_origin_remembers_log(options->engine, &to, source->manifest->kept_log);
    if (!source->leaves_log && !cli->options.dry_run)
        hb_observers_note(cli->observers, HB_SEVERITY_WARNING,
                          "carry --resume --keep-log completes it, and keeps it anew",
                          "the copy is not whole: FROM does not keep its log for it");
}

static HbStatus carry_source(HbCli *cli, HbSnapshotSource *source, HbRestoreOptions *options, GError **error)
{
    HbCarry *carry = hb_carry_new(source);
    HbRestore *restore;
    HbStatus status;

    options->manifest = source->manifest;
    options->source = source->identity;
    options->pulled_in = source->pulled_in;
    options->provider = hb_carry_get_provider(carry);
    restore = hb_restore_open(options, error);
    status = hb_cli_run_restore(cli, restore, NULL, error);
    if (restore != NULL && source->manifest->kept_log != NULL)
        settle_log(cli, source, restore, options);
    hb_restore_free(restore);
    hb_carry_free(carry);
    return status;
}

static HbStatus carry_whole(HbCli *cli, const HbSnapshotSourceOptions *from, HbRestoreOptions *options, const char *to,
                            GError **error)
{
    g_autofree char *database = options->engine->connector->get_database(to);

    if (database != NULL) {
        hb_cli_set_half_named_error(database, error);
        return HB_STATUS_USAGE;
    }
    if (cli->options.keep_log) {
        hb_error_set(error, HB_ERROR_USAGE, "carry the databases one by one",
                     "--keep-log keeps the log for the copy of one database");
        return HB_STATUS_USAGE;
    }
    if (options->resume) {
        hb_error_set(error, HB_ERROR_USAGE, "name the database that is not finished on both sides",
                     "a carry of a whole server goes on database by database");
        return HB_STATUS_USAGE;
    }
    options->selection = NULL; /* made by the sources */
    return hb_cli_carry_whole(cli, from, options, error);
}

/* What is loaded stays; a new moment of the source is taken, and what differs from it is brought */
static HbStatus resume(HbCli *cli, const HbSnapshotSourceOptions *from, const HbRestoreOptions *to, char **arguments,
                       GError **error)
{
    HbPassOptions options = {.from = *from, .to = *to, .by = HB_PASS_BY_ROWS};
    g_autofree char *source = from->engine->connector->get_database(arguments[0]);

    options.to.remember |= cli->options.keep_log;
    hb_cli_default_database(options.to.engine, &options.to.to, &options.to.wishes, source);
    return hb_cli_run_pass(cli, &options, error);
}

static HbStatus run(HbCli *cli, char **arguments, GError **error)
{
    HbSnapshotSourceOptions from = hb_cli_make_source(cli);
    HbRestoreOptions options = hb_cli_make_restore(cli);
    g_autofree char *database = NULL;
    HbSnapshotSource *source;
    HbStatus status = HB_STATUS_SERVER;

    from.name_losses = TRUE;
    if (!hb_cli_find_server(cli, arguments[0], &from.engine, &from.from, error) ||
        !hb_cli_find_server(cli, arguments[1], &options.engine, &options.to, error) ||
        !hb_cli_check_same_kind(from.engine, options.engine, error))
        return HB_STATUS_USAGE;
    database = from.engine->connector->get_database(arguments[0]);
    if (database == NULL)
        return carry_whole(cli, &from, &options, arguments[1], error);
    if (options.resume)
        return resume(cli, &from, &options, arguments, error);
    options.selection = NULL; /* made by the source */
    options.remember |= cli->options.keep_log;
    source = hb_snapshot_source_new(&from, error);
    if (source != NULL && hb_snapshot_source_read(source, error))
        status = carry_source(cli, source, &options, error);
    hb_snapshot_source_free(source);
    return status;
}

const HbCommand hb_command_carry = {
    .name = "carry",
    .summary = "from server to server, with nothing on disk",
    .arguments = "FROM TO",
    .description =
        "Brings the database FROM to the server TO: one moment of it, in the order of its needs, rows passing from\n"
        "reading to writing sessions. A FROM without a database is the whole server. It looks ahead like\n"
        "preflight, and stops at blockers. What fails is reported as by restore. A carry that broke off goes\n"
        "on with --resume: what is in stays, and a new moment of FROM completes it.",
    .arguments_min = 2,
    .arguments_max = 2,
    .bit = HB_FOR_CARRY,
    .run = run,
};
