/* SPDX-License-Identifier: Apache-2.0 */
/*
 * probe - an administrator's own questions, asked on both sides: how many loans this year, which total?
 */
#pragma once

#include "core/sheet.h"
#include "work/adapt.h"
#include "work/side.h"

typedef struct {
    char *question;
    HbSheet *from; /* its answer; NULL: FROM is a dump, or refused it */
    HbSheet *to;   /* likewise */
    char *from_refusal;
    char *to_refusal;
    gboolean same; /* or only one side could be asked, and answered */
} HbProbe;

typedef struct {
    const HbSide *from;
    const HbSide *to;
    char *const *texts;     /* ended by NULL */
    const HbWishes *wishes; /* what is renamed is asked for under its new name in TO */
} HbQuestions;

/* HbProbe *, the caller's. Fails only if a server cannot be reached; what a server refuses is in its probe */
GPtrArray *hb_probes_ask(const HbQuestions *questions, GError **error);
