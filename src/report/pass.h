/* SPDX-License-Identifier: Apache-2.0 */
/*
 * pass - what a pass would do, and what it did, as text and as JSON. All texts are the caller's.
 */
#pragma once

#include "work/freshen/pass.h"
#include "work/verify/verify.h"

char *hb_pass_plan_page(const HbPass *pass, gboolean color);

/* rest: what of the structure differs afterwards */
char *hb_pass_page(const HbPass *pass, const HbRestoreResult *result, const HbVerification *rest, gboolean color);

/* result, rest: NULL, it is only planned */
char *hb_pass_json(const HbPass *pass, const HbRestoreResult *result, const HbVerification *rest);

/* "3 rows to insert, 2 to update"; NULL: nothing is to be changed */
char *hb_pass_describe_work(const HbPass *pass);
