/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/mariadb/target/preflight.h"

#include "core/compare/preflight.h"
#include "engine/common/checks.h"
#include "engine/mariadb/catalog/catalog_builder.h"
#include "engine/mariadb/catalog/settings.h"
#include "engine/mariadb/dialect/lexical.h"
#include "engine/mariadb/dialect/names.h"
#include "engine/mariadb/target/preflight_inner.h"
#include "engine/mariadb/target/target.h"

#include <string.h>

/* ---- The server ---- */

static void check_place(HbMyPreflight *run)
{
    static const char *const own[] = {"mysql", "information_schema", "performance_schema", "sys", NULL};
    g_autofree char *place = NULL;
    const gboolean is_local = strstr(mysql_get_host_info(run->session->mysql), "socket") != NULL;

    if (g_strv_contains(own, run->database))
        hb_findings_add(run->findings, HB_FINDING_BLOCKER, "system-database", run->database,
                        "is a database of the server's own")
            ->is_final = TRUE;
    hb_my_read_text(run->session, "SELECT @@datadir", &place, NULL);
    hb_preflight_judge_room(run->preview->bytes, is_local ? hb_engine_find_room(place) : G_MAXUINT64, run->findings);
}

/* Connections that are left, this one among them; -1: there is no limit, or it cannot be known (MySQL keeps it
 * elsewhere)
 */
static gint64 count_left(const HbMyPreflight *run, const char *sql)
{
    g_autofree char *left = NULL;

    return hb_my_read_text(run->session, sql, &left, NULL) && left != NULL ? g_ascii_strtoll(left, NULL, 10) : -1;
}

/* Of the server, or of the account */
static void check_limits(HbMyPreflight *run)
{
    const gint64 wanted = (gint64)run->preview->sessions + 1;
    const gint64 of_server =
        count_left(run, "SELECT @@max_connections - (SELECT VARIABLE_VALUE FROM information_schema.GLOBAL_STATUS"
                        " WHERE VARIABLE_NAME = 'THREADS_CONNECTED') + 1");
    const gint64 of_account =
        count_left(run, "SELECT IF(@@max_user_connections <= 0, NULL, @@max_user_connections - COUNT(*) + 1)"
                        " FROM " HB_MY_PROCESSES " WHERE USER = SUBSTRING_INDEX(USER(), '@', 1)");
    const gboolean is_own = of_account >= 0 && (of_server < 0 || of_account < of_server);
    const gint64 there = is_own ? of_account : of_server;

    if (there < 0 || wanted <= there)
        return;
    g_autofree char *todo = there > 1
                                ? g_strdup_printf("use --jobs %" G_GINT64_FORMAT ", or raise the limit", there - 1)
                                : g_strdup("have the limit raised: a restore needs two connections at least");
    hb_finding_advise(hb_findings_add(run->findings, HB_FINDING_BLOCKER, "connections", is_own ? "account" : "server",
                                      "has %" G_GINT64_FORMAT " connection%s left; the restore needs %" G_GINT64_FORMAT,
                                      there, there == 1 ? "" : "s", wanted),
                      todo, NULL);
}

static gboolean check_sessions(HbMyPreflight *run, GError **error)
{
    g_autofree char *literal = hb_my_quote_literal(run->database);
    g_autoptr(HbMyResult) result =
        hb_my_query_format(run->session, error,
                           "SELECT CONCAT(USER, ' from ', SUBSTRING_INDEX(HOST, ':', 1)), COUNT(*)"
                           " FROM " HB_MY_PROCESSES " WHERE DB = %s AND ID <> CONNECTION_ID()"
                           " GROUP BY 1 ORDER BY 2 DESC, 1 LIMIT 5",
                           literal);
    MYSQL_ROW row;

    while (result != NULL && (row = mysql_fetch_row(result)) != NULL)
        hb_finding_advise(hb_findings_add(run->findings, HB_FINDING_WARNING, "other-sessions", run->database,
                                          "is in use by others: %s (%s)", row[0], row[1]),
                          "see that this is the right database, and that they do not write to it", NULL);
    return result != NULL;
}

/* Without the right to see them there are none */
static void check_open_transactions(HbMyPreflight *run)
{
    g_autofree char *literal = hb_my_quote_literal(run->database);
    g_autoptr(HbMyResult) result =
        hb_my_query_format(run->session, NULL,
                           "SELECT p.ID, p.USER, p.COMMAND, t.trx_started FROM information_schema.INNODB_TRX t"
                           " JOIN " HB_MY_PROCESSES " p ON p.ID = t.trx_mysql_thread_id"
                           " WHERE p.DB = %s AND p.ID <> CONNECTION_ID() AND t.trx_started < NOW() - INTERVAL 1 SECOND"
                           " ORDER BY t.trx_started LIMIT 5",
                           literal);
    MYSQL_ROW row;

    while (result != NULL && (row = mysql_fetch_row(result)) != NULL) {
        g_autofree char *session = g_strdup_printf("session %s", row[0]), *kill = g_strdup_printf("KILL %s;", row[0]);
        hb_finding_advise(hb_findings_add(run->findings, HB_FINDING_WARNING, "locked", session,
                                          "of %s (%s) has had a transaction open since %s: what it has read or written "
                                          "cannot be dropped or emptied before it ends",
                                          row[1], row[2], row[3]),
                          "wait until it has ended, or have it ended", kill);
    }
}

/* ---- Settings ---- */

/* These two mean nothing to SQL. A table gets the row format that it has in the source, whatever the default is */
static void check_pages(HbMyPreflight *run, GHashTable *own)
{
    static const char size[] = "innodb_page_size";
    const char *here = g_hash_table_lookup(hb_catalog_get_properties(run->preview->catalog),
                                           HB_SEMANTIC_SETTING_PREFIX "innodb_page_size");
    const char *there = g_hash_table_lookup(own, size);

    if (here != NULL && there != NULL && g_ascii_strtoull(there, NULL, 10) < g_ascii_strtoull(here, NULL, 10))
        hb_finding_advise(
            hb_findings_add(run->findings, HB_FINDING_WARNING, "setting-differs", size,
                            "is %s on the target, and %s in the source: smaller pages take shorter rows and "
                            "keys, and a table that has longer ones would be refused",
                            there, here),
            "restore on a server with pages of the same size; it is set when a server is first made", NULL);
    g_hash_table_remove(own, size);
    g_hash_table_remove(own, "innodb_default_row_format");
}

static gboolean check_settings(HbMyPreflight *run, GError **error)
{
    g_autoptr(GHashTable) own = hb_my_read_pairs(run->session, hb_my_get_settings_query(run->session), error);

    if (own == NULL)
        return FALSE;
    check_pages(run, own);
    hb_preflight_check_settings(run->preview->catalog, own, HB_SEMANTIC_SETTING_PREFIX, run->findings);
    return TRUE;
}

/* ---- Other databases and hosts ---- */

static gboolean begins_place(const HbToken *token)
{
    static const char *const words[] = {"FROM", "JOIN", "INTO", "UPDATE", "CALL", "REFERENCES"};

    for (gsize i = 0; i < G_N_ELEMENTS(words); i++) {
        if (hb_token_is_word(token, words[i]))
            return TRUE;
    }
    return FALSE;
}

static void report_other_database(HbMyPreflight *run, const HbObject *object, const char *name)
{
    g_autofree char *literal = hb_my_quote_literal(name);
    g_autofree char *expression =
        g_strdup_printf("EXISTS (SELECT 1 FROM information_schema.SCHEMATA WHERE SCHEMA_NAME = %s)", literal);

    if (hb_my_preflight_is_on(run, expression))
        hb_findings_add(run->findings, HB_FINDING_NOTE, "other-database", object->identity,
                        "uses database %s, which is on the target, too", name);
    else
        hb_finding_advise(hb_findings_add(run->findings, HB_FINDING_WARNING, "database-missing", object->identity,
                                          "uses database %s, which is not on the target", name),
                          "move that database first, or with this one (name the server without a database)", NULL);
}

static void check_databases(HbMyPreflight *run, const HbObject *object, GHashTable *told)
{
    const char *own = g_hash_table_lookup(hb_catalog_get_properties(run->preview->catalog), "name");
    const char *sql = object->definition;
    gboolean expected = FALSE;
    HbToken token;

    while ((token = hb_lexer_read_token(&hb_my_rules, &sql)).type != HB_TOKEN_END) {
        if (token.type == HB_TOKEN_SPACE || hb_my_token_is_sign(&token, '('))
            continue;
        if (expected && *sql == '.' && hb_my_token_is_name(&token)) {
            g_autofree char *name = hb_token_unquote(&token);
            g_autofree char *key = g_strdup_printf("%s %s", object->identity, name);
            if (g_strcmp0(name, own) != 0 && strcmp(name, "information_schema") != 0 && strcmp(name, "mysql") != 0 &&
                g_hash_table_add(told, g_steal_pointer(&key)))
                report_other_database(run, object, name);
        }
        expected = begins_place(&token);
    }
}

static void check_places(HbMyPreflight *run)
{
    g_autoptr(GHashTable) told = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL);

    for (guint i = 0; i < hb_catalog_count(run->preview->catalog); i++) {
        const HbObject *object = hb_catalog_get(run->preview->catalog, i);
        if (object->definition == NULL || hb_kind_get_traits(object->kind)->part != HB_PART_SCHEMA)
            continue;
        check_databases(run, object, told);
        if (object->kind == HB_KIND_TABLE && strstr(object->definition, " CONNECTION='") != NULL)
            hb_finding_advise(hb_findings_add(run->findings, HB_FINDING_WARNING, "foreign-host", object->identity,
                                              "leads to another host, which the target must be able to reach"),
                              "see to its address and password after the restore", NULL);
    }
}

static void check_untransacted_tables(HbMyPreflight *run)
{
    for (guint i = 0; i < hb_catalog_count(run->preview->catalog); i++) {
        const HbObject *object = hb_catalog_get(run->preview->catalog, i);
        const char *storage = object->kind == HB_KIND_TABLE ? hb_my_dialect.script.find_untransacted(object) : NULL;
        if (storage != NULL)
            hb_finding_advise(hb_findings_add(run->findings, HB_FINDING_NOTE, "no-transactions", object->identity,
                                              "knows no transactions (%s): it is dumped as it is when its turn comes",
                                              storage),
                              "--hold-tables keeps others from writing to it during a dump; --rename "
                              "storage:OLD=InnoDB gives it another engine",
                              NULL);
    }
}

/* ---- The whole ---- */

static gboolean run_all_checks(HbMyPreflight *run, GError **error)
{
    check_place(run);
    check_limits(run);
    check_places(run);
    check_untransacted_tables(run);
    check_open_transactions(run);
    hb_my_preflight_check_programs(run);
    return check_sessions(run, error) && hb_my_preflight_check_missing(run, error) &&
           hb_my_preflight_check_users(run, error) && check_settings(run, error);
}

gboolean hb_my_preflight(const HbAddress *address, const HbRestorePreview *preview, GPtrArray *findings, GError **error)
{
    const HbAddress server = {address->uri, "", address->password, address->watch};
    HbMyPreflight run = {.database = address->database, .preview = preview, .findings = findings};
    gboolean ok;

    run.rights = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL);
    run.session = hb_my_open(&server, error);
    ok = run.session != NULL && run_all_checks(&run, error);
    hb_my_close(run.session);
    g_hash_table_unref(run.rights);
    return ok;
}
