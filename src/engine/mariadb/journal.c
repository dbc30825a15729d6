/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/mariadb/journal.h"

#include "engine/mariadb/charsets.h"
#include "engine/mariadb/statements.h"

#include <mysqld_error.h>
#include <string.h>

/* The journal of a whole server, which has no database of its own */
#define JOURNAL_DATABASE "hornbeam_journal"

/* ---- Life ---- */

/* A session without a database works in the journal's own; FALSE without an error if there is none */
static gboolean enter_database(HbSession *session, gboolean create, GError **error)
{
    if (session->database != NULL)
        return TRUE;
    if (create && !hb_my_execute(session, "CREATE DATABASE IF NOT EXISTS " JOURNAL_DATABASE, error))
        return FALSE;
    return hb_my_execute(session, "USE " JOURNAL_DATABASE, create ? error : NULL);
}

gboolean hb_my_find_journal(HbSession *session, char **dump_id, GError **error)
{
    g_autofree char *count = NULL;

    *dump_id = NULL;
    if (!enter_database(session, FALSE, NULL))
        return TRUE;
    if (!hb_my_read_text(session,
                         "SELECT COUNT(*) FROM information_schema.TABLES WHERE TABLE_SCHEMA = DATABASE()"
                         " AND TABLE_NAME IN ('" HB_MY_JOURNAL "', '" HB_MY_JOURNAL_STEP "')",
                         &count, error))
        return FALSE;
    return *count != '2' || hb_my_read_text(session, "SELECT id FROM " HB_MY_JOURNAL, dump_id, error);
}

gboolean hb_my_begin_journal(HbSession *session, const char *dump_id, GError **error)
{
    g_autofree char *id = hb_my_quote_literal(dump_id);
    g_autofree char *insert = g_strdup_printf("INSERT INTO " HB_MY_JOURNAL " VALUES (%s, UTC_TIMESTAMP())", id);
    gboolean ok =
        enter_database(session, TRUE, error) &&
        hb_my_execute(session,
                      "CREATE TABLE " HB_MY_JOURNAL " (id VARCHAR(64) NOT NULL PRIMARY KEY, started DATETIME NOT NULL)"
                      " ENGINE = InnoDB CHARACTER SET utf8mb4 COLLATE utf8mb4_bin",
                      error) &&
        hb_my_execute(session,
                      "CREATE TABLE " HB_MY_JOURNAL_STEP " (digest BINARY(16) NOT NULL PRIMARY KEY,"
                      " step TEXT NOT NULL, done BOOLEAN NOT NULL, note LONGTEXT NOT NULL,"
                      " emptied TEXT) ENGINE = InnoDB CHARACTER SET utf8mb4 COLLATE utf8mb4_bin",
                      error) &&
        hb_my_execute(session, insert, error);

    if (!ok)
        g_prefix_error(error, "setting up the journal in %s: ", session->address);
    return ok;
}

gboolean hb_my_forget_steps(HbSession *session, const char *prefix, GError **error)
{
    g_autofree char *literal = hb_my_quote_literal(prefix);
    g_autofree char *sql =
        g_strdup_printf("DELETE FROM " HB_MY_JOURNAL_STEP " WHERE LEFT(step, CHAR_LENGTH(%s)) = %s", literal, literal);

    return enter_database(session, FALSE, error) && hb_my_execute(session, sql, error);
}

gboolean hb_my_settle_journal(HbSession *session, GError **error)
{
    (void)session, (void)error;
    return TRUE;
}

gboolean hb_my_end_journal(HbSession *session, GError **error)
{
    if (!enter_database(session, FALSE, error))
        return FALSE;
    if (session->database == NULL)
        return hb_my_execute(session, "DROP DATABASE " JOURNAL_DATABASE, error);
    return hb_my_execute(session, "DROP TABLE " HB_MY_JOURNAL_STEP ", " HB_MY_JOURNAL, error);
}

/* ---- Entries ---- */

static gboolean add_entry(HbSession *session, const char *key, gboolean done, const char *note, const char *table,
                          GError **error)
{
    g_autofree char *step = hb_my_quote_literal(key);
    g_autofree char *text = hb_my_quote_literal(note != NULL ? note : "");
    g_autofree char *emptied = table != NULL ? hb_my_quote_literal(table) : g_strdup("NULL");
    g_autofree char *sql = g_strdup_printf("INSERT INTO " HB_MY_JOURNAL_STEP " (digest, step, done, note, emptied)"
                                           " VALUES (UNHEX(LEFT(SHA2(%s, 256), 32)), %s, %d, %s, %s)",
                                           done ? step : "UUID()", step, done, text, emptied);

    g_autoptr(GError) cause = NULL;

    if (!enter_database(session, FALSE, error))
        return FALSE;
    if (hb_my_execute(session, sql, &cause))
        return TRUE;
    if (done && mysql_errno(session->mysql) == ER_DUP_ENTRY)
        return hb_error_set(error, HB_ERROR_NOTED, NULL, "the journal has this step already");
    g_propagate_error(error, g_steal_pointer(&cause));
    return FALSE;
}

gboolean hb_my_note_begun(HbSession *session, const char *key, const char *table, GError **error)
{
    return add_entry(session, key, FALSE, NULL, table, error);
}

gboolean hb_my_note_done(HbSession *session, const char *key, const char *note, GError **error)
{
    return add_entry(session, key, TRUE, note, NULL, error);
}

static gboolean empty_table(HbSession *session, const char *table, GError **error)
{
    g_autofree char *literal = hb_my_quote_literal(table);
    g_autofree char *empty = g_strdup_printf("DELETE FROM %s", table);
    g_autofree char *forget =
        g_strdup_printf("DELETE FROM " HB_MY_JOURNAL_STEP " WHERE emptied = %s OR step IN"
                        " (SELECT step FROM (SELECT step FROM " HB_MY_JOURNAL_STEP "  WHERE emptied = %s) AS chunks)",
                        literal, literal);

    return hb_my_execute(session, empty, error) && hb_my_execute(session, forget, error);
}

/* Tables without transactions of which a chunk broke off */
static gboolean empty_broken_tables(HbSession *session, GError **error)
{
    g_autoptr(HbMyResult) result =
        hb_my_query(session,
                    "SELECT DISTINCT b.emptied FROM " HB_MY_JOURNAL_STEP " b WHERE b.emptied IS NOT NULL"
                    " AND NOT EXISTS (SELECT 1 FROM " HB_MY_JOURNAL_STEP " d WHERE d.step = b.step AND d.done)",
                    error);
    MYSQL_ROW row;

    while (result != NULL && (row = mysql_fetch_row(result)) != NULL) {
        if (!empty_table(session, row[0], error))
            return FALSE;
    }
    return result != NULL;
}

GHashTable *hb_my_read_journal(HbSession *session, GError **error)
{
    g_autoptr(HbMyResult) result = NULL;
    GHashTable *steps;
    MYSQL_ROW row;

    if (!enter_database(session, FALSE, error) || !empty_broken_tables(session, error))
        return NULL;
    result = hb_my_query(session, "SELECT step, note FROM " HB_MY_JOURNAL_STEP " WHERE done", error);
    if (result == NULL)
        return NULL;
    steps = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, g_free);
    while ((row = mysql_fetch_row(result)) != NULL)
        g_hash_table_insert(steps, g_strdup(row[0]), g_strdup(row[1]));
    return steps;
}

/* ---- Steps ---- */

/* Has an earlier attempt at this step left its first entry? Ours is there, too */
static gboolean was_begun_before(HbSession *session, const char *key)
{
    g_autofree char *step = hb_my_quote_literal(key);
    g_autofree char *sql =
        g_strdup_printf("SELECT COUNT(*) > 1 FROM " HB_MY_JOURNAL_STEP " WHERE step = %s AND NOT done", step);
    g_autofree char *more = NULL;

    return hb_my_read_text(session, sql, &more, NULL) && g_strcmp0(more, "1") == 0;
}

/* What was there before us is not ours, and must not be taken for it when the step is tried again */
static void forget_begun(HbSession *session, const char *key)
{
    g_autofree char *step = hb_my_quote_literal(key);
    g_autofree char *sql = g_strdup_printf("DELETE FROM " HB_MY_JOURNAL_STEP " WHERE step = %s AND NOT done", step);

    hb_my_execute(session, sql, NULL);
    hb_my_execute(session, "COMMIT", NULL);
}

/* A statement that was written in another character set is sent in that one, if that can be done without loss */
static gboolean run_as_written(HbSession *session, const char *sql, const char *charset, char **complaint,
                               GError **error)
{
    g_autofree char *encoded = charset != NULL ? hb_my_encode(sql, charset) : NULL;
    g_autofree char *set = encoded != NULL ? g_strdup_printf("SET character_set_client = %s", charset) : NULL;

    return (set == NULL || hb_my_execute(session, set, error)) &&
           hb_my_run_statement(session, encoded != NULL ? encoded : sql, complaint, error);
}

static gboolean run_statements(HbSession *session, const char *sql, const char *key, char **complaint, GError **error)
{
    g_autoptr(GPtrArray) statements = hb_my_split_statements(sql);

    for (guint i = 0; i < statements->len; i++) {
        g_autofree char *charset = i > 0 ? hb_my_read_charset(statements->pdata[i - 1]) : NULL;
        GError *ours = NULL;
        if (run_as_written(session, statements->pdata[i], charset, complaint, &ours))
            continue;
        if (hb_error_is(ours, HB_ERROR_EXISTS) && was_begun_before(session, key)) {
            g_error_free(ours);
            continue;
        }
        if (hb_error_is(ours, HB_ERROR_EXISTS))
            forget_begun(session, key);
        g_propagate_error(error, ours);
        hb_my_reset(session, NULL);
        return FALSE;
    }
    return TRUE;
}

/* What defines something commits what went before it, and so the entry: that costs no commit of its own */
static gboolean begin_step(HbSession *session, const char *key, GError **error)
{
    return hb_my_execute(session, "START TRANSACTION", error) && hb_my_note_begun(session, key, NULL, error);
}

gboolean hb_my_run_step(HbSession *session, const char *sql, const char *key, const char *note, GError **error)
{
    g_autofree char *complaint = NULL;

    if (sql != NULL && !begin_step(session, key, error))
        return FALSE;
    if (sql != NULL && !run_statements(session, sql, key, &complaint, error)) {
        hb_my_execute(session, "ROLLBACK", NULL);
        return FALSE;
    }
    if (!hb_my_note_done(session, key, note, error) || !hb_my_execute(session, "COMMIT", error))
        return FALSE;
    return complaint == NULL ||
           hb_error_set(error, HB_ERROR_UNMET,
                        "the constraint is in place; look for those rows, here and in the source", "%s", complaint);
}
