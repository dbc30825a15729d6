/* SPDX-License-Identifier: Apache-2.0 */
/*
 * dialect - MariaDB's and MySQL's SQL, as core/sql/dialect.h asks for it.
 */
#pragma once

#include "core/sql/dialect.h"

extern const HbDialect hb_my_dialect;

/* A version's text to its number; 0: it is none */
guint hb_my_read_version(const char *text);

/* How every session reads and writes; a definition that sets it otherwise ends with this */
#define HB_MY_USUAL                                                                                                    \
    "SET sql_mode = 'NO_AUTO_VALUE_ON_ZERO,ALLOW_INVALID_DATES', time_zone = '+00:00',"                                \
    " character_set_client = utf8mb4, collation_connection = utf8mb4_general_ci;"

/* The same for a stock shell, with what else a restore wants */
#define HB_MY_PREAMBLE HB_MY_USUAL "\nSET character_set_results = utf8mb4, foreign_key_checks = 0, unique_checks = 0;\n"
