/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/mariadb/dialect/foreign_options.h"

#include "core/sql/lexer.h"
#include "engine/mariadb/dialect/lexical.h"
#include "engine/mariadb/dialect/names.h"

#include <string.h>

static gboolean is_among(const char *const *known, const char *name)
{
    for (; *known != NULL; known++) {
        if (g_ascii_strcasecmp(*known, name) == 0)
            return TRUE;
    }
    return FALSE;
}

gboolean hb_my_is_foreign_storage(const char *engine)
{
    static const char *const own[] = {
        "InnoDB", "MyISAM",   "Aria", "MEMORY", "CSV", "ARCHIVE",    "BLACKHOLE", "MERGE",   "MRG_MyISAM",  "ROCKSDB",
        "TokuDB", "SEQUENCE", "S3",   "HEAP",   "NDB", "ndbcluster", "OQGRAPH",   "Mroonga", "ColumnStore", NULL};

    return engine != NULL && !is_among(own, engine);
}

/* ---- Values ---- */

/* Keys of the lists that such options hold; in ODBC's, too. None of them authenticates */
static const char *const known_keys[] = {"host",
                                         "hostname",
                                         "port",
                                         "socket",
                                         "database",
                                         "db",
                                         "dbname",
                                         "schema",
                                         "table",
                                         "tbl",
                                         "tabname",
                                         "tab",
                                         "user",
                                         "username",
                                         "uid",
                                         "wrapper",
                                         "wpr",
                                         "server",
                                         "srv",
                                         "driver",
                                         "dsn",
                                         "dbq",
                                         "header",
                                         "level",
                                         "expand",
                                         "mulentries",
                                         "colname",
                                         "attribute",
                                         "rownode",
                                         "option",
                                         "charset",
                                         "encoding",
                                         "monitoring_kind",
                                         "mkd",
                                         "link_status",
                                         "lst",
                                         "auto_increment_mode",
                                         NULL};

/* user:password@ loses the password, and what stands behind a question mark, which is parameters of any name */
static char *filter_address(const char *value)
{
    const char *start = strstr(value, "://") + 3, *end = start + strcspn(start, "?");
    const char *at = g_strrstr_len(start, end - start, "@");
    const char *colon = at != NULL ? memchr(start, ':', (gsize)(at - start)) : NULL;

    if (colon != NULL)
        return g_strdup_printf("%.*s%.*s", (int)(colon - value), value, (int)(end - at), at);
    return g_strndup(value, (gsize)(end - value));
}

/* The value's own quotes; 0: it has none */
static char quote_of(const char *value)
{
    return strchr(value, '"') != NULL ? '"' : strchr(value, '\'') != NULL ? '\'' : '\0';
}

/* One of 'key "value"', with what parts it from the next; FALSE: the text is no such list */
static gboolean take_quoted(const char **text, char quote, char **key, char **piece)
{
    const char *start = *text + strspn(*text, " \t\n,"), *end = start;

    while (g_ascii_isalnum(*end) || *end == '_')
        end++;
    *key = g_strndup(start, (gsize)(end - start));
    *text = end + strspn(end, " \t\n=");
    *text = **text == quote ? strchr(*text + 1, quote) : NULL;
    if (*text == NULL || **key == '\0')
        return FALSE;
    (*text)++;
    *piece = g_strndup(start, (gsize)(*text - start));
    return TRUE;
}

/* 'host "h", user "u", password "p"' */
static char *filter_quoted(const char *value)
{
    const char quote = quote_of(value);
    GString *kept = g_string_new(NULL);

    while (value[strspn(value, " \t\n,")] != '\0') {
        g_autofree char *key = NULL, *piece = NULL;
        if (!take_quoted(&value, quote, &key, &piece))
            return g_string_free(kept, TRUE), g_strdup("");
        if (is_among(known_keys, key))
            g_string_append_printf(kept, "%s%s", kept->len > 0 ? ", " : "", piece);
    }
    return g_string_free(kept, FALSE);
}

/* 'Driver=d;Server=s;PWD=p', or parted by commas */
static char *filter_pairs(const char *value)
{
    const char *sign = strchr(value, ';') != NULL ? ";" : ",";
    g_auto(GStrv) pairs = g_strsplit(value, sign, -1);
    GString *kept = g_string_new(NULL);

    for (char **pair = pairs; *pair != NULL; pair++) {
        const char *equals = strchr(*pair, '=');
        g_autofree char *key = g_strndup(*pair, equals != NULL ? (gsize)(equals - *pair) : strlen(*pair));
        if (equals != NULL && is_among(known_keys, g_strstrip(key)))
            g_string_append_printf(kept, "%s%s", kept->len > 0 ? sign : "", *pair);
    }
    return g_string_free(kept, FALSE);
}

/* A text without any of these signs is no list */
static char *filter_value(const char *value)
{
    if (strstr(value, "://") != NULL)
        return filter_address(value);
    if (quote_of(value) != '\0')
        return filter_quoted(value);
    return strchr(value, '=') != NULL ? filter_pairs(value) : g_strdup(value);
}

/* ---- Options ---- */

static const char *const known_options[] = {"ENGINE",
                                            "CHARSET",
                                            "COLLATE",
                                            "TABLE_TYPE",
                                            "TABNAME",
                                            "DBNAME",
                                            "FILE_NAME",
                                            "XFILE_NAME",
                                            "HUGE",
                                            "COMPRESSED",
                                            "MULTIPLE",
                                            "HEADER",
                                            "SEP_CHAR",
                                            "QCHAR",
                                            "QUOTED",
                                            "ENDING",
                                            "LRECL",
                                            "BLOCK_SIZE",
                                            "MAPPED",
                                            "READONLY",
                                            "SEPINDEX",
                                            "SPLIT",
                                            "CATFUNC",
                                            "SUBTYPE",
                                            "DATA_CHARSET",
                                            "ROW_FORMAT",
                                            "MAX_ROWS",
                                            "MIN_ROWS",
                                            "AVG_ROW_LENGTH",
                                            "CHECKSUM",
                                            "PAGE_CHECKSUM",
                                            "TRANSACTIONAL",
                                            "WRAPPER",
                                            "REMOTE_SERVER",
                                            "REMOTE_DATABASE",
                                            "REMOTE_TABLE",
                                            "AUTO_INCREMENT",
                                            "INSERT_METHOD",
                                            "UNION",
                                            "VALUES",
                                            NULL};

/* Their values are texts for the storage engine, which may be lists of more options */
static const char *const texts_to_read[] = {"COMMENT", "CONNECTION", "OPTION_LIST", NULL};

/* A string literal as SHOW CREATE prints it, to what it says; the caller's */
static char *read_literal(const HbToken *token)
{
    GString *text = g_string_new(NULL);

    for (gsize i = 1; i + 1 < token->length; i++) {
        const char c = token->start[i];
        if ((c == '\\' || c == '\'') && i + 2 < token->length)
            i++;
        g_string_append_c(text, token->start[i]);
    }
    return g_string_free(text, FALSE);
}

/* NAME=value; *taken: something of it stays behind */
static void append_option(GString *out, const char *name, const char *start, const HbToken *value, gboolean *taken)
{
    const char *end = value->start + value->length;
    g_autofree char *text = value->type == HB_TOKEN_TEXT ? read_literal(value) : NULL;
    g_autofree char *filtered = text != NULL && is_among(texts_to_read, name) ? filter_value(text) : NULL;

    if (filtered == NULL && is_among(known_options, name)) {
        g_string_append_len(out, start, end - start);
        return;
    }
    if (filtered != NULL && strcmp(filtered, text) == 0) {
        g_string_append_len(out, start, end - start);
        return;
    }
    *taken = TRUE;
    if (filtered == NULL || *filtered == '\0') {
        g_string_truncate(out, out->len - (out->len > 0 && out->str[out->len - 1] == ' '));
        return;
    }
    g_autofree char *literal = hb_my_quote_literal(filtered);
    g_string_append_len(out, start, value->start - start);
    g_string_append(out, literal);
}

char *hb_my_filter_options(const char *options)
{
    GString *out = g_string_new(NULL);
    gboolean taken = FALSE;
    HbToken token;

    while ((token = hb_lexer_read_token(&hb_my_rules, &options)).type != HB_TOKEN_END) {
        const char *preview = options;
        const gboolean is_name = token.type == HB_TOKEN_WORD || token.type == HB_TOKEN_NAME;
        HbToken sign = is_name ? hb_my_next(&preview) : token;
        if (is_name && hb_my_token_is_sign(&sign, '=')) {
            const HbToken value = hb_my_next(&preview);
            g_autofree char *name = hb_token_unquote(&token);
            append_option(out, name, token.start, &value, &taken);
            options = value.start + value.length;
        } else {
            g_string_append_len(out, token.start, (gssize)token.length);
        }
    }
    return g_string_free(out, !taken);
}
