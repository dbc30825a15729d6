/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/mariadb/target/target.h"

#include "core/sql/lexer.h"
#include "engine/mariadb/catalog/catalog_builder.h"
#include "engine/mariadb/dialect/names.h"
#include "engine/mariadb/target/journal.h"

#include <string.h>

/*
 * Databases, and what they hold, as a restore finds them. A database is looked for by name among those that the
 * account may see, and created with the source's character set and collation, whatever the server's own defaults are.
 */

/* ---- The database ---- */

static gboolean database_exists(HbSession *session, const char *name, gboolean *exists, GError **error)
{
    g_autofree char *literal = hb_my_quote_literal(name);
    g_autofree char *sql =
        g_strdup_printf("SELECT COUNT(*) FROM information_schema.SCHEMATA WHERE SCHEMA_NAME = %s", literal);
    g_autofree char *count = NULL;
    gboolean ok = hb_my_read_text(session, sql, &count, error);

    *exists = ok && *count != '0';
    return ok;
}

gboolean hb_my_find_target(const HbAddress *address, HbServerInfo *info, gboolean *exists, GError **error)
{
    const HbAddress server = {address->uri, "", address->password, address->watch};
    HbSession *session = hb_my_open(&server, error);
    gboolean ok = session != NULL && database_exists(session, address->database, exists, error) &&
                  hb_my_describe(session, info, error);

    if (ok) {
        g_free(info->database);
        g_free(info->database_quoted);
        g_free(info->identity);
        info->database = g_strdup(address->database);
        info->database_quoted = hb_my_quote_name(address->database);
        info->identity = NULL;
    }
    hb_my_close(session);
    return ok;
}

static const char *property(GHashTable *properties, const char *name)
{
    return g_hash_table_lookup(properties, name);
}

static char *create_database_sql(HbSession *session, const char *name, GHashTable *properties)
{
    g_autofree char *quoted = hb_my_quote_any_name(name);
    GString *sql = g_string_new(NULL);

    g_string_append_printf(sql, "CREATE DATABASE %s", quoted);
    if (property(properties, "character-set") != NULL)
        g_string_append_printf(sql, " CHARACTER SET %s", property(properties, "character-set"));
    if (property(properties, "collation") != NULL)
        g_string_append_printf(sql, " COLLATE %s", property(properties, "collation"));
    if (property(properties, "comment") != NULL && hb_my_can(session, HB_MY_DATABASE_COMMENTS)) {
        g_autofree char *literal = hb_my_quote_literal(property(properties, "comment"));
        g_string_append_printf(sql, " COMMENT %s", literal);
    }
    return g_string_free(sql, FALSE);
}

/* TRUE with *created FALSE: somebody else has created it at the same time */
static gboolean create(HbSession *session, const char *name, GHashTable *properties, gboolean *created, GError **error)
{
    g_autofree char *sql = create_database_sql(session, name, properties);
    g_autoptr(GError) ours = NULL;

    *created = hb_my_execute(session, sql, &ours);
    if (*created || hb_error_is(ours, HB_ERROR_EXISTS))
        return TRUE;
    g_propagate_prefixed_error(error, g_steal_pointer(&ours), "creating database %s on %s: ", name, session->address);
    return FALSE;
}

gboolean hb_my_create_database(const HbAddress *address, GHashTable *properties, gboolean *created, GError **error)
{
    const HbAddress server = {address->uri, "", address->password, address->watch};
    HbSession *session = hb_my_open(&server, error);
    gboolean exists = FALSE;
    gboolean ok = session != NULL && database_exists(session, address->database, &exists, error);

    *created = FALSE;
    ok = ok && (exists || create(session, address->database, properties, created, error));
    hb_my_close(session);
    return ok;
}

gboolean hb_my_find_content(HbSession *session, char **example, GError **error)
{
    return hb_my_read_text(session,
                           "SELECT CONCAT(IF(TABLE_TYPE = 'VIEW', 'view ', 'table '), TABLE_NAME)"
                           " FROM information_schema.TABLES WHERE TABLE_SCHEMA = DATABASE()"
                           "  AND TABLE_NAME NOT IN (" HB_MY_OURS ")"
                           " UNION ALL SELECT CONCAT(LOWER(ROUTINE_TYPE), ' ', ROUTINE_NAME)"
                           " FROM information_schema.ROUTINES WHERE ROUTINE_SCHEMA = DATABASE()"
                           " UNION ALL SELECT CONCAT('event ', EVENT_NAME)"
                           " FROM information_schema.EVENTS WHERE EVENT_SCHEMA = DATABASE() LIMIT 1",
                           example, error);
}

GArray *hb_my_list_databases(HbSession *session, const HbAddress *address, GError **error)
{
    g_autoptr(HbMyResult) result = hb_my_query(
        session,
        "SELECT s.SCHEMA_NAME, COALESCE(SUM(t.DATA_LENGTH + t.INDEX_LENGTH), 0)"
        " FROM information_schema.SCHEMATA s LEFT JOIN information_schema.TABLES t ON t.TABLE_SCHEMA = s.SCHEMA_NAME"
        " WHERE s.SCHEMA_NAME NOT IN ('information_schema', 'performance_schema', 'mysql', 'sys',"
        "  'hornbeam_journal') GROUP BY s.SCHEMA_NAME ORDER BY 2 DESC, 1",
        error);
    GArray *databases;
    MYSQL_ROW row;

    (void)address;
    if (result == NULL)
        return NULL;
    databases = hb_databases_new();
    while ((row = mysql_fetch_row(result)) != NULL)
        hb_databases_add(databases, row[0], g_ascii_strtoull(row[1], NULL, 10));
    return databases;
}

/* ---- Definitions ---- */

/* Takes the text */
static char *without(char *text, const char *part)
{
    char *at = strstr(text, part);

    if (at != NULL)
        memmove(at, at + strlen(part), strlen(at + strlen(part)) + 1);
    return text;
}

/* What a table has without saying so, and says only if it was written, or the table's engine was changed */
static char *without_usual_options(const char *definition)
{
    return without(without(g_strdup(definition), " ROW_FORMAT=DYNAMIC"), " PAGE_CHECKSUM=1");
}

/* In which character set a program was written is a remark of ours on its settings: a shell writes it in its own */
static char *without_charset(const char *definition)
{
    static const char begins[] = " /* written in ", ends[] = " */";
    const char *line_end = strchr(definition, '\n'), *at = strstr(definition, begins);
    const char *end = at != NULL ? strstr(at, ends) : NULL;

    if (end == NULL || line_end == NULL || end > line_end)
        return g_strdup(definition);
    return g_strdup_printf("%.*s%s", (int)(at - definition), definition, end + strlen(ends));
}

gboolean hb_my_reads_same(HbSession *session, const HbObject *other, const HbObject *own)
{
    (void)session;
    if (own->kind != HB_KIND_TABLE) {
        g_autofree char *a = without_charset(other->definition), *b = without_charset(own->definition);
        return strcmp(a, b) == 0;
    }
    g_autofree char *one = without_usual_options(other->definition), *two = without_usual_options(own->definition);
    return strcmp(one, two) == 0;
}

/* ---- Which tables hold rows ---- */

#define TABLES_A_QUERY 200

static void append_question(GString *sql, const HbRowSet *set, guint number)
{
    g_string_append_printf(sql, "%sSELECT %u AS number FROM DUAL WHERE EXISTS (SELECT 1 FROM %s %s)",
                           sql->len > 0 ? " UNION ALL " : "", number, set->table,
                           set->condition != NULL ? set->condition : "");
}

static gboolean ask(HbSession *session, const GPtrArray *sets, const char *sql, GHashTable *holding, GError **error)
{
    g_autoptr(HbMyResult) result = hb_my_query(session, sql, error);
    MYSQL_ROW row;

    while (result != NULL && (row = mysql_fetch_row(result)) != NULL)
        g_hash_table_add(holding, ((HbRowSet *)sets->pdata[g_ascii_strtoull(row[0], NULL, 10)])->identity);
    return result != NULL;
}

gboolean hb_my_find_rows(HbSession *session, const HbCatalog *catalog, GHashTable *holding, GError **error)
{
    const GPtrArray *sets = hb_catalog_get_row_sets(catalog);
    g_autoptr(GString) sql = g_string_new(NULL);

    for (guint i = 0; i < sets->len; i++) {
        append_question(sql, sets->pdata[i], i);
        if (i + 1 < sets->len && (i + 1) % TABLES_A_QUERY != 0)
            continue;
        if (!ask(session, sets, sql->str, holding, error))
            return FALSE;
        g_string_truncate(sql, 0);
    }
    return TRUE;
}
