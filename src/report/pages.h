/* SPDX-License-Identifier: Apache-2.0 */
/*
 * pages - results as text for people. Each gives the whole text; the caller prints and frees it.
 */
#pragma once

#include "dump/manifest.h"
#include "work/restore/restore.h"
#include "work/survey.h"
#include "work/verify/verify.h"

char *hb_page_survey(const HbSurvey *survey, gboolean color);
char *hb_page_dump(const HbManifest *manifest, const char *path, double seconds, gboolean color);
/* omissions: HbOmission * */
char *hb_page_whole_dump(const HbManifest *manifest, const HbResultTable *databases, const GPtrArray *omissions,
                         const char *path, gboolean color);
char *hb_page_title(const char *title, gboolean color);
char *hb_page_show(const HbManifest *manifest, const char *path, gboolean color);
char *hb_page_needs(const HbCatalog *catalog, const HbObject *object, gboolean color);
char *hb_page_restore_plan(const HbRestore *restore, const HbManifest *manifest, const char *path, gboolean color);
char *hb_page_restore(const HbRestore *restore, const HbRestoreResult *result, gboolean color);
char *hb_page_files(const HbFileCheck *check, const char *path, gboolean color);
void hb_page_append_differences(GString *out, gboolean color, const GPtrArray *differences, guint rows_max,
                                gboolean all);
/* rows_max: so many rows of each table that differs are named */
char *hb_page_verification(const HbVerification *verification, guint rows_max, gboolean all, gboolean color);
