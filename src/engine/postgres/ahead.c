/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/postgres/ahead.h"

#include "core/order.h"
#include "engine/postgres/queries.h"
#include "engine/postgres/target.h"
#include "engine/postgres/users.h"

#include <stdlib.h>
#include <string.h>

typedef struct {
    HbSession *session; /* in the target database or, if that is to be created, in another */
    const char *database;
    const HbAhead *ahead;
    HbResult *facts; /* one row */
    GPtrArray *findings;
} Look;

static gboolean is_true(const Look *look, const char *fact)
{
    return *hb_pg_get(look->facts, 0, fact) == 't';
}

static long long number(const Look *look, const char *fact)
{
    return strtoll(hb_pg_get(look->facts, 0, fact), NULL, 10);
}

static const char *me(const Look *look)
{
    return hb_pg_get(look->facts, 0, "me");
}

/* Needed for settings of the session's own: what the server would use without them */
static const char facts_sql[] =
    "SELECT quote_ident(current_user) AS me, r.rolsuper AS super, r.rolsuper OR r.rolcreatedb AS createdb,"
    " r.rolsuper OR r.rolcreaterole AS createrole, pg_is_in_recovery() AS standby,"
    " has_database_privilege(current_database(), 'CREATE') AS may_create,"
    " CASE WHEN to_regnamespace('public') IS NULL THEN true ELSE has_schema_privilege('public', 'CREATE') END AS "
    "may_public,"
    " current_setting('max_connections')::int - current_setting('superuser_reserved_connections')::int"
    "  - (SELECT count(*) FROM pg_stat_activity WHERE backend_type = 'client backend') AS free_sessions,"
    " r.rolconnlimit AS my_limit,"
    " CASE WHEN r.rolsuper OR pg_has_role('pg_read_all_settings', 'MEMBER') THEN current_setting('data_directory') END "
    "AS place,"
    " pg_encoding_to_char(d.encoding) AS encoding, d.datcollate AS collate, d.datctype AS ctype, d.datistemplate AS "
    "template"
    " FROM pg_roles r, pg_database d WHERE r.rolname = current_user AND d.datname = current_database()";

/* ---- The server and the database ---- */

static void look_at_place(Look *look)
{
    static const char *const own[] = {"postgres", "template0", "template1", NULL};
    const gboolean is_local = *PQhost(look->session->conn) == '/';

    if (is_true(look, "standby"))
        hb_findings_add(look->findings, HB_FINDING_BLOCKER, "read-only", "server",
                        "is a standby, which takes no writes")
            ->is_final = TRUE;
    if (!look->ahead->part_of_server && g_strv_contains(own, look->database))
        hb_finding_advise(hb_findings_add(look->findings, HB_FINDING_BLOCKER, "system-database", look->database,
                                          "is a database of the server's own"),
                          "name another database in the URI; it is created if it is missing", NULL);
    hb_preflight_judge_room(look->ahead->bytes,
                            is_local ? hb_engine_find_room(hb_pg_get(look->facts, 0, "place")) : G_MAXUINT64,
                            look->findings);
}

static void look_at_limits(Look *look)
{
    long long free_sessions = number(look, "free_sessions") + 1; /* this one goes */
    long long mine = number(look, "my_limit");
    long long wanted = (long long)look->ahead->sessions + 1;
    long long there = mine >= 0 && mine < free_sessions ? mine : free_sessions;

    if (wanted <= there)
        return;
    g_autofree char *todo = there > 1 ? g_strdup_printf("use --jobs %lld, or raise the limit", there - 1)
                                      : g_strdup("have sessions ended, or raise the limit");
    hb_finding_advise(hb_findings_add(look->findings, HB_FINDING_BLOCKER, "connections", "server",
                                      "has %lld connection%s left for %s; the restore needs %lld", MAX(there, 0),
                                      there == 1 ? "" : "s", me(look), wanted),
                      todo, NULL);
}

static gboolean look_at_sessions(Look *look, GError **error)
{
    static const char sql[] =
        "SELECT format('%s%s%s', usename, ' with ' || nullif(application_name, ''), ' from ' || client_addr) AS who,"
        " count(*) AS count FROM pg_stat_activity WHERE datname = current_database() AND pid <> pg_backend_pid()"
        " AND backend_type = 'client backend' GROUP BY 1 ORDER BY 2 DESC, 1 LIMIT 5";
    g_autoptr(HbResult) result = look->ahead->exists ? hb_pg_query(look->session, sql, error) : NULL;

    if (!look->ahead->exists)
        return TRUE;
    for (int row = 0; result != NULL && row < PQntuples(result); row++)
        hb_finding_advise(hb_findings_add(look->findings, HB_FINDING_WARNING, "other-sessions", look->database,
                                          "is in use by others: %s (%s)", hb_pg_get(result, row, "who"),
                                          hb_pg_get(result, row, "count")),
                          "see that this is the right database, and that they do not write to it", NULL);
    return result != NULL;
}

/* ---- Encoding and locale ---- */

static const char *property(const Look *look, const char *name)
{
    return g_hash_table_lookup(hb_catalog_get_properties(look->ahead->catalog), name);
}

static void compare_locale(Look *look, const char *name)
{
    const char *here = property(look, name), *there = hb_pg_get(look->facts, 0, name);

    if (here != NULL && g_strcmp0(here, there) != 0)
        hb_finding_advise(
            hb_findings_add(look->findings, HB_FINDING_WARNING, "setting-differs", name,
                            "of the database is “%s” on the target, and “%s” in the source: text sorts and "
                            "compares otherwise",
                            there, here),
            "restore into a database that does not exist yet: it is created as in the source", NULL);
}

static void compare_encoding(Look *look)
{
    const char *here = property(look, "encoding"), *there = hb_pg_get(look->facts, 0, "encoding");

    if (here == NULL || strcmp(here, there) == 0 || strcmp(there, "UTF8") == 0)
        return;
    hb_finding_advise(
        hb_findings_add(look->findings, HB_FINDING_BLOCKER, "encoding-differs", "encoding",
                        "of the database is %s on the target, and %s in the source: it may not take all texts", there,
                        here),
        "restore into a database that does not exist yet: it is created as in the source", NULL);
}

/* A collation of that locale is made, and taken back: nothing else tells whether the machine has it */
static void try_locale(Look *look)
{
    const char *provider = property(look, "provider");
    const gboolean is_icu = g_strcmp0(provider, "icu") == 0;
    const char *locale = property(look, is_icu ? "locale" : "collate");
    g_autoptr(GError) refusal = NULL;

    if (locale == NULL || g_strcmp0(provider, "builtin") == 0 || is_true(look, "standby"))
        return;
    g_autofree char *literal = hb_pg_quote_literal(look->session, locale);
    g_autofree char *sql =
        g_strdup_printf("BEGIN; CREATE COLLATION pg_temp.hornbeam_probe (provider = %s, locale = %s)",
                        is_icu ? "icu" : "libc", literal);
    hb_pg_execute(look->session, sql, &refusal);
    hb_pg_execute(look->session, "ROLLBACK", NULL);
    if (refusal == NULL || strstr(refusal->message, "locale") == NULL)
        return;
    hb_finding_advise(
        hb_findings_add(look->findings, HB_FINDING_BLOCKER, "locale-missing", locale,
                        "is not a locale of the target's machine: the database cannot be created with it"),
        "generate the locale there, or create the database beforehand with another one", NULL);
}

static void look_at_texts(Look *look)
{
    if (!look->ahead->exists) {
        try_locale(look);
        return;
    }
    compare_encoding(look);
    compare_locale(look, "collate");
    compare_locale(look, "ctype");
}

static gboolean look_at_settings(Look *look, GError **error)
{
    static const char sql[] =
        "SELECT s.name, s.reset_val AS value FROM pg_settings s WHERE s.name IN (@meaning_settings@)";
    g_autofree char *fitted = hb_pg_fit_query(sql, look->session->version);
    g_autoptr(HbResult) result = hb_pg_query(look->session, fitted, error);
    g_autoptr(GHashTable) own = g_hash_table_new(g_str_hash, g_str_equal);

    if (result == NULL)
        return FALSE;
    for (int row = 0; row < PQntuples(result); row++)
        g_hash_table_insert(own, (gpointer)hb_pg_get(result, row, "name"), (gpointer)hb_pg_get(result, row, "value"));
    hb_preflight_look_at_settings(look->ahead->catalog, own, HB_MEANING_PREFIX, look->findings);
    return TRUE;
}

/* ---- Extensions ---- */

static void judge_extension(Look *look, const HbObject *object, const HbResult *available)
{
    const char *name = hb_object_get_name(object);

    for (int row = 0; row < PQntuples(available); row++) {
        if (strcmp(hb_pg_get(available, row, "name"), name) != 0)
            continue;
        if (is_true(look, "super") || *hb_pg_get(available, row, "for_all") == 't' ||
            *hb_pg_get(available, row, "installed") == 't')
            return;
        hb_finding_advise(hb_findings_add(look->findings, HB_FINDING_BLOCKER, "right-missing", object->identity,
                                          "may be created by superusers only"),
                          "have one create it in the target database beforehand", object->definition);
        return;
    }
    hb_finding_advise(hb_findings_add(look->findings, HB_FINDING_BLOCKER, "extension-missing", object->identity,
                                      "is not installed on the target's machine: what uses it could not be created"),
                      "install its package there, or leave it out with --skip, and with it what needs it", NULL);
}

static gboolean look_at_extensions(Look *look, GError **error)
{
    static const char sql[] =
        "SELECT quote_ident(a.name) AS name, coalesce(bool_or(NOT v.superuser OR v.trusted), false) AS for_all,"
        " bool_or(a.installed_version IS NOT NULL) AS installed"
        " FROM pg_available_extensions a LEFT JOIN pg_available_extension_versions v"
        "  ON v.name = a.name AND v.version = a.default_version GROUP BY a.name";
    g_autoptr(HbResult) available = hb_pg_query(look->session, sql, error);

    for (guint i = 0; available != NULL && i < hb_catalog_count(look->ahead->catalog); i++) {
        const HbObject *object = hb_catalog_get(look->ahead->catalog, i);
        if (object->kind == HB_KIND_EXTENSION)
            judge_extension(look, object, available);
    }
    return available != NULL;
}

/* ---- Rights ---- */

static guint count_kind(const Look *look, HbKind kind)
{
    guint count = 0;

    for (guint i = 0; i < hb_catalog_count(look->ahead->catalog); i++)
        count += hb_catalog_get(look->ahead->catalog, i)->kind == kind;
    return count;
}

static void lack(Look *look, HbFindingLevel level, const char *object, const char *what, const char *todo, char *sql)
{
    hb_finding_advise(hb_findings_add(look->findings, level, level == HB_FINDING_BLOCKER ? "right-missing" : "refused",
                                      object, "%s", what),
                      todo, sql);
    g_free(sql);
}

static gboolean stands_in_public(const HbObject *object)
{
    return hb_object_has_need(object, "schema public");
}

static gboolean needs_public(const Look *look)
{
    for (guint i = 0; i < hb_catalog_count(look->ahead->catalog); i++) {
        if (stands_in_public(hb_catalog_get(look->ahead->catalog, i)))
            return TRUE;
    }
    return FALSE;
}

static void look_for_creation(Look *look)
{
    g_autofree char *quoted = hb_pg_quote_any_name(look->database);

    if (!look->ahead->exists && !is_true(look, "createdb"))
        lack(look, HB_FINDING_BLOCKER, look->database, "does not exist, and this role may not create databases",
             "have it created, or have the right given to the role",
             g_strdup_printf("ALTER ROLE %s CREATEDB;", me(look)));
    if (look->ahead->exists && !is_true(look, "may_create") && count_kind(look, HB_KIND_SCHEMA) > 0)
        lack(look, HB_FINDING_BLOCKER, look->database, "does not let this role create schemas",
             "have the right granted", g_strdup_printf("GRANT CREATE ON DATABASE %s TO %s;", quoted, me(look)));
    if (look->ahead->exists && !is_true(look, "may_public") && needs_public(look))
        lack(look, HB_FINDING_BLOCKER, "schema public", "does not let this role create anything in it",
             "have the right granted", g_strdup_printf("GRANT CREATE ON SCHEMA public TO %s;", me(look)));
}

/* Kinds that only a superuser can create */
static const HbKind kinds_of_superusers[] = {HB_KIND_LANGUAGE,
                                             HB_KIND_TRANSFORM,
                                             HB_KIND_ACCESS_METHOD,
                                             HB_KIND_OPERATOR_FAMILY,
                                             HB_KIND_OPERATOR_CLASS,
                                             HB_KIND_OPERATOR_FAMILY_MEMBERS,
                                             HB_KIND_TEXT_SEARCH_PARSER,
                                             HB_KIND_TEXT_SEARCH_TEMPLATE,
                                             HB_KIND_FOREIGN_DATA_WRAPPER,
                                             HB_KIND_TABLESPACE,
                                             HB_KIND_EVENT_TRIGGER,
                                             HB_KIND_SUBSCRIPTION,
                                             HB_KIND_PARAMETER_GRANT};

static gboolean is_in_c(const HbObject *object)
{
    return (object->kind == HB_KIND_FUNCTION || object->kind == HB_KIND_PROCEDURE) &&
           (strstr(object->definition, "LANGUAGE c\n") != NULL ||
            strstr(object->definition, "LANGUAGE internal\n") != NULL);
}

static gboolean is_superusers(const HbObject *object)
{
    for (gsize k = 0; k < G_N_ELEMENTS(kinds_of_superusers); k++) {
        if (object->kind == kinds_of_superusers[k])
            return TRUE;
    }
    return is_in_c(object) || (object->kind == HB_KIND_ROLE && (strstr(object->definition, " SUPERUSER") != NULL ||
                                                                strstr(object->definition, " REPLICATION") != NULL ||
                                                                strstr(object->definition, " BYPASSRLS") != NULL));
}

static gboolean is_new_role(const HbObject *object, const HbCatalog *there)
{
    return object->kind == HB_KIND_ROLE && hb_catalog_find(there, object->identity) == NULL;
}

static void look_for_superuser(Look *look, const HbCatalog *there)
{
    for (guint i = 0; i < hb_catalog_count(look->ahead->catalog); i++) {
        const HbObject *object = hb_catalog_get(look->ahead->catalog, i);
        if (is_superusers(object) && (object->kind != HB_KIND_ROLE || is_new_role(object, there)))
            lack(look, HB_FINDING_WARNING, object->identity, "can be created by a superuser only",
                 "have one run its statement afterwards; the restore will list it", NULL);
    }
}

static void look_for_role_rights(Look *look, const HbCatalog *there)
{
    guint count = 0;
    const char *example = NULL;

    for (guint i = 0; i < hb_catalog_count(look->ahead->catalog); i++) {
        const HbObject *object = hb_catalog_get(look->ahead->catalog, i);
        if (is_new_role(object, there)) {
            count++;
            example = object->identity;
        }
    }
    if (count == 0 || is_true(look, "createrole"))
        return;
    g_autofree char *what =
        g_strdup_printf("%u users are not there (%s, for example), and this role may not create any", count, example);
    lack(look, HB_FINDING_BLOCKER, "users", what,
         "have the right given to the role, or have users.sql of the dump run by someone else, then use --skip user:*",
         g_strdup_printf("ALTER ROLE %s CREATEROLE;", me(look)));
}

/* Whose objects this role may not give away, because it is no member */
static gboolean look_at_owners(Look *look, GError **error)
{
    g_autoptr(GHashTable) seen = g_hash_table_new(g_str_hash, g_str_equal);

    for (guint i = 0; i < hb_catalog_count(look->ahead->catalog); i++) {
        const HbObject *object = hb_catalog_get(look->ahead->catalog, i);
        const char *const values[] = {object->owner};
        g_autoptr(HbResult) member = NULL;
        if (object->owner == NULL || !g_hash_table_add(seen, object->owner))
            continue;
        member =
            hb_pg_query_with(look->session,
                             "SELECT quote_ident($1) AS role, NOT EXISTS (SELECT FROM pg_roles r WHERE r.rolname = $1"
                             " AND NOT pg_has_role(r.oid, 'MEMBER')) AS ok",
                             1, values, error);
        if (member == NULL)
            return FALSE;
        if (*hb_pg_get(member, 0, "ok") == 't')
            continue;
        g_autofree char *role = g_strdup_printf("role %s", object->owner);
        g_autofree char *sql = g_strdup_printf("GRANT %s TO %s;", hb_pg_get(member, 0, "role"), me(look));
        hb_finding_advise(
            hb_findings_add(look->findings, HB_FINDING_WARNING, "ownership", role,
                            "owns objects of the source that this role may not give it: they stay its own"),
            "make this role a member, or use --ownership mine", sql);
    }
    return TRUE;
}

static HbCatalog *read_users(Look *look, GError **error)
{
    HbCatalog *there = hb_pg_read_server(look->session, HB_PART_USERS, error);

    if (there != NULL && !hb_order_arrange(there, error))
        g_clear_pointer(&there, hb_catalog_free);
    return there;
}

static gboolean look_at_rights(Look *look, GError **error)
{
    g_autoptr(HbCatalog) there = read_users(look, error);

    if (there == NULL)
        return FALSE;
    hb_preflight_look_at_users(look->ahead->catalog, there, look->findings);
    if (is_true(look, "super"))
        return TRUE;
    look_for_creation(look);
    look_for_role_rights(look, there);
    look_for_superuser(look, there);
    return look->ahead->ownership_mine || look_at_owners(look, error);
}

/* ---- The whole ---- */

static gboolean look_at_all(Look *look, GError **error)
{
    g_autoptr(HbResult) facts = hb_pg_query(look->session, facts_sql, error);

    look->facts = facts;
    if (facts == NULL)
        return FALSE;
    look_at_place(look);
    look_at_limits(look);
    look_at_texts(look);
    return look_at_sessions(look, error) && look_at_extensions(look, error) && look_at_rights(look, error) &&
           look_at_settings(look, error);
}

gboolean hb_pg_look_ahead(const HbAddress *address, const HbAhead *ahead, GPtrArray *findings, GError **error)
{
    Look look = {.database = address->database, .ahead = ahead, .findings = findings};
    gboolean ok;

    look.session = ahead->exists ? hb_pg_open(address, error) : hb_pg_open_maintenance(address, error);
    ok = look.session != NULL && look_at_all(&look, error);
    hb_pg_close(look.session);
    return ok;
}
