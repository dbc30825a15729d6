/* SPDX-License-Identifier: Apache-2.0 */
/*
 * outcome - what a run came to, as one JSON document: for --json, for the program that --then names, and, of several
 * legs of a route, together. docs/json.md describes the documents.
 */
#pragma once

#include "cli/cli.h"

#include <jansson.h>

/* One document of a run's results (char *, JSON) and its error (NULL: none); the caller's. NULL: there is neither */
char *hb_outcome_make(const GPtrArray *documents, const GError *error, HbStatus status);

/* A run's result among those of the route's legs. Takes the document (NULL: there is none) */
void hb_outcome_add_leg(json_t *legs, const char *leg, HbStatus status, char *document);

/*
 * Runs the program of --then with the document (NULL: "{}") as its standard input; its output goes to standard error.
 * No shell reads the words. Waits for its end, ten minutes at most. HB_ERROR_FILE
 */
gboolean hb_outcome_hand_on(const HbCli *cli, const char *document, HbStatus status, GError **error);

/* "done", "a server could not be reached, or refused us", ... */
const char *hb_outcome_describe(HbStatus status);
