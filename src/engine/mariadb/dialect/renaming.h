/* SPDX-License-Identifier: Apache-2.0 */
/*
 * renaming - names of databases, accounts and storage engines inside MariaDB's SQL. Of string literals only accounts
 * are read; others are left alone.
 */
#pragma once

#include "core/sql/dialect.h"

char *hb_my_rename(const HbObject *object, const char *sql, HbRename *rename);
char *hb_my_rename_identity(const char *identity, const HbRename *rename);
