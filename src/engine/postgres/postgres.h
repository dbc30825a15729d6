/* SPDX-License-Identifier: Apache-2.0 */
/*
 * postgres - the engine for PostgreSQL 13 and newer, over libpq.
 */
#pragma once

#include "engine/engine.h"

extern const HbEngine hb_postgres_engine;
