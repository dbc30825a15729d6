/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/commands/pass_run.h"

#include "cli/commands/restore_report.h"
#include "report/pass.h"

static void show_plan(HbCli *cli, const HbPass *pass)
{
    g_autofree char *plan = hb_pass_plan_page(pass, hb_voice_has_color(cli->voice));

    hb_voice_show(cli->voice, plan, FALSE);
}

static char *describe_work(const HbPass *pass)
{
    const HbRestore *restore = hb_pass_get_restore(pass);
    g_autofree char *work = hb_pass_describe_work(pass);

    return work != NULL ? g_strdup_printf("database %s at %s: %s", hb_restore_get_database(restore),
                                          hb_restore_get_target(restore)->address, work)
                        : NULL;
}

/* What is not rows is looked at once more when all is done: it says what a pass does not change */
static gboolean look_at_rest(HbCli *cli, const HbPassOptions *options, HbVerification *rest, GError **error)
{
    const HbVerifyOptions verify = {.from = {NULL, options->from.engine, options->from.from},
                                    .to = {NULL, options->to.engine, options->to.to},
                                    .parts = options->from.parts & ~(guint)HB_PART_DATA,
                                    .selection = options->from.selection,
                                    .wishes = options->to.wishes,
                                    .jobs = 1,
                                    .lock_wait_ms = options->from.lock_wait_ms,
                                    .stop = cli->stop,
                                    .observers = cli->observers};

    if (verify.parts == 0) {
        hb_verification_init(rest);
        return TRUE;
    }
    return hb_verify_run(&verify, rest, error);
}

static HbStatus report(HbCli *cli, const HbPass *pass, const HbRestoreResult *result, const HbVerification *rest)
{
    g_autofree char *plain = hb_pass_page(pass, result, rest, FALSE);
    HbStatus status = hb_cli_judge_restore(result);

    if (status == HB_STATUS_DONE && rest->differences->len > 0)
        status = HB_STATUS_REMARKS;
    hb_voice_write_log(cli->voice, plain);
    if (cli->options.json)
        hb_cli_print(cli, hb_pass_json(pass, result, rest));
    else if (!cli->options.quiet || status != HB_STATUS_DONE)
        hb_cli_print(cli, hb_pass_page(pass, result, rest, cli->color));
    return status;
}

static HbStatus bring(HbCli *cli, HbPass *pass, const HbPassOptions *options, GError **error)
{
    HbRestoreResult result = {0};
    HbVerification rest = {0};
    HbStatus status = HB_STATUS_STATEMENT;

    if (hb_pass_run(pass, &result, error) && look_at_rest(cli, options, &rest, error))
        status = report(cli, pass, &result, &rest);
    if (rest.differences != NULL)
        hb_verification_clear(&rest);
    hb_restore_result_clear(&result);
    return status;
}

static HbStatus agree_and_bring(HbCli *cli, HbPass *pass, const HbPassOptions *options, GError **error)
{
    g_autofree char *work = describe_work(pass);

    if (hb_pass_is_blocked(pass)) {
        hb_cli_show_refusal(cli, hb_pass_get_restore(pass), NULL);
        hb_restore_set_blocked_error(hb_pass_get_restore(pass), error);
        return HB_STATUS_REMARKS;
    }
    show_plan(cli, pass);
    if (cli->options.dry_run) {
        hb_cli_print(cli, cli->options.json ? hb_pass_json(pass, NULL, NULL) : hb_pass_plan_page(pass, cli->color));
        return HB_STATUS_DONE;
    }
    if (!options->to.resume && !hb_cli_agree(cli, work, error))
        return HB_STATUS_REMARKS;
    return bring(cli, pass, options, error);
}

HbStatus hb_cli_run_pass(HbCli *cli, const HbPassOptions *options, GError **error)
{
    HbPass *pass = hb_pass_open(options, error);
    const HbStatus status = pass != NULL ? agree_and_bring(cli, pass, options, error) : HB_STATUS_SERVER;

    hb_pass_free(pass);
    return status;
}
