/* SPDX-License-Identifier: Apache-2.0 */
#include "work/survey.h"

void hb_survey_free(HbSurvey *survey)
{
    if (survey == NULL)
        return;
    hb_server_info_clear(&survey->server);
    g_free(survey->time);
    g_clear_pointer(&survey->sheets, g_ptr_array_unref);
    g_free(survey);
}

HbSurvey *hb_survey_run(const HbEngine *engine, const HbAddress *address, HbStop *stop, GError **error)
{
    g_autoptr(HbSurvey) survey = g_new0(HbSurvey, 1);
    g_autoptr(GDateTime) now = g_date_time_new_now_utc();
    g_autofree char *database = engine->get_database(address->uri);
    HbSession *session = engine->open(address, error);

    if (session == NULL)
        return NULL;
    hb_stop_add(stop, engine, session);
    survey->whole_server = database == NULL;
    survey->time = g_date_time_format(now, "%Y-%m-%dT%H:%M:%SZ");
    if (engine->describe(session, &survey->server, error))
        survey->sheets = engine->survey(session, survey->whole_server, error);
    hb_stop_remove(stop, session);
    engine->close(session);
    return survey->sheets != NULL ? g_steal_pointer(&survey) : NULL;
}
