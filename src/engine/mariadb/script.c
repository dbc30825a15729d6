/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/mariadb/script.h"

#include "engine/mariadb/names.h"

#include <string.h>

/* What a restore sets in its sessions, and a stock shell does not; where the server knows it */
#define SETTINGS                                                                                                       \
    "SET autocommit = 1, sql_safe_updates = 0, sql_quote_show_create = 1;\n"                                           \
    "/*M!100201 SET check_constraint_checks = 0, system_versioning_alter_history = 'KEEP' */;\n"                       \
    "/*M!101100 SET system_versioning_insert_history = 1 */;\n"

static void append_creation(GString *sql, const HbCatalog *catalog, const char *database)
{
    g_autofree char *quoted = hb_my_quote_any_name(database);
    const char *charset = g_hash_table_lookup(hb_catalog_get_properties(catalog), "character-set");
    const char *collation = g_hash_table_lookup(hb_catalog_get_properties(catalog), "collation");

    g_string_append_printf(sql, "CREATE DATABASE IF NOT EXISTS %s", quoted);
    if (charset != NULL && collation != NULL)
        g_string_append_printf(sql, " CHARACTER SET %s COLLATE %s", charset, collation);
    g_string_append_printf(sql, ";\nUSE %s;\n", quoted);
}

static char *plain_name(const HbObject *object)
{
    const char *at = hb_object_get_name(object);
    const HbToken token = hb_sqltext_read_token(HB_DIALECT_MARIADB, &at);

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
        g_string_append(sql, count++ == 0 ? "DELIMITER //\nBEGIN NOT ATOMIC\n DECLARE there VARCHAR(200);\n"
                                            " SELECT MIN(TABLE_NAME) INTO there FROM information_schema.TABLES\n"
                                            "  WHERE TABLE_SCHEMA = DATABASE() AND TABLE_NAME IN ("
                                          : ",\n   ");
        g_string_append(sql, literal);
    }
    if (count > 0)
        g_string_append(sql, ");\n SET there = IF(DATABASE() IS NULL, 'no database is selected; nothing was changed',\n"
                             "   CONCAT('the database holds ', there, ' already; nothing was changed'));\n"
                             " IF there IS NOT NULL THEN SIGNAL SQLSTATE '45000' SET MESSAGE_TEXT = there; END IF;\n"
                             "END//\nDELIMITER ;\n");
}

char *hb_my_begin_script(const HbCatalog *catalog, const char *database, gboolean guarded)
{
    GString *sql = g_string_new("SET NAMES utf8mb4;\n");

    if (database != NULL)
        append_creation(sql, catalog, database);
    if (guarded)
        append_guard(sql, catalog);
    g_string_append(sql, SETTINGS);
    return g_string_free(sql, FALSE);
}

/* Users who are there already stay as they are */
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
