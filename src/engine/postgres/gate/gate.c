/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/postgres/gate/gate.h"

#include "core/base/name_list.h"
#include "engine/common/lost_sessions.h"
#include "engine/postgres/session/address.h"
#include "engine/postgres/session/session.h"

#include <stdlib.h>
#include <string.h>

#define NAMES_MAX 5

/* The sessions of others in this database. Of what they are a role without pg_monitor sees nothing */
#define OTHERS                                                                                                         \
    " FROM pg_stat_activity a WHERE a.datname = current_database() AND coalesce(a.backend_type, 'client backend') IN " \
    "('client backend',"                                                                                               \
    " 'walsender', 'background worker') AND a.pid <> ALL ($1::int[])"

/* ---- The note: (way, connection limit, read only) ---- */

typedef struct {
    HbGateWay way;
    gint64 limit;
    char read_only[4]; /* "on", "off", "": not set */
} Note;

static const char *const way_names[] = {"sessions", "read-only"};

static gboolean read_note(const char *text, Note *note, GError **error)
{
    GVariant *value = g_variant_parse(G_VARIANT_TYPE("(sxs)"), text, NULL, NULL, NULL);
    const char *way = "", *read_only = "?";
    gboolean ok = FALSE;

    if (value != NULL) {
        g_variant_get(value, "(&sx&s)", &way, &note->limit, &read_only);
        note->way = strcmp(way, way_names[HB_GATE_READ_ONLY]) == 0 ? HB_GATE_READ_ONLY : HB_GATE_SESSIONS;
        ok = strcmp(way, way_names[note->way]) == 0 && note->limit >= -1 && note->limit <= G_MAXINT32 &&
             (strcmp(read_only, "on") == 0 || strcmp(read_only, "off") == 0 || *read_only == '\0');
        g_strlcpy(note->read_only, read_only, sizeof note->read_only);
        g_variant_unref(value);
    }
    return ok || hb_error_set(error, HB_ERROR_BLOCKED,
                              "see the database's connection limit and settings, and mend them by hand",
                              "the note of how writing was stopped cannot be read");
}

static char *make_note(HbSession *session, HbGateWay way, GError **error)
{
    g_autoptr(HbResult) result = hb_pg_query(
        session,
        "SELECT d.datconnlimit, (SELECT CASE WHEN lower(substr(c, 31)) IN ('on', 'true', 'yes', '1') THEN 'on' ELSE"
        " 'off' END FROM pg_db_role_setting s, unnest(s.setconfig) c WHERE s.setdatabase = d.oid AND s.setrole = 0"
        " AND c LIKE 'default\\_transaction\\_read\\_only=%')"
        " FROM pg_database d WHERE d.datname = current_database()",
        error);
    GVariant *note;
    char *text;

    if (result == NULL)
        return NULL;
    note = g_variant_ref_sink(g_variant_new(
        "(sxs)", way_names[way], g_ascii_strtoll(PQgetvalue(result, 0, 0), NULL, 10), PQgetvalue(result, 0, 1)));
    text = g_variant_print(note, FALSE);
    g_variant_unref(note);
    return text;
}

/* ---- Stopping, and opening ---- */

/* Whether it is open or closed outlasts a crash of the server: our sessions do not wait for the disk otherwise */
static gboolean run_durably(HbSession *session, const char *sql, GError **error)
{
    return hb_pg_execute(session, "SET synchronous_commit = on", error) && hb_pg_execute(session, sql, error);
}

static gboolean stop(HbSession *session, const char *text, GError **error)
{
    static const char *const statements[] = {"ALTER DATABASE %s WITH CONNECTION LIMIT 0",
                                             "ALTER DATABASE %s SET default_transaction_read_only = on"};
    g_autofree char *name = hb_pg_quote_any_name(PQdb(session->conn));
    g_autoptr(GString) sql = NULL;
    Note note;

    if (!read_note(text, &note, error))
        return FALSE;
    sql = g_string_new(statements[note.way]);
    g_string_replace(sql, "%s", name, 1);
    return run_durably(session, sql->str, error);
}

static GPtrArray *list_opening(const char *database, const char *text, GError **error)
{
    GPtrArray *statements;
    g_autofree char *name = hb_pg_quote_any_name(database);
    Note note;

    if (!read_note(text, &note, error))
        return NULL;
    statements = g_ptr_array_new_with_free_func(g_free);
    if (note.way == HB_GATE_SESSIONS)
        g_ptr_array_add(statements,
                        g_strdup_printf("ALTER DATABASE %s WITH CONNECTION LIMIT %" G_GINT64_FORMAT, name, note.limit));
    else if (*note.read_only == '\0')
        g_ptr_array_add(statements, g_strdup_printf("ALTER DATABASE %s RESET default_transaction_read_only", name));
    else
        g_ptr_array_add(statements, g_strdup_printf("ALTER DATABASE %s SET default_transaction_read_only = %s", name,
                                                    note.read_only));
    return statements;
}

static gboolean open_again(HbSession *session, const char *text, GError **error)
{
    g_autoptr(GPtrArray) statements = list_opening(PQdb(session->conn), text, error);

    for (guint i = 0; statements != NULL && i < statements->len; i++) {
        if (!run_durably(session, statements->pdata[i], error))
            return FALSE;
    }
    return statements != NULL;
}

static gboolean explains(const char *text, const char *identity)
{
    Note note;

    return read_note(text, &note, NULL) &&
           strcmp(identity, note.way == HB_GATE_SESSIONS ? "database-setting connection limit"
                                                         : "database-setting default_transaction_read_only") == 0;
}

static gboolean is_same_way(const char *text, const char *other)
{
    Note one, two;

    return read_note(text, &one, NULL) && read_note(other, &two, NULL) && one.way == two.way;
}

static char *describe(const char *text)
{
    Note note;

    if (!read_note(text, &note, NULL))
        return NULL;
    return g_strdup(note.way == HB_GATE_SESSIONS ? "new sessions are refused, but for superusers"
                                                 : "new sessions may only read");
}

/* ---- Who is there ---- */

static HbResult *ask_about_others(HbSession *session, const char *sql, const GArray *ours, GError **error)
{
    g_autofree char *joined = ours != NULL ? hb_engine_join_ids(ours) : g_strdup(""),
                    *list =
                        g_strdup_printf("{%s%s%d}", joined, *joined != '\0' ? "," : "", PQbackendPID(session->conn));
    const char *const values[] = {list};

    return hb_pg_query_with(session, sql, 1, values, error);
}

static gboolean end_sessions(HbSession *session, const char *text, const GArray *ours, guint *ended, GError **error)
{
    g_autoptr(HbResult) result =
        ask_about_others(session, "SELECT count(*) FILTER (WHERE pg_terminate_backend(a.pid))" OTHERS, ours, error);

    (void)text;
    *ended = result != NULL ? (guint)atoi(PQgetvalue(result, 0, 0)) : 0;
    return result != NULL;
}

/* Rows that statements have changed, as the server counts them, some of them a little later */
static const char changed_rows[] = "SELECT coalesce(sum(n_tup_ins + n_tup_upd + n_tup_del), 0) FROM pg_stat_user_tables"
                                   " WHERE schemaname NOT LIKE 'hornbeam\\_%'";

static gboolean find_writers(HbSession *session, const GArray *ours, GPtrArray *writers, char **state, char **counters,
                             GError **error)
{
    g_autoptr(HbResult) open = ask_about_others(
        session,
        "SELECT 'process ' || a.pid || coalesce(' of user ' || a.usename, '') || coalesce(' (' ||"
        " nullif(a.application_name, '') || ')', '')" OTHERS " AND a.backend_xid IS NOT NULL"
        " UNION ALL SELECT 'the prepared transaction ' || gid || ' of user ' || owner FROM pg_prepared_xacts"
        " WHERE database = current_database()",
        ours, error);
    g_autoptr(HbResult) counted = open != NULL ? hb_pg_query(session, changed_rows, error) : NULL;

    if (counted == NULL)
        return FALSE;
    for (int row = 0; row < PQntuples(open); row++)
        g_ptr_array_add(writers, g_strdup(PQgetvalue(open, row, 0)));
    *state = g_strdup(PQgetvalue(counted, 0, 0));
    *counters = g_strdup(*state);
    return TRUE;
}

/* ---- Looking ahead ---- */

static char *join_names(const PGresult *result)
{
    HbNameList names;

    hb_name_list_init(&names, NAMES_MAX);
    for (int row = 0; row < PQntuples(result); row++)
        hb_name_list_add(&names, PQgetvalue(result, row, 0));
    return hb_name_list_end(&names);
}

typedef struct {
    int way; /* of HbGateWay; -1: both */
    HbFindingLevel level;
    const char *sql, *what, *todo; /* what: with the names that the query gives, if it gives any */
} Check;

static const Check checks[] = {
    {HB_GATE_SESSIONS, HB_FINDING_BLOCKER,
     "SELECT quote_ident(rolname) FROM pg_roles WHERE rolname = current_user AND NOT rolsuper",
     "role %s is no superuser: if new sessions are refused, it is refused, too",
     "stop writes in another way: --stop-writes read-only, or ask"},
    {HB_GATE_READ_ONLY, HB_FINDING_BLOCKER,
     "SELECT quote_ident(current_user) FROM pg_database WHERE datname = current_database()"
     " AND NOT pg_has_role(datdba, 'USAGE')",
     "role %s does not own the database, and cannot set it to read only", "use its owner; or --stop-writes ask"},
    {-1, HB_FINDING_BLOCKER,
     "SELECT DISTINCT quote_ident(a.usename)" OTHERS
     " AND NOT (SELECT rolsuper FROM pg_roles WHERE rolname = current_user)"
     " AND NOT pg_has_role(a.usesysid, 'USAGE') AND ((SELECT rolsuper FROM pg_roles WHERE oid = a.usesysid)"
     "  OR NOT pg_has_role('pg_signal_backend', 'USAGE'))",
     "sessions of these roles cannot be ended by ours: %s",
     "have them ended; or an administrator can run: GRANT pg_signal_backend TO the role"},
    {-1, HB_FINDING_BLOCKER, "SELECT gid FROM pg_prepared_xacts WHERE database = current_database()",
     "prepared transactions wait for their end, and would write when it comes: %s",
     "COMMIT PREPARED or ROLLBACK PREPARED them"},
    {HB_GATE_SESSIONS, HB_FINDING_WARNING,
     "SELECT DISTINCT quote_ident(a.usename)" OTHERS " AND a.application_name <> 'hornbeam' AND (SELECT rolsuper FROM"
     " pg_roles WHERE oid = a.usesysid)",
     "superusers are not refused: sessions of %s are ended, and may come again",
     "see that nothing of theirs writes; if it does, the hand-over ends, and says so"},
    {HB_GATE_READ_ONLY, HB_FINDING_WARNING,
     "SELECT DISTINCT quote_ident(r.rolname) FROM pg_db_role_setting s JOIN pg_roles r ON r.oid = s.setrole,"
     " unnest(s.setconfig) c WHERE c LIKE 'default\\_transaction\\_read\\_only=%' AND (s.setdatabase = 0 OR "
     "s.setdatabase"
     " = (SELECT oid FROM pg_database WHERE datname = current_database()))",
     "these roles have a default_transaction_read_only of their own, which holds rather than the database's: %s",
     "ALTER ROLE ... RESET default_transaction_read_only"},
};

static gboolean look(HbSession *session, HbGateWay way, const GArray *ours, GPtrArray *findings, GError **error)
{
    for (gsize i = 0; i < G_N_ELEMENTS(checks); i++) {
        g_autoptr(HbResult) result = NULL;
        g_autofree char *names = NULL;
        g_auto(GStrv) parts = NULL;
        if (checks[i].way >= 0 && checks[i].way != (int)way)
            continue;
        result = strstr(checks[i].sql, "$1") != NULL ? ask_about_others(session, checks[i].sql, ours, error)
                                                     : hb_pg_query(session, checks[i].sql, error);
        if (result == NULL)
            return FALSE;
        if (PQntuples(result) == 0)
            continue;
        names = join_names(result);
        parts = g_strsplit(checks[i].what, "%s", 2);
        hb_finding_advise(hb_findings_add(findings, checks[i].level, "writes-go-on", PQdb(session->conn), "%s%s%s",
                                          parts[0], names, parts[1]),
                          checks[i].todo, NULL);
    }
    return TRUE;
}

static HbGateWay find_best(HbSession *session, gboolean is_copy)
{
    (void)is_copy; /* our sessions say what they want */
    return g_strcmp0(PQparameterStatus(session->conn, "is_superuser"), "on") == 0 ? HB_GATE_SESSIONS
                                                                                  : HB_GATE_READ_ONLY;
}

static HbGateWay find_lasting(HbSession *session, gboolean is_copy)
{
    (void)session;
    (void)is_copy;
    return HB_GATE_READ_ONLY;
}

/* ---- What becomes of the database ---- */

/* From another one; which ones there are differs */
static HbSession *open_beside(const HbAddress *address, GError **error)
{
    static const char *const places[] = {"postgres", "template1"};
    g_autofree char *own = hb_pg_name_database(address);
    HbAddress beside = *address;

    for (gsize i = 0; i < G_N_ELEMENTS(places); i++) {
        GError **whose = i + 1 < G_N_ELEMENTS(places) ? NULL : error;
        HbSession *session;
        beside.database = places[i];
        if (g_strcmp0(own, places[i]) != 0 && (session = hb_pg_open(&beside, whose)) != NULL)
            return session;
    }
    if (error != NULL && *error == NULL)
        hb_error_set(error, HB_ERROR_CONNECT, NULL, "there is no other database to do that from");
    return NULL;
}

static gboolean run_beside(const HbAddress *address, const char *beginning, const char *end, GError **error)
{
    g_autofree char *own = hb_pg_name_database(address);
    g_autofree char *name = hb_pg_quote_any_name(own), *sql = g_strconcat(beginning, " ", name, end, NULL);
    HbSession *session = open_beside(address, error);
    const gboolean ok = session != NULL && run_durably(session, sql, error);

    hb_pg_close(session);
    return ok;
}

static gboolean rename_database(const HbAddress *address, const char *new_name, GError **error)
{
    g_autofree char *name = hb_pg_quote_any_name(new_name), *end = g_strconcat(" RENAME TO ", name, NULL);

    return run_beside(address, "ALTER DATABASE", end, error);
}

static gboolean drop_database(const HbAddress *address, GError **error)
{
    return run_beside(address, "DROP DATABASE IF EXISTS", "", error);
}

const HbGate hb_pg_gate = {
    .find_best = find_best,
    .find_lasting = find_lasting,
    .look = look,
    .make_note = make_note,
    .stop = stop,
    .open = open_again,
    .explains = explains,
    .is_same_way = is_same_way,
    .describe = describe,
    .list_opening = list_opening,
    .end_sessions = end_sessions,
    .find_writers = find_writers,
    .rename_database = rename_database,
    .drop_database = drop_database,
    .list_forms = hb_pg_list_forms,
    .find_password = hb_pg_find_password,
    .try_form = hb_pg_try_form,
};
