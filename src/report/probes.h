/* SPDX-License-Identifier: Apache-2.0 */
/*
 * probes - questions that were asked on both sides, with their answers side by side.
 */
#pragma once

#include "work/verify/questions.h"

/* "2 questions answered otherwise"; NULL: none were. The caller's */
char *hb_probes_count_others(const GPtrArray *probes);

void hb_probes_append(GString *out, const GPtrArray *probes, gboolean color);
