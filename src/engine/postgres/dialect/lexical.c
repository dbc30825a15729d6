/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/postgres/dialect/lexical.h"

/* It never keeps comments. Key words are printed in capitals, and names that are key words in quotes */
const HbLexicalRules hb_pg_rules = {.dollar_quotes = TRUE, .nested_comments = TRUE, .quotes_key_words = TRUE};
