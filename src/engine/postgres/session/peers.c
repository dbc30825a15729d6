/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/postgres/session/peers.h"

#include "engine/common/lost_sessions.h"
#include "engine/postgres/session/session.h"
#include "sql.h"

/*
 * Our advisory locks: (KEY, 0) is the hold on the database, (KEY, 1) is shared by those who serve, (KEY, 2) is the hold
 * on what belongs to no database, in the one from which that is done
 */
#define KEY "1215263342"

/* Shared by those who wait for the hold: no lock of those above, for nobody is to end who only asks */
#define KEY_OF_ASKING "1215263343"

#define OUR_LOCKS                                                                                                      \
    " FROM pg_locks l LEFT JOIN pg_stat_activity a ON a.pid = l.pid WHERE l.locktype = 'advisory' AND l.granted"       \
    " AND l.classid = " KEY " AND l.objsubid = 2"                                                                      \
    " AND l.database = (SELECT oid FROM pg_database WHERE datname = current_database())"

guint64 hb_pg_get_id(const HbSession *session)
{
    return (guint64)PQbackendPID(session->conn);
}

/* ---- The hold ---- */

static int number_of(gboolean of_server)
{
    return of_server ? 2 : 0;
}

static gboolean find_holder(HbSession *session, gboolean of_server, HbPeer *holder, GError **error)
{
    g_autofree char *sql = g_strdup_printf(
        "SELECT l.pid, coalesce(' of user ' || a.usename, '') || coalesce(' from ' || host(a.client_addr), '') AS who,"
        " CASE WHEN a.state = 'idle' THEN extract(epoch FROM clock_timestamp() - a.state_change)::bigint"
        "      WHEN a.state IS NULL THEN -1 ELSE 0 END AS silent" OUR_LOCKS " AND l.objid = %d",
        number_of(of_server));
    g_autoptr(HbResult) result = hb_pg_query(session, sql, error);

    if (result == NULL || PQntuples(result) == 0)
        return result != NULL;
    holder->id = g_ascii_strtoull(hb_pg_get(result, 0, "pid"), NULL, 10);
    holder->who = g_strdup_printf("process %s%s", hb_pg_get(result, 0, "pid"), hb_pg_get(result, 0, "who"));
    holder->silent_s = g_ascii_strtoll(hb_pg_get(result, 0, "silent"), NULL, 10);
    return TRUE;
}

/* sql: tries to take it. The lock may become free between both questions: then the next attempt has it */
static gboolean try_hold(HbSession *session, const char *sql, gboolean of_server, HbPeer *holder, GError **error)
{
    for (;;) {
        g_autoptr(HbResult) result = hb_pg_query(session, sql, error);

        *holder = (HbPeer){0};
        if (result == NULL || *PQgetvalue(result, 0, 0) == 't')
            return result != NULL;
        if (!find_holder(session, of_server, holder, error) || holder->id != 0)
            return holder->id != 0;
    }
}

gboolean hb_pg_claim(HbSession *session, gboolean of_server, HbPeer *holder, GError **error)
{
    g_autofree char *sql = g_strdup_printf("SELECT pg_try_advisory_lock(" KEY ", %d)", number_of(of_server));

    return try_hold(session, sql, of_server, holder, error);
}

/* ---- Parts of it ---- */

/* A lock that was taken more than once is given up as often. FALSE is the server's answer where it is not had */
static gboolean give_up(HbSession *session, const char *sql, GError **error)
{
    for (;;) {
        g_autoptr(HbResult) result = hb_pg_query(session, sql, error);

        if (result == NULL || *PQgetvalue(result, 0, 0) != 't')
            return result != NULL;
    }
}

gboolean hb_pg_join(HbSession *session, HbPeer *holder, GError **error)
{
    if (!try_hold(session, "SELECT pg_try_advisory_lock_shared(" KEY ", 0)", FALSE, holder, error))
        return FALSE;
    return holder->id != 0 || give_up(session, "SELECT pg_advisory_unlock(" KEY ", 0)", error);
}

gboolean hb_pg_leave(HbSession *session, GError **error)
{
    return give_up(session, "SELECT pg_advisory_unlock(" KEY ", 0)", error) &&
           give_up(session, "SELECT pg_advisory_unlock_shared(" KEY ", 0)", error);
}

/* ---- Locks on names ---- */

/* sql: says t or f of $1 */
static gboolean ask_of_name(HbSession *session, const char *sql, const char *name, gboolean *answer, GError **error)
{
    const char *const values[] = {name};
    g_autoptr(HbResult) result = hb_pg_query_with(session, sql, 1, values, error);

    *answer = result != NULL && *PQgetvalue(result, 0, 0) == 't';
    return result != NULL;
}

gboolean hb_pg_lock_name(HbSession *session, const char *name, gboolean *taken, GError **error)
{
    return ask_of_name(session, "SELECT pg_try_advisory_lock(hashtextextended($1, 0))", name, taken, error);
}

gboolean hb_pg_unlock_name(HbSession *session, const char *name, GError **error)
{
    gboolean was_had;

    return ask_of_name(session, "SELECT pg_advisory_unlock(hashtextextended($1, 0))", name, &was_had, error);
}

/* The server shows the halves of the number as oids */
gboolean hb_pg_is_name_locked(HbSession *session, const char *name, gboolean *locked, GError **error)
{
    static const char sql[] =
        "SELECT EXISTS (SELECT FROM pg_locks WHERE locktype = 'advisory' AND granted AND objsubid = 1"
        " AND (classid::bigint << 32 | objid::bigint) = hashtextextended($1, 0)"
        " AND database = (SELECT oid FROM pg_database WHERE datname = current_database()))";

    return ask_of_name(session, sql, name, locked, error);
}

/* ---- Who serves, who asks ---- */

gboolean hb_pg_serve(HbSession *session, GError **error)
{
    g_autofree char *sql =
        g_strdup_printf("SELECT pg_try_advisory_lock_shared(" KEY ", 1), set_config('lock_timeout', '%ds', false)",
                        HB_TARGET_LOCK_WAIT_S);
    g_autoptr(HbResult) result = hb_pg_query(session, sql, error);

    return result != NULL;
}

gboolean hb_pg_ask_holder(HbSession *session, GError **error)
{
    g_autoptr(HbResult) result =
        hb_pg_query(session, "SELECT pg_try_advisory_lock_shared(" KEY_OF_ASKING ", 0)", error);

    return result != NULL;
}

gboolean hb_pg_is_asked(HbSession *session, gboolean *asked, GError **error)
{
    g_autoptr(HbResult) result = hb_pg_query(
        session,
        "SELECT 1 FROM pg_locks l WHERE l.locktype = 'advisory' AND l.granted AND l.classid = " KEY_OF_ASKING
        " AND l.database = (SELECT oid FROM pg_database WHERE datname = current_database())",
        error);

    *asked = result != NULL && PQntuples(result) > 0;
    return result != NULL;
}

/* ---- Sessions that are dead to us ---- */

static GArray *list_lost(HbSession *session, const GArray *alive, GError **error)
{
    g_autoptr(HbResult) result =
        hb_pg_query(session,
                    "SELECT DISTINCT l.pid" OUR_LOCKS " AND l.pid <> pg_backend_pid()"
                    " AND a.usesysid = (SELECT oid FROM pg_roles WHERE rolname = session_user) ORDER BY 1",
                    error);
    GArray *lost;

    if (result == NULL)
        return NULL;
    lost = g_array_new(FALSE, FALSE, sizeof(guint64));
    for (int row = 0; row < PQntuples(result); row++) {
        const guint64 id = g_ascii_strtoull(PQgetvalue(result, row, 0), NULL, 10);
        if (!hb_engine_has_id(alive, id))
            g_array_append_val(lost, id);
    }
    return lost;
}

static gboolean end_each(HbSession *session, const GArray *lost, GError **error)
{
    for (guint i = 0; i < lost->len; i++) {
        g_autofree char *sql = g_strdup_printf("SELECT pg_terminate_backend(%d)", (int)g_array_index(lost, guint64, i));
        g_autoptr(HbResult) result = hb_pg_query(session, sql, error);
        if (result == NULL)
            return FALSE;
    }
    return TRUE;
}

gboolean hb_pg_end_lost(HbSession *session, const GArray *alive, guint *ended, GError **error)
{
    GArray *lost = list_lost(session, alive, error);

    *ended = lost != NULL ? lost->len : 0;
    if (lost == NULL || !end_each(session, lost, error)) {
        g_clear_pointer(&lost, g_array_unref);
        return FALSE;
    }
    return hb_engine_await_end(session, alive, list_lost, lost, "see the server's log for why it stays", error);
}

/* ---- Whom we wait for ---- */

gboolean hb_pg_find_wait(HbSession *session, const GArray *ids, char **wait, GError **error)
{
    g_autofree char *joined = hb_engine_join_ids(ids), *list = g_strdup_printf("{%s}", joined);
    const char *const values[] = {list};
    g_autoptr(HbResult) result = hb_pg_query_with(session, hb_sql_waits, 1, values, error);

    *wait = result != NULL && PQntuples(result) > 0 ? g_strdup(hb_pg_get(result, 0, "wait")) : NULL;
    return result != NULL;
}
