/* SPDX-License-Identifier: Apache-2.0 */
/*
 * freshen FROM TO - brings a copy up to date.
 */
#include "cli/commands/restore_report.h"
#include "core/base/error.h"
#include "report/pass.h"
#include "report/text.h"
#include "work/freshen/pass.h"

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
    return hb_cli_agree(cli, work, error) ? bring(cli, pass, options, error) : HB_STATUS_REMARKS;
}

static gboolean find_servers(HbCli *cli, char **arguments, HbPassOptions *options, GError **error)
{
    if (!hb_cli_find_database(cli, arguments[0], &options->from.engine, &options->from.from, error) ||
        !hb_cli_find_server(cli, arguments[1], &options->to.engine, &options->to.to, error))
        return FALSE;
    return options->from.engine == options->to.engine ||
           hb_error_set(error, HB_ERROR_USAGE, NULL, "FROM and TO are servers of different kinds");
}

static HbStatus run(HbCli *cli, char **arguments, GError **error)
{
    HbPassOptions options = {.from = hb_cli_make_source(cli), .to = hb_cli_make_restore(cli)};
    g_autofree char *named = NULL, *source = NULL;
    HbStatus status = HB_STATUS_SERVER;
    HbPass *pass;

    if (!find_servers(cli, arguments, &options, error))
        return HB_STATUS_USAGE;
    source = options.from.engine->connector->get_database(arguments[0]);
    named = options.to.engine->connector->get_database(arguments[1]);
    if (named == NULL)
        options.to.to.database = hb_adapt_database(&options.to.wishes, source);
    pass = hb_pass_open(&options, error);
    if (pass != NULL)
        status = agree_and_bring(cli, pass, &options, error);
    hb_pass_free(pass);
    return status;
}

const HbCommand hb_command_freshen = {
    .name = "freshen",
    .summary = "bring a copy up to date",
    .arguments = "FROM TO",
    .description =
        "Compares the database TO with FROM, row by row, at the cost of reading both once, and brings over\n"
        "what differs: rows that are missing, changed or too many, objects that TO has not yet, sequences.\n"
        "Objects that differ in other ways are named and left. It says first what it will do, and asks. What\n"
        "breaks off, the next pass completes.",
    .arguments_min = 2,
    .arguments_max = 2,
    .bit = HB_FOR_FRESHEN,
    .run = run,
};
