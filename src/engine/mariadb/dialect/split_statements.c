/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/mariadb/dialect/split_statements.h"

#include "engine/mariadb/dialect/lexical.h"

#include <string.h>

#define DELIMITER_LINE "DELIMITER "

static const char *skip_space(const char *at)
{
    const char *next = at;

    while (hb_lexer_read_token(&hb_my_rules, &next).type == HB_TOKEN_SPACE)
        at = next;
    return at;
}

/* Where the statement at `at` ends: on its ';', or at the end of the text */
static const char *find_end(const char *at)
{
    HbToken token;

    do {
        token = hb_lexer_read_token(&hb_my_rules, &at);
    } while (token.type != HB_TOKEN_END && !(token.type == HB_TOKEN_SIGN && *token.start == ';'));
    return token.start;
}

static void add_statement(GPtrArray *statements, const char *start, const char *end)
{
    if (end > start) {
        char *statement = g_strndup(start, (gsize)(end - start));
        g_ptr_array_add(statements, g_strchomp(statement));
    }
}

GPtrArray *hb_my_split_statements(const char *sql)
{
    GPtrArray *statements = g_ptr_array_new_with_free_func(g_free);
    g_autofree char *delimiter = NULL;
    const char *at = skip_space(sql);

    while (*at != '\0') {
        const char *end;
        if (g_str_has_prefix(at, DELIMITER_LINE)) {
            const char *text = at + strlen(DELIMITER_LINE);
            g_free(delimiter);
            delimiter = g_strndup(text, strcspn(text, "\n"));
            at = text + strlen(delimiter);
            if (*delimiter == '\0' || strcmp(delimiter, ";") == 0) /* none is not one that stands everywhere */
                g_clear_pointer(&delimiter, g_free);
            at = delimiter == NULL ? skip_space(at) : at + strspn(at, "\n");
            continue;
        }
        if (delimiter == NULL) {
            end = find_end(at);
            add_statement(statements, at, end);
            at = skip_space(end + (*end != '\0'));
            continue;
        }
        end = strstr(at, delimiter);
        end = end != NULL ? end : at + strlen(at);
        add_statement(statements, at, end);
        at = *end != '\0' ? end + strlen(delimiter) : end;
        at += strspn(at, "\n");
    }
    return statements;
}

/* Does the delimiter, right behind the statement, end it and nothing before? */
static gboolean is_free(const char *statement, const char *delimiter)
{
    g_autofree char *both = g_strconcat(statement, delimiter, NULL);

    return strstr(both, delimiter) == both + strlen(statement);
}

/* Might the last line be a comment to its end? A shell would read a delimiter there as part of it */
static gboolean may_end_in_comment(const char *statement)
{
    const char *line = strrchr(statement, '\n');

    line = line != NULL ? line : statement;
    return strstr(line, "--") != NULL || strchr(line, '#') != NULL;
}

char *hb_my_delimit(const char *statement)
{
    static const char *const delimiters[] = {";;", "//", "$$"};
    const char *break_line = may_end_in_comment(statement) ? "\n" : "";
    g_autofree char *own = NULL;
    const char *delimiter = NULL;

    for (gsize i = 0; i < G_N_ELEMENTS(delimiters) && delimiter == NULL; i++)
        delimiter = is_free(statement, delimiters[i]) ? delimiters[i] : NULL;
    for (guint i = 1; delimiter == NULL; i++) { /* whoever wrote the text cannot have written all of them */
        g_free(own);
        own = g_strdup_printf("@@%u@@", i);
        delimiter = is_free(statement, own) ? own : NULL;
    }
    return g_strdup_printf(DELIMITER_LINE "%s\n%s%s%s\n" DELIMITER_LINE ";", delimiter, statement, break_line,
                           delimiter);
}
