/* SPDX-License-Identifier: Apache-2.0 */
/*
 * findings - what stands in the way, or is to be known, as people read it.
 */
#pragma once

#include "core/base/findings.h"

/* Under a heading for each level. findings: HbFinding * */
void hb_findings_append(GString *out, gboolean color, const GPtrArray *findings);
/* What is to be known before writing: warnings, and the blockers that were accepted */
void hb_findings_append_warnings(GString *out, gboolean color, const GPtrArray *findings);
void hb_findings_append_html(GString *out, const GPtrArray *findings);

/* "1 blocker, 2 warnings, no notes"; the caller's */
char *hb_findings_describe_counts(const GPtrArray *findings);
