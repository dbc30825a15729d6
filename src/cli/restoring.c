/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/restoring.h"

#include "report/json.h"
#include "report/pages.h"
#include "report/preflight.h"

HbRestoreOptions hb_cli_make_restore(const HbCli *cli)
{
    return (HbRestoreOptions){.accept = cli->options.accept,
                              .parts = cli->options.part_bits,
                              .choice = cli->options.choice,
                              .wishes = cli->options.wishes,
                              .new_passwords = cli->options.new_passwords,
                              .jobs = cli->options.job_count,
                              .resume = cli->options.resume,
                              .analyze = !cli->options.no_analyze,
                              .stop = cli->stop,
                              .observers = cli->observers};
}

void hb_cli_show_plan(HbCli *cli, const HbRestore *restore, const char *path)
{
    g_autofree char *plan =
        hb_page_restore_plan(restore, hb_restore_get_manifest(restore), path, hb_voice_has_color(cli->voice));

    hb_voice_show(cli->voice, plan);
}

void hb_cli_show_refusal(HbCli *cli, const HbRestore *restore, const char *path)
{
    g_autofree char *page = hb_preflight_page(restore, path, hb_voice_has_color(cli->voice));

    hb_voice_show(cli->voice, page);
}

static void report(HbCli *cli, const HbRestore *restore, const HbRestoreResult *result)
{
    g_autofree char *plain = hb_page_restore(restore, result, FALSE);

    hb_voice_write_log(cli->voice, plain);
    if (cli->options.json)
        hb_cli_print(cli, hb_json_restore(restore, result));
    else if (!cli->options.quiet)
        hb_cli_print(cli, hb_page_restore(restore, result, cli->color));
}

HbStatus hb_cli_run_restore(HbCli *cli, HbRestore *restore, const char *path, GError **error)
{
    HbRestoreResult result = {0};
    HbStatus status;

    if (restore == NULL)
        return HB_STATUS_SERVER;
    if (hb_restore_is_blocked(restore)) {
        hb_cli_show_refusal(cli, restore, path);
        hb_restore_set_blocked_error(restore, error);
        return HB_STATUS_REMARKS;
    }
    hb_cli_show_plan(cli, restore, path);
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
        HbOutcome outcome = ((HbException *)result->exceptions->pdata[i])->outcome;
        if (outcome == HB_OUTCOME_FAILED)
            return HB_STATUS_STATEMENT;
        if (outcome != HB_OUTCOME_KEPT && outcome != HB_OUTCOME_ABSENT)
            status = HB_STATUS_REMARKS;
    }
    return status;
}
