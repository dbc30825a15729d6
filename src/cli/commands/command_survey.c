/* SPDX-License-Identifier: Apache-2.0 */
/*
 * survey SERVER - what is there.
 */
#include "cli/cli.h"
#include "report/json.h"
#include "report/pages.h"
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

static HbStatus run(HbCli *cli, char **arguments, GError **error)
{
    const HbEngine *engine;
    HbAddress address;
    g_autoptr(HbSurvey) survey = NULL;
    g_autofree char *json = NULL;

    if (!hb_cli_find_server(cli, arguments[0], &engine, &address, error))
        return HB_STATUS_USAGE;
    survey = hb_survey_run(engine, &address, cli->stop, cli->observers, error);
    if (survey == NULL)
        return HB_STATUS_SERVER;
    json = hb_json_survey(survey);
    if (cli->options.out != NULL && !keep(cli->options.out, json, error))
        return HB_STATUS_FILE;
    hb_cli_print(cli, cli->options.json ? g_steal_pointer(&json) : hb_page_survey(survey, cli->color));
    return HB_STATUS_DONE;
}

const HbCommand hb_command_survey = {
    .name = "survey",
    .summary = "what is on a server, or in a database",
    .arguments = "SERVER",
    .description = "Shows what is there: with a database in the URI that database, without one the server.\n"
                   "Databases with their sizes, objects by kind, the largest tables, roles, extensions,\n"
                   "and the settings that differ from their defaults.",
    .arguments_min = 1,
    .arguments_max = 1,
    .bit = HB_FOR_SURVEY,
    .run = run,
};
