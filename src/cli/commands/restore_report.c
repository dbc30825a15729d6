/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/commands/restore_report.h"

#include "cli/terminal.h"
#include "core/base/error.h"
#include "report/json.h"
#include "report/pages.h"
#include "report/preflight.h"
#include "report/steps.h"
#include "report/text.h"

HbRestoreOptions hb_cli_make_restore(const HbCli *cli)
{
    return (HbRestoreOptions){.accept = cli->options.accept,
                              .parts = cli->options.part_bits,
                              .selection = cli->options.selection,
                              .existing = cli->options.existing_wish,
                              .wishes = cli->options.wishes,
                              .new_passwords = cli->options.new_passwords,
                              .jobs = cli->options.job_count,
                              .resume = cli->options.resume || cli->options.join,
                              .join = cli->options.join,
                              .remember = cli->options.remember,
                              .analyze = !cli->options.no_analyze,
                              .stop = cli->stop,
                              .observers = cli->observers};
}

void hb_cli_show_plan(HbCli *cli, const HbRestore *restore, const char *path)
{
    g_autofree char *plan =
        hb_page_restore_plan(restore, hb_restore_get_manifest(restore), path, hb_voice_has_color(cli->voice));

    hb_voice_show(cli->voice, plan, FALSE);
}

void hb_cli_show_refusal(HbCli *cli, const HbRestore *restore, const char *path)
{
    g_autofree char *page = hb_preflight_page(restore, path, hb_voice_has_color(cli->voice));

    hb_voice_show(cli->voice, page, TRUE);
}

static void report(HbCli *cli, const HbRestore *restore, const HbRestoreResult *result)
{
    g_autofree char *plain = hb_page_restore(restore, result, FALSE);

    hb_voice_write_log(cli->voice, plain);
    hb_cli_conclude(cli, hb_json_restore(restore, result),
                    !cli->options.quiet || hb_cli_judge_restore(result) != HB_STATUS_DONE
                        ? hb_page_restore(restore, result, cli->color)
                        : NULL);
}

char *hb_cli_describe_loss(const HbRestore *restore)
{
    const HbTargetCleanup *cleanup = hb_restore_get_cleanup(restore);

    if (cleanup == NULL || !hb_target_cleanup_is_destructive(cleanup) || hb_restore_is_resumed(restore))
        return NULL;
    g_autofree char *dropped = hb_text_plural(cleanup->objects, "object", "objects");
    g_autofree char *emptied = hb_text_plural(cleanup->emptied->len, "table", "tables");
    return g_strdup_printf("database %s at %s: %s%s%s%s%s", hb_restore_get_database(restore),
                           hb_restore_get_target(restore)->address, cleanup->objects > 0 ? dropped : "",
                           cleanup->objects > 0 ? " to be dropped" : "",
                           cleanup->objects > 0 && cleanup->emptied->len > 0 ? ", " : "",
                           cleanup->emptied->len > 0 ? emptied : "", cleanup->emptied->len > 0 ? " to be emptied" : "");
}

gboolean hb_cli_agree(HbCli *cli, const char *loss, GError **error)
{
    const gboolean can_ask = hb_terminal_can_ask();
    g_autofree char *visible = loss != NULL ? hb_text_visible(loss) : NULL;
    g_autofree char *question = g_strdup_printf("%s. Go on? (yes or no)", visible);

    if (loss == NULL || cli->options.yes || (can_ask && hb_terminal_ask_yes(question)))
        return TRUE;
    return hb_error_set(
        error, HB_ERROR_BLOCKED, can_ask ? NULL : "read the list above, then give the same command with --yes",
        "%s; %s, and nothing was written", loss, can_ask ? "you did not agree" : "nobody is there to agree");
}

HbStatus hb_cli_run_restore(HbCli *cli, HbRestore *restore, const char *path, GError **error)
{
    HbRestoreResult result = {0};
    g_autofree char *loss = NULL;
    HbStatus status;

    if (restore == NULL)
        return HB_STATUS_SERVER;
    if (hb_restore_is_blocked(restore)) {
        hb_cli_show_refusal(cli, restore, path);
        hb_restore_set_blocked_error(restore, error);
        return HB_STATUS_REMARKS;
    }
    if (!hb_restore_is_done_before(restore))
        hb_cli_show_plan(cli, restore, path);
    if (cli->options.dry_run && !hb_restore_is_done_before(restore)) {
        hb_cli_conclude(cli, hb_json_steps(restore), hb_restore_plan_page(restore, cli->color));
        return HB_STATUS_DONE;
    }
    loss = hb_cli_describe_loss(restore);
    if (!hb_cli_agree(cli, loss, error))
        return HB_STATUS_REMARKS;
    hb_restore_run(restore, &result, error);
    report(cli, restore, &result);
    status = hb_cli_judge_restore(&result);
    hb_restore_result_clear(&result);
    return status;
}

HbStatus hb_cli_judge_restore(const HbRestoreResult *result)
{
    HbStatus status = HB_STATUS_DONE;

    for (guint i = 0; i < result->exceptions->len; i++) {
        const HbException *exception = result->exceptions->pdata[i];
        if (exception->damaged)
            return HB_STATUS_DUMP;
        if (exception->outcome == HB_OUTCOME_FAILED || exception->outcome == HB_OUTCOME_GONE)
            status = HB_STATUS_STATEMENT;
        else if (exception->outcome != HB_OUTCOME_KEPT && exception->outcome != HB_OUTCOME_ABSENT &&
                 status == HB_STATUS_DONE)
            status = HB_STATUS_REMARKS;
    }
    return status;
}
