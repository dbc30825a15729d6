/* SPDX-License-Identifier: Apache-2.0 */
/*
 * run_page - a page of HTML about one run of a command, to be kept with a ticket: the result first, then what is how
 * large, who did what when, how fast, and all that the result's document says (see docs/json.md). It needs no network
 * and no script. preflight and handover have pages of their own.
 */
#pragma once

#include "report/recording.h"

typedef struct {
    const char *command;   /* "restore" */
    const char *arguments; /* as given, without secrets; for people */
    const char *document;  /* JSON; NULL: there is none */
    const char *ending;    /* what the exit status says: "done, and nothing is wrong" */
    gboolean is_good;      /* it is 0 */
    const GError *error;   /* NULL: none */
    const HbRecording *recording;
} HbRun;

/* The caller's */
char *hb_run_page(const HbRun *run);
