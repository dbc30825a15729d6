/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/mariadb/dialect/names.h"

#include <stdlib.h>
#include <string.h>

/* Words that no server of the family takes for a name, or not every one: MariaDB 10.11, MySQL 8. Sorted */
/* clang-format off */
static const char *const reserved[] = {
    "accessible", "add", "all", "alter", "analyze", "and", "as", "asc", "asensitive", "before", "between", "bigint",
    "binary", "blob", "both", "by", "call", "cascade", "case", "change", "char", "character", "check", "collate",
    "column", "condition", "constraint", "continue", "conversion", "convert", "create", "cross", "cube",
    "cume_dist", "current_date", "current_role", "current_time", "current_timestamp", "current_user", "cursor",
    "databases", "day_hour", "day_microsecond", "day_minute", "day_second", "dec", "decimal", "declare", "default",
    "delayed", "delete", "delete_domain_id", "dense_rank", "desc", "describe", "deterministic", "distinct",
    "distinctrow", "div", "do_domain_ids", "double", "drop", "dual", "each", "else", "elseif", "empty", "enclosed",
    "escaped", "except", "exists", "exit", "explain", "false", "fetch", "first_value", "float", "float4", "float8",
    "for", "force", "foreign", "from", "fulltext", "function", "generated", "get", "grant", "group", "grouping",
    "groups", "having", "high_priority", "hour_microsecond", "hour_minute", "hour_second", "if", "ignore",
    "ignore_domain_ids", "in", "index", "infile", "inner", "inout", "insensitive", "insert", "int", "int1", "int2",
    "int3", "int4", "int8", "integer", "intersect", "interval", "into", "io_after_gtids", "io_before_gtids", "is",
    "iterate", "join", "json_table", "key", "keys", "kill", "lag", "last_value", "lateral", "lead", "leading",
    "leave", "left", "library", "like", "limit", "linear", "lines", "load", "localtime", "localtimestamp", "lock",
    "long", "longblob", "longtext", "loop", "low_priority", "manual", "master_bind", "master_demote_to_replica",
    "master_demote_to_slave", "master_ssl_verify_server_cert", "match", "maxvalue", "mediumblob", "mediumint",
    "mediumtext", "middleint", "minute_microsecond", "minute_second", "mod", "modifies", "natural",
    "no_write_to_binlog", "not", "nth_value", "ntile", "null", "numeric", "of", "offset", "on", "optimize",
    "optimizer_costs", "optionally", "or", "order", "out", "outer", "outfile", "over", "page_checksum", "parallel",
    "parse_vcol_expr", "partition", "percent_rank", "portion", "precision", "primary", "procedure", "purge",
    "qualify", "range", "rank", "read", "read_write", "reads", "real", "recursive", "ref_system_id", "references",
    "regexp", "release", "rename", "repeat", "replace", "require", "resignal", "restrict", "return", "returning",
    "revoke", "right", "rlike", "row", "row_number", "rows", "schemas", "second_microsecond", "select", "sensitive",
    "separator", "set", "show", "signal", "smallint", "spatial", "specific", "sql", "sql_big_result",
    "sql_calc_found_rows", "sql_small_result", "sqlexception", "sqlstate", "sqlwarning", "ssl", "starting",
    "stats_auto_recalc", "stats_persistent", "stats_sample_pages", "stored", "straight_join", "system", "table",
    "tablesample", "terminated", "then", "tinyblob", "tinyint", "tinytext", "to", "trailing", "trigger", "true",
    "undo", "union", "unique", "unlock", "unsigned", "update", "usage", "use", "using", "utc_date", "utc_time",
    "utc_timestamp", "values", "varbinary", "varchar", "varcharacter", "varying", "vector", "virtual", "when",
    "where", "while", "window", "with", "write", "xor", "year_month", "zerofill",
};
/* clang-format on */

char *hb_my_quote_any_name(const char *name)
{
    GString *quoted = g_string_new("`");

    for (; *name != '\0'; name++) {
        if (*name == '`')
            g_string_append_c(quoted, '`');
        g_string_append_c(quoted, *name);
    }
    g_string_append_c(quoted, '`');
    return g_string_free(quoted, FALSE);
}

static int compare_words(const void *one, const void *other)
{
    return strcmp(*(const char *const *)one, *(const char *const *)other);
}

static gboolean is_reserved(const char *name)
{
    g_autofree char *lower = g_ascii_strdown(name, -1);

    return bsearch(&lower, reserved, G_N_ELEMENTS(reserved), sizeof reserved[0], compare_words) != NULL;
}

/* A word may begin with a digit, but then it may be a number, too */
static gboolean is_plain(const char *name)
{
    if (!g_ascii_isalpha(*name) && *name != '_')
        return FALSE;
    for (; *name != '\0'; name++) {
        if (!g_ascii_isalnum(*name) && *name != '_')
            return FALSE;
    }
    return TRUE;
}

char *hb_my_quote_name(const char *name)
{
    return is_plain(name) && !is_reserved(name) ? g_strdup(name) : hb_my_quote_any_name(name);
}

char *hb_my_quote_literal(const char *text)
{
    GString *quoted = g_string_new("'");

    for (; *text != '\0'; text++) {
        if (*text == '\'' || *text == '\\')
            g_string_append_c(quoted, *text);
        g_string_append_c(quoted, *text);
    }
    g_string_append_c(quoted, '\'');
    return g_string_free(quoted, FALSE);
}
