/* SPDX-License-Identifier: Apache-2.0 */
/*
 * restore DUMP TO - carry out a dump on a server.
 */
#include "cli/commands/restore_report.h"
#include "cli/commands/whole_server.h"
#include "core/base/error.h"
#include "work/rows_from/stream_rows.h"

#include <string.h>
#include <unistd.h>

static gboolean is_server(const HbRestoreOptions *options, const char *uri, const char *dump, GError **error)
{
    g_autofree char *database = options->engine->connector->get_database(uri);

    return database == NULL ||
           hb_error_set(error, HB_ERROR_USAGE,
                        "name the server without a database; one database out of it is chosen by --take database:NAME",
                        "%s is the dump of a whole server, and the address names database %s", dump, database);
}

static gboolean check_one_host(const HbCli *cli, const char *what, GError **error)
{
    return !cli->options.join || hb_error_set(error, HB_ERROR_USAGE, "restore it with one host, without --join",
                                              "--join is not for %s", what);
}

static HbStatus restore_whole(HbCli *cli, const HbRestoreOptions *options, const char *uri, GError **error)
{
    return check_one_host(cli, "a whole server", error) &&
                   is_server(options, uri, hb_reader_get_path(options->dump), error)
               ? hb_cli_restore_whole(cli, options, error)
               : HB_STATUS_USAGE;
}

/* A dump that comes through standard input */
static HbStatus restore_stream(HbCli *cli, HbRestoreOptions *options, const char *uri, GError **error)
{
    g_autoptr(HbStream) stream = NULL;
    HbStreamRows *stream_rows;
    HbRestore *restore;
    HbStatus status;

    if (!check_one_host(cli, "a dump that comes through standard input", error))
        return HB_STATUS_USAGE;
    stream = hb_stream_open(STDIN_FILENO, hb_stop_get_fd(cli->stop), cli->key, error);
    if (stream == NULL)
        return HB_STATUS_DUMP;
    options->manifest = hb_stream_get_manifest(stream);
    if (options->manifest->members != NULL)
        return is_server(options, uri, "standard input", error) ? hb_cli_take_whole(cli, stream, options, error)
                                                                : HB_STATUS_USAGE;
    stream_rows = hb_stream_rows_new(stream, options);
    options->provider = hb_stream_rows_get_provider(stream_rows);
    restore = hb_restore_open(options, error);
    status = hb_cli_run_restore(cli, restore, NULL, error);
    hb_restore_free(restore);
    hb_stream_rows_free(stream_rows);
    return status;
}

static HbStatus run(HbCli *cli, char **arguments, GError **error)
{
    HbRestoreOptions options = hb_cli_make_restore(cli);
    g_autoptr(HbReader) dump = NULL;
    HbRestore *restore;
    HbStatus status;

    if (!hb_cli_find_server(cli, arguments[1], &options.engine, &options.to, error))
        return HB_STATUS_USAGE;
    if (strcmp(arguments[0], "-") == 0)
        return restore_stream(cli, &options, arguments[1], error);
    dump = hb_reader_open(arguments[0], cli->key, error);
    if (dump == NULL)
        return HB_STATUS_DUMP;
    options.dump = dump;
    options.manifest = hb_reader_get_manifest(dump);
    if (hb_reader_get_manifest(dump)->members != NULL)
        return restore_whole(cli, &options, arguments[1], error);
    if (options.manifest->kept_log != NULL && !options.remember && !options.resume)
        hb_observers_note(cli->observers, HB_SEVERITY_NOTE, "give --remember, and freshen reads what has changed since",
                          "the source of this dump keeps its log for a copy; this one will not remember that");
    restore = hb_restore_open(&options, error);
    status = hb_cli_run_restore(cli, restore, arguments[0], error);
    hb_restore_free(restore);
    return status;
}

const HbCommand hb_command_restore = {
    .name = "restore",
    .summary = "carry out a dump on a server",
    .arguments = "DUMP TO",
    .description = "Restores a dump into a database: the one that the URI names, or one of the source's name. It is\n"
                   "created if it is missing; one that holds anything is refused, unless --existing says what is to\n"
                   "become of that. Users come first; one that exists already is kept. It looks ahead like preflight,\n"
                   "and stops at blockers before anything is written. One that was interrupted goes on with --resume.",
    .arguments_min = 2,
    .arguments_max = 2,
    .bit = HB_FOR_RESTORE,
    .run = run,
};
