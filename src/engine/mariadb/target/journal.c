/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/mariadb/target/journal.h"

#include "core/sql/lexer.h"
#include "engine/mariadb/dialect/charsets.h"
#include "engine/mariadb/dialect/grants.h"
#include "engine/mariadb/dialect/lexical.h"
#include "engine/mariadb/dialect/names.h"
#include "engine/mariadb/dialect/split_statements.h"
#include "engine/mariadb/session/peers.h"
#include "engine/mariadb/target/own_tables.h"
#include "engine/mariadb/target/roles.h"

#include <mysqld_error.h>
#include <string.h>

/*
 * Definitions commit by themselves here, so a step cannot be noted with what it does. It leaves two entries: begun,
 * which is in the same transaction as whatever commits first, and done. A step that was begun and is tried again may
 * find that it exists already, and only then is that no error. Rows and their entry are one transaction, where the
 * table can.
 */

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

/* What a journal's tables are, as the server describes them */
#define JOURNAL_SHAPE                                                                                                  \
    HB_MY_JOURNAL " id varchar(64), " HB_MY_JOURNAL " started datetime, " HB_MY_JOURNAL_STEP                           \
                  " digest binary(16), " HB_MY_JOURNAL_STEP " step text, " HB_MY_JOURNAL_STEP                          \
                  " done tinyint(1), " HB_MY_JOURNAL_STEP " note longtext, " HB_MY_JOURNAL_STEP " emptied text"

#define LOOKS   20
#define LOOK_US (50 * 1000)

/* *there: it is whole. *ours: it is, or there is none, or its making was killed: there is only the first of its tables,
 * and nothing else has happened */
static gboolean look_at_journal(HbSession *session, gboolean *there, gboolean *ours, GError **error)
{
    g_autofree char *tables = NULL, *columns = NULL;

    if (!hb_my_describe_tables(session, "'" HB_MY_JOURNAL "', '" HB_MY_JOURNAL_STEP "'", &tables, &columns, error))
        return FALSE;
    *there = strcmp(tables, "2 2 0") == 0 && g_strcmp0(columns, JOURNAL_SHAPE) == 0;
    *ours = *there || *tables == '0' ||
            (strcmp(tables, "1 1 0") == 0 && columns != NULL && g_str_has_prefix(JOURNAL_SHAPE, columns));
    return TRUE;
}

/* Another host may be making it, or dropping it, between two questions; what is not ours stays as it is */
static gboolean is_journal(HbSession *session, gboolean *there, GError **error)
{
    for (guint look = 0; look < LOOKS; look++) {
        gboolean ours;

        if (!look_at_journal(session, there, &ours, error))
            return FALSE;
        if (ours)
            return TRUE;
        g_usleep(LOOK_US);
    }
    return hb_error_set(error, HB_ERROR_BLOCKED, "see who made them, and drop or rename them",
                        "what is called " HB_MY_JOURNAL " and " HB_MY_JOURNAL_STEP
                        " in the database are no journal's tables, and were not read");
}

/* It may be ended between two looks */
static gboolean read_dump_id(HbSession *session, char **dump_id, GError **error)
{
    GError *ours = NULL;

    if (hb_my_read_text(session, "SELECT id FROM " HB_MY_JOURNAL " " HB_MY_ONLY_TABLES, dump_id, &ours))
        return TRUE;
    if (hb_error_is(ours, HB_ERROR_ABSENT)) {
        g_error_free(ours);
        return TRUE;
    }
    g_propagate_error(error, ours);
    return FALSE;
}

gboolean hb_my_find_journal(HbSession *session, char **dump_id, GError **error)
{
    gboolean there = FALSE;

    *dump_id = NULL;
    if (!enter_database(session, FALSE, NULL))
        return TRUE;
    return is_journal(session, &there, error) && (!there || read_dump_id(session, dump_id, error));
}

/*
 * The dump is noted last of all: without that, or with one of the tables only, a run was killed while it began, and
 * had done nothing else
 */
static gboolean drop_unfinished(HbSession *session, GError **error)
{
    g_autofree char *dump_id = NULL;

    return hb_my_find_journal(session, &dump_id, error) &&
           (dump_id != NULL ||
            hb_my_execute(session, "DROP TABLE IF EXISTS " HB_MY_JOURNAL_STEP ", " HB_MY_JOURNAL, error));
}

gboolean hb_my_begin_journal(HbSession *session, const char *dump_id, GError **error)
{
    g_autofree char *id = hb_my_quote_literal(dump_id);
    g_autofree char *insert = g_strdup_printf("INSERT INTO " HB_MY_JOURNAL " VALUES (%s, UTC_TIMESTAMP())", id);
    gboolean ok =
        enter_database(session, TRUE, error) && drop_unfinished(session, error) &&
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
        return hb_error_set(error, HB_ERROR_ALREADY_DONE, NULL, "the journal has this step already");
    g_propagate_error(error, g_steal_pointer(&cause));
    return FALSE;
}

gboolean hb_my_note_begun(HbSession *session, const char *key, const char *table, GError **error)
{
    g_autofree char *owner = g_strdup_printf("%" G_GUINT64_FORMAT, session->thread_id);

    return add_entry(session, key, FALSE, owner, table, error);
}

gboolean hb_my_note_done(HbSession *session, const char *key, const char *note, GError **error)
{
    return add_entry(session, key, TRUE, note, NULL, error);
}

gboolean hb_my_check_unbroken(HbSession *session, const char *table, GError **error)
{
    g_autofree char *literal = hb_my_quote_literal(table), *broken = NULL;
    g_autofree char *sql =
        g_strdup_printf("SELECT 1 FROM " HB_MY_JOURNAL_STEP " b WHERE b.emptied = %s"
                        " AND NOT EXISTS (SELECT 1 FROM " HB_MY_JOURNAL_STEP " d WHERE d.step = b.step AND d.done)"
                        " AND (b.note = CONNECTION_ID() OR b.note NOT IN (SELECT ID FROM " HB_MY_PROCESSES ")) LIMIT 1",
                        literal);

    if (!hb_my_read_text(session, sql, &broken, error))
        return FALSE;
    return broken == NULL ||
           hb_error_set(error, HB_ERROR_LEFTOVER, "begin it again with --resume, or into a new database",
                        "table %s, which has no transactions, holds a part of what broke off", table);
}

/* What the journal says is a name is read as one, and quoted again; NULL if it is none. The caller's */
static char *read_name(const char *text)
{
    const char *at = text;
    const HbToken token = hb_lexer_read_token(&hb_my_rules, &at);
    g_autofree char *name = NULL;

    if (*at != '\0' || (token.type != HB_TOKEN_NAME && token.type != HB_TOKEN_WORD))
        return NULL;
    name = hb_token_unquote(&token);
    return hb_my_quote_any_name(name);
}

/*
 * First what is done, then what was begun: if both were one statement, the server might ask for the steps of the table
 * again for each entry, and miss what it has deleted by then. What breaks off between them is begun anew
 */
static gboolean forget_chunks(HbSession *session, const char *table, GError **error)
{
    g_autofree char *done =
        g_strdup_printf("DELETE FROM " HB_MY_JOURNAL_STEP " WHERE done AND step IN"
                        " (SELECT step FROM (SELECT step FROM " HB_MY_JOURNAL_STEP " WHERE emptied = %s) AS chunks)",
                        table);
    g_autofree char *begun = g_strdup_printf("DELETE FROM " HB_MY_JOURNAL_STEP " WHERE emptied = %s", table);

    return hb_my_execute(session, done, error) && hb_my_execute(session, begun, error);
}

static gboolean empty_table(HbSession *session, const char *noted, GError **error)
{
    g_autofree char *table = read_name(noted);
    g_autofree char *literal = hb_my_quote_literal(noted);
    g_autofree char *empty = table != NULL ? g_strdup_printf("DELETE FROM %s", table) : NULL;

    if (table == NULL)
        return hb_error_set(error, HB_ERROR_BLOCKED, "restore into a new database, and see who wrote to the journal",
                            "the journal in the target names a table that is none");
    return hb_my_execute(session, empty, error) && forget_chunks(session, literal, error);
}

gboolean hb_my_empty_broken(HbSession *session, GError **error)
{
    g_autoptr(HbMyResult) result = NULL;
    MYSQL_ROW row;

    if (!enter_database(session, FALSE, error))
        return FALSE;
    result = hb_my_query(session,
                         "SELECT DISTINCT b.emptied FROM " HB_MY_JOURNAL_STEP " b WHERE b.emptied IS NOT NULL"
                         " AND NOT EXISTS (SELECT 1 FROM " HB_MY_JOURNAL_STEP " d WHERE d.step = b.step AND d.done)",
                         error);
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

    if (!enter_database(session, FALSE, error))
        return NULL;
    result =
        hb_my_query(session, "SELECT step, note FROM " HB_MY_JOURNAL_STEP " " HB_MY_ONLY_TABLES " WHERE done", error);
    if (result == NULL)
        return NULL;
    steps = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, g_free);
    while ((row = mysql_fetch_row(result)) != NULL)
        g_hash_table_insert(steps, g_strdup(row[0]), g_strdup(row[1]));
    return steps;
}

/* A digit for each key: what the expression says of its lock's name, or of the key (%s) */
static char *write_question(const HbSession *session, const GPtrArray *keys, const char *expression, gboolean of_lock)
{
    g_auto(GStrv) around = g_strsplit(expression, "%s", 2);
    GString *sql = g_string_new("SELECT CONCAT(''");

    for (guint i = 0; i < keys->len; i++) {
        g_autofree char *literal =
            of_lock ? hb_my_write_lock_name(session, keys->pdata[i]) : hb_my_quote_literal(keys->pdata[i]);
        g_string_append_printf(sql, ", COALESCE(%s%s%s, 0)", around[0], literal, around[1]);
    }
    g_string_append_c(sql, ')');
    return g_string_free(sql, FALSE);
}

static gboolean ask_of_keys(HbSession *session, const GPtrArray *keys, const char *expression, gboolean of_lock,
                            char **answer, GError **error)
{
    g_autofree char *sql = write_question(session, keys, expression, of_lock);

    *answer = NULL;
    return keys->len == 0 || hb_my_read_text(session, sql, answer, error);
}

gboolean hb_my_take_steps(HbSession *session, const GPtrArray *held, const GPtrArray *keys, HbStepClaim *states,
                          GError **error)
{
    static const char noted[] =
        "EXISTS (SELECT 1 FROM " HB_MY_JOURNAL_STEP " WHERE digest = UNHEX(LEFT(SHA2(%s, 256), 32)) AND done)";
    g_autofree char *given = NULL, *taken = NULL, *done = NULL;

    if (!ask_of_keys(session, held, "RELEASE_LOCK(%s)", TRUE, &given, error) ||
        !ask_of_keys(session, keys, "GET_LOCK(%s, 0)", TRUE, &taken, error) ||
        !ask_of_keys(session, keys, noted, FALSE, &done, error))
        return FALSE;
    for (guint i = 0; i < keys->len; i++)
        states[i] = taken[i] != '1' ? HB_CLAIM_ELSEWHERE : done[i] == '1' ? HB_CLAIM_NOTED : HB_CLAIM_OURS;
    return TRUE;
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

/* What was there before us is not ours, and must not be taken for it when the step is tried again; nor is what others
 * make that stands in a statement which the server refused as a whole */
static void forget_begun(HbSession *session, const char *key)
{
    g_autofree char *step = hb_my_quote_literal(key);
    g_autofree char *sql = g_strdup_printf("DELETE FROM " HB_MY_JOURNAL_STEP " WHERE step = %s AND NOT done", step);

    hb_my_execute(session, sql, NULL);
    hb_my_execute(session, "COMMIT", NULL);
}

/* Where there is no such role, the server would take the account of that name at any host for it */
static gboolean check_role(HbSession *session, const char *statement, GError **error)
{
    g_autofree char *role = hb_my_can(session, HB_MY_ROLES_WITHOUT_HOST) ? hb_grant_find_role(statement) : NULL;
    gboolean there = FALSE;

    if (role == NULL)
        return TRUE;
    if (!hb_my_find_role(session, role, &there, error))
        return FALSE;
    return there || hb_error_set(error, HB_ERROR_ABSENT, "create the role, or leave out with --skip what names it",
                                 "there is no role %s", role);
}

/* "ALTER TABLE t DROP INDEX IF EXISTS i" without the condition, which only MariaDB knows; NULL: there is none */
static char *drop_condition(HbSession *session, const char *sql)
{
    static const char condition[] = " IF EXISTS";
    const char *at = g_str_has_prefix(sql, "ALTER TABLE ") && !hb_my_can(session, HB_MY_DROP_PARTS_IF_THERE)
                         ? strstr(sql, " DROP ")
                         : NULL;

    at = at != NULL ? strstr(at, condition) : NULL;
    return at != NULL ? g_strdup_printf("%.*s%s", (int)(at - sql), sql, at + strlen(condition)) : NULL;
}

/* What is not there any more was dropped before */
static gboolean run_drop(HbSession *session, const char *sql, char **complaint, GError **error)
{
    g_autoptr(GError) ours = NULL;

    if (hb_my_run_statement(session, sql, complaint, &ours) || mysql_errno(session->mysql) == ER_CANT_DROP_FIELD_OR_KEY)
        return TRUE;
    g_propagate_error(error, g_steal_pointer(&ours));
    return FALSE;
}

/* A statement that was written in another character set is sent in that one, if that can be done without loss */
static gboolean run_as_written(HbSession *session, const char *sql, const char *charset, char **complaint,
                               GError **error)
{
    g_autofree char *encoded = charset != NULL ? hb_my_encode(sql, charset) : NULL;
    g_autofree char *bare = drop_condition(session, sql);
    g_autofree char *set = encoded != NULL ? g_strdup_printf("SET character_set_client = %s", charset) : NULL;

    if (bare != NULL)
        return run_drop(session, bare, complaint, error);
    return check_role(session, sql, error) && (set == NULL || hb_my_execute(session, set, error)) &&
           hb_my_run_statement(session, encoded != NULL ? encoded : sql, complaint, error);
}

/* What the session held by name is gone then, too */
static void renew(HbSession *session)
{
    const gboolean served = session->serves;

    if (hb_my_renew(session, NULL) && served)
        hb_my_serve(session, NULL);
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
        if (hb_error_is(ours, HB_ERROR_EXISTS) ||
            (i == 0 && (hb_error_is(ours, HB_ERROR_STATEMENT) || hb_error_is(ours, HB_ERROR_ABSENT))))
            forget_begun(session, key);
        g_propagate_error(error, ours);
        renew(session);
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
           hb_error_set(error, HB_ERROR_CONSTRAINT_VIOLATED,
                        "the constraint is in place; look for those rows, here and in the source", "%s", complaint);
}
