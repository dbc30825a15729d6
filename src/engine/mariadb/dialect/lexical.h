/* SPDX-License-Identifier: Apache-2.0 */
/*
 * lexical - how MariaDB and MySQL read SQL in their usual sql_mode; see "Literals" and "Comment Syntax" in their
 * manuals.
 */
#pragma once

#include "core/sql/lexer.h"

extern const HbLexicalRules hb_my_rules;

/* The next token that is neither space nor comment */
HbToken hb_my_next(const char **text);
gboolean hb_my_token_is_sign(const HbToken *token, char sign);
gboolean hb_my_token_is_name(const HbToken *token); /* a word or a quoted name */
