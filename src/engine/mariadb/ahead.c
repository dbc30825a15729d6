/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/mariadb/ahead.h"

#include "core/order.h"
#include "engine/mariadb/accounts.h"
#include "engine/mariadb/createtext.h"
#include "engine/mariadb/grants.h"
#include "engine/mariadb/names.h"
#include "mariadb_sql.h"

#include <string.h>

/* Settings that change what SQL means, or what may be written */
#define MEANING                                                                                                        \
    "SELECT LOWER(VARIABLE_NAME), VARIABLE_VALUE FROM information_schema.GLOBAL_VARIABLES WHERE VARIABLE_NAME IN"      \
    " ('SQL_MODE', 'TIME_ZONE', 'LOWER_CASE_TABLE_NAMES', 'CHARACTER_SET_SERVER', 'COLLATION_SERVER',"                 \
    "  'MAX_ALLOWED_PACKET', 'DEFAULT_STORAGE_ENGINE', 'INNODB_STRICT_MODE', 'EXPLICIT_DEFAULTS_FOR_TIMESTAMP',"       \
    "  'TX_ISOLATION', 'GROUP_CONCAT_MAX_LEN', 'DIV_PRECISION_INCREMENT', 'DEFAULT_WEEK_FORMAT',"                      \
    "  'AUTO_INCREMENT_INCREMENT', 'AUTO_INCREMENT_OFFSET', 'EVENT_SCHEDULER', 'FT_MIN_WORD_LEN', "                    \
    "'INNODB_FT_MIN_TOKEN_SIZE')"

typedef struct {
    HbSession *session; /* in no database */
    const char *database;
    const HbAhead *ahead;
    GHashTable *rights; /* names of privileges on the whole target database, in capitals */
    GPtrArray *findings;
} Look;

/* ---- The server ---- */

static gboolean is_on(Look *look, const char *expression)
{
    g_autofree char *sql = g_strdup_printf("SELECT %s", expression);
    g_autofree char *value = NULL;

    return hb_my_read_text(look->session, sql, &value, NULL) && g_strcmp0(value, "1") == 0;
}

static void look_at_place(Look *look)
{
    static const char *const own[] = {"mysql", "information_schema", "performance_schema", "sys", NULL};
    g_autofree char *place = NULL;
    const gboolean is_local = strstr(mysql_get_host_info(look->session->mysql), "socket") != NULL;

    if (g_strv_contains(own, look->database))
        hb_findings_add(look->findings, HB_FINDING_BLOCKER, "system-database", look->database,
                        "is a database of the server's own")
            ->is_final = TRUE;
    hb_my_read_text(look->session, "SELECT @@datadir", &place, NULL);
    hb_preflight_judge_room(look->ahead->bytes, is_local ? hb_engine_find_room(place) : G_MAXUINT64, look->findings);
}

static void look_at_limits(Look *look)
{
    g_autofree char *left = NULL;
    gint64 there, wanted = (gint64)look->ahead->sessions + 1;

    if (!hb_my_read_text(look->session,
                         "SELECT @@max_connections - (SELECT VARIABLE_VALUE FROM information_schema.GLOBAL_STATUS"
                         " WHERE VARIABLE_NAME = 'THREADS_CONNECTED') + 1",
                         &left, NULL))
        return; /* MySQL keeps it elsewhere */
    there = g_ascii_strtoll(left, NULL, 10);
    if (wanted <= there)
        return;
    g_autofree char *todo = g_strdup_printf("use --jobs %" G_GINT64_FORMAT ", or raise the limit", MAX(there - 1, 1));
    hb_finding_advise(hb_findings_add(look->findings, HB_FINDING_BLOCKER, "connections", "server",
                                      "has %" G_GINT64_FORMAT " connections left; the restore needs %" G_GINT64_FORMAT,
                                      MAX(there, 0), wanted),
                      todo, NULL);
}

static gboolean look_at_sessions(Look *look, GError **error)
{
    g_autofree char *literal = hb_my_quote_literal(look->database);
    g_autoptr(HbMyResult) result =
        hb_my_query_format(look->session, error,
                           "SELECT CONCAT(USER, ' from ', SUBSTRING_INDEX(HOST, ':', 1)), COUNT(*)"
                           " FROM information_schema.PROCESSLIST WHERE DB = %s AND ID <> CONNECTION_ID()"
                           " GROUP BY 1 ORDER BY 2 DESC, 1 LIMIT 5",
                           literal);
    MYSQL_ROW row;

    while (result != NULL && (row = mysql_fetch_row(result)) != NULL)
        hb_finding_advise(hb_findings_add(look->findings, HB_FINDING_WARNING, "other-sessions", look->database,
                                          "is in use by others: %s (%s)", row[0], row[1]),
                          "see that this is the right database, and that they do not write to it", NULL);
    return result != NULL;
}

/* ---- Settings ---- */

static GHashTable *read_pairs(HbSession *session, const char *sql, GError **error)
{
    g_autoptr(HbMyResult) result = hb_my_query(session, sql, error);
    GHashTable *pairs;
    MYSQL_ROW row;

    if (result == NULL)
        return NULL;
    pairs = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, g_free);
    while ((row = mysql_fetch_row(result)) != NULL)
        g_hash_table_insert(pairs, g_strdup(row[0]), g_strdup(row[1] != NULL ? row[1] : ""));
    return pairs;
}

/* MySQL has no such table: nothing is compared there */
gboolean hb_my_read_meaning(HbSession *session, HbCatalog *catalog, GError **error)
{
    g_autoptr(GHashTable) settings = session->is_maria ? read_pairs(session, MEANING, error) : NULL;
    GHashTableIter iter;
    gpointer name, value;

    if (settings == NULL)
        return !session->is_maria;
    g_hash_table_iter_init(&iter, settings);
    while (g_hash_table_iter_next(&iter, &name, &value)) {
        g_autofree char *property = g_strconcat(HB_MEANING_PREFIX, name, NULL);
        hb_catalog_set_property(catalog, property, value);
    }
    return TRUE;
}

static gboolean look_at_settings(Look *look, GError **error)
{
    g_autoptr(GHashTable) own = look->session->is_maria ? read_pairs(look->session, MEANING, error) : NULL;

    if (own == NULL)
        return !look->session->is_maria;
    hb_preflight_look_at_settings(look->ahead->catalog, own, HB_MEANING_PREFIX, look->findings);
    return TRUE;
}

/* ---- What the target lacks ---- */

/* The words after a key word (and an equals sign) in a definition: COLLATE, VIA, ENGINE. Adds those not known */
static void look_for_words(Look *look, const HbObject *object, const char *key, GHashTable *known, const char *finding,
                           const char *what)
{
    const char *sql = object->definition;
    gboolean after_word = FALSE;
    HbToken token;

    while (sql != NULL && (token = hb_sqltext_read_token(HB_DIALECT_MARIADB, &sql)).type != HB_TOKEN_END) {
        g_autofree char *name =
            token.type == HB_TOKEN_WORD || token.type == HB_TOKEN_NAME ? hb_token_unquote(&token) : NULL;
        g_autofree char *lower = name != NULL ? g_ascii_strdown(name, -1) : NULL;
        if (after_word && lower != NULL && g_hash_table_add(known, g_strdup(lower)))
            hb_finding_advise(hb_findings_add(look->findings, HB_FINDING_BLOCKER, finding, name,
                                              "%s: %s could not be created", what, object->identity),
                              "install it there, or leave out with --skip what uses it", NULL);
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

static void look_for_missing(Look *look)
{
    g_autoptr(GHashTable) engines =
        read_lower(look->session, "SELECT ENGINE FROM information_schema.ENGINES WHERE SUPPORT IN ('YES', 'DEFAULT')");
    g_autoptr(GHashTable) plugins =
        read_lower(look->session, "SELECT PLUGIN_NAME FROM information_schema.PLUGINS WHERE PLUGIN_STATUS = 'ACTIVE'");
    g_autoptr(GHashTable) collations =
        read_lower(look->session, "SELECT COLLATION_NAME FROM information_schema.COLLATIONS");

    add_all(collations,
            read_lower(look->session,
                       "SELECT FULL_COLLATION_NAME FROM information_schema.COLLATION_CHARACTER_SET_APPLICABILITY"));
    for (guint i = 0; i < hb_catalog_count(look->ahead->catalog); i++) {
        const HbObject *object = hb_catalog_get(look->ahead->catalog, i);
        if (object->kind == HB_KIND_ROLE || object->kind == HB_KIND_PASSWORD)
            look_for_words(look, object, "VIA", plugins, "plugin-missing", "the target has no such way to log in");
        if (object->kind != HB_KIND_TABLE)
            continue;
        look_for_words(look, object, "ENGINE", engines, "storage-missing", "the target has no such storage engine");
        look_for_words(look, object, "COLLATE", collations, "collation-missing", "the target has no such collation");
    }
}

/* Servers before MariaDB 10.11 make the history of a table themselves, and take none */
static gboolean look_for_history(Look *look, GError **error)
{
    g_autoptr(HbMyResult) known =
        hb_my_query(look->session, "SHOW VARIABLES LIKE 'system_versioning_insert_history'", error);

    if (known == NULL || mysql_num_rows(known) > 0)
        return known != NULL;
    for (guint i = 0; i < hb_catalog_count(look->ahead->catalog); i++) {
        const HbObject *object = hb_catalog_get(look->ahead->catalog, i);
        if (object->kind != HB_KIND_TABLE)
            continue;
        g_autoptr(HbCreateText) text = hb_createtext_read(object->definition, "", NULL);
        if (!text->is_versioned)
            continue;
        HbFinding *finding = hb_findings_add(look->findings, HB_FINDING_BLOCKER, "history-refused", object->identity,
                                             "has a history, which the target cannot take");
        hb_finding_advise(
            finding, "restore on MariaDB 10.11 or newer, drop the table's versioning in the source, or skip it", NULL);
        finding->is_final = TRUE;
    }
    return TRUE;
}

/* Where the target compares names of tables without case, two that differ in case only are one */
static void look_for_case(Look *look)
{
    g_autoptr(GHashTable) names = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL);

    for (guint i = 0; !is_on(look, "@@lower_case_table_names = 0") && i < hb_catalog_count(look->ahead->catalog); i++) {
        const HbObject *object = hb_catalog_get(look->ahead->catalog, i);
        if (!hb_kind_is_relation(object->kind))
            continue;
        char *folded = g_utf8_strdown(hb_object_get_name(object), -1);
        const HbObject *other = g_hash_table_lookup(names, folded);
        if (other == NULL) {
            g_hash_table_insert(names, folded, (gpointer)object);
            continue;
        }
        g_free(folded);
        HbFinding *finding = hb_findings_add(look->findings, HB_FINDING_BLOCKER, "name-case", object->identity,
                                             "and %s differ in case only, which the target ignores", other->identity);
        hb_finding_advise(finding, "rename one in the source, or restore on a server with lower_case_table_names = 0",
                          NULL);
        finding->is_final = TRUE;
    }
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

static void tell_other_database(Look *look, const HbObject *object, const char *name)
{
    g_autofree char *literal = hb_my_quote_literal(name);
    g_autofree char *expression =
        g_strdup_printf("EXISTS (SELECT 1 FROM information_schema.SCHEMATA WHERE SCHEMA_NAME = %s)", literal);

    if (is_on(look, expression))
        hb_findings_add(look->findings, HB_FINDING_NOTE, "other-database", object->identity,
                        "uses database %s, which is on the target, too", name);
    else
        hb_finding_advise(hb_findings_add(look->findings, HB_FINDING_WARNING, "database-missing", object->identity,
                                          "uses database %s, which is not on the target", name),
                          "move that database first, or with this one (name the server without a database)", NULL);
}

static void look_for_databases(Look *look, const HbObject *object, GHashTable *told)
{
    const char *own = g_hash_table_lookup(hb_catalog_get_properties(look->ahead->catalog), "name");
    const char *sql = object->definition;
    gboolean expected = FALSE;
    HbToken token;

    while ((token = hb_sqltext_read_token(HB_DIALECT_MARIADB, &sql)).type != HB_TOKEN_END) {
        if (token.type == HB_TOKEN_SPACE || hb_my_token_is_sign(&token, '('))
            continue;
        if (expected && *sql == '.' && hb_my_token_is_name(&token)) {
            g_autofree char *name = hb_token_unquote(&token);
            g_autofree char *key = g_strdup_printf("%s %s", object->identity, name);
            if (g_strcmp0(name, own) != 0 && strcmp(name, "information_schema") != 0 && strcmp(name, "mysql") != 0 &&
                g_hash_table_add(told, g_steal_pointer(&key)))
                tell_other_database(look, object, name);
        }
        expected = begins_place(&token);
    }
}

static void look_for_places(Look *look)
{
    g_autoptr(GHashTable) told = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL);

    for (guint i = 0; i < hb_catalog_count(look->ahead->catalog); i++) {
        const HbObject *object = hb_catalog_get(look->ahead->catalog, i);
        if (object->definition == NULL || hb_kind_get_traits(object->kind)->part != HB_PART_SCHEMA)
            continue;
        look_for_databases(look, object, told);
        if (object->kind == HB_KIND_TABLE && strstr(object->definition, " CONNECTION='") != NULL)
            hb_finding_advise(hb_findings_add(look->findings, HB_FINDING_WARNING, "foreign-host", object->identity,
                                              "leads to another host, which the target must be able to reach"),
                              "see to its address and password after the restore", NULL);
    }
}

static void look_for_transactions(Look *look)
{
    static const char *const without[] = {"ENGINE=MyISAM", "ENGINE=Aria", "ENGINE=MEMORY", "ENGINE=CSV",
                                          "ENGINE=ARCHIVE"};

    for (guint i = 0; i < hb_catalog_count(look->ahead->catalog); i++) {
        const HbObject *object = hb_catalog_get(look->ahead->catalog, i);
        for (gsize e = 0; object->kind == HB_KIND_TABLE && e < G_N_ELEMENTS(without); e++) {
            if (strstr(object->definition, without[e]) != NULL)
                hb_finding_advise(
                    hb_findings_add(look->findings, HB_FINDING_NOTE, "no-transactions", object->identity,
                                    "knows no transactions (%s): it is dumped as it is when its turn comes",
                                    without[e]),
                    "--hold-tables keeps others from writing to it during a dump; --rename "
                    "storage:OLD=InnoDB gives it another engine",
                    NULL);
        }
    }
}

/* ---- Rights ---- */

/* What a restore of such objects takes */
static const struct {
    HbKind kind;
    const char *right;
} needed[] = {{HB_KIND_TABLE, "CREATE"},          {HB_KIND_TABLE, "ALTER"},
              {HB_KIND_TABLE, "INDEX"},           {HB_KIND_TABLE, "DROP"},
              {HB_KIND_ROWS, "INSERT"},           {HB_KIND_FOREIGN_KEY, "REFERENCES"},
              {HB_KIND_VIEW, "CREATE VIEW"},      {HB_KIND_FUNCTION, "CREATE ROUTINE"},
              {HB_KIND_TRIGGER, "TRIGGER"},       {HB_KIND_PROCEDURE, "CREATE ROUTINE"},
              {HB_KIND_EVENT, "EVENT"},           {HB_KIND_ROLE, "CREATE USER"},
              {HB_KIND_PACKAGE, "CREATE ROUTINE"}};

static gboolean read_rights(Look *look, GError **error)
{
    g_autofree char *literal = hb_my_quote_literal(look->database);
    g_auto(GStrv) pieces = g_strsplit(hb_my_sql_privileges, "DATABASE()", -1);
    g_autofree char *sql = g_strjoinv(literal, pieces);
    g_autoptr(HbMyResult) result = hb_my_query(look->session, sql, error);
    MYSQL_ROW row;

    while (result != NULL && (row = mysql_fetch_row(result)) != NULL)
        g_hash_table_add(look->rights, g_strdup(row[0]));
    return result != NULL;
}

static void require(Look *look, const char *right, const char *where, const char *example)
{
    g_autofree char *user = NULL;
    g_autofree char *sql = NULL;

    if (g_hash_table_contains(look->rights, right) || !g_hash_table_add(look->rights, g_strdup(right)))
        return;
    hb_my_read_text(look->session, "SELECT CONCAT('''', REPLACE(CURRENT_USER(), '@', '''@'''), '''')", &user, NULL);
    sql = g_strdup_printf("GRANT %s ON %s TO %s;", right, where, user != NULL ? user : "...");
    hb_finding_advise(hb_findings_add(look->findings, HB_FINDING_BLOCKER, "right-missing", right,
                                      "is a right that this account lacks on %s: %s would be refused, for example",
                                      where, example),
                      "have it granted", sql);
}

static gboolean is_new_account(const HbObject *object, const HbCatalog *there)
{
    return object->kind == HB_KIND_ROLE && hb_catalog_find(there, object->identity) == NULL;
}

static gboolean is_foreign_definer(Look *look, const HbObject *object)
{
    g_autofree char *definer = object->definition != NULL ? hb_my_read_definer(object->definition) : NULL;
    g_autofree char *user = NULL;

    if (definer == NULL)
        return FALSE;
    hb_my_read_text(look->session, "SELECT CONCAT('''', REPLACE(CURRENT_USER(), '@', '''@'''), '''')", &user, NULL);
    return g_strcmp0(user, definer) != 0;
}

static void look_for_rights(Look *look, const HbCatalog *there)
{
    g_autofree char *quoted = hb_my_quote_any_name(look->database);
    g_autofree char *here = g_strdup_printf("%s.*", quoted);
    gboolean foreign = FALSE;

    if (!look->ahead->exists)
        require(look, "CREATE", here, "the database");
    if (is_on(look, "@@global.read_only") && !g_hash_table_contains(look->rights, "READ_ONLY ADMIN") &&
        !g_hash_table_contains(look->rights, "SUPER"))
        hb_finding_advise(hb_findings_add(look->findings, HB_FINDING_BLOCKER, "read-only", "server",
                                          "is read-only, and this account may not write nevertheless"),
                          "name the primary server, or have it switched", "SET GLOBAL read_only = OFF;");
    for (guint i = 0; i < hb_catalog_count(look->ahead->catalog); i++) {
        const HbObject *object = hb_catalog_get(look->ahead->catalog, i);
        for (gsize n = 0; n < G_N_ELEMENTS(needed); n++) {
            if (object->kind == needed[n].kind && (object->kind != HB_KIND_ROLE || is_new_account(object, there)))
                require(look, needed[n].right, object->kind == HB_KIND_ROLE ? "*.*" : here, object->identity);
        }
        if (!foreign && !g_hash_table_contains(look->rights, "SET USER") &&
            !g_hash_table_contains(look->rights, "SUPER") && is_foreign_definer(look, object)) {
            foreign = TRUE;
            require(look, look->session->is_maria ? "SET USER" : "SUPER", "*.*", object->identity);
        }
    }
}

static gboolean look_at_users(Look *look, GError **error)
{
    g_autoptr(HbCatalog) there = hb_my_read_server(look->session, HB_PART_USERS, NULL);

    /* Who may not read the accounts is told of rights as if there were none of them */
    if (there == NULL)
        there = hb_catalog_new();
    if (!hb_order_arrange(there, error) || !read_rights(look, error))
        return FALSE;
    hb_preflight_look_at_users(look->ahead->catalog, there, look->findings);
    look_for_rights(look, there);
    return TRUE;
}

/* ---- The whole ---- */

static gboolean look_at_all(Look *look, GError **error)
{
    look_at_place(look);
    look_at_limits(look);
    look_for_missing(look);
    look_for_case(look);
    look_for_places(look);
    look_for_transactions(look);
    return look_at_sessions(look, error) && look_for_history(look, error) && look_at_users(look, error) &&
           look_at_settings(look, error);
}

gboolean hb_my_look_ahead(const HbAddress *address, const HbAhead *ahead, GPtrArray *findings, GError **error)
{
    const HbAddress server = {address->uri, "", address->password};
    Look look = {.database = address->database, .ahead = ahead, .findings = findings};
    gboolean ok;

    look.rights = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL);
    look.session = hb_my_open(&server, error);
    ok = look.session != NULL && look_at_all(&look, error);
    hb_my_close(look.session);
    g_hash_table_unref(look.rights);
    return ok;
}
