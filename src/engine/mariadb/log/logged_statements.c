/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/mariadb/log/logged_statements.h"

#include "engine/mariadb/dialect/lexical.h"

#include <string.h>

/* The first word decides */
static const struct {
    const char *word;
    HbMyStatement statement;
} verbs[] = {
    {"BEGIN", HB_MY_STATEMENT_IS_NOTHING},    {"SAVEPOINT", HB_MY_STATEMENT_IS_NOTHING},
    {"RELEASE", HB_MY_STATEMENT_IS_NOTHING},  {"START", HB_MY_STATEMENT_IS_NOTHING},
    {"FLUSH", HB_MY_STATEMENT_IS_NOTHING},    {"SET", HB_MY_STATEMENT_IS_NOTHING},
    {"ANALYZE", HB_MY_STATEMENT_IS_NOTHING},  {"COMMIT", HB_MY_STATEMENT_COMMITS},
    {"ROLLBACK", HB_MY_STATEMENT_UNDOES},     {"XA", HB_MY_STATEMENT_PREPARES},
    {"INSERT", HB_MY_STATEMENT_CHANGES_ROWS}, {"UPDATE", HB_MY_STATEMENT_CHANGES_ROWS},
    {"DELETE", HB_MY_STATEMENT_CHANGES_ROWS}, {"REPLACE", HB_MY_STATEMENT_CHANGES_ROWS},
    {"LOAD", HB_MY_STATEMENT_CHANGES_ROWS},   {"CALL", HB_MY_STATEMENT_CHANGES_ROWS},
    {"WITH", HB_MY_STATEMENT_CHANGES_ROWS},   {"TRUNCATE", HB_MY_STATEMENT_EMPTIES},
};

HbMyStatement hb_my_judge_statement(const char *text)
{
    const HbToken first = hb_my_next(&text);

    for (gsize i = 0; i < G_N_ELEMENTS(verbs); i++) {
        if (hb_token_is_word(&first, verbs[i].word))
            return verbs[i].statement;
    }
    return HB_MY_STATEMENT_DEFINES;
}

char *hb_my_find_truncated(const char *text, gboolean runs_in_it, const char *database)
{
    g_autofree char *first = NULL;
    HbToken token;

    hb_my_next(&text);
    token = hb_my_next(&text);
    if (hb_token_is_word(&token, "TABLE"))
        token = hb_my_next(&text);
    first = hb_token_unquote(&token);
    token = hb_my_next(&text);
    if (!hb_my_token_is_sign(&token, '.'))
        return runs_in_it ? g_steal_pointer(&first) : NULL;
    token = hb_my_next(&text);
    return strcmp(first, database) == 0 ? hb_token_unquote(&token) : NULL;
}
