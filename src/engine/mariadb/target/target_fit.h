/* SPDX-License-Identifier: Apache-2.0 */
/*
 * target_fit - a catalog adapted to what a target has; all that changes, or will not work there, is named beforehand.
 */
#pragma once

#include "engine/mariadb/session/session.h"

gboolean hb_my_fit_target(const HbAddress *address, HbTargetState state, guint written_for, HbCatalog *catalog,
                          GError **error);
