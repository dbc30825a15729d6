/* SPDX-License-Identifier: Apache-2.0 */
/*
 * probe - an administrator's own questions, asked on both sides: how many loans this year, which total?
 */
#pragma once

#include "core/sheet.h"
#include "work/verify.h"

typedef struct {
    char *question;
    HbSheet *from; /* its answer; NULL: FROM is a dump, or refused it */
    HbSheet *to;   /* likewise */
    char *from_refusal;
    char *to_refusal;
    gboolean same; /* or only one side could be asked, and answered */
} HbProbe;

/* Each question is asked of TO under the names that things have there: HbProbe *, the caller's. Fails only if a server
 * cannot be reached; what a server refuses is in its probe */
GPtrArray *hb_probes_ask(const HbVerifyOptions *options, GError **error);
