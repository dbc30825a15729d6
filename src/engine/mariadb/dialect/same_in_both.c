/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/mariadb/dialect/same_in_both.h"

#include "engine/mariadb/dialect/charsets.h"
#include "engine/mariadb/dialect/lexical.h"
#include "engine/mariadb/dialect/show_create_parser.h"
#include "engine/mariadb/dialect/translate.h"

#include <string.h>

/* A text on its way into the common form */
typedef struct {
    const char *at;
    int depth;
    char *collation;    /* the table's own; NULL: none is said */
    char *charset;      /* said last in this item; NULL: none */
    GString *item;      /* a column, a key, a constraint, or all of what has no items */
    GPtrArray *items;   /* char *: in their order */
    GPtrArray *checks;  /* char *: in any order */
    gboolean is_hidden; /* INVISIBLE, which stands in different places */
} Form;

static HbToken preview(const Form *form)
{
    const char *at = form->at;

    return hb_my_next(&at);
}

/* ---- Words ---- */

static gboolean is_number(const char *text)
{
    return *text != '\0' && strspn(text, "0123456789.-") == strlen(text);
}

/* 'text' without quotes if it is a number, since one product writes DEFAULT 0 and the other DEFAULT '0' */
static void append_text(Form *form, const HbToken *token)
{
    g_autofree char *text = g_strndup(token->start, token->length);
    const char *quote = strchr(text, '\'');
    g_autofree char *inner = quote != NULL ? g_strndup(quote + 1, strlen(quote) - 2) : g_strdup(text);

    g_string_append_printf(form->item, "%s ", is_number(inner) ? inner : text);
}

/* utf8 is what older servers called utf8mb3 */
static char *read_name(const HbToken *token)
{
    char *name = hb_token_unquote(token);

    if (token->type != HB_TOKEN_WORD)
        return name;
    char *lower = g_ascii_strdown(name, -1);
    g_free(name);
    if (strcmp(lower, "utf8") != 0 && !g_str_has_prefix(lower, "utf8_"))
        return lower;
    name = g_strconcat("utf8mb3", lower + strlen("utf8"), NULL);
    g_free(lower);
    return name;
}

/* Of any version: the name of a table's own is read as it would be without it */
static gboolean is_usual_of(const char *charset, const char *collation)
{
    g_autofree char *general = hb_my_get_usual_collation(charset, 0);

    return g_strcmp0(collation, general) == 0;
}

/* Behind COLLATE in a column: nothing if it is what the column would have anyway */
static void append_collation(Form *form)
{
    const HbToken token = hb_my_next(&form->at);
    g_autofree char *name = read_name(&token);

    if (form->charset != NULL ? is_usual_of(form->charset, name) : g_strcmp0(form->collation, name) == 0)
        return;
    g_string_append_printf(form->item, "collate %s ", name);
}

static void append_charset(Form *form)
{
    HbToken token = hb_my_next(&form->at); /* SET */

    token = hb_my_next(&form->at);
    g_free(form->charset);
    form->charset = read_name(&token);
    g_string_append_printf(form->item, "character set %s ", form->charset);
}

/* Behind the items of a table: DEFAULT CHARSET=latin1 COLLATE=latin1_swedish_ci */
static void append_option(Form *form, const HbToken *word)
{
    const gboolean is_charset = hb_token_is_word(word, "CHARSET");
    HbToken token = hb_my_next(&form->at); /* = */
    g_autofree char *name = NULL;

    token = hb_my_next(&form->at);
    name = read_name(&token);
    if (!is_charset && form->charset != NULL && is_usual_of(form->charset, name))
        return;
    g_string_append_printf(form->item, "%s %s ", is_charset ? "charset" : "collate", name);
    if (!is_charset)
        return;
    g_free(form->charset);
    form->charset = g_steal_pointer(&name);
}

static gboolean is_option(const Form *form, const HbToken *token, const HbToken *next)
{
    return form->depth == 0 && form->items->len > 0 && hb_my_token_is_sign(next, '=') &&
           (hb_token_is_word(token, "CHARSET") || hb_token_is_word(token, "COLLATE"));
}

static gboolean is_whole_number(const HbToken *token)
{
    static const char *const types[] = {"tinyint", "smallint", "mediumint", "int", "bigint", "year"};

    for (gsize i = 0; i < G_N_ELEMENTS(types); i++) {
        if (hb_token_is_word(token, types[i]))
            return TRUE;
    }
    return FALSE;
}

/* (11) right after the type */
static void skip_width(Form *form)
{
    const char *at = form->at;
    HbToken open = hb_my_next(&at), width = hb_my_next(&at), close = hb_my_next(&at);

    if (hb_my_token_is_sign(&open, '(') && width.type == HB_TOKEN_WORD && g_ascii_isdigit(*width.start) &&
        hb_my_token_is_sign(&close, ')'))
        form->at = at;
}

static void append_word(Form *form, const HbToken *token)
{
    const HbToken next = preview(form);
    g_autofree char *word = NULL;

    if (token->type == HB_TOKEN_WORD && *token->start == '_' && next.type == HB_TOKEN_TEXT)
        return; /* the character set of a text */
    if (form->depth == 1 && hb_token_is_word(token, "INVISIBLE")) {
        form->is_hidden = TRUE;
        return;
    }
    if (hb_token_is_word(token, "DEFAULT") && hb_token_is_word(&next, "NULL")) {
        hb_my_next(&form->at);
        return;
    }
    if (form->depth == 1 && hb_token_is_word(token, "COLLATE")) {
        append_collation(form);
        return;
    }
    if (form->depth == 1 && hb_token_is_word(token, "CHARACTER") && hb_token_is_word(&next, "SET")) {
        append_charset(form);
        return;
    }
    if (is_option(form, token, &next)) {
        append_option(form, token);
        return;
    }
    if (hb_token_is_word(token, "REF_SYSTEM_ID")) { /* which MariaDB keeps, and does not print */
        hb_my_next(&form->at);
        hb_my_next(&form->at);
        return;
    }
    word = read_name(token);
    g_string_append_printf(form->item, "%s ", word);
    if (token->type == HB_TOKEN_WORD && is_whole_number(token))
        skip_width(form);
}

static void append(Form *form, const HbToken *token)
{
    if (hb_my_token_is_name(token))
        append_word(form, token);
    else if (token->type == HB_TOKEN_TEXT)
        append_text(form, token);
    else if (!hb_my_token_is_sign(token, '(') && !hb_my_token_is_sign(token, ')'))
        g_string_append_printf(form->item, "%.*s ", (int)token->length, token->start);
}

/* ---- Items ---- */

/* "constraint tree_chk_1 check ..." has a name that the server made */
static const char *skip_made_name(const char *check)
{
    g_autoptr(GRegex) made =
        g_regex_new("\\Aconstraint .*?(?:_chk_|CONSTRAINT_)[0-9]+ (?=check )", G_REGEX_RAW, 0, NULL);
    g_autoptr(GMatchInfo) match = NULL;
    int end = 0;

    if (g_regex_match(made, check, 0, &match))
        g_match_info_fetch_pos(match, 0, NULL, &end);
    return check + end;
}

static void end_item(Form *form)
{
    gboolean is_check;

    if (form->is_hidden)
        g_string_append(form->item, "invisible ");
    is_check = g_str_has_prefix(form->item->str, "check ") ||
               (g_str_has_prefix(form->item->str, "constraint ") && strstr(form->item->str, " check ") != NULL);
    if (is_check)
        g_ptr_array_add(form->checks, g_strdup(skip_made_name(form->item->str)));
    else
        g_ptr_array_add(form->items, g_strdup(form->item->str));
    g_string_truncate(form->item, 0);
    form->is_hidden = FALSE;
    g_clear_pointer(&form->charset, g_free);
}

/* The check of a column goes to the others */
static void move_check(Form *form)
{
    GString *column = form->item;
    const int depth = form->depth;

    form->item = g_string_new("check ");
    do {
        const HbToken token = hb_my_next(&form->at);
        if (token.type == HB_TOKEN_END)
            break;
        form->depth += hb_my_token_is_sign(&token, '(') - hb_my_token_is_sign(&token, ')');
        append(form, &token);
    } while (form->depth > depth);
    g_ptr_array_add(form->checks, g_string_free(form->item, FALSE));
    form->item = column;
}

static gboolean is_table(const char *sql)
{
    const HbToken create = hb_my_next(&sql), table = hb_my_next(&sql);

    return hb_token_is_word(&create, "CREATE") && hb_token_is_word(&table, "TABLE");
}

static void read_form(Form *form, gboolean has_items)
{
    HbToken token;

    while ((token = hb_my_next(&form->at)).type != HB_TOKEN_END) {
        const gboolean opens = hb_my_token_is_sign(&token, '('), closes = hb_my_token_is_sign(&token, ')');
        const gboolean ends =
            (form->depth == 1 && (closes || hb_my_token_is_sign(&token, ','))) || (form->depth == 0 && opens);
        form->depth += opens - closes;
        if (has_items && ends)
            end_item(form);
        else if (has_items && form->depth == 1 && form->item->len > 0 && hb_token_is_word(&token, "CHECK") &&
                 !g_str_has_prefix(form->item->str, "constraint "))
            move_check(form);
        else
            append(form, &token);
    }
    end_item(form);
}

static gint compare_texts(gconstpointer one, gconstpointer other)
{
    return strcmp(*(char *const *)one, *(char *const *)other);
}

static char *join(const GPtrArray *items, const GPtrArray *checks)
{
    GString *all = g_string_new(NULL);

    for (guint i = 0; i < items->len; i++)
        g_string_append_printf(all, "%s\n", (const char *)items->pdata[i]);
    for (guint i = 0; i < checks->len; i++)
        g_string_append_printf(all, "%s\n", (const char *)checks->pdata[i]);
    return g_string_free(all, FALSE);
}

/* The caller's */
static char *make_form(const char *sql)
{
    g_autofree char *text = hb_my_write_as_operators(sql), *collation = hb_show_create_find_collation(sql);
    g_autoptr(GPtrArray) items = g_ptr_array_new_with_free_func(g_free),
                         checks = g_ptr_array_new_with_free_func(g_free);
    Form form = {.at = text, .collation = collation, .item = g_string_new(NULL), .items = items, .checks = checks};

    read_form(&form, is_table(text));
    g_string_free(form.item, TRUE);
    g_ptr_array_sort(checks, compare_texts);
    return join(items, checks);
}

gboolean hb_my_is_same_in_both(const char *one, const char *other)
{
    g_autofree char *a = make_form(one), *b = make_form(other);

    return strcmp(a, b) == 0;
}

static gboolean cannot_log_in(const char *create)
{
    return g_str_has_prefix(create, "CREATE ROLE ") || strstr(create, " ACCOUNT LOCK") != NULL;
}

/* ---- What is granted ---- */

/* Whether "GRANT a, b ON *.* ..." of several lines names the privilege */
static gboolean names_privilege(const char *grants, const char *privilege)
{
    g_autofree char *pattern = g_strdup_printf("^GRANT (?:[^\n]*, )?%s(?:,| ON )", privilege);

    return g_regex_match_simple(pattern, grants, G_REGEX_RAW | G_REGEX_MULTILINE, 0);
}

gboolean hb_my_is_same_grant_in_both(const char *one, const char *other)
{
    static const char *const common[] = {"ALL PRIVILEGES",
                                         "SELECT",
                                         "INSERT",
                                         "UPDATE",
                                         "DELETE",
                                         "CREATE",
                                         "DROP",
                                         "RELOAD",
                                         "SHUTDOWN",
                                         "PROCESS",
                                         "FILE",
                                         "REFERENCES",
                                         "INDEX",
                                         "ALTER",
                                         "SHOW DATABASES",
                                         "CREATE TEMPORARY TABLES",
                                         "LOCK TABLES",
                                         "EXECUTE",
                                         "REPLICATION SLAVE",
                                         "(?:REPLICATION CLIENT|BINLOG MONITOR)",
                                         "CREATE VIEW",
                                         "SHOW VIEW",
                                         "CREATE ROUTINE",
                                         "ALTER ROUTINE",
                                         "CREATE USER",
                                         "EVENT",
                                         "TRIGGER",
                                         "CREATE TABLESPACE"};

    for (gsize i = 0; i < G_N_ELEMENTS(common); i++) {
        if (names_privilege(one, common[i]) != names_privilege(other, common[i]))
            return FALSE;
    }
    return TRUE;
}

gboolean hb_my_is_same_account_in_both(const char *one, const char *other)
{
    return cannot_log_in(one) && cannot_log_in(other);
}
