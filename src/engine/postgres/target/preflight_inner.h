/* SPDX-License-Identifier: Apache-2.0 */
/*
 * preflight_inner - what the files that look at a target share; no other file includes it.
 *
 *     ahead         the server, its databases, texts, settings, extensions
 *     ahead_rights  what the role that restores may not do
 *     ahead_there   what the target has or does that the dump will meet: commits that wait, extensions, collations
 */
#pragma once

#include "engine/postgres/session/session.h"

typedef struct {
    HbSession *session; /* in the target database or, if that is to be created, in another */
    const char *database;
    const HbRestorePreview *preview;
    HbResult *facts; /* one row */
    GPtrArray *findings;
} HbPgPreflight;

gboolean hb_pg_preflight_has_database(const HbPgPreflight *run); /* it is there already */
gboolean hb_pg_preflight_is_true(const HbPgPreflight *run, const char *fact);
const char *hb_pg_preflight_get_me(const HbPgPreflight *run); /* quoted */

gboolean hb_pg_preflight_check_privileges(HbPgPreflight *run, GError **error);
gboolean hb_pg_preflight_check_content(HbPgPreflight *run, GError **error);
