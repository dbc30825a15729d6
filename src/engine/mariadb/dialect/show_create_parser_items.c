/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/mariadb/dialect/show_create_parser_inner.h"

#include "core/sql/lexer.h"
#include "engine/mariadb/dialect/lexical.h"

#include <string.h>

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

HbItem *hb_show_create_read_item(const char *text, const char *charset)
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
