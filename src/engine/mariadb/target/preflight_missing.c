/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/mariadb/target/preflight_inner.h"

#include "core/sql/lexer.h"
#include "engine/mariadb/catalog/catalog_builder.h"
#include "engine/mariadb/dialect/lexical.h"
#include "engine/mariadb/dialect/names.h"
#include "engine/mariadb/dialect/show_create_parser.h"

#include <string.h>

/* ---- What the target lacks ---- */

/* The words after a key word (and an equals sign) in a definition: COLLATE, VIA, ENGINE. Adds those not known */
static void check_words(HbMyPreflight *run, const HbObject *object, const char *key, GHashTable *known,
                        const char *finding, const char *what, const char *renamed)
{
    g_autofree char *todo =
        renamed != NULL
            ? g_strdup_printf("install it there, take another (--rename %s:OLD=NEW), or leave out with --skip "
                              "what uses it",
                              renamed)
            : g_strdup("install it there, or leave out with --skip what uses it");
    const char *sql = object->definition;
    gboolean after_word = FALSE;
    HbToken token;

    while (sql != NULL && (token = hb_lexer_read_token(&hb_my_rules, &sql)).type != HB_TOKEN_END) {
        g_autofree char *name =
            token.type == HB_TOKEN_WORD || token.type == HB_TOKEN_NAME ? hb_token_unquote(&token) : NULL;
        g_autofree char *lower = name != NULL ? g_ascii_strdown(name, -1) : NULL;
        if (after_word && lower != NULL && g_hash_table_add(known, g_strdup(lower)))
            hb_finding_advise(hb_findings_add(run->findings, HB_FINDING_BLOCKER, finding, name,
                                              "%s: %s could not be created", what, object->identity),
                              todo, NULL);
        if (token.type != HB_TOKEN_SPACE && !hb_my_token_is_sign(&token, '='))
            after_word = hb_token_is_word(&token, key);
    }
}

static GHashTable *read_lower(HbSession *session, const char *sql)
{
    g_autoptr(HbMyResult) result = hb_my_query(session, sql, NULL);
    GHashTable *names = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL);
    MYSQL_ROW row;

    while (result != NULL && (row = mysql_fetch_row(result)) != NULL) {
        if (row[0] != NULL)
            g_hash_table_add(names, g_ascii_strdown(row[0], -1));
    }
    return names;
}

static void add_all(GHashTable *names, GHashTable *more)
{
    GHashTableIter iter;
    gpointer name;

    g_hash_table_iter_init(&iter, more);
    while (g_hash_table_iter_next(&iter, &name, NULL))
        g_hash_table_add(names, g_strdup(name));
    g_hash_table_unref(more);
}

static void check_missing(HbMyPreflight *run)
{
    g_autoptr(GHashTable) engines =
        read_lower(run->session, "SELECT ENGINE FROM information_schema.ENGINES WHERE SUPPORT IN ('YES', 'DEFAULT')");
    g_autoptr(GHashTable) plugins =
        read_lower(run->session, "SELECT PLUGIN_NAME FROM information_schema.PLUGINS WHERE PLUGIN_STATUS = 'ACTIVE'");
    g_autoptr(GHashTable) collations =
        read_lower(run->session, "SELECT COLLATION_NAME FROM information_schema.COLLATIONS");

    add_all(collations,
            read_lower(run->session,
                       "SELECT FULL_COLLATION_NAME FROM information_schema.COLLATION_CHARACTER_SET_APPLICABILITY"));
    add_all(collations, read_lower(run->session, "SELECT REPLACE(COLLATION_NAME, 'utf8mb3_', 'utf8_')"
                                                 " FROM information_schema.COLLATIONS"));
    add_all(collations, read_lower(run->session, "SELECT REPLACE(COLLATION_NAME, 'utf8_', 'utf8mb3_')"
                                                 " FROM information_schema.COLLATIONS"));
    const gboolean is_other =
        hb_my_version_is_maria(run->preview->version) != hb_my_version_is_maria(run->session->version);
    for (guint i = 0; i < hb_catalog_count(run->preview->catalog); i++) {
        const HbObject *object = hb_catalog_get(run->preview->catalog, i);
        /* From the other product none comes with its own: see translate.h */
        if (!is_other && (object->kind == HB_KIND_ROLE || object->kind == HB_KIND_PASSWORD))
            check_words(run, object, "VIA", plugins, "plugin-missing", "the target has no such way to log in", NULL);
        check_words(run, object, "collation_connection", collations, "collation-missing",
                    "the target has no such collation", "collation");
        if (hb_kind_get_traits(object->kind)->part == HB_PART_SCHEMA)
            check_words(run, object, "COLLATE", collations, "collation-missing", "the target has no such collation",
                        "collation");
        check_words(run, object, "PARSER", plugins, "plugin-missing", "the target has no such parser of full texts",
                    NULL);
        if (object->kind == HB_KIND_TABLE)
            check_words(run, object, "ENGINE", engines, "storage-missing", "the target has no such storage engine",
                        "storage");
    }
}

/* Servers before MariaDB 10.11 make the history of a table themselves, and take none */
static gboolean check_history(HbMyPreflight *run, GError **error)
{
    g_autoptr(HbMyResult) known =
        hb_my_query(run->session, "SHOW VARIABLES LIKE 'system_versioning_insert_history'", error);

    if (known == NULL || mysql_num_rows(known) > 0)
        return known != NULL;
    for (guint i = 0; i < hb_catalog_count(run->preview->catalog); i++) {
        const HbObject *object = hb_catalog_get(run->preview->catalog, i);
        if (object->kind != HB_KIND_TABLE)
            continue;
        g_autoptr(HbShowCreate) text = hb_show_create_read(object->definition, "", NULL);
        if (!text->is_versioned)
            continue;
        HbFinding *finding = hb_findings_add(run->findings, HB_FINDING_BLOCKER, "history-refused", object->identity,
                                             "has a history, which the target cannot take");
        hb_finding_advise(
            finding, "restore on MariaDB 10.11 or newer, drop the table's versioning in the source, or skip it", NULL);
        finding->is_final = TRUE;
    }
    return TRUE;
}

/* Where the target compares names of tables without case, two that differ in case only are one */
static void check_case(HbMyPreflight *run)
{
    g_autoptr(GHashTable) names = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL);

    for (guint i = 0;
         !hb_my_preflight_is_on(run, "@@lower_case_table_names = 0") && i < hb_catalog_count(run->preview->catalog);
         i++) {
        const HbObject *object = hb_catalog_get(run->preview->catalog, i);
        if (!hb_kind_is_relation(object->kind))
            continue;
        char *folded = g_utf8_strdown(hb_object_get_name(object), -1);
        const HbObject *other = g_hash_table_lookup(names, folded);
        if (other == NULL) {
            g_hash_table_insert(names, folded, (gpointer)object);
            continue;
        }
        g_free(folded);
        HbFinding *finding = hb_findings_add(run->findings, HB_FINDING_BLOCKER, "name-case", object->identity,
                                             "and %s differ in case only, which the target ignores", other->identity);
        hb_finding_advise(finding, "rename one in the source, or restore on a server with lower_case_table_names = 0",
                          NULL);
        finding->is_final = TRUE;
    }
}

/* ---- What it does not take ---- */

/* SHOW CREATE TABLE writes the names of some options in quotes */
static gboolean names(const HbToken *token, const char *name)
{
    g_autofree char *own = token->type == HB_TOKEN_NAME ? hb_token_unquote(token) : NULL;

    return own != NULL && g_ascii_strcasecmp(own, name) == 0;
}

/* The value after a name and an equals sign, unquoted; NULL if the text does not say it. The caller's */
static char *read_value(const char *sql, const char *name)
{
    gboolean found = FALSE;
    HbToken token;

    while ((token = hb_my_next(&sql)).type != HB_TOKEN_END) {
        if (found && !hb_my_token_is_sign(&token, '=')) {
            token.type = token.type == HB_TOKEN_TEXT ? HB_TOKEN_NAME : token.type;
            return hb_token_unquote(&token);
        }
        found = found || hb_token_is_word(&token, name) || names(&token, name);
    }
    return NULL;
}

static gboolean says(const char *sql, const char *name, const char *value)
{
    g_autofree char *said = read_value(sql, name);

    return said != NULL && g_ascii_strcasecmp(said, value) == 0;
}

/* Encrypted tables need a plugin that has keys */
static void check_encryption(HbMyPreflight *run)
{
    if (!hb_my_can(run->session, HB_MY_ENCRYPTION_PLUGINS) ||
        hb_my_preflight_is_on(run, "EXISTS (SELECT 1 FROM information_schema.PLUGINS"
                                   " WHERE PLUGIN_TYPE = 'ENCRYPTION' AND PLUGIN_STATUS = 'ACTIVE')"))
        return;
    for (guint i = 0; i < hb_catalog_count(run->preview->catalog); i++) {
        const HbObject *object = hb_catalog_get(run->preview->catalog, i);
        g_autoptr(HbShowCreate) text =
            object->kind == HB_KIND_TABLE ? hb_show_create_read(object->definition, "", NULL) : NULL;
        if (text == NULL || text->options == NULL || !says(text->options, "ENCRYPTED", "YES"))
            continue;
        hb_finding_advise(hb_findings_add(run->findings, HB_FINDING_BLOCKER, "encryption-missing", object->identity,
                                          "is encrypted, and the target has no encryption plugin: it would be refused"),
                          "load one there with the keys that are wanted, or skip the table", NULL);
    }
}

static gboolean is_from_tables(const char *zone)
{
    return *zone != '+' && *zone != '-' && g_ascii_strcasecmp(zone, "SYSTEM") != 0;
}

/* An event keeps the time zone that it was made in; the server knows named ones only from its tables */
static void check_time_zones(HbMyPreflight *run)
{
    g_autoptr(GHashTable) asked = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL);

    for (guint i = 0; i < hb_catalog_count(run->preview->catalog); i++) {
        const HbObject *object = hb_catalog_get(run->preview->catalog, i);
        char *zone = object->kind == HB_KIND_EVENT ? read_value(object->definition, "time_zone") : NULL;
        if (zone == NULL || !is_from_tables(zone) || g_hash_table_contains(asked, zone)) {
            g_free(zone);
            continue;
        }
        g_autofree char *literal = hb_my_quote_literal(zone);
        g_autofree char *known =
            g_strdup_printf("CONVERT_TZ('2000-01-01 00:00:00', '+00:00', %s) IS NOT NULL", literal);
        if (!hb_my_preflight_is_on(run, known))
            hb_finding_advise(
                hb_findings_add(run->findings, HB_FINDING_BLOCKER, "time-zone-missing", zone,
                                "is a time zone that the target does not know: %s, for example, could not "
                                "be created",
                                object->identity),
                "fill the target's tables of time zones (mysql.time_zone and its like) from its system", NULL);
        g_hash_table_add(asked, zone);
    }
}

/* A server that judges passwords may refuse hashes, which it cannot judge */
static void check_password_judges(HbMyPreflight *run)
{
    if (!hb_my_preflight_is_on(run, "@@strict_password_validation AND EXISTS (SELECT 1 FROM information_schema.PLUGINS"
                                    " WHERE PLUGIN_TYPE = 'PASSWORD VALIDATION' AND PLUGIN_STATUS = 'ACTIVE')"))
        return;
    for (guint i = 0; i < hb_catalog_count(run->preview->catalog); i++) {
        const HbObject *object = hb_catalog_get(run->preview->catalog, i);
        if (object->kind != HB_KIND_ROLE || strstr(object->definition, "IDENTIFIED") == NULL)
            continue;
        hb_finding_advise(hb_findings_add(run->findings, HB_FINDING_BLOCKER, "password-refused",
                                          "strict_password_validation",
                                          "is ON: the target takes no password as a hash, and %s comes with one, for "
                                          "example",
                                          object->identity),
                          "switch it off for the restore, or leave the users out with --skip user:*",
                          "SET GLOBAL strict_password_validation = OFF;");
        return;
    }
}

gboolean hb_my_preflight_check_missing(HbMyPreflight *run, GError **error)
{
    check_missing(run);
    check_case(run);
    check_encryption(run);
    check_time_zones(run);
    check_password_judges(run);
    return check_history(run, error);
}
