/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/mariadb/dialect/dialect.h"

#include "engine/common/definitions.h"
#include "engine/common/grant_compare.h"
#include "engine/common/role_mentions.h"
#include "engine/mariadb/dialect/drop_sql.h"
#include "engine/mariadb/dialect/grants.h"
#include "engine/mariadb/dialect/lexical.h"
#include "engine/mariadb/dialect/renaming.h"
#include "engine/mariadb/dialect/same_definition.h"
#include "engine/mariadb/dialect/same_in_both.h"
#include "engine/mariadb/dialect/script.h"
#include "engine/mariadb/dialect/translate.h"

#include <string.h>

/* 10.11.6 is 101106, as the servers number themselves in conditional comments */
guint hb_my_read_version(const char *text)
{
    guint64 parts[3] = {0, 0, 0};
    char *end = (char *)text;

    for (int i = 0; i < 3; i++) {
        if (!g_ascii_isdigit(*end))
            return 0;
        parts[i] = g_ascii_strtoull(end, &end, 10);
        if (*end != '.')
            break;
        end++;
    }
    return parts[0] > 99 || parts[1] > 99 || parts[2] > 99 ? 0 : (guint)(parts[0] * 10000 + parts[1] * 100 + parts[2]);
}

/* ---- Reading definitions ---- */

/* IDENTIFIED BY '...', BY PASSWORD '...', VIA plugin USING '...', USING PASSWORD('...'), WITH plugin AS '...' */
static char *hide_secrets(const char *sql)
{
    static const char *const announcing[] = {"PASSWORD", NULL}, *const of_account[] = {"IDENTIFIED", NULL},
                             *const in_account[] = {"BY", "USING", "AS", NULL};
    static const HbSecretWords words = {announcing, of_account, in_account};

    return hb_lexer_hide_secrets(&hb_my_rules, &words, sql);
}

/* What the stock shell would not hand on as it is, is escaped */
static void append_literal_byte(GString *sql, char byte)
{
    static const char bytes[] = "'\\\n\r\0\032", letters[] = "'\\nr0Z";
    const char *at = memchr(bytes, byte, sizeof bytes - 1);

    if (at != NULL)
        g_string_append_c(sql, '\\');
    g_string_append_c(sql, at != NULL ? letters[at - bytes] : byte);
}

static gboolean demands_value(const char *column)
{
    return hb_definition_demands_value(column) && strstr(column, "AUTO_INCREMENT") == NULL;
}

static gboolean is_unlogged(const HbObject *table)
{
    return strstr(table->definition, "ENGINE=MEMORY") != NULL;
}

/* "ENGINE=MyISAM" of a table whose storage undoes nothing; NULL: it does. Borrowed for ever */
static const char *find_untransacted(const HbObject *table)
{
    static const char *const without[] = {"ENGINE=MyISAM", "ENGINE=Aria", "ENGINE=MEMORY", "ENGINE=CSV",
                                          "ENGINE=ARCHIVE"};

    for (gsize e = 0; e < G_N_ELEMENTS(without); e++) {
        if (strstr(table->definition, without[e]) != NULL)
            return without[e];
    }
    return NULL;
}

static GPtrArray *list_role_mentions(const HbObject *object)
{
    GPtrArray *names = hb_role_mentions_list(object);
    g_autofree char *definer = object->definition != NULL ? hb_my_read_definer(object->definition) : NULL;
    g_autofree char *name = definer != NULL ? hb_lexer_unquote_name(definer) : NULL;

    if (name != NULL)
        hb_role_mentions_add(names, name);
    return names;
}

/* ---- Comparing ---- */

/* How a program's text is read depends on the sql_mode that it was written in */
static gboolean is_kept_as_written(HbKind kind)
{
    return kind == HB_KIND_FUNCTION || kind == HB_KIND_PROCEDURE || kind == HB_KIND_PACKAGE ||
           kind == HB_KIND_PACKAGE_BODY || kind == HB_KIND_TRIGGER || kind == HB_KIND_EVENT;
}

/* Only what the server itself prints of a function's head may differ: the display width of what it returns */
static char *forget_width(const char *definition)
{
    g_autoptr(GRegex) width =
        g_regex_new("\\A(.*?\\bRETURNS \\w*int)\\([0-9]+\\)", G_REGEX_DOTALL | G_REGEX_RAW, 0, NULL);
    return g_regex_replace(width, definition, -1, 0, "\\1", 0, NULL);
}

static gboolean is_same_function(const char *one, const char *other)
{
    g_autofree char *a = forget_width(one), *b = forget_width(other);

    return g_strcmp0(a, b) == 0;
}

static gboolean means_same_in_both(HbKind kind, const char *one, const char *other)
{
    switch (kind) {
    case HB_KIND_ROLE:
        return hb_my_is_same_account_in_both(one, other);
    case HB_KIND_GLOBAL_GRANT:
        return hb_my_is_same_grant_in_both(one, other);
    default:
        return hb_my_is_same_in_both(one, other);
    }
}

static gboolean means_same(const HbObject *one, const HbObject *other)
{
    if (one->is_translated || other->is_translated)
        return means_same_in_both(one->kind, one->definition, other->definition);
    if (one->kind == HB_KIND_TABLE || one->kind == HB_KIND_INDEX || one->kind == HB_KIND_FOREIGN_KEY)
        return hb_my_is_same_definition(one->definition, other->definition);
    if (one->kind == HB_KIND_FUNCTION)
        return is_same_function(one->definition, other->definition);
    return one->kind == HB_KIND_GRANT && hb_grant_compare_is_same(one->definition, other->definition);
}

static gboolean describes_database(const HbObject *setting)
{
    return strcmp(hb_object_get_name(setting), "comment") == 0;
}

/* ---- Changing definitions ---- */

/* Where what is to be done to the table begins: after "ALTER TABLE name "; NULL if this is no such statement */
static const char *find_action(const char *sql)
{
    const char *at = sql;
    HbToken token = hb_my_next(&at);

    if (!hb_token_is_word(&token, "ALTER"))
        return NULL;
    token = hb_my_next(&at);
    if (!hb_token_is_word(&token, "TABLE"))
        return NULL;
    hb_my_next(&at);
    return at;
}

/* Each change of a table costs a round of locking and syncing, and often a reading of all rows: they are made in one */
static char *join_definitions(const char *one, const char *other)
{
    const char *action = find_action(one), *more = find_action(other);
    gsize length = strlen(one);

    if (action == NULL || more == NULL || action - one != more - other ||
        strncmp(one, other, (gsize)(action - one)) != 0 || one[length - 1] != ';')
        return NULL;
    return g_strdup_printf("%.*s,\n %s", (int)length - 1, one, more);
}

static char *make_analyze_sql(const char *table)
{
    return g_strdup_printf("ANALYZE NO_WRITE_TO_BINLOG TABLE %s;", table);
}

const HbDialect hb_my_dialect = {
    .rules = &hb_my_rules,
    .script = {.read = hb_my_shell_reads,
               .demand_strict = hb_my_demand_strict_shell,
               .refuse_in_transaction = hb_my_refuse_in_transaction,
               .find_untransacted = find_untransacted,
               .begin = hb_my_begin_script,
               .write_object = hb_my_script_object,
               .get_table = hb_my_script_table,
               .begin_rows = hb_my_begin_script_rows,
               .end_rows = hb_my_end_script_rows},
    .preamble =
        "-- Under these settings the file means what it says: it is UTF-8, times are UTC, a zero in a numbered column\n"
        "-- stays zero, and foreign keys are not checked before all rows are there\n" HB_MY_PREAMBLE,
    .insert_override = "",
    .read_version = hb_my_read_version,
    .hide_secrets = hide_secrets,
    .append_literal_byte = append_literal_byte,
    .demands_value = demands_value,
    .makes_key = hb_definition_makes_key,
    .is_unlogged = is_unlogged,
    .list_role_mentions = list_role_mentions,
    .is_kept_as_written = is_kept_as_written,
    .means_same = means_same,
    .describes_database = describes_database,
    .rename = hb_my_rename,
    .rename_identity = hb_my_rename_identity,
    .disown = hb_my_forget_definer,
    .translate = hb_my_translate,
    .join_definitions = join_definitions,
    .make_drop_sql = hb_my_make_drop_sql,
    .make_align_sql = hb_my_make_align_sql,
    .make_empty_sql = hb_my_make_empty_sql,
    .make_analyze_sql = make_analyze_sql,
};
