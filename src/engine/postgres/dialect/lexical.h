/* SPDX-License-Identifier: Apache-2.0 */
/*
 * lexical - how PostgreSQL reads SQL; see "Lexical Structure" in its manual.
 */
#pragma once

#include "core/sql/lexer.h"

extern const HbLexicalRules hb_pg_rules;
