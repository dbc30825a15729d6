/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/mariadb/dialect/script.h"

#include "engine/mariadb/dialect/lexical.h"
#include "engine/mariadb/dialect/names.h"
#include "engine/mariadb/dialect/split_statements.h"

#include <string.h>

/* What a restore sets in its sessions, and a stock shell does not; where the server knows it */
#define SETTINGS                                                                                                       \
    "SET autocommit = 1, sql_safe_updates = 0, sql_quote_show_create = 1;\n"                                           \
    "/*M!100201 SET check_constraint_checks = 0, system_versioning_alter_history = 'KEEP' */;\n"                       \
    "/*M!101100 SET system_versioning_insert_history = 1 */;\n"

/*
 * What MySQL can be told to forbid, or to add to tables. To set it takes a privilege, so it is set only where it is on;
 * a comment of that version is none for MySQL, and one for MariaDB
 */
#define LIFT(since, setting)                                                                                           \
    "SET @lift = 'DO 0' /*!" since " , @lift = IF(@@" setting ", 'SET " setting " = 0', 'DO 0') */;\n"                 \
    "PREPARE lift FROM @lift;\nEXECUTE lift;\nDEALLOCATE PREPARE lift;\n"
#define LIFTED                                                                                                         \
    LIFT("80013", "sql_require_primary_key")                                                                           \
    LIFT("80030", "sql_generate_invisible_primary_key") LIFT("80400", "restrict_fk_on_non_standard_key")

/* ---- How the stock shell reads ---- */

/*
 * The shell looks for the end of each statement by itself, with its own idea of strings and comments. Unless it is told
 * otherwise it also drops comments, makes one line end of two bytes, and takes a backslash outside of strings for a
 * command of its own, such as one that runs a program
 */
static HbShellReading read_space(const HbToken *token)
{
    HbShellReading reading = HB_SHELL_PLAIN;

    for (gsize i = 0; i < token->length; i++) {
        const char *at = token->start + i;
        if (at[0] == '/' && at[1] == '*' && (at[2] == '!' || g_str_has_prefix(at + 2, "M!")))
            continue; /* an opening, which it keeps */
        if (at[0] == '-' && at[1] == '-' && at[2] != ' ' && at[2] != '\t' && at[2] != '\n')
            return HB_SHELL_NEVER; /* the server's comment, and not the shell's */
        if (at[0] == '#' || (at[0] == '-' && at[1] == '-') || (at[0] == '/' && at[1] == '*') || *at == '\r')
            reading = HB_SHELL_STRICT;
        if (at[0] == '\0')
            return HB_SHELL_NEVER;
    }
    return reading;
}

static gboolean is_closed(const HbToken *token)
{
    return token->length > 1 && strchr("'\"`", token->start[token->length - 1]) != NULL;
}

/* within: inside of a comment that the server runs, where the shell does not know strings */
static HbShellReading read_token(const HbToken *token, gboolean within)
{
    switch (token->type) {
    case HB_TOKEN_SPACE:
        return read_space(token);
    case HB_TOKEN_TEXT:
    case HB_TOKEN_NAME:
        if (within || !is_closed(token))
            return HB_SHELL_NEVER;
        return memchr(token->start, '\r', token->length) != NULL ? HB_SHELL_STRICT : HB_SHELL_PLAIN;
    case HB_TOKEN_WORD:
        return hb_token_is_word(token, "DELIMITER") ? HB_SHELL_NEVER : HB_SHELL_PLAIN;
    default:
        return *token->start == '\\' ? HB_SHELL_NEVER : HB_SHELL_PLAIN;
    }
}

static gboolean has_opening(const HbToken *token)
{
    g_autofree char *text = g_strndup(token->start, token->length);

    return strstr(text, "/*!") != NULL || strstr(text, "/*M!") != NULL;
}

/*
 * Where a backslash is a letter like others, which the shell is told by the server: doubled, it reads as one in the
 * usual mode, too. NULL: it is none. The caller's
 */
static char *double_backslashes(const char *definition)
{
    GString *text = strstr(definition, "NO_BACKSLASH_ESCAPES") != NULL ? g_string_new(definition) : NULL;

    if (text == NULL)
        return NULL;
    g_string_replace(text, "\\", "\\\\", 0);
    return g_string_free(text, FALSE);
}

HbShellReading hb_my_shell_reads(const HbObject *object)
{
    g_autofree char *doubled = double_backslashes(object->definition);
    g_autoptr(GPtrArray) statements = hb_my_split_statements(doubled != NULL ? doubled : object->definition);
    HbShellReading reading = HB_SHELL_PLAIN;

    for (guint i = 0; i < statements->len; i++) {
        const char *at = statements->pdata[i];
        gboolean within = FALSE;
        HbToken token;
        while ((token = hb_lexer_read_token(&hb_my_rules, &at)).type != HB_TOKEN_END) {
            reading = MAX(reading, read_token(&token, within));
            if (token.type == HB_TOKEN_SPACE)
                within = has_opening(&token) || (within && memchr(token.start, '*', token.length) == NULL);
        }
    }
    return reading;
}

/*
 * Ends the script, if the expression is not NULL: the shell stops at the first error. Outside of routines no server but
 * MariaDB knows conditions, and SIGNAL cannot be prepared: the message is the name of something that is not there
 */
#define STOP_IF(message)                                                                                               \
    "SET @stop = IF(" message " IS NULL, 'DO 0', CONCAT('SELECT `', REPLACE(" message ", '`', '``'), '`'));\n"         \
    "PREPARE stop FROM @stop;\nEXECUTE stop;\nDEALLOCATE PREPARE stop;\n"

/* Whether comments arrive is seen in what the server says that we run; the two bytes of a line end are one otherwise */
char *hb_my_demand_strict_shell(void)
{
    return g_strdup(
        "SET @kept = (SELECT LOCATE(CONCAT('/', '* kept */'), INFO) > 0 FROM information_schema.PROCESSLIST\n"
        "  WHERE ID = CONNECTION_ID()) /* kept */;\n"
        "SET @exact = LENGTH('\r\n') = 2;\n"
        "SET @unlike = IF(@kept AND @exact, NULL, 'nothing was changed: run it with --binary-mode "
        "--comments');\n" STOP_IF("@unlike"));
}

/* ---- The beginning ---- */

static void append_creation(GString *sql, const HbCatalog *catalog, const char *database)
{
    g_autofree char *quoted = hb_my_quote_any_name(database);
    const char *charset = g_hash_table_lookup(hb_catalog_get_properties(catalog), "character-set");
    const char *collation = g_hash_table_lookup(hb_catalog_get_properties(catalog), "collation");

    g_string_append_printf(sql, "CREATE DATABASE IF NOT EXISTS %s", quoted);
    if (charset != NULL && collation != NULL)
        g_string_append_printf(sql, " CHARACTER SET %s COLLATE %s", charset, collation);
    /* not at the beginning of a line, where the shell would read the name by itself, up to the line's end */
    g_string_append_printf(sql, ";\nDO 0; USE %s;\n", quoted);
}

static char *plain_name(const HbObject *object)
{
    const char *at = hb_object_get_name(object);
    const HbToken token = hb_lexer_read_token(&hb_my_rules, &at);

    return hb_token_unquote(&token);
}

/* The shell stops at the first error, so this ends the script before it does anything */
static void append_guard(GString *sql, const HbCatalog *catalog)
{
    guint count = 0;

    for (guint i = 0; i < hb_catalog_count(catalog); i++) {
        const HbObject *object = hb_catalog_get(catalog, i);
        if (!hb_kind_is_relation(object->kind))
            continue;
        g_autofree char *name = plain_name(object);
        g_autofree char *literal = hb_my_quote_literal(name);
        g_string_append(sql, count++ == 0 ? "SET @there = (SELECT MIN(TABLE_NAME) FROM information_schema.TABLES\n"
                                            "  WHERE TABLE_SCHEMA = DATABASE() AND TABLE_NAME IN ("
                                          : ",\n   ");
        g_string_append(sql, literal);
    }
    if (count > 0)
        g_string_append(
            sql, "));\nSET @there = IF(DATABASE() IS NULL, 'no database is selected; nothing was changed',\n"
                 "  CONCAT('the database holds ', @there, ' already; nothing was changed'));\n" STOP_IF("@there"));
}

char *hb_my_begin_script(const HbCatalog *catalog, const char *database, gboolean guarded)
{
    GString *sql = g_string_new("SET NAMES utf8mb4;\n");

    if (database != NULL)
        append_creation(sql, catalog, database);
    if (guarded)
        append_guard(sql, catalog);
    g_string_append(sql, SETTINGS LIFTED);
    return g_string_free(sql, FALSE);
}

/* Users that exist stay as they are */
char *hb_my_script_object(const HbCatalog *catalog, const HbObject *object)
{
    static const char *const creations[] = {"CREATE USER ", "CREATE ROLE "};
    const char *sql = object->definition;

    (void)catalog;
    for (gsize i = 0; object->kind == HB_KIND_ROLE && i < G_N_ELEMENTS(creations); i++) {
        if (g_str_has_prefix(sql, creations[i]))
            return g_strdup_printf("%sIF NOT EXISTS %s\n", creations[i], sql + strlen(creations[i]));
    }
    return g_strdup_printf("%s\n", sql);
}

char *hb_my_script_table(const HbRowSet *set)
{
    return g_strdup(set->table);
}

char *hb_my_begin_script_rows(const HbRowSet *set, gboolean bulk)
{
    (void)set, (void)bulk;
    return NULL;
}

char *hb_my_end_script_rows(const HbRowSet *set, gboolean bulk)
{
    (void)set, (void)bulk;
    return NULL;
}

/* Rows are undone where their table's storage can do that */
const char *hb_my_refuse_in_transaction(const HbObject *object)
{
    if (object->kind == HB_KIND_ROWS)
        return NULL;
    return "the server commits whatever was done before with each definition";
}
