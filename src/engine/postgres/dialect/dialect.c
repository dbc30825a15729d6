/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/postgres/dialect/dialect.h"

#include "engine/common/definitions.h"
#include "engine/common/grant_compare.h"
#include "engine/common/role_mentions.h"
#include "engine/postgres/dialect/drop_sql.h"
#include "engine/postgres/dialect/large_objects.h"
#include "engine/postgres/dialect/lexical.h"
#include "engine/postgres/dialect/names.h"
#include "engine/postgres/dialect/renaming.h"
#include "engine/postgres/dialect/script.h"

#include <stdlib.h>
#include <string.h>

/* 150014 is 15.14, as the server numbers itself */
static guint read_version(const char *text)
{
    char *end;
    unsigned long major = strtoul(text, &end, 10);

    if (end == text || (*end != '\0' && *end != '.') || major * 10000 < HB_PG_OLDEST || major > 99)
        return 0;
    return (guint)major * 10000 + (*end == '.' ? (guint)strtoul(end + 1, NULL, 10) : 0);
}

/* ---- Reading definitions ---- */

static char *hide_secrets(const char *sql)
{
    static const char *const announcing[] = {"PASSWORD", NULL};
    static const HbSecretWords words = {.announcing = announcing};

    return hb_lexer_hide_secrets(&hb_pg_rules, &words, sql);
}

/* A doubled quote is the only escape with standard_conforming_strings = on */
static void append_literal_byte(GString *sql, char byte)
{
    if (byte == '\'')
        g_string_append_c(sql, byte);
    g_string_append_c(sql, byte);
}

static gboolean is_unlogged(const HbObject *table)
{
    return strstr(table->definition, "CREATE UNLOGGED TABLE ") != NULL;
}

/* ---- Comparing ---- */

#define DATABASE_GRANTS "database-setting grants"

/* The grantor is compared where both sides name one: otherwise it may be any role, the restoring one for example */
static gboolean is_same_membership(const char *one, const char *other)
{
    static const char by[] = " GRANTED BY ";
    const char *said = strstr(one, by), *said_too = strstr(other, by);
    g_autofree char *with = g_strdup(said != NULL ? one : other);

    if ((said != NULL) == (said_too != NULL))
        return FALSE;
    *strstr(with, by) = '\0';
    g_autofree char *without = g_strconcat(with, ";", NULL);
    return strcmp(without, said != NULL ? other : one) == 0;
}

/*
 * Dumps of format version 1 say ONLY wherever it may stand, and set each sequence by one call with three arguments.
 * What they say in today's words; the caller's
 */
static char *renew_words(const char *sql)
{
    static const struct {
        const char *old, *renewed;
    } words[] = {
        {"\\bTABLE ONLY ", "TABLE "},
        {"^SELECT pg_catalog\\.setval\\((.*), (-?[0-9]+), true\\);$", "SELECT setval(\\1, \\2);"},
        {"^SELECT pg_catalog\\.setval\\('(.*)', (-?[0-9]+), false\\);$", "ALTER SEQUENCE \\1 RESTART WITH \\2;"},
    };
    char *text = g_strdup(sql);

    for (gsize i = 0; i < G_N_ELEMENTS(words); i++) {
        g_autoptr(GRegex) regex = g_regex_new(words[i].old, G_REGEX_DOTALL | G_REGEX_RAW, 0, NULL);
        char *renewed = g_regex_replace(regex, text, -1, 0, words[i].renewed, 0, NULL);
        if (renewed == NULL)
            continue;
        g_free(text);
        text = renewed;
    }
    return text;
}

static gboolean is_same_in_renewed_words(const char *one, const char *other)
{
    g_autofree char *renewed = renew_words(one), *renewed_too = renew_words(other);
    g_autofree char *a = hb_lexer_normalise(&hb_pg_rules, renewed), *b = hb_lexer_normalise(&hb_pg_rules, renewed_too);

    return strcmp(a, b) == 0;
}

static gboolean says_only(const HbObject *object)
{
    return object->kind == HB_KIND_TABLE || object->kind == HB_KIND_FOREIGN_TABLE || object->kind == HB_KIND_DEFAULT ||
           object->kind == HB_KIND_KEY || object->kind == HB_KIND_FOREIGN_KEY || object->kind == HB_KIND_ATTACHMENT ||
           object->kind == HB_KIND_REPLICA_IDENTITY || object->kind == HB_KIND_PUBLICATION;
}

static gboolean means_same(const HbObject *one, const HbObject *other)
{
    if (one->kind == HB_KIND_SEQUENCE_VALUE || says_only(one))
        return is_same_in_renewed_words(one->definition, other->definition);
    if (one->kind == HB_KIND_MEMBERSHIP)
        return is_same_membership(one->definition, other->definition);
    return (one->kind == HB_KIND_GRANT || strcmp(one->identity, DATABASE_GRANTS) == 0) &&
           hb_grant_compare_is_same(one->definition, other->definition);
}

static gboolean is_initial(const HbObject *object)
{
    if (strcmp(object->identity, DATABASE_GRANTS) == 0)
        return hb_grant_compare_is_initial_of_database(object->definition);
    return object->kind == HB_KIND_GRANT && hb_grant_compare_is_initial(object->definition);
}

static gboolean describes_database(const HbObject *setting)
{
    static const char *const own[] = {"comment", "connection limit", "grants", "template", NULL};
    const char *name = hb_object_get_name(setting);

    return g_strv_contains(own, name) || g_str_has_prefix(name, "label of ");
}

static gboolean is_predefined(const char *identity)
{
    static const char *const predefined[] = {"schema public", "extension plpgsql", "language plpgsql", NULL};

    return g_strv_contains(predefined, identity) || g_str_has_prefix(identity, "role pg_");
}

/* ---- Statements ---- */

/* Only a superuser can give an object to a role that may not create in its schema; but grants come last */
static char *make_lending(const HbObject *object)
{
    static const char schema[] = "schema ";

    for (guint n = 0; object->owner != NULL && object->owner_sql != NULL && n < object->needs->len; n++) {
        const char *need = object->needs->pdata[n];
        g_autofree char *owner = NULL;
        if (!g_str_has_prefix(need, schema))
            continue;
        owner = hb_pg_quote_any_name(object->owner);
        return g_strdup_printf("GRANT CREATE ON %s TO %s;\n%s\nREVOKE CREATE ON %s FROM %s;", need, owner,
                               object->owner_sql, need, owner);
    }
    return NULL;
}

static char *make_analyze_sql(const char *table)
{
    return strcmp(table, HB_PG_LARGE_OBJECTS) == 0 ? NULL : g_strdup_printf("ANALYZE %s;", table);
}

/*
 * Locks beside those of tables and indexes: for a dropped table its types, and what keeps its long values; for a
 * foreign key itself and its four triggers; for any key or other object itself
 */
#define LOCKS_BESIDE_A_TABLE       4
#define LOCKS_BESIDE_A_FOREIGN_KEY 5
#define LOCKS_BESIDE_OTHERS        1

const HbDialect hb_pg_dialect = {
    .rules = &hb_pg_rules,
    .script = {.has_bulk = TRUE,
               .refuse_in_transaction = hb_pg_refuse_in_transaction,
               .begin = hb_pg_begin_script,
               .write_object = hb_pg_script_object,
               .get_table = hb_pg_script_table,
               .begin_rows = hb_pg_begin_script_rows,
               .end_rows = hb_pg_end_script_rows},
    .locks = {LOCKS_BESIDE_A_TABLE, LOCKS_BESIDE_A_FOREIGN_KEY, LOCKS_BESIDE_OTHERS},
    .preamble =
        "-- Under these settings the file means what it says: it is UTF-8, backslashes in texts stand for themselves,\n"
        "-- bodies may name what comes later, and every name says its schema\n"
        "SET client_encoding = 'UTF8';\n"
        "SET standard_conforming_strings = on;\n"
        "SET check_function_bodies = off;\n"
        "SET search_path = '';\n",
    .cleanup_preamble = "SET LOCAL lock_timeout = '10s';\n",
    .insert_override = " OVERRIDING SYSTEM VALUE",
    .read_version = read_version,
    .hide_secrets = hide_secrets,
    .append_literal_byte = append_literal_byte,
    .demands_value = hb_definition_demands_value,
    .makes_key = hb_definition_makes_key,
    .is_unlogged = is_unlogged,
    .list_role_mentions = hb_role_mentions_list,
    .means_same = means_same,
    .is_initial = is_initial,
    .describes_database = describes_database,
    .is_predefined = is_predefined,
    .rename = hb_pg_rename,
    .rename_identity = hb_pg_rename_identity,
    .make_drop_sql = hb_pg_make_drop_sql,
    .make_align_sql = hb_pg_make_align_sql,
    .make_empty_sql = hb_pg_make_empty_sql,
    .make_analyze_sql = make_analyze_sql,
    .make_lending = make_lending,
};
