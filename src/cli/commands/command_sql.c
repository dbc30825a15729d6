/* SPDX-License-Identifier: Apache-2.0 */
/*
 * sql DUMP - one readable SQL script that the engine's stock shell can run.
 */
#include "cli/cli.h"
#include "core/base/error.h"
#include "engine/registry.h"
#include "work/script.h"

#include <errno.h>
#include <stdio.h>

static gboolean write_out(gpointer data, const char *bytes, gsize length, GError **error)
{
    (void)data;
    return fwrite(bytes, 1, length, stdout) == length ||
           hb_error_set(error, HB_ERROR_FILE, NULL, "writing to standard output: %s", g_strerror(errno));
}

static HbStatus conflicts(const HbManifest *manifest, HbCli *cli)
{
    const GPtrArray *omissions = hb_catalog_get_omissions(manifest->catalog);

    for (guint i = 0; i < omissions->len; i++) {
        const HbOmission *omission = omissions->pdata[i];
        hb_observers_note(cli->observers, HB_SEVERITY_WARNING, NULL, "%s: %s", omission->what, omission->why);
    }
    return omissions->len > 0 ? HB_STATUS_REMARKS : HB_STATUS_DONE;
}

static HbStatus run(HbCli *cli, char **arguments, GError **error)
{
    HbScriptOptions options = {.parts = cli->options.part_bits,
                               .selection = cli->options.selection,
                               .wishes = cli->options.wishes,
                               .database = cli->options.database,
                               .one_transaction = cli->options.one_transaction,
                               .rows_each = cli->options.rows_each,
                               .stop = cli->stop,
                               .observers = cli->observers,
                               .write = write_out};
    g_autoptr(HbReader) dump = hb_reader_open(arguments[0], cli->key, error);
    const HbManifest *manifest;

    if (dump == NULL)
        return HB_STATUS_DUMP;
    manifest = hb_reader_get_manifest(dump);
    options.dump = dump;
    options.engine = hb_engine_get(manifest->engine, error);
    if (options.engine == NULL ||
        !hb_cli_read_version(cli, options.engine, &options.for_version, &options.for_version_text, error))
        return HB_STATUS_USAGE;
    if (manifest->members != NULL) {
        hb_error_set(error, HB_ERROR_USAGE, "name one of the dumps in its folder databases/",
                     "%s is the dump of a whole server", arguments[0]);
        return HB_STATUS_USAGE;
    }
    return hb_script_write(&options, error) ? conflicts(manifest, cli) : HB_STATUS_STATEMENT;
}

const HbCommand hb_command_sql = {
    .name = "sql",
    .summary = "a dump as one SQL script",
    .arguments = "DUMP",
    .description =
        "Writes a script on standard output that the engine's stock shell can run: definitions in the order of\n"
        "their needs, and rows, in the engine's bulk form or as INSERT statements. It stops at the first error,\n"
        "and before anything is changed if the database holds such objects already.",
    .arguments_min = 1,
    .arguments_max = 1,
    .bit = HB_FOR_SQL,
    .run = run,
};
