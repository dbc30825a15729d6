/* SPDX-License-Identifier: Apache-2.0 */
/*
 * mariadb - the engine for MariaDB and MySQL servers, over libmariadb.
 */
#pragma once

#include "engine/engine.h"

extern const HbEngine hb_mariadb_engine;
