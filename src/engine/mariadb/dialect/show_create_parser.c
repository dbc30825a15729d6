/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/mariadb/dialect/show_create_parser.h"

#include "engine/mariadb/dialect/foreign_options.h"
#include "engine/mariadb/dialect/lexical.h"
#include "engine/mariadb/dialect/names.h"

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

/* ---- Columns ---- */

static gboolean is_among(const HbToken *token, const char *const *words)
{
    for (; *words != NULL; words++) {
        if (hb_token_is_word(token, *words))
            return TRUE;
    }
    return FALSE;
}

/* Character sets whose bytes are UTF-8 as they stand */
static gboolean is_utf8(const char *charset)
{
    static const char *const names[] = {"utf8mb4", "utf8mb3", "utf8", "ascii", NULL};

    return g_strv_contains(names, charset);
}

/*
 * Text in a character set that UTF-8 cannot give back exactly goes as bytes. latin1 is safe: each of its bytes has a
 * character, and each of these its byte. The values of enums and sets are in the definition: they are safe, too.
 */
static void choose_text_coding(HbItem *item, const char *charset, gboolean is_list)
{
    if (is_utf8(charset))
        return;
    if (is_list || strcmp(charset, "latin1") == 0)
        item->select_expressions = HB_READ_AS_UTF8;
    else
        item->hex_columns = HB_CODING_BYTES;
}

/* "CHARACTER SET x", or the beginning of "COLLATE x_..."; the table's own if the column says nothing */
static char *find_charset(const char *text, const char *usual)
{
    HbToken token;

    while ((token = hb_my_next(&text)).type != HB_TOKEN_END) {
        if (hb_token_is_word(&token, "CHARACTER")) {
            hb_my_next(&text);
            token = hb_my_next(&text);
            return g_strndup(token.start, token.length);
        }
        if (hb_token_is_word(&token, "COLLATE")) {
            token = hb_my_next(&text);
            const char *end = memchr(token.start, '_', token.length);
            return g_strndup(token.start, end != NULL ? (gsize)(end - token.start) : token.length);
        }
        if (hb_token_is_word(&token, "DEFAULT") || hb_token_is_word(&token, "GENERATED"))
            break;
    }
    return g_strdup(usual);
}

/* "(10,2)" right after the type */
static gboolean has_scale(const char *text)
{
    HbToken token = hb_my_next(&text);

    return hb_my_token_is_sign(&token, '(');
}

static void read_type(HbItem *item, const HbToken *type, const char *rest, const char *charset)
{
    static const char *const integers[] = {"tinyint", "smallint", "mediumint", "int", "bigint", NULL};
    static const char *const texts[] = {"char", "varchar", "tinytext", "text", "mediumtext", "longtext", NULL};
    static const char *const lists[] = {"enum", "set", NULL};
    static const char *const bytes[] = {"bit",
                                        "binary",
                                        "varbinary",
                                        "tinyblob",
                                        "blob",
                                        "mediumblob",
                                        "longblob",
                                        "geometry",
                                        "point",
                                        "linestring",
                                        "polygon",
                                        "multipoint",
                                        "vector",
                                        "geomcollection",
                                        "multipolygon",
                                        "multilinestring",
                                        "geometrycollection",
                                        NULL};

    static const char *const times[] = {"date", "datetime", "timestamp", NULL};

    if (is_among(type, integers))
        item->split = HB_SPLIT_NUMBER;
    else if (is_among(type, times))
        item->split = HB_SPLIT_TIME;
    else if (hb_token_is_word(type, "binary") || hb_token_is_word(type, "varbinary"))
        item->split = HB_SPLIT_BYTES;
    if (is_among(type, bytes))
        item->hex_columns = HB_CODING_BYTES;
    /* A float prints too few digits, and so does a double that has a scale */
    if (hb_token_is_word(type, "float") || (hb_token_is_word(type, "double") && has_scale(rest)))
        item->select_expressions = HB_READ_AS_DOUBLE;
    if (is_among(type, texts) || is_among(type, lists)) {
        g_autofree char *own = find_charset(rest, charset);
        choose_text_coding(item, own, is_among(type, lists));
        if (is_among(type, texts) && item->hex_columns == HB_CODING_TEXT)
            item->split = HB_SPLIT_TEXT;
    }
}

static void read_attributes(HbItem *item, const char *text)
{
    int depth = 0;
    HbToken token;

    while ((token = hb_my_next(&text)).type != HB_TOKEN_END) {
        depth += hb_my_token_is_sign(&token, '(') - hb_my_token_is_sign(&token, ')');
        if (depth > 0)
            continue;
        if (hb_token_is_word(&token, "AUTO_INCREMENT"))
            item->is_auto = TRUE;
        if (hb_token_is_word(&token, "NOT")) {
            token = hb_my_next(&text);
            item->is_not_null = item->is_not_null || hb_token_is_word(&token, "NULL");
        }
        if (hb_token_is_word(&token, "AS")) {
            token = hb_my_next(&text);
            item->origin = hb_my_token_is_sign(&token, '(') ? HB_COLUMN_GENERATED
                           : item->split == HB_SPLIT_NUMBER ? HB_COLUMN_TRANSACTION
                                                            : HB_COLUMN_SYSTEM;
            token = hb_my_next(&text); /* ROW START or ROW END */
            if (item->origin == HB_COLUMN_SYSTEM && hb_token_is_word(&token, "END")) {
                item->hex_columns = HB_CODING_END;
                item->select_expressions = HB_READ_END;
            }
            return;
        }
    }
}

static void read_column(HbItem *item, const HbToken *name, const char *rest, const char *charset)
{
    HbToken type = hb_my_next(&rest);

    item->type = HB_ITEM_COLUMN;
    item->name = hb_token_unquote(name);
    read_type(item, &type, rest, charset);
    read_attributes(item, rest);
}

/* ---- Keys and constraints ---- */

/* The names in the next parentheses; a part that is an expression is passed over, and counted. Moves *text behind them
 */
static guint read_names(const char **text, GPtrArray *names)
{
    guint parts = 1;
    int depth = 0;
    HbToken token;

    while ((token = hb_my_next(text)).type != HB_TOKEN_END) {
        depth += hb_my_token_is_sign(&token, '(') - hb_my_token_is_sign(&token, ')');
        if (depth == 1 && token.type == HB_TOKEN_NAME)
            g_ptr_array_add(names, hb_token_unquote(&token));
        parts += depth == 1 && hb_my_token_is_sign(&token, ',');
        if (depth == 0 && hb_my_token_is_sign(&token, ')'))
            break;
    }
    return parts;
}

static void read_key(HbItem *item, HbItemType type, const char *rest)
{
    const char *at = rest;
    HbToken token = hb_my_next(&at);

    item->type = type;
    while (token.type == HB_TOKEN_WORD) {
        rest = at;
        token = hb_my_next(&at);
    }
    if (token.type == HB_TOKEN_NAME) {
        item->name = hb_token_unquote(&token);
        rest = at;
    }
    item->parts = read_names(&rest, item->columns);
}

/* REFERENCES [database.]table (columns) */
static void read_reference(HbItem *item, const char *rest)
{
    HbToken token;

    read_names(&rest, item->columns);
    hb_my_next(&rest);
    token = hb_my_next(&rest);
    item->other_table = hb_token_unquote(&token);
    const char *after = rest;
    token = hb_my_next(&after);
    if (hb_my_token_is_sign(&token, '.')) {
        token = hb_my_next(&after);
        item->other_database = g_steal_pointer(&item->other_table);
        item->other_table = hb_token_unquote(&token);
        rest = after;
    }
    read_names(&rest, item->other_columns);
}

static void read_constraint(HbItem *item, const char *rest)
{
    HbToken token = hb_my_next(&rest);

    if (token.type == HB_TOKEN_NAME) {
        item->name = hb_token_unquote(&token);
        token = hb_my_next(&rest);
    }
    if (!hb_token_is_word(&token, "FOREIGN"))
        return;
    item->type = HB_ITEM_FOREIGN;
    hb_my_next(&rest); /* KEY */
    read_reference(item, rest);
}

static HbItem *read_item(const char *text, const char *charset)
{
    HbItem *item = g_new0(HbItem, 1);
    const char *rest = text;
    HbToken token = hb_my_next(&rest);

    *item = (HbItem){.type = HB_ITEM_OTHER,
                     .text = g_strdup(text),
                     .hex_columns = HB_CODING_TEXT,
                     .columns = g_ptr_array_new_with_free_func(g_free),
                     .other_columns = g_ptr_array_new_with_free_func(g_free)};
    if (token.type == HB_TOKEN_NAME)
        read_column(item, &token, rest, charset);
    else if (hb_token_is_word(&token, "PRIMARY"))
        read_key(item, HB_ITEM_PRIMARY, rest);
    else if (hb_token_is_word(&token, "UNIQUE"))
        read_key(item, HB_ITEM_UNIQUE, rest);
    else if (hb_token_is_word(&token, "KEY") || hb_token_is_word(&token, "FULLTEXT") ||
             hb_token_is_word(&token, "SPATIAL") || hb_token_is_word(&token, "VECTOR"))
        read_key(item, HB_ITEM_KEY, text);
    else if (hb_token_is_word(&token, "CONSTRAINT"))
        read_constraint(item, rest);
    return item;
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
        HbItem *item = read_item(items->pdata[i], charset != NULL ? charset : "utf8mb4");
        forget_inherited(item, collation);
        g_ptr_array_add(text->items, item);
    }
    return text;
}
