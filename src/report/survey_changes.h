/* SPDX-License-Identifier: Apache-2.0 */
/*
 * survey_changes - what a survey shows otherwise than an earlier one, which was kept as JSON: of the same server, or of
 * another one, such as the old host of a move.
 */
#pragma once

#include "work/survey.h"

typedef struct HbSurveyChanges HbSurveyChanges;

/* kept: the JSON text. HB_ERROR_FILE: it is no survey's. now is borrowed until free() */
HbSurveyChanges *hb_survey_changes_find(const char *kept, const HbSurvey *now, GError **error);
void hb_survey_changes_free(HbSurveyChanges *changes); /* accepts NULL */
G_DEFINE_AUTOPTR_CLEANUP_FUNC(HbSurveyChanges, hb_survey_changes_free)

/* Texts are the caller's */
char *hb_survey_changes_page(const HbSurveyChanges *changes, gboolean color);
char *hb_survey_changes_json(const HbSurveyChanges *changes);
