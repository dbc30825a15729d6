/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/postgres/target/preflight.h"

#include "core/compare/preflight.h"
#include "engine/common/checks.h"
#include "engine/postgres/catalog/queries.h"
#include "engine/postgres/target/preflight_inner.h"
#include "engine/postgres/target/target.h"

#include <stdlib.h>
#include <string.h>

/*
 * What a target would refuse, or do otherwise: one function for each sort of trap, each a question or two to the
 * server and a finding with a remedy. They are independent, write nothing, and say nothing where the server does not
 * let them look.
 */

gboolean hb_pg_preflight_has_database(const HbPgPreflight *run)
{
    return run->preview->state != HB_TARGET_ABSENT;
}

static long long number(const HbPgPreflight *run, const char *fact)
{
    return strtoll(hb_pg_get(run->facts, 0, fact), NULL, 10);
}

/* Needed for settings of the session's own: what the server would use without them */
static const char facts_sql[] =
    "SELECT quote_ident(current_user) AS me, r.rolsuper AS super, r.rolsuper OR r.rolcreatedb AS createdb,"
    " r.rolsuper OR r.rolcreaterole AS createrole, r.rolreplication AS replication, r.rolbypassrls AS bypassrls,"
    " pg_is_in_recovery() AS standby, pg_has_role(d.datdba, 'USAGE') AS owns_database,"
    " has_database_privilege(current_database(), 'CREATE') AS may_create,"
    " CASE WHEN to_regnamespace('public') IS NULL THEN true ELSE has_schema_privilege('public', 'CREATE') END AS "
    "may_public,"
    " current_setting('max_connections')::int"
    "  - CASE WHEN r.rolsuper THEN 0 ELSE current_setting('superuser_reserved_connections')::int END"
    "  - (SELECT count(*) FROM pg_stat_activity WHERE backend_type = 'client backend') AS free_sessions,"
    " CASE WHEN r.rolsuper OR r.rolconnlimit < 0 THEN NULL ELSE r.rolconnlimit"
    "  - (SELECT count(*) FROM pg_stat_activity WHERE usesysid = r.oid) END AS my_free,"
    " CASE WHEN r.rolsuper OR d.datconnlimit < 0 THEN NULL ELSE d.datconnlimit"
    "  - (SELECT count(*) FROM pg_stat_activity WHERE datid = d.oid AND backend_type = 'client backend') END AS "
    "database_free,"
    " CASE WHEN r.rolsuper OR pg_has_role('pg_read_all_settings', 'MEMBER') THEN current_setting('data_directory') END "
    "AS place,"
    " pg_encoding_to_char(d.encoding) AS encoding, d.datcollate AS collate, d.datctype AS ctype, d.datistemplate AS "
    "template"
    " FROM pg_roles r, pg_database d WHERE r.rolname = current_user AND d.datname = current_database()";

/* ---- The server and the database ---- */

static void check_place(HbPgPreflight *run)
{
    static const char *const own[] = {"postgres", "template0", "template1", NULL};
    const gboolean is_local = *PQhost(run->session->conn) == '/';

    if (hb_pg_preflight_is_true(run, "standby"))
        hb_findings_add(run->findings, HB_FINDING_BLOCKER, "read-only", "server", "is a standby, which takes no writes")
            ->is_final = TRUE;
    if (!run->preview->part_of_server && g_strv_contains(own, run->database))
        hb_finding_advise(hb_findings_add(run->findings, HB_FINDING_BLOCKER, "system-database", run->database,
                                          "is a database of the server's own"),
                          "name another database in the URI; it is created if it is missing", NULL);
    hb_preflight_judge_room(run->preview->bytes,
                            is_local ? hb_engine_find_room(hb_pg_get(run->facts, 0, "place")) : G_MAXUINT64,
                            run->findings);
}

/* Of the server, of the role, of the database: whichever has the fewest connections left, this session's among them */
static void check_limits(HbPgPreflight *run)
{
    const char *mine = hb_pg_get(run->facts, 0, "my_free"), *own = hb_pg_get(run->facts, 0, "database_free");
    const long long wanted = (long long)run->preview->sessions + 1;
    long long there = number(run, "free_sessions");
    const char *where = "server";

    if (mine != NULL && number(run, "my_free") < there) {
        there = number(run, "my_free");
        where = hb_pg_preflight_get_me(run);
    }
    if (hb_pg_preflight_has_database(run) && own != NULL && number(run, "database_free") < there) {
        there = number(run, "database_free");
        where = run->database;
    }
    there++;
    if (wanted <= there)
        return;
    g_autofree char *todo = there > 1 ? g_strdup_printf("use --jobs %lld, or raise the limit", there - 1)
                                      : g_strdup("have sessions ended, or raise the limit");
    hb_finding_advise(hb_findings_add(run->findings, HB_FINDING_BLOCKER, "connections", where,
                                      "has %lld connection%s left for %s; the restore needs %lld", MAX(there, 0),
                                      there == 1 ? "" : "s", hb_pg_preflight_get_me(run), wanted),
                      todo, NULL);
}

static gboolean check_sessions(HbPgPreflight *run, GError **error)
{
    static const char sql[] =
        "SELECT format('%s%s%s', usename, ' with ' || nullif(application_name, ''), ' from ' || client_addr) AS who,"
        " count(*) AS count FROM pg_stat_activity WHERE datname = current_database() AND pid <> pg_backend_pid()"
        " AND backend_type = 'client backend' GROUP BY 1 ORDER BY 2 DESC, 1 LIMIT 5";
    g_autoptr(HbResult) result = hb_pg_preflight_has_database(run) ? hb_pg_query(run->session, sql, error) : NULL;

    if (!hb_pg_preflight_has_database(run))
        return TRUE;
    for (int row = 0; result != NULL && row < PQntuples(result); row++)
        hb_finding_advise(hb_findings_add(run->findings, HB_FINDING_WARNING, "other-sessions", run->database,
                                          "is in use by others: %s (%s)", hb_pg_get(result, row, "who"),
                                          hb_pg_get(result, row, "count")),
                          "see that this is the right database, and that they do not write to it", NULL);
    return result != NULL;
}

/* ---- Encoding and locale ---- */

static const char *property(const HbPgPreflight *run, const char *name)
{
    return g_hash_table_lookup(hb_catalog_get_properties(run->preview->catalog), name);
}

static void compare_locale(HbPgPreflight *run, const char *name)
{
    const char *here = property(run, name), *there = hb_pg_get(run->facts, 0, name);

    if (here != NULL && g_strcmp0(here, there) != 0)
        hb_finding_advise(
            hb_findings_add(run->findings, HB_FINDING_WARNING, "setting-differs", name,
                            "of the database is “%s” on the target, and “%s” in the source: text sorts and "
                            "compares otherwise",
                            there, here),
            "restore into a database that does not exist yet: it is created as in the source", NULL);
}

static void compare_encoding(HbPgPreflight *run)
{
    const char *here = property(run, "encoding"), *there = hb_pg_get(run->facts, 0, "encoding");

    if (here == NULL || strcmp(here, there) == 0 || strcmp(there, "UTF8") == 0)
        return;
    hb_finding_advise(
        hb_findings_add(run->findings, HB_FINDING_BLOCKER, "encoding-differs", "encoding",
                        "of the database is %s on the target, and %s in the source: it may not take all texts", there,
                        here),
        "restore into a database that does not exist yet: it is created as in the source", NULL);
}

/* A collation of that locale is made, and taken back: nothing else tells whether the machine has it */
static void try_locale(HbPgPreflight *run)
{
    const char *provider = property(run, "provider");
    const gboolean is_icu = g_strcmp0(provider, "icu") == 0;
    const char *locale = property(run, is_icu ? "locale" : "collate");
    g_autoptr(GError) refusal = NULL;

    if (locale == NULL || g_strcmp0(provider, "builtin") == 0 || hb_pg_preflight_is_true(run, "standby"))
        return;
    g_autofree char *literal = hb_pg_quote_literal(run->session, locale);
    g_autofree char *sql =
        g_strdup_printf("BEGIN; CREATE COLLATION pg_temp.hornbeam_probe (provider = %s, locale = %s)",
                        is_icu ? "icu" : "libc", literal);
    hb_pg_execute(run->session, sql, &refusal);
    hb_pg_execute(run->session, "ROLLBACK", NULL);
    if (refusal == NULL || strstr(refusal->message, "locale") == NULL)
        return;
    hb_finding_advise(
        hb_findings_add(run->findings, HB_FINDING_BLOCKER, "locale-missing", locale,
                        "is not a locale of the target's machine: the database cannot be created with it"),
        "generate the locale there, or create the database beforehand with another one", NULL);
}

static void check_texts(HbPgPreflight *run)
{
    if (!hb_pg_preflight_has_database(run)) {
        try_locale(run);
        return;
    }
    compare_encoding(run);
    compare_locale(run, "collate");
    compare_locale(run, "ctype");
}

static gboolean check_settings(HbPgPreflight *run, GError **error)
{
    static const char sql[] =
        "SELECT s.name, s.reset_val AS value FROM pg_settings s WHERE s.name IN (@meaning_settings@)";
    g_autofree char *fitted = hb_pg_fit_query(sql, run->session->version);
    g_autoptr(HbResult) result = hb_pg_query(run->session, fitted, error);
    g_autoptr(GHashTable) own = g_hash_table_new(g_str_hash, g_str_equal);

    if (result == NULL)
        return FALSE;
    for (int row = 0; row < PQntuples(result); row++)
        g_hash_table_insert(own, (gpointer)hb_pg_get(result, row, "name"), (gpointer)hb_pg_get(result, row, "value"));
    hb_preflight_check_settings(run->preview->catalog, own, HB_SEMANTIC_SETTING_PREFIX, run->findings);
    return TRUE;
}

/* ---- What fires there ---- */

/* An event trigger of the target may refuse any definition, or change what it makes */
static gboolean check_event_triggers(HbPgPreflight *run, GError **error)
{
    static const char sql[] = "SELECT quote_ident(evtname) AS name, evtevent AS event FROM pg_event_trigger"
                              " WHERE evtenabled IN ('O', 'A') AND evtevent <> 'login' ORDER BY 1";
    g_autoptr(HbResult) result = hb_pg_preflight_has_database(run) ? hb_pg_query(run->session, sql, error) : NULL;

    for (int row = 0; result != NULL && row < PQntuples(result); row++) {
        const char *name = hb_pg_get(result, row, "name");
        g_autofree char *object = hb_identity_new(HB_KIND_EVENT_TRIGGER, name);
        g_autofree char *todo =
            g_strdup_printf("disable it for the restore; afterwards: ALTER EVENT TRIGGER %s ENABLE", name);
        g_autofree char *disable = g_strdup_printf("ALTER EVENT TRIGGER %s DISABLE;", name);
        hb_finding_advise(hb_findings_add(run->findings, HB_FINDING_WARNING, "event-trigger", object,
                                          "is on the target and fires at every definition (%s): it may refuse what the "
                                          "restore creates",
                                          hb_pg_get(result, row, "event")),
                          todo, disable);
    }
    return result != NULL || !hb_pg_preflight_has_database(run);
}

/* ---- Extensions ---- */

static void judge_extension(HbPgPreflight *run, const HbObject *object, const HbResult *available)
{
    const char *name = hb_object_get_name(object);

    for (int row = 0; row < PQntuples(available); row++) {
        if (strcmp(hb_pg_get(available, row, "name"), name) != 0)
            continue;
        if (hb_pg_preflight_is_true(run, "super") || *hb_pg_get(available, row, "for_all") == 't' ||
            (hb_pg_preflight_has_database(run) && *hb_pg_get(available, row, "installed") == 't'))
            return;
        hb_finding_advise(hb_findings_add(run->findings, HB_FINDING_BLOCKER, "right-missing", object->identity,
                                          "may be created by superusers only"),
                          "have one create it in the target database beforehand", object->definition);
        return;
    }
    hb_finding_advise(hb_findings_add(run->findings, HB_FINDING_BLOCKER, "extension-missing", object->identity,
                                      "is not installed on the target's machine: what uses it could not be created"),
                      "install its package there, or leave it out with --skip, and with it what needs it", NULL);
}

static gboolean check_extensions(HbPgPreflight *run, GError **error)
{
    static const char sql[] =
        "SELECT quote_ident(a.name) AS name, coalesce(bool_or(NOT v.superuser OR v.trusted), false) AS for_all,"
        " bool_or(a.installed_version IS NOT NULL) AS installed"
        " FROM pg_available_extensions a LEFT JOIN pg_available_extension_versions v"
        "  ON v.name = a.name AND v.version = a.default_version GROUP BY a.name";
    g_autoptr(HbResult) available = hb_pg_query(run->session, sql, error);

    for (guint i = 0; available != NULL && i < hb_catalog_count(run->preview->catalog); i++) {
        const HbObject *object = hb_catalog_get(run->preview->catalog, i);
        if (object->kind == HB_KIND_EXTENSION)
            judge_extension(run, object, available);
    }
    return available != NULL;
}

/* ---- The whole ---- */

static gboolean run_all_checks(HbPgPreflight *run, GError **error)
{
    g_autoptr(HbResult) facts = hb_pg_query(run->session, facts_sql, error);

    run->facts = facts;
    if (facts == NULL)
        return FALSE;
    check_place(run);
    check_limits(run);
    check_texts(run);
    return check_sessions(run, error) && check_event_triggers(run, error) && check_extensions(run, error) &&
           hb_pg_preflight_check_content(run, error) && hb_pg_preflight_check_privileges(run, error) &&
           check_settings(run, error);
}

gboolean hb_pg_preflight(const HbAddress *address, const HbRestorePreview *preview, GPtrArray *findings, GError **error)
{
    HbPgPreflight run = {.database = address->database, .preview = preview, .findings = findings};
    gboolean ok;

    run.session =
        preview->state != HB_TARGET_ABSENT ? hb_pg_open(address, error) : hb_pg_open_maintenance(address, error);
    ok = run.session != NULL && run_all_checks(&run, error);
    hb_pg_close(run.session);
    return ok;
}
