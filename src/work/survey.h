/* SPDX-License-Identifier: Apache-2.0 */
/*
 * survey - the use case: what is on a server, or in one database, at this moment.
 */
#pragma once

#include "work/origin/origin.h"
#include "work/run/observer.h"
#include "work/run/stop.h"

typedef struct {
    HbServerInfo server;
    gboolean whole_server;
    char *time;        /* ISO 8601, UTC */
    GPtrArray *tables; /* HbResultTable * */
    HbOrigin *origin;  /* what the database remembers of where it came from; NULL: nothing, or a server */
} HbSurvey;

/*
 * A URI that names a database surveys it, one without surveys the server and each of its databases; one of those that
 * does not let us in is noted to the observers. The caller's
 */
HbSurvey *hb_survey_run(const HbEngine *engine, const HbAddress *address, HbStop *stop, HbObservers *observers,
                        GError **error);
void hb_survey_free(HbSurvey *survey);
G_DEFINE_AUTOPTR_CLEANUP_FUNC(HbSurvey, hb_survey_free)
