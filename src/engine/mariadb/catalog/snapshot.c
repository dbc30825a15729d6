/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/mariadb/catalog/snapshot.h"

#include "core/base/digest.h"
#include "core/base/name_list.h"
#include "engine/common/checks.h"
#include "engine/mariadb/dialect/names.h"
#include "engine/mariadb/log/kept_log.h"
#include "mariadb_sql.h"

#include <string.h>

#define TOKEN_OPEN   "open"
#define TOKEN_SEALED "sealed"
#define NAMES_SHOWN  3

/*
 * Ways to keep the moment still, the least disturbing first. The first holds back commits only; the second waits for
 * running statements to end, and new changes wait with it.
 */
typedef struct {
    int feature; /* of HbMyFeature, that the server must have; -1: none */
    const char *take[4];
    const char *let_go;
} Hold;

static const Hold holds[] = {
    {HB_MY_BACKUP_STAGES, {"BACKUP STAGE START", "BACKUP STAGE BLOCK_COMMIT"}, "BACKUP STAGE END"},
    {-1, {"FLUSH TABLES WITH READ LOCK"}, "UNLOCK TABLES"},
};

/* ---- The structure ---- */

static void add_row(HbDigest *digest, GString *text, MYSQL_ROW row, const unsigned long *lengths, guint count)
{
    g_string_truncate(text, 0);
    for (guint c = 0; c < count; c++) {
        g_string_append_printf(text, "%lu:", row[c] != NULL ? lengths[c] : 0);
        g_string_append_len(text, row[c] != NULL ? row[c] : "", row[c] != NULL ? (gssize)lengths[c] : 0);
    }
    hb_digest_add_row(digest, text->str, text->len);
}

static gboolean add_rows(HbSession *session, const char *sql, HbDigest *digest, GError **error)
{
    g_autoptr(HbMyResult) result = hb_my_query(session, sql, error);
    g_autoptr(GString) text = g_string_new(NULL);
    MYSQL_ROW row;

    while (result != NULL && (row = mysql_fetch_row(result)) != NULL)
        add_row(digest, text, row, mysql_fetch_lengths(result), mysql_num_fields(result));
    return result != NULL;
}

/*
 * Two tables alike that swap their names have the same structure as before: what InnoDB knows them by tells, to whom
 * may see it (PROCESS), and otherwise when their definitions' files were made or renamed
 */
static const char *const table_numbers[] = {
    "SELECT NAME, TABLE_ID FROM information_schema.INNODB_SYS_TABLES"
    " WHERE SUBSTRING_INDEX(NAME, '/', 1) = BINARY CONVERT(DATABASE() USING filename)",
    "SELECT NAME, TABLE_ID FROM information_schema.INNODB_TABLES"
    " WHERE SUBSTRING_INDEX(NAME, '/', 1) = BINARY CONVERT(DATABASE() USING filename)",
    "SELECT TABLE_NAME, CREATE_TIME FROM information_schema.TABLES WHERE TABLE_SCHEMA = DATABASE()"
    " AND ENGINE = 'InnoDB'"};

static char *read_fingerprint(HbSession *session, GError **error)
{
    HbDigest digest = {0};
    gboolean numbered = FALSE;

    if (!add_rows(session, hb_my_sql_fingerprint, &digest, error))
        return NULL;
    for (gsize i = 0; i < G_N_ELEMENTS(table_numbers) && !numbered; i++)
        numbered = add_rows(session, table_numbers[i], &digest, NULL);
    char *sum = g_malloc(HB_DIGEST_TEXT_LENGTH + 1);
    hb_digest_write(&digest, sum);
    return sum;
}

gboolean hb_my_check_structure(HbSession *session, GError **error)
{
    g_autofree char *now = read_fingerprint(session, error);

    return now != NULL && hb_engine_check_fingerprint(now, session->fingerprint, session->address, error);
}

/* ---- Holding the moment still ---- */

/* A session that waits for a lock keeps others waiting behind it: never for long */
static gboolean set_patience(HbSession *session, guint lock_wait_ms, GError **error)
{
    g_autofree char *sql = g_strdup_printf("SET lock_wait_timeout = %u", MAX(lock_wait_ms / 1000, 1));

    return hb_my_execute(session, sql, error);
}

static void let_go(HbSession *session)
{
    if (session->held != NULL)
        hb_my_execute(session, session->held, NULL);
    g_clear_pointer(&session->held, g_free);
    g_clear_pointer(&session->holder, hb_my_close);
}

static gboolean take_hold(HbSession *session, const Hold *hold, GError **error)
{
    session->held = g_strdup(hold->let_go);
    for (int i = 0; hold->take[i] != NULL; i++) {
        if (!hb_my_execute(session, hold->take[i], error)) {
            let_go(session);
            return FALSE;
        }
    }
    return TRUE;
}

static char *lock_statement(HbMyResult *tables)
{
    GString *sql = g_string_new("LOCK TABLES");
    MYSQL_ROW row;

    while ((row = mysql_fetch_row(tables)) != NULL) {
        g_autofree char *quoted = hb_my_quote_any_name(row[0]);
        g_string_append_printf(sql, "%s %s READ", sql->len > strlen("LOCK TABLES") ? "," : "", quoted);
    }
    return g_string_free(sql, FALSE);
}

/* A user who may not hold back commits may lock the tables of the database */
static gboolean lock_tables(HbSession *session, GError **error)
{
    g_autoptr(HbMyResult) result =
        hb_my_query(session,
                    "SELECT TABLE_NAME FROM information_schema.TABLES WHERE TABLE_SCHEMA = DATABASE()"
                    " AND TABLE_TYPE IN ('BASE TABLE', 'SYSTEM VERSIONED') ORDER BY TABLE_NAME",
                    error);
    if (result == NULL)
        return FALSE;
    if (mysql_num_rows(result) == 0)
        return TRUE;
    g_autofree char *sql = lock_statement(result);
    session->held = g_strdup("UNLOCK TABLES");
    if (hb_my_execute(session, sql, error))
        return TRUE;
    g_clear_pointer(&session->held, g_free);
    return FALSE;
}

/* FALSE with *error only if the lock was not to be had in time; otherwise one session alone is a moment, too */
static gboolean hold_still(HbSession *session, HbSnapshot *snapshot, HbRemark remark, gpointer data, GError **error)
{
    g_autoptr(GError) ours = NULL;

    for (gsize i = 0; i < G_N_ELEMENTS(holds); i++) {
        if (holds[i].feature >= 0 && !hb_my_can(session, (HbMyFeature)holds[i].feature))
            continue;
        g_clear_error(&ours);
        if (take_hold(session, &holds[i], &ours))
            return TRUE;
        if (hb_error_is(ours, HB_ERROR_LOCKED) || hb_error_is(ours, HB_ERROR_LOST))
            break;
    }
    if (!hb_error_is(ours, HB_ERROR_LOCKED) && !hb_error_is(ours, HB_ERROR_LOST)) {
        g_clear_error(&ours);
        if (lock_tables(session, &ours))
            return TRUE;
    }
    if (hb_error_is(ours, HB_ERROR_LOCKED) || hb_error_is(ours, HB_ERROR_LOST)) {
        g_propagate_prefixed_error(error, g_steal_pointer(&ours), "holding the moment of the snapshot still: ");
        return FALSE;
    }
    if (snapshot->keep_log != NULL)
        return hb_error_set(
            error, HB_ERROR_RIGHTS,
            "an administrator can run: GRANT RELOAD ON *.* TO ..., or LOCK TABLES on the database; or "
            "leave out --keep-log",
            "this account cannot hold commits back, so that nobody knows where in the log the moment is");
    if (snapshot->sessions > 1)
        remark(data, "one session reads alone: this account may not hold commits back while several begin",
               "grant it RELOAD, or LOCK TABLES on the database, and --jobs is of use");
    snapshot->sessions = 1;
    return TRUE;
}

/* ---- What a snapshot does not hold: tables of engines without transactions ---- */

static HbMyResult *list_plain_tables(HbSession *session, GError **error)
{
    return hb_my_query(
        session,
        "SELECT t.TABLE_NAME FROM information_schema.TABLES t JOIN information_schema.ENGINES e ON e.ENGINE = t.ENGINE"
        " WHERE t.TABLE_SCHEMA = DATABASE() AND t.TABLE_TYPE IN ('BASE TABLE', 'SYSTEM VERSIONED')"
        " AND e.TRANSACTIONS <> 'YES' ORDER BY t.TABLE_NAME",
        error);
}

static void remark_on_tables(HbMyResult *tables, HbRemark remark, gpointer data)
{
    g_autofree char *list = NULL, *text = NULL;
    HbNameList names;
    MYSQL_ROW row;

    hb_name_list_init(&names, NAMES_SHOWN);
    while ((row = mysql_fetch_row(tables)) != NULL)
        hb_name_list_add(&names, row[0]);
    list = hb_name_list_end(&names);
    text = g_strdup_printf("%s: tables without transactions are read as they are when their turn comes", list);
    remark(data, text, "write nothing to them meanwhile; `dump --hold-tables` keeps others from it");
}

/* This session keeps them locked until the end; another one then holds the moment still for the rest */
static gboolean lock_plain_tables(HbSession *session, HbMyResult *tables, guint lock_wait_ms, GError **error)
{
    g_autofree char *sql = lock_statement(tables);

    session->holder = hb_my_open(&session->origin, error);
    if (session->holder != NULL && set_patience(session->holder, lock_wait_ms, error) &&
        hb_my_execute(session, sql, error))
        return TRUE;
    g_prefix_error(error, "locking the tables without transactions: ");
    return FALSE;
}

static gboolean care_for_plain_tables(HbSession *session, const HbSnapshot *snapshot, guint lock_wait_ms,
                                      HbRemark remark, gpointer data, GError **error)
{
    g_autoptr(HbMyResult) tables = list_plain_tables(session, error);

    if (tables == NULL || mysql_num_rows(tables) == 0)
        return tables != NULL;
    if (snapshot->hold_tables)
        return lock_plain_tables(session, tables, lock_wait_ms, error);
    remark_on_tables(tables, remark, data);
    return TRUE;
}

/* ---- Life ---- */

gboolean hb_my_begin_snapshot(HbSession *session, guint lock_wait_ms, HbSnapshot *snapshot, HbRemark remark,
                              gpointer data, GError **error)
{
    let_go(session);
    g_free(session->fingerprint);
    session->fingerprint = read_fingerprint(session, error);
    if (session->fingerprint == NULL || !set_patience(session, lock_wait_ms, error) ||
        !care_for_plain_tables(session, snapshot, lock_wait_ms, remark, data, error) ||
        !hold_still(session->holder != NULL ? session->holder : session, snapshot, remark, data, error))
        return FALSE;
    snapshot->token = g_strdup(TOKEN_OPEN);
    snapshot->lock_wait_ms = lock_wait_ms;
    snapshot->position = hb_my_read_position(session);
    return hb_my_read_text(session, "SELECT DATE_FORMAT(UTC_TIMESTAMP(6), '%Y-%m-%dT%H:%i:%s.%fZ')", &snapshot->time,
                           error);
}

gboolean hb_my_join_snapshot(HbSession *session, const HbSnapshot *snapshot, GError **error)
{
    if (strcmp(snapshot->token, TOKEN_OPEN) != 0)
        return hb_error_set(error, HB_ERROR_BLOCKED, "dump again: on this kind of server a lost moment is gone",
                            "%s: the snapshot cannot be joined any more", session->address);
    return hb_my_execute(session, "START TRANSACTION WITH CONSISTENT SNAPSHOT, READ ONLY", error);
}

gboolean hb_my_seal_snapshot(HbSession *session, HbSnapshot *snapshot, GError **error)
{
    (void)error;
    let_go(session);
    g_free(snapshot->token);
    snapshot->token = g_strdup(TOKEN_SEALED);
    return TRUE;
}

void hb_my_drop_snapshot(HbSession *session)
{
    let_go(session);
    hb_my_execute(session, "UNLOCK TABLES", NULL);
}

gboolean hb_my_end_snapshot(HbSession *session, GError **error)
{
    hb_my_drop_snapshot(session);
    return hb_my_check_structure(session, error);
}
