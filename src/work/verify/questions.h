/* SPDX-License-Identifier: Apache-2.0 */
/*
 * questions - an administrator's own questions, asked on both sides: how many loans this year, which total?
 */
#pragma once

#include "core/base/result_table.h"
#include "work/source/adapt.h"
#include "work/verify/side.h"

typedef struct {
    char *question;
    HbResultTable *from; /* its answer; NULL: FROM is a dump, or refused it */
    HbResultTable *to;   /* likewise */
    char *from_refusal;
    char *to_refusal;
    gboolean same; /* or only one side could be asked, and answered */
} HbAnswer;

typedef struct {
    const HbSide *from;
    const HbSide *to;
    char *const *texts;     /* ended by NULL */
    const HbWishes *wishes; /* what is renamed is asked for under its new name in TO */
} HbQuestions;

/* HbAnswer *, the caller's. Fails only if a server cannot be reached; what a server refuses is in its probe */
GPtrArray *hb_questions_ask(const HbQuestions *questions, GError **error);
