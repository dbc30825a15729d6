/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/mariadb/dialect/program_heads.h"

#include "engine/mariadb/dialect/features.h"
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

/*
 * What names a character set and no collation has its usual one. It is not the general one any more from MySQL 8.0 on,
 * and in MariaDB from 11.6 on (character_set_collations). Sources: both vendors' manuals, on CREATE FUNCTION and on
 * character sets
 */
static const struct {
    const char *charset;
    const char *general, *mysql_80, *maria_116; /* NULL: the general one */
} usual[] = {
    {"utf8mb4", "utf8mb4_general_ci", "utf8mb4_0900_ai_ci", "utf8mb4_uca1400_ai_ci"},
    {"utf8mb3", "utf8mb3_general_ci", NULL, "utf8mb3_uca1400_ai_ci"},
    {"utf8", "utf8mb3_general_ci", NULL, "utf8mb3_uca1400_ai_ci"},
    {"utf16", "utf16_general_ci", NULL, "utf16_uca1400_ai_ci"},
    {"utf32", "utf32_general_ci", NULL, "utf32_uca1400_ai_ci"},
    {"ucs2", "ucs2_general_ci", NULL, "ucs2_uca1400_ai_ci"},
};

/* NULL: it is the same in all versions */
static const char *find_usual(const char *charset, guint version)
{
    for (gsize i = 0; i < G_N_ELEMENTS(usual); i++) {
        const char *newer = hb_my_version_is_maria(version) ? (version >= 110600 ? usual[i].maria_116 : NULL)
                                                            : (version >= 80000 ? usual[i].mysql_80 : NULL);
        if (g_ascii_strcasecmp(usual[i].charset, charset) == 0)
            return newer != NULL ? newer : usual[i].general;
    }
    return NULL;
}

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
        const char *collation = charset != NULL ? find_usual(charset, version) : NULL;
        if (collation != NULL)
            return g_strdup_printf("%.*s COLLATE %s%s", (int)(end - create), create, collation, end);
    }
    return g_strdup(create);
}

const char *hb_my_find_unsaid_collation(const HbObject *program, guint from, guint to)
{
    Head head = begin(program->definition, program->kind == HB_KIND_FUNCTION);
    const char *end;

    while (advance(&head)) {
        g_autofree char *charset = head.part == PARAMETERS ? read_unsaid(&head, &end) : NULL;
        const char *collation = charset != NULL ? find_usual(charset, from) : NULL;
        if (collation != NULL && strcmp(collation, find_usual(charset, to)) != 0)
            return collation;
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
    {"uuid", FALSE, "char(36) CHARSET ascii"},
    {"inet6", FALSE, "varchar(45) CHARSET ascii"},
    {"inet4", FALSE, "varchar(45) CHARSET ascii"},
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
