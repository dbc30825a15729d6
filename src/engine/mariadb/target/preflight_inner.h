/* SPDX-License-Identifier: Apache-2.0 */
/*
 * preflight_inner - what the files that look at a target share; no other file includes it.
 *
 *     preflight             the server, its settings, other databases and hosts
 *     preflight_missing     what the target does not have, or does not take
 *     preflight_programs    what the texts of views and programs say that it does not know
 *     preflight_privileges  what the account that restores may not do
 */
#pragma once

#include "engine/mariadb/session/session.h"

typedef struct {
    HbSession *session; /* in no database */
    const char *database;
    const HbRestorePreview *preview;
    GHashTable *rights; /* names of privileges on the whole target database, in capitals */
    GPtrArray *findings;
} HbMyPreflight;

/* Is a condition true on the server? FALSE, too, if it does not know what is asked for */
gboolean hb_my_preflight_is_on(const HbMyPreflight *run, const char *expression);

gboolean hb_my_preflight_check_missing(HbMyPreflight *run, GError **error);
void hb_my_preflight_check_programs(HbMyPreflight *run);
gboolean hb_my_preflight_check_users(HbMyPreflight *run, GError **error);
