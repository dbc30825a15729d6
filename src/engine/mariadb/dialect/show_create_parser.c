/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/mariadb/dialect/show_create_parser_inner.h"

#include "core/sql/lexer.h"
#include "engine/mariadb/dialect/foreign_options.h"
#include "engine/mariadb/dialect/lexical.h"

#include <string.h>

static void item_free(gpointer data)
{
    HbItem *item = data;

    g_free(item->text);
    g_free(item->name);
    g_free(item->other_table);
    g_free(item->other_database);
    g_ptr_array_unref(item->columns);
    g_ptr_array_unref(item->other_columns);
    g_free(item);
}

void hb_show_create_free(HbShowCreate *text)
{
    if (text == NULL)
        return;
    g_ptr_array_unref(text->items);
    g_free(text->options);
    g_free(text->engine);
    g_free(text->next_value);
    g_free(text);
}

const HbItem *hb_show_create_find_column(const HbShowCreate *text, const char *name)
{
    for (guint i = 0; i < text->items->len; i++) {
        const HbItem *item = text->items->pdata[i];
        if (item->type == HB_ITEM_COLUMN && g_ascii_strcasecmp(item->name, name) == 0)
            return item;
    }
    return NULL;
}

char *hb_show_create_read_as(HbReadAs how, const char *quoted, const char *end_of_time)
{
    switch (how) {
    case HB_READ_AS_DOUBLE:
        return g_strdup_printf("%s * 1e0", quoted);
    case HB_READ_AS_UTF8:
        return g_strdup_printf("CONVERT(%s USING utf8mb4)", quoted);
    case HB_READ_END:
        return g_strdup_printf("NULLIF(%s, %s)", quoted, end_of_time);
    default:
        return NULL;
    }
}

/* ---- Options ---- */

gboolean hb_show_create_keeps_rows(const HbShowCreate *text)
{
    static const char *const without[] = {"BLACKHOLE", "FEDERATED", "CONNECT", "SPIDER", "MRG_MyISAM", "MERGE", NULL};

    return text->engine == NULL || !g_strv_contains(without, text->engine);
}

/* Without the database's own name before another one */
static char *drop_database(const char *text, const char *database)
{
    GString *result = g_string_new(NULL);
    const char *at = text;
    HbToken token;

    while ((token = hb_lexer_read_token(&hb_my_rules, &at)).type != HB_TOKEN_END) {
        if (token.type == HB_TOKEN_NAME && *at == '.') {
            g_autofree char *name = hb_token_unquote(&token);
            if (g_strcmp0(name, database) == 0) {
                at++;
                continue;
            }
        }
        g_string_append_len(result, token.start, (gssize)token.length);
    }
    return g_string_free(result, FALSE);
}

/* Tables of some engines are windows on another server, and their options say how to log in there */
static void take_secrets_out(HbShowCreate *text)
{
    char *without = hb_my_is_foreign_storage(text->engine) ? hb_my_filter_options(text->options) : NULL;

    if (without == NULL)
        return;
    g_free(text->options);
    text->options = without;
    text->had_password = TRUE;
}

static void read_options(HbShowCreate *text, const char *options, const char *given, char **charset)
{
    GString *kept = g_string_new(NULL);
    HbToken token;

    while ((token = hb_lexer_read_token(&hb_my_rules, &options)).type != HB_TOKEN_END) {
        const char *preview = options;
        HbToken sign = hb_my_next(&preview), value = hb_my_next(&preview);
        gboolean is_setting = hb_my_token_is_sign(&sign, '=');
        if (hb_token_is_word(&token, "PARTITION"))
            break;
        if (is_setting && hb_token_is_word(&token, "ENGINE") && text->engine == NULL)
            text->engine = g_strndup(value.start, value.length);
        if (is_setting && hb_token_is_word(&token, "CHARSET") && *charset == NULL)
            *charset = g_strndup(value.start, value.length);
        if (hb_token_is_word(&token, "VERSIONING"))
            text->is_versioned = TRUE;
        if (is_setting && hb_token_is_word(&token, "AUTO_INCREMENT") && text->next_value == NULL) {
            text->next_value = g_strndup(value.start, value.length);
            options = preview + (*preview == ' ');
            continue;
        }
        /* Aria says so whether or not anybody asked for it */
        if (hb_token_is_word(&token, "PAGE_CHECKSUM") && given != NULL && strstr(given, "page_checksum") == NULL) {
            g_string_truncate(kept, kept->len - (kept->len > 0));
            options = preview;
            continue;
        }
        g_string_append_len(kept, token.start, (gssize)token.length);
    }
    g_string_append(kept, token.start);
    text->options = g_string_free(kept, FALSE);
    take_secrets_out(text);
}

/* ---- The whole ---- */

char *hb_show_create_find_collation(const char *options)
{
    HbToken token;

    while ((token = hb_my_next(&options)).type != HB_TOKEN_END && !hb_token_is_word(&token, "PARTITION")) {
        const char *after = options;
        const HbToken sign = hb_my_next(&after), value = hb_my_next(&after);
        if (hb_token_is_word(&token, "COLLATE") && hb_my_token_is_sign(&sign, '='))
            return g_strndup(value.start, value.length);
    }
    return NULL;
}

/*
 * MySQL says the collation of a column that has the table's, too; if it were said again, the column would have it as
 * its own, and the server would print it otherwise. What has its own is printed with its character set
 */
static void forget_inherited(HbItem *item, const char *collation)
{
    const char *at = item->text;
    HbToken token;

    if (item->type != HB_ITEM_COLUMN || collation == NULL)
        return;
    while ((token = hb_my_next(&at)).type != HB_TOKEN_END && !hb_token_is_word(&token, "CHARACTER")) {
        const char *start = token.start;
        if (!hb_token_is_word(&token, "COLLATE"))
            continue;
        token = hb_my_next(&at);
        if (hb_token_is_word(&token, collation)) {
            char *text = g_strdup_printf("%.*s%s", (int)(start - 1 - item->text), item->text, at);
            g_free(item->text);
            item->text = text;
        }
        return;
    }
}

/* The texts between the commas of the outer parentheses: char *; moves *sql behind them */
static GPtrArray *cut_items(const char **sql, const char *database)
{
    GPtrArray *texts = g_ptr_array_new_with_free_func(g_free);
    const char *start = NULL;
    int depth = 0;
    HbToken token;

    while ((token = hb_my_next(sql)).type != HB_TOKEN_END) {
        gboolean closes = hb_my_token_is_sign(&token, ')');
        depth += hb_my_token_is_sign(&token, '(') - closes;
        if (start == NULL && depth == 1)
            start = token.start + 1;
        if (start != NULL && ((depth == 1 && hb_my_token_is_sign(&token, ',')) || (depth == 0 && closes))) {
            g_autofree char *text = g_strndup(start, (gsize)(token.start - start));
            g_ptr_array_add(texts, drop_database(g_strstrip(text), database));
            start = token.start + 1;
            if (depth == 0)
                return texts;
        }
    }
    return texts;
}

char *hb_show_create_cut_tablespace(const char *options, char **name)
{
    const char *at = options;
    HbToken token;

    *name = NULL;
    while ((token = hb_my_next(&at)).type != HB_TOKEN_END) {
        const char *start = token.start;
        if (!hb_token_is_word(&token, "TABLESPACE"))
            continue;
        token = hb_my_next(&at);
        if (hb_my_token_is_sign(&token, '='))
            token = hb_my_next(&at);
        *name = hb_token_unquote(&token);
        while (start > options && start[-1] == ' ')
            start--;
        return g_strdup_printf("%.*s%s", (int)(start - options), options, at);
    }
    return g_strdup(options);
}

/* The ends of what a comment holds for some versions, and the blank inside of each, are left out */
static void append_space(GString *text, const char *at, const char *end)
{
    while (at < end) {
        if (g_str_has_prefix(at, "/*!")) {
            at += strlen("/*!");
            at += strspn(at, "0123456789");
            at += *at == ' ';
        } else if (g_str_has_prefix(at, "*/")) {
            at += strlen("*/");
            if (text->len > 0 && text->str[text->len - 1] == ' ')
                g_string_truncate(text, text->len - 1);
        } else {
            g_string_append_c(text, *at++);
        }
    }
}

char *hb_show_create_unwrap(const char *sql)
{
    GString *text = g_string_new(NULL);
    HbToken token;

    while ((token = hb_lexer_read_token(&hb_my_rules, &sql)).type != HB_TOKEN_END) {
        if (token.type == HB_TOKEN_SPACE)
            append_space(text, token.start, token.start + token.length);
        else
            g_string_append_len(text, token.start, (gssize)token.length);
    }
    return g_string_free(text, FALSE);
}

char *hb_show_create_find_ignored(const char *sql)
{
    static const char opening[] = "/* `", closing[] = " */";
    GString *found = g_string_new(NULL);
    HbToken token;

    while ((token = hb_lexer_read_token(&hb_my_rules, &sql)).type != HB_TOKEN_END) {
        const char *start =
            token.type == HB_TOKEN_SPACE ? g_strstr_len(token.start, (gssize)token.length, opening) : NULL;
        const char *end = start != NULL ? g_strrstr_len(start, sql - start, closing) : NULL;
        if (end != NULL)
            g_string_append_printf(found, "%s%.*s", found->len > 0 ? ", " : "", (int)(end - start - 3), start + 3);
    }
    return found->len > 0 ? g_string_free(found, FALSE) : (g_string_free(found, TRUE), NULL);
}

HbShowCreate *hb_show_create_read(const char *sql, const char *database, const char *given)
{
    HbShowCreate *text = g_new0(HbShowCreate, 1);
    g_autoptr(GPtrArray) items = cut_items(&sql, database);
    g_autofree char *charset = NULL, *collation = NULL;

    read_options(text, sql, given, &charset);
    collation = hb_show_create_find_collation(text->options);
    text->items = g_ptr_array_new_with_free_func(item_free);
    for (guint i = 0; i < items->len; i++) {
        HbItem *item = hb_show_create_read_item(items->pdata[i], charset != NULL ? charset : "utf8mb4");
        forget_inherited(item, collation);
        g_ptr_array_add(text->items, item);
    }
    return text;
}
