/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/commands/keep_dumps.h"

#include "core/base/error.h"
#include "dump/json_writer.h"
#include "report/text.h"
#include "work/dump/older_dumps.h"
#include "work/verify/verify.h"

static gboolean is_wanted(const HbCli *cli)
{
    return cli->options.keep_count > 0 || cli->options.keep_for_s > 0;
}

gboolean hb_cli_check_keep(const HbCli *cli, GError **error)
{
    return !is_wanted(cli) || cli->dump_pattern != NULL ||
           hb_error_set(error, HB_ERROR_USAGE, "name the dump with a date: NAME-%Y-%m-%d.dump",
                        "--keep and --keep-for are about dumps of a dated name");
}

/* ---- The new one ---- */

static gboolean verify_one(HbCli *cli, const HbReader *dump, GError **error)
{
    HbFileCheck check = {0};
    const gboolean ok = hb_verify_files(dump, cli->options.job_count, cli->stop, cli->observers, &check, error) &&
                        (check.flaws->len == 0 ||
                         hb_error_set(error, HB_ERROR_DAMAGED, "see to the disk; older dumps were left alone",
                                      "the new dump is damaged: %s: %s", ((const HbFlaw *)check.flaws->pdata[0])->file,
                                      ((const HbFlaw *)check.flaws->pdata[0])->problem));

    hb_file_check_clear(&check);
    return ok;
}

/* NULL unless it is whole, each database's part of it, too; of a sealed one its files are read, and not its rows */
static HbReader *open_verified(HbCli *cli, const char *path, GError **error)
{
    g_autoptr(HbReader) dump = hb_reader_open_outside(path, error);
    const GPtrArray *members = dump != NULL ? hb_reader_get_manifest(dump)->members : NULL;

    for (guint i = 0; members != NULL && i < members->len; i++) {
        g_autoptr(HbReader) member = hb_reader_open_member(dump, members->pdata[i], error);
        if (member == NULL || !verify_one(cli, member, error))
            return NULL;
    }
    return dump != NULL && verify_one(cli, dump, error) ? g_steal_pointer(&dump) : NULL;
}

/* ---- The older ones ---- */

static json_t *write_older(const HbOlderDumps *older)
{
    json_t *removed = json_array(), *passed_over = json_array();

    for (guint i = 0; i < older->removed->len; i++)
        json_array_append_new(removed, hb_json_readable(older->removed->pdata[i]));
    for (guint i = 0; i < older->passed_over->len; i++) {
        const HbPassedOver *one = older->passed_over->pdata[i];
        json_array_append_new(passed_over, json_pack("{s:o, s:o}", "path", hb_json_readable(one->path), "why",
                                                     hb_json_readable(one->why)));
    }
    return json_pack("{s:b, s:i, s:o, s:o}", "verified", TRUE, "kept", (int)older->kept, "removed", removed,
                     "passed_over", passed_over);
}

static void tell(HbCli *cli, const HbOlderDumps *older)
{
    g_autofree char *kept = hb_text_plural(older->kept, "dump", "dumps");
    GString *page = g_string_new(NULL);

    for (guint i = 0; i < older->passed_over->len; i++) {
        const HbPassedOver *one = older->passed_over->pdata[i];
        hb_observers_note(cli->observers, HB_SEVERITY_WARNING, NULL, "%s stays: %s", one->path, one->why);
    }
    g_string_printf(page, "The new dump is whole. Of this name %s %s kept", kept, older->kept == 1 ? "is" : "are");
    for (guint i = 0; i < older->removed->len; i++) {
        g_autofree char *path = hb_text_visible(older->removed->pdata[i]);
        g_string_append_printf(page, "%s%s", i == 0 ? "; removed: " : ", ", path);
    }
    g_string_append(page, ".\n");
    hb_voice_write_log(cli->voice, page->str);
    if (!cli->options.quiet && !cli->options.json)
        hb_cli_print(cli, g_strdup(page->str));
    g_string_free(page, TRUE);
}

HbStatus hb_cli_keep_dumps(HbCli *cli, const char *path, GError **error)
{
    const HbKeepRule rule = {cli->options.keep_count, cli->options.keep_for_s};
    HbOlderDumps older = {0};
    HbStatus status = HB_STATUS_FILE;
    g_autoptr(HbReader) dump = NULL;

    if (!is_wanted(cli))
        return HB_STATUS_DONE;
    dump = open_verified(cli, path, error);
    if (dump != NULL && hb_older_dumps_clear_away(cli->dump_pattern, dump, &rule, &older, error)) {
        hb_cli_add_to_document(cli, "older", write_older(&older));
        tell(cli, &older);
        status = older.is_incomplete ? HB_STATUS_REMARKS : HB_STATUS_DONE;
    }
    hb_older_dumps_clear(&older);
    return status;
}
