/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/mariadb/session/peers.h"

#include "engine/common/lost_sessions.h"
#include "engine/mariadb/session/connection.h"
#include "engine/mariadb/session/session.h"

#include <mysqld_error.h>
#include <stdlib.h>
#include <string.h>

/* As many sessions as may serve at once, and some that are not gone yet */
#define SERVANTS_MAX 128

/* Of the lock that one who waits for the hold has */
#define ASKING (SERVANTS_MAX + 1)

/* Of the locks of hosts that work on one restore: each has one, which is its part of the hold */
#define FIRST_HOST (ASKING + 1)
#define HOSTS_MAX  64

/* A lock's name has 64 letters at most, a database's name alone may have as many. The caller's */
static char *write_lock_name(const HbSession *session, guint number)
{
    g_autofree char *database = hb_my_get_database_of(&session->origin);
    g_autofree char *sum = g_compute_checksum_for_string(G_CHECKSUM_SHA1, database != NULL ? database : "", -1);

    return g_strdup_printf("'hornbeam %s %u'", sum, number);
}

guint64 hb_my_get_id(const HbSession *session)
{
    return session->thread_id;
}

/* ---- The hold ---- */

/* *taken: now, or before by this session. A server whose cluster has no such locks gives them to everybody */
static gboolean take_lock(HbSession *session, guint number, gboolean *taken, GError **error)
{
    g_autofree char *name = write_lock_name(session, number);
    g_autofree char *sql = g_strdup_printf("SELECT GET_LOCK(%s, 0)", name);
    g_autoptr(GError) ours = NULL;
    g_autofree char *answer = NULL;

    if (hb_my_read_text(session, sql, &answer, &ours)) {
        *taken = g_strcmp0(answer, "1") == 0;
        return TRUE;
    }
    *taken = TRUE;
    if (mysql_errno(session->mysql) == ER_NOT_SUPPORTED_YET)
        return TRUE;
    g_propagate_error(error, g_steal_pointer(&ours));
    return FALSE;
}

/*
 * Without the right to see all sessions only those of one's own account are seen. One that is going away ("Killed",
 * "Quit") does nothing any more
 */
static gboolean describe_holder(HbSession *session, HbPeer *holder, GError **error)
{
    g_autoptr(HbMyResult) result =
        hb_my_query_format(session, error,
                           "SELECT CONCAT(USER, '@', HOST), IF(COMMAND IN ('Query', 'Execute'), 0, TIME)"
                           " FROM " HB_MY_PROCESSES " WHERE ID = %" G_GUINT64_FORMAT,
                           holder->id);
    MYSQL_ROW row = result != NULL ? mysql_fetch_row(result) : NULL;

    if (result == NULL)
        return FALSE;
    holder->who = row != NULL ? g_strdup_printf("session %" G_GUINT64_FORMAT " of %s", holder->id, row[0])
                              : g_strdup_printf("session %" G_GUINT64_FORMAT " of another account", holder->id);
    holder->silent_s = row != NULL ? g_ascii_strtoll(row[1], NULL, 10) : -1;
    return TRUE;
}

/* Who has the lock; 0: nobody, or this session */
static gboolean find_owner(HbSession *session, guint number, guint64 *id, GError **error)
{
    g_autofree char *name = write_lock_name(session, number), *owner = NULL;
    g_autofree char *sql = g_strdup_printf("SELECT NULLIF(IS_USED_LOCK(%s), CONNECTION_ID())", name);

    if (!hb_my_read_text(session, sql, &owner, error))
        return FALSE;
    *id = owner != NULL ? g_ascii_strtoull(owner, NULL, 10) : 0;
    return TRUE;
}

static gboolean give_lock(HbSession *session, guint number, GError **error)
{
    g_autofree char *name = write_lock_name(session, number), *answer = NULL;
    g_autofree char *sql = g_strdup_printf("SELECT RELEASE_LOCK(%s)", name);

    do {
        g_clear_pointer(&answer, g_free);
        if (!hb_my_read_text(session, sql, &answer, error))
            return FALSE;
    } while (g_strcmp0(answer, "1") == 0); /* it was taken more than once */
    return TRUE;
}

/* One of those that have a part of the hold, but not this session; 0: none, as where the server has no such locks */
static gboolean find_host(HbSession *session, guint64 *id, GError **error)
{
    g_autoptr(GString) sql = g_string_new("SELECT COALESCE(");
    g_autofree char *owner = NULL;
    GError *ours = NULL;

    for (guint i = 0; i < HOSTS_MAX; i++) {
        g_autofree char *name = write_lock_name(session, FIRST_HOST + i);
        g_string_append_printf(sql, "NULLIF(IS_USED_LOCK(%s), CONNECTION_ID()), ", name);
    }
    g_string_append(sql, "0)");
    *id = 0;
    if (hb_my_read_text(session, sql->str, &owner, &ours)) {
        *id = owner != NULL ? g_ascii_strtoull(owner, NULL, 10) : 0;
        return TRUE;
    }
    if (mysql_errno(session->mysql) == ER_NOT_SUPPORTED_YET) {
        g_error_free(ours);
        return TRUE;
    }
    g_propagate_error(error, ours);
    return FALSE;
}

/*
 * First the lock, then a look for those who have a part; they do it the other way round: at least one of the two sees
 * the other. A lock may become free between two questions: then the next attempt has it
 */
gboolean hb_my_claim(HbSession *session, gboolean of_server, HbPeer *holder, GError **error)
{
    (void)of_server; /* its session is in no database */

    for (;;) {
        gboolean taken = FALSE;

        *holder = (HbPeer){0};
        if (!take_lock(session, 0, &taken, error))
            return FALSE;
        if (taken ? !find_host(session, &holder->id, error) : !find_owner(session, 0, &holder->id, error))
            return FALSE;
        if (taken && holder->id != 0 && !give_lock(session, 0, error))
            return FALSE;
        if (holder->id != 0)
            return describe_holder(session, holder, error);
        if (taken)
            return TRUE;
    }
}

/* ---- Parts of it ---- */

/* A server without such locks has said that it gave one */
static gboolean check_part(HbSession *session, GError **error)
{
    g_autofree char *name = write_lock_name(session, session->part), *answer = NULL;
    g_autofree char *sql = g_strdup_printf("SELECT IS_USED_LOCK(%s) = CONNECTION_ID()", name);

    return (hb_my_read_text(session, sql, &answer, NULL) && g_strcmp0(answer, "1") == 0) ||
           hb_error_set(error, HB_ERROR_BLOCKED, "restore with one host, without --join",
                        "the server has no locks by name, which would keep hosts apart");
}

static gboolean take_part(HbSession *session, GError **error)
{
    for (guint i = 0; i < HOSTS_MAX && session->part == 0; i++) {
        gboolean taken;
        if (!take_lock(session, FIRST_HOST + i, &taken, error))
            return FALSE;
        session->part = taken ? FIRST_HOST + i : 0;
    }
    if (session->part == 0)
        return hb_error_set(error, HB_ERROR_BLOCKED, "wait until one of them has ended",
                            "%d hosts work on this restore, and more cannot", HOSTS_MAX);
    return check_part(session, error);
}

gboolean hb_my_join(HbSession *session, HbPeer *holder, GError **error)
{
    *holder = (HbPeer){0};
    if (!take_part(session, error) || !find_owner(session, 0, &holder->id, error))
        return FALSE;
    if (holder->id == 0)
        return give_lock(session, 0, error);
    return hb_my_leave(session, error) && describe_holder(session, holder, error);
}

gboolean hb_my_leave(HbSession *session, GError **error)
{
    if (session->part != 0 && !give_lock(session, session->part, error))
        return FALSE;
    session->part = 0;
    return give_lock(session, 0, error);
}

/* Such a lock belongs to the server, a step to a database of it. The caller's */
char *hb_my_write_lock_name(const HbSession *session, const char *key)
{
    g_autofree char *database = hb_my_get_database_of(&session->origin);
    g_autofree char *both = g_strdup_printf("%s %s", database != NULL ? database : "", key);
    g_autofree char *sum = g_compute_checksum_for_string(G_CHECKSUM_SHA1, both, -1);

    return g_strdup_printf("'hornbeam name %s'", sum);
}

/* question: an expression, with %s for the name */
static gboolean ask_of_name(HbSession *session, const char *question, const char *name, gboolean *answer,
                            GError **error)
{
    g_autofree char *literal = hb_my_write_lock_name(session, name), *text = NULL;
    g_auto(GStrv) parts = g_strsplit(question, "%s", 2);
    g_autofree char *sql = g_strconcat("SELECT ", parts[0], literal, parts[1], NULL);
    const gboolean ok = hb_my_read_text(session, sql, &text, error);

    *answer = g_strcmp0(text, "1") == 0;
    return ok;
}

gboolean hb_my_lock_name(HbSession *session, const char *name, gboolean *taken, GError **error)
{
    return ask_of_name(session, "GET_LOCK(%s, 0)", name, taken, error);
}

gboolean hb_my_unlock_name(HbSession *session, const char *name, GError **error)
{
    gboolean was_had;

    return ask_of_name(session, "RELEASE_LOCK(%s)", name, &was_had, error);
}

gboolean hb_my_is_name_locked(HbSession *session, const char *name, gboolean *locked, GError **error)
{
    return ask_of_name(session, "IS_USED_LOCK(%s) IS NOT NULL", name, locked, error);
}

/* ---- Who serves, who asks ---- */

gboolean hb_my_serve(HbSession *session, GError **error)
{
    g_autofree char *patience = g_strdup_printf("SET lock_wait_timeout = %d, innodb_lock_wait_timeout = %d",
                                                HB_TARGET_LOCK_WAIT_S, HB_TARGET_LOCK_WAIT_S);
    gboolean taken = session->serves;

    for (guint number = 1; number <= SERVANTS_MAX && !taken; number++) {
        if (!take_lock(session, number, &taken, error))
            return FALSE;
    }
    session->serves = TRUE;
    return hb_my_execute(session, patience, error);
}

/* Several may wait: one who has the lock asks for all */
gboolean hb_my_ask_holder(HbSession *session, GError **error)
{
    gboolean taken;

    return take_lock(session, ASKING, &taken, error);
}

gboolean hb_my_is_asked(HbSession *session, gboolean *asked, GError **error)
{
    guint64 id = 0;
    const gboolean ok = find_owner(session, ASKING, &id, error);

    *asked = id != 0;
    return ok;
}

/* ---- Sessions that are dead to us ---- */

static GArray *list_lost(HbSession *session, const GArray *alive, GError **error)
{
    g_autoptr(GString) sql = g_string_new("SELECT ID FROM " HB_MY_PROCESSES " WHERE ID <> CONNECTION_ID()"
                                          " AND USER = SUBSTRING_INDEX(USER(), '@', 1) AND ID IN (");
    g_autoptr(HbMyResult) result = NULL;
    GArray *lost;
    MYSQL_ROW row;

    for (guint number = 0; number <= SERVANTS_MAX; number++) {
        g_autofree char *name = write_lock_name(session, number);
        g_string_append_printf(sql, "%sIS_USED_LOCK(%s)", number > 0 ? ", " : "", name);
    }
    g_string_append_c(sql, ')');
    result = hb_my_query(session, sql->str, error);
    if (result == NULL)
        return NULL;
    lost = g_array_new(FALSE, FALSE, sizeof(guint64));
    while ((row = mysql_fetch_row(result)) != NULL) {
        const guint64 id = g_ascii_strtoull(row[0], NULL, 10);
        if (!hb_engine_has_id(alive, id))
            g_array_append_val(lost, id);
    }
    return lost;
}

/* A session that has ended by itself meanwhile is no error */
static void end_each(HbSession *session, const GArray *lost)
{
    for (guint i = 0; i < lost->len; i++) {
        g_autofree char *sql = g_strdup_printf("KILL CONNECTION %" G_GUINT64_FORMAT, g_array_index(lost, guint64, i));
        hb_my_execute(session, sql, NULL);
    }
}

gboolean hb_my_end_lost(HbSession *session, const GArray *alive, guint *ended, GError **error)
{
    GArray *lost = list_lost(session, alive, error);

    *ended = lost != NULL ? lost->len : 0;
    if (lost == NULL)
        return FALSE;
    end_each(session, lost);
    return hb_engine_await_end(session, alive, list_lost, lost, "see with SHOW PROCESSLIST what it still does", error);
}

/* ---- Whom we wait for ---- */

/* What the server says of a session that waits; NULL: none does */
static char *read_state(HbSession *session, const char *list, GError **error)
{
    g_autofree char *sql =
        g_strdup_printf("SELECT CONCAT('session ', ID, ': “', STATE, '”') FROM " HB_MY_PROCESSES " WHERE ID IN %s"
                        " AND COMMAND <> 'Sleep' AND STATE LIKE 'Waiting for%%' ORDER BY TIME DESC LIMIT 1",
                        list);
    char *state = NULL;

    hb_my_read_text(session, sql, &state, error);
    return state;
}

#define WAITS(waiting, holding)                                                                                        \
    "SELECT CONCAT('session ', " waiting ", ' waits for a lock on rows, held by session ', " holding ","               \
    " IFNULL(CONCAT(' of ', p.USER, '@', p.HOST), ''), ', in a transaction since ', b.trx_started) FROM "

static const char by_transaction[] =
    WAITS("r.trx_mysql_thread_id",
          "b.trx_mysql_thread_id") "information_schema.INNODB_LOCK_WAITS w"
                                   " JOIN information_schema.INNODB_TRX r ON r.trx_id = w.requesting_trx_id"
                                   " JOIN information_schema.INNODB_TRX b ON b.trx_id = w.blocking_trx_id"
                                   " LEFT JOIN " HB_MY_PROCESSES " p ON p.ID = b.trx_mysql_thread_id"
                                   " WHERE r.trx_mysql_thread_id IN %s ORDER BY r.trx_wait_started LIMIT 1";

static const char by_thread[] =
    WAITS("r.PROCESSLIST_ID",
          "h.PROCESSLIST_ID") "performance_schema.data_lock_waits w"
                              " JOIN performance_schema.threads r ON r.THREAD_ID = w.REQUESTING_THREAD_ID"
                              " JOIN performance_schema.threads h ON h.THREAD_ID = w.BLOCKING_THREAD_ID"
                              " JOIN information_schema.INNODB_TRX b ON b.trx_mysql_thread_id = h.PROCESSLIST_ID"
                              " LEFT JOIN " HB_MY_PROCESSES " p ON p.ID = h.PROCESSLIST_ID"
                              " WHERE r.PROCESSLIST_ID IN %s LIMIT 1";

/* Rows that another transaction has locked: the server shows that only to users that may see all sessions */
static char *read_row_lock(HbSession *session, const char *list)
{
    g_auto(GStrv) around = g_strsplit(hb_my_can(session, HB_MY_LOCKS_BY_THREAD) ? by_thread : by_transaction, "%s", 2);
    g_autofree char *sql = g_strjoinv(list, around);
    char *wait = NULL;

    hb_my_read_text(session, sql, &wait, NULL);
    return wait;
}

/*
 * As delivered, servers do not say which session holds a lock on a table's structure: it is one with an open
 * transaction, most often the oldest, or one in the same database
 */
static char *read_suspect(HbSession *session, const char *list)
{
    g_autofree char *sql = g_strdup_printf(
        "SELECT CONCAT('the oldest transaction of others is that of session ', t.trx_mysql_thread_id,"
        " IFNULL(CONCAT(' of ', p.USER, '@', p.HOST), ''), ', since ', t.trx_started)"
        " FROM information_schema.INNODB_TRX t"
        " LEFT JOIN " HB_MY_PROCESSES " p ON p.ID = t.trx_mysql_thread_id"
        " WHERE t.trx_mysql_thread_id <> 0 AND t.trx_mysql_thread_id NOT IN %s ORDER BY t.trx_started LIMIT 1",
        list);
    g_autofree char *others = g_strdup_printf(
        "SELECT CONCAT('in the same database there is session ', o.ID, ' of ', o.USER, '@', o.HOST, ' (', o.COMMAND,"
        " ' for ', o.TIME, ' s)') FROM " HB_MY_PROCESSES " o"
        " WHERE o.ID NOT IN %s AND o.ID <> CONNECTION_ID()"
        " AND o.DB IN (SELECT w.DB FROM " HB_MY_PROCESSES " w WHERE w.ID IN %s)"
        " ORDER BY o.TIME DESC LIMIT 1",
        list, list);
    char *suspect = NULL;

    hb_my_read_text(session, sql, &suspect, NULL);
    if (suspect == NULL)
        hb_my_read_text(session, others, &suspect, NULL);
    return suspect;
}

gboolean hb_my_find_wait(HbSession *session, const GArray *ids, char **wait, GError **error)
{
    g_autofree char *joined = hb_engine_join_ids(ids), *list = g_strdup_printf("(%s)", joined), *state = NULL,
                    *suspect = NULL;
    g_autoptr(GError) ours = NULL;

    *wait = NULL;
    if (ids->len == 0)
        return TRUE;
    state = read_state(session, list, &ours);
    if (ours != NULL) {
        g_propagate_error(error, g_steal_pointer(&ours));
        return FALSE;
    }
    *wait = state == NULL ? read_row_lock(session, list) : NULL;
    if (state == NULL)
        return TRUE;
    suspect = strstr(state, "lock") != NULL ? read_suspect(session, list) : NULL;
    *wait = suspect != NULL ? g_strdup_printf("%s; %s", state, suspect) : g_steal_pointer(&state);
    return TRUE;
}
