/* SPDX-License-Identifier: Apache-2.0 */
/*
 * preflight - findings in catalogs alone, before a restore. What takes a look at the target's server is the engine's
 * (its target's preflight()), which adds its findings to the same list.
 */
#pragma once

#include "core/base/findings.h"
#include "core/sql/dialect.h"

/* Omissions of the catalog from `first` on: what fitting it to the target changed or left out */
void hb_preflight_check_omissions(const HbCatalog *catalog, guint first, GPtrArray *findings);

/* Tables without a primary or unique key; foreign servers and subscriptions, which lead to other hosts */
void hb_preflight_check_objects(const HbCatalog *catalog, const HbDialect *dialect, GPtrArray *findings);

/* Is there room for so many bytes of rows, with their indexes? free: G_MAXUINT64 if it cannot be known */
void hb_preflight_judge_room(guint64 bytes, guint64 free, GPtrArray *findings);

/* Properties of this prefix that differ, but for those that the catalog itself sets: own: the target's, name to value
 */
void hb_preflight_check_settings(const HbCatalog *catalog, GHashTable *own, const char *prefix, GPtrArray *findings);

/* How long so many bytes of rows may take with so many sessions */
void hb_preflight_guess_duration(guint64 bytes, guint sessions, GPtrArray *findings);
