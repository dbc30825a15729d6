/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/mariadb/dialect/program_heads.h"

#include "engine/mariadb/dialect/charsets.h"
#include "engine/mariadb/dialect/lexical.h"

#include <string.h>

/* ---- Parts ---- */

/* Its name and before, its parameters in their parentheses, and a result to the end of its line, as servers write it */
typedef enum { BEFORE, PARAMETERS, RESULT, BEHIND } Part;

/* A walk through a head: token is the one that was read last, rest what stands behind it */
typedef struct {
    gboolean is_function;
    const char *rest;
    HbToken token, before;
    Part part;
    int depth;
} Head;

static Part find_next(const Head *head)
{
    if (head->part == BEFORE)
        return hb_token_is_word(&head->token, head->is_function ? "FUNCTION" : "PROCEDURE") ? PARAMETERS : BEFORE;
    if (head->part == PARAMETERS && head->depth == 0 && hb_my_token_is_sign(&head->token, ')'))
        return head->is_function ? RESULT : BEHIND;
    return head->part == RESULT && *head->rest == '\n' ? BEHIND : head->part;
}

static Head begin(const char *sql, gboolean is_function)
{
    return (Head){.is_function = is_function, .rest = sql, .token = {.type = HB_TOKEN_END}};
}

/* The next token of the parameters or the result. FALSE: there are no more */
static gboolean advance(Head *head)
{
    do {
        head->before = head->token;
        if (head->token.type != HB_TOKEN_END)
            head->part = find_next(head);
        head->token = hb_my_next(&head->rest);
        if (head->part == PARAMETERS)
            head->depth += hb_my_token_is_sign(&head->token, '(') - hb_my_token_is_sign(&head->token, ')');
    } while (head->part == BEFORE && head->token.type != HB_TOKEN_END);
    return head->part != BEHIND && head->token.type != HB_TOKEN_END;
}

/* ---- Collations ---- */

/* The character set at this token, CHARSET or CHARACTER SET, if no COLLATE follows; NULL otherwise. The caller's; *end
 * is behind it */
static char *read_unsaid(const Head *head, const char **end)
{
    const char *at = head->rest;
    HbToken name, next;

    if (hb_token_is_word(&head->token, "CHARACTER"))
        name = hb_my_next(&at); /* SET */
    else if (!hb_token_is_word(&head->token, "CHARSET"))
        return NULL;
    name = hb_my_next(&at);
    *end = at;
    next = hb_my_next(&at);
    return name.type == HB_TOKEN_WORD && !hb_token_is_word(&next, "COLLATE") ? hb_token_unquote(&name) : NULL;
}

char *hb_my_say_result_collation(const char *create, guint version)
{
    Head head = begin(create, TRUE);
    const char *end = NULL;

    while (advance(&head)) {
        g_autofree char *charset = head.part == RESULT ? read_unsaid(&head, &end) : NULL;
        g_autofree char *collation = charset != NULL ? hb_my_get_usual_collation(charset, version) : NULL;
        if (collation != NULL)
            return g_strdup_printf("%.*s COLLATE %s%s", (int)(end - create), create, collation, end);
    }
    return g_strdup(create);
}

char *hb_my_find_unsaid_collation(const HbObject *program, guint from, guint to)
{
    Head head = begin(program->definition, program->kind == HB_KIND_FUNCTION);
    const char *end;

    while (advance(&head)) {
        g_autofree char *charset = head.part == PARAMETERS ? read_unsaid(&head, &end) : NULL;
        g_autofree char *collation = charset != NULL ? hb_my_get_usual_collation(charset, from) : NULL,
                        *there = charset != NULL ? hb_my_get_usual_collation(charset, to) : NULL;
        if (g_strcmp0(collation, there) != 0)
            return g_steal_pointer(&collation);
    }
    return NULL;
}

/* ---- Types ---- */

static const struct {
    const char *type;
    gboolean to_maria;
    const char *becomes;
} types[] = {
    /* in parameters MariaDB reads it, and keeps it as it was written */
    {"json", TRUE, "longtext CHARSET utf8mb4 COLLATE utf8mb4_bin"},
    {"uuid", FALSE, "char(36) CHARSET ascii COLLATE ascii_general_ci"},
    {"inet6", FALSE, "varchar(45) CHARSET ascii COLLATE ascii_general_ci"},
    {"inet4", FALSE, "varchar(45) CHARSET ascii COLLATE ascii_general_ci"},
};

/* A type stands behind RETURNS, or behind the name of a parameter. NULL: it stays */
static const char *find_type(const Head *head, gboolean to_maria)
{
    static const char *const ways[] = {"IN", "OUT", "INOUT"};
    gboolean is_type = hb_my_token_is_name(&head->before);

    for (gsize i = 0; i < G_N_ELEMENTS(ways); i++)
        is_type = is_type && !hb_token_is_word(&head->before, ways[i]);
    for (gsize i = 0; is_type && i < G_N_ELEMENTS(types); i++) {
        if (types[i].to_maria == to_maria && hb_token_is_word(&head->token, types[i].type))
            return to_maria && head->part != RESULT ? NULL : types[i].becomes;
    }
    return NULL;
}

char *hb_my_replace_types(const HbObject *program, gboolean to_maria)
{
    Head head = begin(program->definition, program->kind == HB_KIND_FUNCTION);
    const char *copied = program->definition;
    GString *text = g_string_new(NULL);
    gboolean found = FALSE;

    while (advance(&head)) {
        const char *type = find_type(&head, to_maria);
        if (type == NULL)
            continue;
        found = TRUE;
        g_string_append_len(text, copied, head.token.start - copied);
        g_string_append(text, type);
        copied = head.rest;
    }
    g_string_append(text, copied);
    return g_string_free(text, !found);
}
