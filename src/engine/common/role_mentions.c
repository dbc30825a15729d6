/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/common/role_mentions.h"

#include "core/sql/lexer.h"

#include <string.h>

void hb_role_mentions_add(GPtrArray *names, const char *name)
{
    if (!g_ptr_array_find_with_equal_func(names, name, g_str_equal, NULL))
        g_ptr_array_add(names, g_strdup(name));
}

/* ---- Grants, policies and the like: names stand after certain words, in lists ---- */

static gboolean names_users(HbKind kind)
{
    return kind == HB_KIND_GRANT || kind == HB_KIND_DEFAULT_GRANT || kind == HB_KIND_POLICY ||
           kind == HB_KIND_DATABASE_OWNER || kind == HB_KIND_USER_MAPPING;
}

static gboolean begins_list(HbKind kind, const HbToken *token)
{
    return hb_token_is_word(token, "TO") || hb_token_is_word(token, "FROM") || hb_token_is_word(token, "ROLE") ||
           hb_token_is_word(token, "BY") || (kind == HB_KIND_USER_MAPPING && hb_token_is_word(token, "FOR"));
}

/* What may stand in place of a name */
static gboolean is_nobody(const HbToken *token)
{
    static const char *const words[] = {"PUBLIC", "CURRENT_USER", "CURRENT_ROLE", "SESSION_USER", "ROLE", "NONE"};

    for (gsize i = 0; i < G_N_ELEMENTS(words); i++) {
        if (hb_token_is_word(token, words[i]))
            return TRUE;
    }
    return FALSE;
}

static void add_listed(GPtrArray *names, const HbObject *object)
{
    const char *sql = object->definition;
    gboolean in_list = FALSE, expected = FALSE;
    HbToken token;

    while (sql != NULL && (token = hb_lexer_read_token(&hb_lexer_plain, &sql)).type != HB_TOKEN_END) {
        if (token.type == HB_TOKEN_SPACE)
            continue;
        if (object->kind == HB_KIND_POLICY && *token.start == '(')
            return; /* an expression, which may say FROM */
        if (expected && (token.type == HB_TOKEN_WORD || token.type == HB_TOKEN_NAME) && !is_nobody(&token)) {
            g_autofree char *name = hb_token_unquote(&token);
            hb_role_mentions_add(names, name);
            expected = FALSE;
            continue;
        }
        in_list = begins_list(object->kind, &token) || (in_list && *token.start == ',');
        expected = in_list;
    }
}

GPtrArray *hb_role_mentions_list(const HbObject *object)
{
    GPtrArray *names = g_ptr_array_new_with_free_func(g_free);

    if (object->owner != NULL)
        hb_role_mentions_add(names, object->owner);
    if (names_users(object->kind))
        add_listed(names, object);
    return names;
}
