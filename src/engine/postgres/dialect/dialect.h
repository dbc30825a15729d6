/* SPDX-License-Identifier: Apache-2.0 */
/*
 * dialect - PostgreSQL's SQL, as core/sql/dialect.h asks for it.
 */
#pragma once

#include "core/sql/dialect.h"

/* The oldest server version that is read and written */
#define HB_PG_OLDEST 130000

extern const HbDialect hb_pg_dialect;
