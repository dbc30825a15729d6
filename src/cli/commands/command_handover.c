/* SPDX-License-Identifier: Apache-2.0 */
/*
 * handover FROM TO - ends a move: writes stop, the rest comes over, is checked, and TO takes FROM's place.
 */
#include "cli/commands/restore_report.h"
#include "cli/terminal.h"
#include "core/base/error.h"
#include "report/handover.h"
#include "report/json.h"
#include "report/text.h"

#include <string.h>

/* A person stops the applications, and says so; to go on unasked (--yes) is no answer to that */
static gboolean ask(gpointer data, const char *what, GError **error)
{
    HbCli *cli = data;
    g_autofree char *question = g_strdup_printf("%s. Is it done? (yes or no)", what);

    hb_voice_end_view(cli->voice);
    if (hb_terminal_can_ask() && hb_terminal_ask_yes(question))
        return TRUE;
    return hb_error_set(error, HB_ERROR_BLOCKED, "see --stop-writes for ways that need nobody",
                        hb_terminal_can_ask() ? "it was not done" : "nobody is there to be asked");
}

static HbHandoverOptions make_options(HbCli *cli)
{
    const HbOptions *given = &cli->options;
    HbHandoverOptions options = {
        .pass = {.from = hb_cli_make_source(cli), .to = hb_cli_make_restore(cli), .by = (HbPassBy)given->by_place},
        .way = (HbStopWay)given->stop_way,
        .command = given->stop_command,
        .check = (HbHandoverCheck)given->check_place,
        .fate = (HbSourceFate)given->source_place,
        .way_back = given->way_back,
        .users = given->users,
        .resumes = given->resume,
        .ask = ask,
        .data = cli};

    options.pass.to.resume = FALSE; /* that is about hand-overs, not about passes */
    return options;
}

static gboolean find_both(HbCli *cli, char **arguments, HbPassOptions *pass, char **database, GError **error)
{
    if (!hb_cli_find_database(cli, arguments[0], &pass->from.engine, &pass->from.from, error) ||
        !hb_cli_find_server(cli, arguments[1], &pass->to.engine, &pass->to.to, error) ||
        !hb_cli_check_same_kind(pass->from.engine, pass->to.engine, error))
        return FALSE;
    *database = pass->from.engine->connector->get_database(arguments[0]);
    hb_cli_default_database(pass->to.engine, &pass->to.to, &pass->to.wishes, *database);
    return TRUE;
}

/* ---- Undoing ---- */

static HbStatus undo(HbCli *cli, const HbHandoverOptions *options, GError **error)
{
    g_autofree char *what = NULL;
    json_t *root;

    if (!hb_handover_undo(options, &what, error))
        return HB_STATUS_SERVER;
    root = hb_json_begin("handover");
    json_object_set_new(root, "outcome", json_string("undone"));
    hb_cli_conclude(
        cli, hb_json_end(root),
        cli->options.quiet ? NULL : g_strdup_printf("Undone: %s. FROM is open to applications, as it was.\n", what));
    return HB_STATUS_DONE;
}

/* ---- Reports ---- */

static gboolean write_report(const HbCli *cli, const HbHandover *handover, const GError *cause, GError **error)
{
    g_autofree char *html = NULL;
    g_autoptr(GError) ours = NULL;

    if (cli->options.report == NULL)
        return TRUE;
    html = hb_handover_html(handover, cause, cli->options.dry_run);
    return g_file_set_contents(cli->options.report, html, -1, &ours) ||
           hb_error_set(error, HB_ERROR_FILE, "name a file that can be written", "--report: %s", ours->message);
}

static HbStatus report_rehearsal(HbCli *cli, const HbHandover *handover, GError **error)
{
    hb_cli_conclude(cli, hb_handover_json(handover, NULL, TRUE),
                    hb_handover_rehearsal_page(handover, TRUE, cli->color));
    if (!write_report(cli, handover, NULL, error))
        return HB_STATUS_FILE;
    return hb_handover_is_blocked(handover) ? HB_STATUS_REMARKS : HB_STATUS_DONE;
}

static HbStatus report_end(HbCli *cli, const HbHandover *handover, GError *cause, GError **error)
{
    g_autofree char *plain = hb_handover_page(handover, cause, FALSE);
    g_autoptr(GError) ours = NULL;
    const gboolean is_written = write_report(cli, handover, cause, &ours);

    hb_voice_write_log(cli->voice, plain);
    hb_cli_conclude(cli, hb_handover_json(handover, cause, FALSE),
                    !cli->options.quiet || cause != NULL ? hb_handover_page(handover, cause, cli->color) : NULL);
    if (cause != NULL)
        g_propagate_error(error, cause);
    else if (!is_written)
        g_propagate_error(error, g_steal_pointer(&ours));
    if (!is_written)
        return HB_STATUS_FILE;
    return hb_handover_get_report(handover)->is_incomplete ? HB_STATUS_REMARKS : HB_STATUS_DONE;
}

/* ---- Agreement ---- */

/* A database that goes is named by hand: a yes that is given in advance is too easily given */
static gboolean confirm_drop(const HbHandover *handover, GError **error)
{
    const HbServerInfo *from = &hb_handover_get_report(handover)->from;
    g_autofree char *visible = hb_text_visible(from->database),
                    *question =
                        g_strdup_printf("Database %s at %s will be dropped. Type its name", visible, from->address),
                    *answer = hb_terminal_can_ask() ? hb_terminal_ask_line(question) : NULL;

    return g_strcmp0(answer, from->database) == 0 ||
           hb_error_set(error, HB_ERROR_BLOCKED,
                        "give the command at a terminal; or use --source read-only, and drop it later",
                        "FROM's name was not typed: it would be dropped");
}

static gboolean agree(HbCli *cli, const HbHandover *handover, GError **error)
{
    const HbHandoverReport *report = hb_handover_get_report(handover);
    g_autofree char *time = hb_text_duration(hb_handover_guess_window(handover)),
                    *what = g_strdup_printf("writes to database %s at %s are stopped, for about %s, and then for good",
                                            report->from.database, report->from.address, time);

    return (cli->options.resume || hb_cli_agree(cli, what, error)) &&
           (cli->options.source_place != HB_SOURCE_DROP || confirm_drop(handover, error));
}

static HbStatus hand_over(HbCli *cli, HbHandover *handover, GError **error)
{
    g_autofree char *page = hb_handover_rehearsal_page(handover, FALSE, hb_voice_has_color(cli->voice));
    GError *cause = NULL;

    hb_voice_show(cli->voice, page, hb_handover_is_blocked(handover));
    if (hb_handover_is_blocked(handover)) {
        hb_error_set(error, HB_ERROR_BLOCKED, "mend what is listed above, or go on knowingly with --accept NAME",
                     "the hand-over has not begun: %u blockers",
                     hb_findings_count_open(hb_handover_get_report(handover)->findings));
        return HB_STATUS_REMARKS;
    }
    if (!agree(cli, handover, error))
        return HB_STATUS_REMARKS;
    hb_handover_run(handover, &cause);
    return report_end(cli, handover, cause, error);
}

static HbStatus run(HbCli *cli, char **arguments, GError **error)
{
    HbHandoverOptions options = make_options(cli);
    g_autofree char *database = NULL;
    HbHandover *handover;
    HbStatus status;

    if (!find_both(cli, arguments, &options.pass, &database, error))
        return HB_STATUS_USAGE;
    if (cli->options.undo)
        return undo(cli, &options, error);
    handover = hb_handover_open(&options, cli->options.dry_run, error);
    if (handover == NULL)
        return HB_STATUS_SERVER;
    status = cli->options.dry_run ? report_rehearsal(cli, handover, error) : hand_over(cli, handover, error);
    hb_handover_free(handover);
    return status;
}

const HbCommand hb_command_handover = {
    .name = "handover",
    .summary = "end a move: stop writes, last pass, check, connection strings",
    .arguments = "FROM TO",
    .description =
        "TO, a copy of the database FROM that remembers it (carry --keep-log, or --remember), takes FROM's\n"
        "place. It looks at everything first (--dry-run ends there), asks, stops writes to FROM, brings what\n"
        "was written last, compares, tries the connection strings of applications, closes FROM for good, and\n"
        "says how long nobody could write. What fails before the point of no return is undone: FROM is open\n"
        "again. What was broken off goes on with --resume, or is taken back with --undo. With --way-back FROM\n"
        "becomes a copy of TO, and can be handed back to.",
    .arguments_min = 2,
    .arguments_max = 2,
    .bit = HB_FOR_HANDOVER,
    .run = run,
};
