/* SPDX-License-Identifier: Apache-2.0 */
/*
 * preflight - a look ahead as text for people, and as a page of HTML.
 */
#pragma once

#include "work/restore/restore.h"

/* Where a restore writes to, and as whom */
void hb_preflight_append_target(GString *out, gboolean color, const HbRestore *restore);

void hb_preflight_append_contents(GString *out, gboolean color, const HbManifest *manifest); /* as far as estimated */

/* What is restored; path: of the dump, NULL: a server. The caller's */
char *hb_preflight_describe_source(const HbManifest *manifest, const char *path);

/* path: of the dump; NULL: a server. Texts are the caller's */
char *hb_preflight_page(const HbRestore *restore, const char *path, gboolean color);

/* A section of a page, see report/html.h, for one database */
void hb_preflight_append_html(GString *out, const HbRestore *restore, const char *path);
