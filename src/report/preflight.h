/* SPDX-License-Identifier: Apache-2.0 */
/*
 * preflight - findings as text for people, and as a page of HTML that stands alone: to be kept with a change ticket.
 */
#pragma once

#include "work/restore/restore.h"

/* Where a restore writes to, and as whom */
void hb_preflight_append_target(GString *out, gboolean color, const HbRestore *restore);

/* What is to be known before writing: warnings, and the blockers that were accepted */
void hb_preflight_append_warnings(GString *out, gboolean color, const GPtrArray *findings);

void hb_preflight_append_contents(GString *out, gboolean color, const HbManifest *manifest); /* as far as estimated */

/* What is restored; path: of the dump, NULL: a server. The caller's */
char *hb_preflight_describe_source(const HbManifest *manifest, const char *path);

/* path: of the dump; NULL: a server. Texts are the caller's */
char *hb_preflight_page(const HbRestore *restore, const char *path, gboolean color);

/* A page of HTML: begin, a section for each database, end */
void hb_preflight_begin_html(GString *out);
void hb_preflight_append_html(GString *out, const HbRestore *restore, const char *path);
void hb_preflight_end_html(GString *out);
