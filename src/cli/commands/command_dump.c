/* SPDX-License-Identifier: Apache-2.0 */
/*
 * dump FROM DUMP - write a database into a folder.
 */
#include "cli/commands/keep_dumps.h"
#include "cli/commands/whole_server.h"
#include "cli/terminal.h"
#include "core/base/error.h"
#include "core/base/glob.h"
#include "core/select/pattern.h"
#include "dump/bucket.h"
#include "dump/folder.h"
#include "dump/object_access.h"
#include "dump/reader.h"
#include "report/json.h"
#include "report/pages.h"
#include "report/text.h"
#include "work/dump/dump.h"

#include <string.h>

/* --accept left-out-of-dump, or left-out-of-dump:GLOB: a nightly dump is told of what is new only */
static gboolean is_expected(const HbCli *cli, const HbOmission *omission)
{
    static const char name[] = "left-out-of-dump";

    for (char *const *accepted = cli->options.accept; accepted != NULL && *accepted != NULL; accepted++) {
        const char *glob = g_str_has_prefix(*accepted, name) ? *accepted + strlen(name) : NULL;
        if (glob != NULL && (*glob == '\0' || (*glob == ':' && hb_glob_fits(glob + 1, omission->what))))
            return TRUE;
    }
    return FALSE;
}

static void warn_of_omissions(HbCli *cli, const HbManifest *manifest)
{
    const GPtrArray *omissions = hb_catalog_get_omissions(manifest->catalog);

    for (guint i = 0; i < omissions->len; i++) {
        const HbOmission *omission = omissions->pdata[i];
        if (is_expected(cli, omission))
            continue;
        hb_observers_note(cli->observers, HB_SEVERITY_WARNING, NULL, "not in the dump: %s (%s)", omission->what,
                          omission->why);
    }
}

static HbStatus conflicts(const HbCli *cli, const HbManifest *manifest)
{
    const GPtrArray *omissions = hb_catalog_get_omissions(manifest->catalog);

    for (guint i = 0; i < omissions->len; i++) {
        if (!is_expected(cli, omissions->pdata[i]))
            return HB_STATUS_REMARKS;
    }
    return HB_STATUS_DONE;
}

static HbStatus report(HbCli *cli, const HbManifest *manifest, const char *path, double seconds)
{
    if (strcmp(path, "-") == 0) {
        g_autofree char *plain = hb_page_dump(manifest, "standard output", seconds, hb_voice_has_color(cli->voice));
        hb_voice_show(cli->voice, plain, FALSE);
    } else {
        const gboolean is_page = !cli->options.json && !cli->options.quiet;
        g_autofree char *plain = hb_page_dump(manifest, path, seconds, FALSE);
        if (is_page)
            hb_voice_write_log(cli->voice, plain);
        else
            warn_of_omissions(cli, manifest);
        hb_cli_conclude(cli, hb_json_dump(manifest, path, seconds),
                        is_page ? hb_page_dump(manifest, path, seconds, cli->color) : NULL);
    }
    return conflicts(cli, manifest);
}

/* ---- With other hosts ---- */

static gboolean check_shared(const HbCli *cli, const HbDumpOptions *options, const char *database, GError **error)
{
    if (database == NULL || hb_folder_is_stream(options->path))
        return hb_error_set(error, HB_ERROR_USAGE,
                            "let several hosts dump one database, into a folder that all have or an object store",
                            "--join is not for %s", database == NULL ? "a whole server" : "a dump that is one file");
    return options->source.engine->source->is_joined_later || cli->options.hosts_count > 0 ||
           hb_error_set(error, HB_ERROR_USAGE, "give all of them --hosts N: they begin when N are there",
                        "on these servers all hosts must begin at one moment");
}

/* What is on disk by now, which another host has finished */
static HbStatus report_joined(HbCli *cli, const HbDumpOptions *options, double seconds, GError **error)
{
    g_autoptr(HbReader) reader = hb_reader_open(options->path, NULL, error);

    return reader != NULL ? report(cli, hb_reader_get_manifest(reader), options->path, seconds) : HB_STATUS_STATEMENT;
}

static void tell_share(HbCli *cli, HbDumpHosts *hosts)
{
    const HbDumpShare share = hb_dump_hosts_get_share(hosts);
    g_autofree char *bytes = hb_text_bytes(share.bytes), *parts = hb_text_plural(share.groups, "part", "parts"),
                    *all = hb_text_plural(share.hosts, "host", "hosts");

    hb_observers_note(cli->observers, HB_SEVERITY_NOTE, NULL, "of %s, this one wrote %s of the rows, %s", all, parts,
                      bytes);
    hb_cli_add_to_document(cli, "shared",
                           json_pack("{s:i, s:i, s:I}", "hosts", (int)share.hosts, "own_parts", (int)share.groups,
                                     "own_bytes", (json_int_t)share.bytes));
}

static HbStatus dump_shared(HbCli *cli, HbDumpOptions *options, gint64 start, GError **error)
{
    const HbDumpHostsOptions sharing = {.engine = options->source.engine,
                                        .from = &options->source.from,
                                        .path = options->path,
                                        .hosts = cli->options.hosts_count,
                                        .stop = options->source.stop,
                                        .observers = cli->observers};
    g_autoptr(HbManifest) manifest = NULL;
    HbStatus status = HB_STATUS_STATEMENT;
    double seconds;

    options->hosts = hb_dump_hosts_meet(&sharing, error);
    if (options->hosts == NULL)
        return status;
    options->source.shared = hb_dump_hosts_get_moment(options->hosts);
    manifest = hb_dump_run(options, error);
    seconds = (double)(g_get_monotonic_time() - start) / G_USEC_PER_SEC;
    if (manifest != NULL) {
        status = hb_dump_hosts_joins(options->hosts) ? report_joined(cli, options, seconds, error)
                                                     : report(cli, manifest, options->path, seconds);
        tell_share(cli, options->hosts);
    }
    hb_dump_hosts_free(options->hosts);
    return status;
}

/* ---- The whole ---- */

static HbStatus dump(HbCli *cli, char **arguments, GError **error)
{
    HbDumpOptions options = {.source = hb_cli_make_source(cli),
                             .path = arguments[1],
                             .recipients = cli->recipients,
                             .level = cli->options.compression,
                             .chunk_bytes = hb_folder_is_stream(arguments[1]) ? HB_DUMP_CHUNK_BYTES_STREAM
                                                                              : HB_DUMP_CHUNK_BYTES_DEFAULT};
    gint64 start = g_get_monotonic_time();
    g_autoptr(HbManifest) manifest = NULL;

    g_autofree char *database = NULL;

    options.source.name_losses = TRUE;
    if (!hb_cli_find_server(cli, arguments[0], &options.source.engine, &options.source.from, error))
        return HB_STATUS_USAGE;
    if (!hb_cli_read_version(cli, options.source.engine, &options.source.for_version, &options.source.for_version_text,
                             error))
        return HB_STATUS_USAGE;
    database = options.source.engine->connector->get_database(arguments[0]);
    if (strcmp(arguments[1], "-") == 0 && hb_terminal_is_output()) {
        hb_error_set(error, HB_ERROR_USAGE, "send it through a pipe, or into a file", "standard output is a terminal");
        return HB_STATUS_USAGE;
    }
    if (cli->options.keep_log && (database == NULL || strcmp(arguments[1], "-") == 0)) {
        hb_error_set(error, HB_ERROR_USAGE, "dump one database, into a folder or a file",
                     "--keep-log keeps the log for the copies of one database, whose dump is at rest");
        return HB_STATUS_USAGE;
    }
    if (cli->options.join)
        return check_shared(cli, &options, database, error) ? dump_shared(cli, &options, start, error)
                                                            : HB_STATUS_USAGE;
    if (database == NULL)
        return hb_cli_dump_whole(cli, &options, error);
    manifest = hb_dump_run(&options, error);
    if (manifest == NULL)
        return HB_STATUS_STATEMENT;
    return report(cli, manifest, arguments[1], (double)(g_get_monotonic_time() - start) / G_USEC_PER_SEC);
}

static gboolean sweep(const HbCli *cli, const char *path, GError **error)
{
    guint count = 0;

    if (!cli->options.sweep)
        return TRUE;
    if (!hb_object_is_uri(path))
        return hb_error_set(error, HB_ERROR_USAGE, NULL,
                            "--sweep is for dumps in an object store: a folder has no leftovers "
                            "under its name");
    if (!hb_bucket_sweep(path, HB_SUMS_FILE, &count, error))
        return FALSE;
    hb_observers_note(cli->observers, HB_SEVERITY_NOTE, NULL, "%u files that a killed dump had left are removed",
                      count);
    return TRUE;
}

static HbStatus run(HbCli *cli, char **arguments, GError **error)
{
    HbStatus status, kept;

    if (!hb_cli_check_keep(cli, error) || !sweep(cli, arguments[1], error))
        return HB_STATUS_USAGE;
    status = dump(cli, arguments, error);
    if (*error != NULL || status > HB_STATUS_REMARKS)
        return status;
    kept = hb_cli_keep_dumps(cli, arguments[1], error);
    return MAX(status, kept);
}

const HbCommand hb_command_dump = {
    .name = "dump",
    .summary = "write a database into a dump",
    .arguments = "FROM DUMP",
    .description =
        "Writes schema, data, users and settings of the database FROM into the folder DUMP: one moment in\n"
        "time, read by several sessions, without keeping readers or writers waiting. The folder gets its\n"
        "name when the dump is whole; an interrupted dump leaves nothing. A DUMP that ends in .tar is a single\n"
        "file, and - is standard output, to be piped into `hornbeam restore -`. A FROM that names no database is\n"
        "the whole server: all its databases, users and tablespaces, in one dump.",
    .arguments_min = 2,
    .arguments_max = 2,
    .bit = HB_FOR_DUMP,
    .run = run,
};
