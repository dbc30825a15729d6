/* SPDX-License-Identifier: Apache-2.0 */
/*
 * survey_tables - a survey is a list of tables, each one query: which of them are read, in which form, and what becomes
 * of one that cannot be.
 */
#pragma once

#include "core/base/result_table.h"
#include "engine/connector.h"

/* What a table is about; both, or one */
typedef enum { HB_SURVEY_SERVER = 1, HB_SURVEY_DATABASE = 2 } HbSurveyScope;

typedef struct {
    int scope;              /* of HbSurveyScope */
    gboolean optional;      /* left out where the server, or the account, does not allow it */
    HbResultTableForm form; /* with a column for each of the query's */
    const char *sql;
} HbSurveyTable;

typedef struct {
    const HbSurveyTable *tables;
    gsize count;
    /* Runs a query of the list, and adds its rows to a table that has the columns */
    gboolean (*fill)(HbSession *session, const char *sql, HbSurveyScope scope, HbResultTable *table, GError **error);
} HbSurveyTables;

/* HbResultTable *, in the order of the list; the caller's. address: of the server, for the error */
GPtrArray *hb_survey_tables_read(const HbSurveyTables *survey, HbSession *session, HbSurveyScope scope,
                                 const char *address, GError **error);
