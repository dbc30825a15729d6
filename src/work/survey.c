/* SPDX-License-Identifier: Apache-2.0 */
#include "work/survey.h"

#include <string.h>

/* Sheets of a database's survey that a server's survey gathers from all databases */
static const char *const gathered_keys[] = {"kinds", "tables", "extensions"};

void hb_survey_free(HbSurvey *survey)
{
    if (survey == NULL)
        return;
    hb_server_info_clear(&survey->server);
    hb_origin_free(survey->origin);
    g_free(survey->time);
    g_clear_pointer(&survey->tables, g_ptr_array_unref);
    g_free(survey);
}

/* ---- A whole server: what only its databases know, gathered from all of them ---- */

static HbResultTable *find_sheet(const GPtrArray *tables, const char *key)
{
    for (guint i = 0; i < tables->len; i++) {
        HbResultTable *table = tables->pdata[i];
        if (strcmp(table->key, key) == 0)
            return table;
    }
    return NULL;
}

/* A sheet of the same columns with the database's name before them */
static HbResultTable *new_gathered(const HbResultTable *like)
{
    HbResultTable *table = hb_result_table_new(like->key, like->title);

    hb_result_table_add_column(table, "database", "database", HB_COLUMN_TEXT);
    for (guint c = 0; c < like->columns->len; c++) {
        const HbColumn *column = like->columns->pdata[c];
        hb_result_table_add_column(table, column->key, column->title, column->type);
    }
    return table;
}

static void gather_rows(HbResultTable *gathered, const HbResultTable *from, const char *database)
{
    for (guint r = 0; r < from->rows->len; r++) {
        guint row = hb_result_table_add_row(gathered);
        hb_result_table_set(gathered, row, 0, database);
        for (guint c = 0; c < from->columns->len; c++)
            hb_result_table_set(gathered, row, c + 1, hb_result_table_get(from, r, c));
    }
}

static void builder(HbSurvey *survey, const GPtrArray *tables, const char *database)
{
    for (gsize i = 0; i < G_N_ELEMENTS(gathered_keys); i++) {
        const HbResultTable *from = find_sheet(tables, gathered_keys[i]);
        HbResultTable *gathered = find_sheet(survey->tables, gathered_keys[i]);
        if (from == NULL)
            continue;
        if (gathered == NULL) {
            gathered = new_gathered(from);
            g_ptr_array_add(survey->tables, gathered);
        }
        gather_rows(gathered, from, database);
    }
}

/* A database that does not let us in is named and passed over */
static void survey_database(HbSurvey *survey, const HbEngine *engine, const HbAddress *server, const char *database,
                            HbObservers *observers)
{
    const HbAddress address = {server->uri, database, server->password, server->watch};
    g_autoptr(GError) refusal = NULL;
    HbSession *session = engine->connector->open(&address, &refusal);
    g_autoptr(GPtrArray) tables = session != NULL ? engine->source->survey(session, FALSE, &refusal) : NULL;

    if (tables != NULL)
        builder(survey, tables, database);
    else
        hb_observers_note(observers, HB_SEVERITY_WARNING, hb_error_hint(refusal), "database %s is not surveyed: %s",
                          database, refusal->message);
    engine->connector->close(session);
}

static void survey_databases(HbSurvey *survey, const HbEngine *engine, const HbAddress *server, HbStop *stop,
                             HbObservers *observers)
{
    const HbResultTable *databases = find_sheet(survey->tables, "databases");

    for (guint r = 0; databases != NULL && r < databases->rows->len && !hb_stop_is_set(stop); r++)
        survey_database(survey, engine, server, hb_result_table_get(databases, r, 0), observers);
}

/* ---- The whole ---- */

/* One that cannot be read, or is not trusted, is no reason to survey nothing */
static void recall_origin(HbSurvey *survey, const HbEngine *engine, HbSession *session, HbObservers *observers)
{
    g_autoptr(GError) refusal = NULL;

    if (!survey->whole_server && !hb_origin_recall_in(engine, session, &survey->origin, &refusal))
        hb_observers_note(observers, HB_SEVERITY_WARNING, hb_error_hint(refusal), "%s", refusal->message);
}

HbSurvey *hb_survey_run(const HbEngine *engine, const HbAddress *address, HbStop *stop, HbObservers *observers,
                        GError **error)
{
    g_autoptr(HbSurvey) survey = g_new0(HbSurvey, 1);
    g_autoptr(GDateTime) now = g_date_time_new_now_utc();
    g_autofree char *database = engine->connector->get_database(address->uri);
    HbSession *session = engine->connector->open(address, error);

    if (session == NULL)
        return NULL;
    survey->whole_server = database == NULL;
    survey->time = g_date_time_format(now, "%Y-%m-%dT%H:%M:%SZ");
    if (engine->connector->describe(session, &survey->server, error))
        survey->tables = engine->source->survey(session, survey->whole_server, error);
    if (survey->tables != NULL)
        recall_origin(survey, engine, session, observers);
    engine->connector->close(session);
    if (survey->tables == NULL)
        return NULL;
    if (survey->whole_server)
        survey_databases(survey, engine, address, stop, observers);
    return g_steal_pointer(&survey);
}
