/* SPDX-License-Identifier: Apache-2.0 */
/*
 * charts - drawings for pages of HTML, as SVG inside them: no script, in the page's own colours. Each says what it
 * shows for those who do not see it.
 */
#pragma once

#include "report/recording.h"

typedef struct {
    char *name;
    guint64 bytes;
} HbSized;

/* What is how large: bars, the largest first; of more than twenty the rest in one. sizes: HbSized, in any order */
void hb_chart_append_sizes(GString *out, const char *title, const GArray *sizes);

/* What each session did when, above the names of the phases. Nothing is appended where nothing was done */
void hb_chart_append_time_line(GString *out, const HbRecording *recording);

/* How fast bytes came. Nothing where none, or all at once */
void hb_chart_append_rate(GString *out, const HbRecording *recording);
