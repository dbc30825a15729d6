/* SPDX-License-Identifier: Apache-2.0 */
/*
 * json - results as JSON documents. Each is an object with "hornbeam" (the program's version) and "document" (its
 * sort); docs/json.md describes them.
 */
#pragma once

#include "dump/manifest.h"
#include "work/restore/restore.h"
#include "work/survey.h"
#include "work/verify/verify.h"

#include <jansson.h>

/* A document, and its text, which ends it: what a terminal would take for a command is escaped */
json_t *hb_json_begin(const char *document);
char *hb_json_end(json_t *root);
json_t *hb_json_differences(const GPtrArray *differences); /* HbDifference * */

/* All texts are the caller's */
char *hb_json_survey(const HbSurvey *survey);
char *hb_json_dump(const HbManifest *manifest, const char *path, double seconds);
char *hb_json_show(const HbManifest *manifest, const char *path);
char *hb_json_needs(const HbCatalog *catalog, const HbObject *object);
char *hb_json_preflight(const HbRestore *restore);
char *hb_json_steps(const HbRestore *restore); /* what it would do */
char *hb_json_restore(const HbRestore *restore, const HbRestoreResult *result);
char *hb_json_files(const HbFileCheck *check, const char *path);
char *hb_json_verification(const HbVerification *verification);
/* One document that holds others, which are JSON texts themselves */
char *hb_json_list(const char *document, const GPtrArray *texts);
char *hb_json_error(const GError *error, int status);

/* Message, hint and status, to stand in a document of something else; the caller's */
json_t *hb_json_error_fields(const GError *error, int status);
