/* SPDX-License-Identifier: Apache-2.0 */
/*
 * survey SERVER - what is there.
 */
#include "cli/cli.h"
#include "report/json.h"
#include "report/pages.h"
#include "report/survey_changes.h"
#include "work/survey.h"

#include <string.h>

static gboolean keep(const char *path, const char *json, GError **error)
{
    g_autoptr(GError) cause = NULL;

    if (g_file_set_contents_full(path, json, (gssize)strlen(json), G_FILE_SET_CONTENTS_CONSISTENT, 0600, &cause))
        return TRUE;
    return hb_error_set(error, HB_ERROR_FILE, "name a file that you may write", "keeping the survey: %s",
                        cause->message);
}

/* NULL without an error: nothing is to be compared */
static char *read_kept(const HbCli *cli, GError **error)
{
    char *kept = NULL;
    g_autoptr(GError) cause = NULL;

    if (cli->options.against != NULL && !g_file_get_contents(cli->options.against, &kept, NULL, &cause))
        hb_error_set(error, HB_ERROR_FILE, "name a file that survey --out has written", "--against: %s",
                     cause->message);
    return kept;
}

static HbStatus show_changes(HbCli *cli, const HbSurvey *survey, const char *kept, GError **error)
{
    g_autoptr(HbSurveyChanges) changes = hb_survey_changes_find(kept, survey, error);

    if (changes == NULL) {
        g_prefix_error(error, "--against %s: ", cli->options.against);
        return HB_STATUS_FILE;
    }
    hb_cli_conclude(cli, hb_survey_changes_json(changes), hb_survey_changes_page(changes, cli->color));
    return HB_STATUS_DONE;
}

static HbStatus show(HbCli *cli, const HbSurvey *survey, const char *kept, GError **error)
{
    g_autofree char *json = hb_json_survey(survey);

    if (cli->options.out != NULL && !keep(cli->options.out, json, error))
        return HB_STATUS_FILE;
    if (kept != NULL)
        return show_changes(cli, survey, kept, error);
    hb_cli_conclude(cli, g_steal_pointer(&json), hb_page_survey(survey, cli->color));
    return HB_STATUS_DONE;
}

/* What was kept is read before it may be written over */
static HbStatus run(HbCli *cli, char **arguments, GError **error)
{
    const HbEngine *engine;
    HbAddress address;
    g_autoptr(HbSurvey) survey = NULL;
    g_autofree char *kept = NULL;

    if (!hb_cli_find_server(cli, arguments[0], &engine, &address, error))
        return HB_STATUS_USAGE;
    kept = read_kept(cli, error);
    if (kept == NULL && cli->options.against != NULL)
        return HB_STATUS_FILE;
    survey = hb_survey_run(engine, &address, cli->stop, cli->observers, error);
    return survey != NULL ? show(cli, survey, kept, error) : HB_STATUS_SERVER;
}

const HbCommand hb_command_survey = {
    .name = "survey",
    .summary = "what is on a server, or in a database",
    .arguments = "SERVER",
    .description = "Shows what is there: with a database in the URI that database, without one the server.\n"
                   "Databases with their sizes, objects by kind, the largest tables, roles, extensions,\n"
                   "the settings that differ from their defaults, and the state of the server. --against shows\n"
                   "what has changed since a survey that was kept with --out.",
    .arguments_min = 1,
    .arguments_max = 1,
    .bit = HB_FOR_SURVEY,
    .run = run,
};
