/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/postgres/target/target.h"

#include "core/sql/lexer.h"
#include "engine/postgres/catalog/queries.h"
#include "engine/postgres/dialect/large_objects.h"
#include "engine/postgres/dialect/names.h"
#include "sql.h"

#include <string.h>

/* ---- The database ---- */

static const char *property(GHashTable *properties, const char *name)
{
    return g_hash_table_lookup(properties, name);
}

static void append_option(HbSession *session, GString *sql, const char *keyword, const char *value)
{
    if (value == NULL)
        return;
    g_autofree char *literal = hb_pg_quote_literal(session, value);
    g_string_append_printf(sql, " %s %s", keyword, literal);
}

static char *create_database_sql(HbSession *session, const char *name, GHashTable *properties)
{
    const char *provider = property(properties, "provider");
    g_autofree char *quoted = hb_pg_quote_any_name(name);
    GString *sql = g_string_new(NULL);

    g_string_append_printf(sql, "CREATE DATABASE %s TEMPLATE template0", quoted);
    append_option(session, sql, "ENCODING", property(properties, "encoding"));
    append_option(session, sql, "LC_COLLATE", property(properties, "collate"));
    append_option(session, sql, "LC_CTYPE", property(properties, "ctype"));
    if (g_strcmp0(provider, "icu") == 0) {
        g_string_append(sql, " LOCALE_PROVIDER icu");
        append_option(session, sql, "ICU_LOCALE", property(properties, "locale"));
        append_option(session, sql, "ICU_RULES", property(properties, "icu-rules"));
    } else if (g_strcmp0(provider, "builtin") == 0) {
        g_string_append(sql, " LOCALE_PROVIDER builtin");
        append_option(session, sql, "BUILTIN_LOCALE", property(properties, "locale"));
    }
    if (property(properties, "tablespace") != NULL) {
        g_autofree char *tablespace = hb_pg_quote_any_name(property(properties, "tablespace"));
        g_string_append_printf(sql, " TABLESPACE %s", tablespace);
    }
    return g_string_free(sql, FALSE);
}

static gboolean database_exists(HbSession *session, const char *name, gboolean *exists, GError **error)
{
    static const char sql[] = "SELECT count(*) FROM pg_database WHERE datname = $1";
    const char *const values[] = {name};
    g_autoptr(HbResult) result = hb_pg_query_with(session, sql, 1, values, error);

    *exists = result != NULL && *PQgetvalue(result, 0, 0) != '0';
    return result != NULL;
}

/* template1 serves where the database named postgres is missing */
HbSession *hb_pg_open_maintenance(const HbAddress *address, GError **error)
{
    HbAddress here = {address->uri, "postgres", address->password, address->watch};
    g_autoptr(GError) first = NULL;
    HbSession *session = hb_pg_open(&here, &first);

    if (session != NULL)
        return session;
    here.database = "template1";
    session = hb_pg_open(&here, NULL);
    if (session == NULL)
        g_propagate_error(error, g_steal_pointer(&first));
    return session;
}

/*
 * The database itself is tried first: the restoring role need not have access to any other. Only if that fails is
 * the server asked, in another database, whether it exists at all.
 */
gboolean hb_pg_find_target(const HbAddress *address, HbServerInfo *info, gboolean *exists, GError **error)
{
    g_autoptr(GError) refusal = NULL;
    HbSession *session = hb_pg_open(address, &refusal);
    gboolean ok;

    *exists = session != NULL;
    if (session == NULL) {
        session = hb_pg_open_maintenance(address, NULL);
        if (session == NULL || !database_exists(session, address->database, exists, NULL)) {
            hb_pg_close(session);
            g_propagate_error(error, g_steal_pointer(&refusal));
            return FALSE;
        }
        if (*exists) { /* another host may have created it between the two looks */
            hb_pg_close(session);
            session = hb_pg_open(address, error);
            if (session == NULL)
                return FALSE;
        }
    }
    ok = hb_pg_describe(session, info, error);
    hb_pg_close(session);
    return ok;
}

/* What a fresh database has and the source has not */
static gboolean drop_absent(const HbAddress *address, GHashTable *properties, GError **error)
{
    gboolean no_schema = g_strcmp0(property(properties, "schema-public"), "absent") == 0;
    gboolean no_language = g_strcmp0(property(properties, "language-plpgsql"), "absent") == 0;
    HbSession *session;
    gboolean ok;

    if (!no_schema && !no_language)
        return TRUE;
    session = hb_pg_open(address, error);
    ok = session != NULL && (!no_schema || hb_pg_execute(session, "DROP SCHEMA public", error)) &&
         (!no_language || hb_pg_execute(session, "DROP EXTENSION plpgsql", error));
    hb_pg_close(session);
    return ok;
}

/* TRUE with *created FALSE: somebody else has created it at the same time */
static gboolean create(HbSession *session, const char *name, GHashTable *properties, gboolean *created, GError **error)
{
    g_autofree char *sql = create_database_sql(session, name, properties);
    g_autoptr(GError) ours = NULL;
    gboolean exists = FALSE;

    *created = hb_pg_execute(session, sql, &ours);
    if (*created || (database_exists(session, name, &exists, NULL) && exists))
        return TRUE;
    g_propagate_prefixed_error(error, g_steal_pointer(&ours), "creating database %s on %s: ", name, session->address);
    return FALSE;
}

gboolean hb_pg_create_database(const HbAddress *address, GHashTable *properties, gboolean *created, GError **error)
{
    HbSession *session = hb_pg_open_maintenance(address, error);
    gboolean exists = FALSE;
    gboolean ok;

    *created = FALSE;
    if (session == NULL)
        return FALSE;
    ok = database_exists(session, address->database, &exists, error) &&
         (exists || create(session, address->database, properties, created, error));
    hb_pg_close(session);
    return ok && (!*created || drop_absent(address, properties, error));
}

gboolean hb_pg_find_content(HbSession *session, char **example, GError **error)
{
    g_autofree char *sql = hb_pg_fit_query(hb_sql_content, session->version);
    g_autoptr(HbResult) result = hb_pg_query(session, sql, error);

    *example = result != NULL && PQntuples(result) > 0 ? g_strdup(PQgetvalue(result, 0, 0)) : NULL;
    return result != NULL;
}

gboolean hb_pg_find_role(HbSession *session, const char *name, gboolean *found, GError **error)
{
    const char *const values[] = {name};
    g_autoptr(HbResult) result =
        hb_pg_query_with(session, "SELECT count(*) FROM pg_roles WHERE quote_ident(rolname) = $1", 1, values, error);

    *found = result != NULL && *PQgetvalue(result, 0, 0) != '0';
    return result != NULL;
}

#define WITH_OPTIONS 160000

/* The creator of a role may grant it, but since 16 may not yet act as it */
char *hb_pg_make_joining(HbSession *session, const char *owner, char **leaving)
{
    g_autofree char *role = hb_pg_quote_any_name(owner);

    *leaving = g_strdup_printf("REVOKE %s FROM CURRENT_USER;", role);
    return g_strdup_printf("GRANT %s TO CURRENT_USER%s;", role,
                           session->version >= WITH_OPTIONS ? " WITH INHERIT TRUE, SET TRUE" : "");
}

static gboolean read_locks(HbSession *session, guint64 *locks, GError **error)
{
    g_autoptr(HbResult) result = hb_pg_query(
        session,
        "SELECT current_setting('max_locks_per_transaction')::bigint"
        " * (current_setting('max_connections')::bigint + current_setting('max_prepared_transactions')::bigint)",
        error);

    *locks = result != NULL ? g_ascii_strtoull(PQgetvalue(result, 0, 0), NULL, 10) : 0;
    return result != NULL;
}

gboolean hb_pg_read_privileges(HbSession *session, HbRestorePrivileges *privileges, GError **error)
{
    if (!read_locks(session, &privileges->locks, error))
        return FALSE;
    privileges->owners =
        hb_pg_read_names(session, "SELECT rolname FROM pg_roles WHERE pg_has_role(oid, 'USAGE')", error);
    if (privileges->owners == NULL)
        return FALSE;
    privileges->closed = hb_pg_read_names(session,
                                          "SELECT 'schema ' || quote_ident(nspname) FROM pg_namespace"
                                          " WHERE NOT has_schema_privilege(oid, 'CREATE')",
                                          error);
    return privileges->closed != NULL;
}

/* The server is sent the hash only, so that no log of statements shows the password */
char *hb_pg_make_password_sql(HbSession *session, const HbObject *role, const char *password, GError **error)
{
    char *hash;
    char *sql;

    if (strstr(role->definition, " LOGIN ") == NULL)
        return NULL;
    hash = PQencryptPasswordConn(session->conn, password, hb_object_get_name(role), "scram-sha-256");
    if (hash == NULL) {
        hb_pg_set_error(session, NULL, error);
        return NULL;
    }
    g_autofree char *literal = hb_pg_quote_literal(session, hash);
    sql = g_strdup_printf("ALTER ROLE %s PASSWORD %s;", hb_object_get_name(role), literal);
    PQfreemem(hash);
    return sql;
}

/* ---- Which tables hold rows ---- */

#define TABLES_A_QUERY 200

/* A long lock on a table is reported rather than waited for */
#define DO_NOT_WAIT "SET LOCAL lock_timeout = '10s'; "

static void append_question(GString *sql, const HbRowSet *set, guint number)
{
    g_string_append_printf(sql, "SELECT %u AS number WHERE EXISTS (SELECT FROM ", number);
    if (hb_pg_is_large_objects(set))
        g_string_append(sql, "pg_largeobject_metadata)");
    else
        g_string_append_printf(sql, "ONLY %s %s)", set->table, set->condition != NULL ? set->condition : "");
}

static gboolean ask(HbSession *session, const GPtrArray *sets, const char *sql, GHashTable *holding, GError **error)
{
    g_autoptr(HbResult) result = hb_pg_query(session, sql, error);

    for (int row = 0; result != NULL && row < PQntuples(result); row++) {
        guint64 number = g_ascii_strtoull(PQgetvalue(result, row, 0), NULL, 10);
        g_hash_table_add(holding, ((HbRowSet *)sets->pdata[number])->identity);
    }
    return result != NULL;
}

gboolean hb_pg_find_rows(HbSession *session, const HbCatalog *catalog, GHashTable *holding, GError **error)
{
    const GPtrArray *sets = hb_catalog_get_row_sets(catalog);
    g_autoptr(GString) sql = g_string_new(NULL);

    for (guint i = 0; i < sets->len; i++) {
        g_string_append(sql, sql->len == 0 ? DO_NOT_WAIT : " UNION ALL ");
        append_question(sql, sets->pdata[i], i);
        if (i + 1 < sets->len && (i + 1) % TABLES_A_QUERY != 0)
            continue;
        if (!ask(session, sets, sql->str, holding, error))
            return FALSE;
        g_string_truncate(sql, 0);
    }
    return TRUE;
}
