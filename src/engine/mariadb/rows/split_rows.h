/* SPDX-License-Identifier: Apache-2.0 */
/*
 * split_rows - a large table cut into ranges of its primary key's first column.
 */
#pragma once

#include "engine/mariadb/session/session.h"

GArray *hb_my_split_rows(HbSession *session, const HbRowSet *set, guint64 bytes);
