/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/postgres/target/journal.h"

#include "engine/postgres/target/own_schema.h"

#include <string.h>

/* ---- Is it ours? ---- */

/* What a journal's schema holds */
#define SHAPE                                                                                                          \
    "dump(id text, started timestamp with time zone) step(key text, note text, finished timestamp with time zone)"

gboolean hb_pg_find_journal(HbSession *session, char **dump_id, GError **error)
{
    g_autofree char *complaint = NULL;
    g_autoptr(HbResult) result = NULL;
    GError *ours = NULL;
    gboolean there;

    *dump_id = NULL;
    if (!hb_pg_inspect_schema(session, HB_PG_JOURNAL, SHAPE, &there, &complaint, error))
        return FALSE;
    if (complaint != NULL)
        return hb_error_set(
            error, HB_ERROR_BLOCKED,
            "see who made it, and drop it: DROP SCHEMA " HB_PG_JOURNAL " CASCADE; or restore as the role "
            "that began",
            "the schema " HB_PG_JOURNAL " is no journal that can be trusted, and was not read: %s", complaint);
    if (!there)
        return TRUE;
    result = hb_pg_query(session, "SELECT id FROM ONLY hornbeam_journal.dump", &ours);
    if (result != NULL && PQntuples(result) == 1)
        *dump_id = g_strdup(PQgetvalue(result, 0, 0));
    if (hb_error_is(ours, HB_ERROR_ABSENT)) /* ended between the two looks */
        g_clear_error(&ours);
    if (ours != NULL)
        g_propagate_prefixed_error(
            error, ours,
            "the database holds the unfinished restore of another role, whose journal this one may not read: ");
    return ours == NULL;
}

/* ---- Life ---- */

gboolean hb_pg_begin_journal(HbSession *session, const char *dump_id, GError **error)
{
    g_autofree char *id = hb_pg_quote_literal(session, dump_id);
    g_autofree char *sql = g_strdup_printf(
        "BEGIN; CREATE SCHEMA hornbeam_journal;"
        " CREATE TABLE hornbeam_journal.dump (id text NOT NULL, started timestamptz NOT NULL);"
        " CREATE TABLE hornbeam_journal.step (key text COLLATE \"C\" NOT NULL, note text NOT NULL,"
        "  finished timestamptz NOT NULL);"
        " CREATE UNIQUE INDEX ON hornbeam_journal.step"
        "  (hashtextextended(key, 0), hashtextextended(key, 1));"
        " ALTER TABLE hornbeam_journal.step REPLICA IDENTITY FULL;" /* a publication may be of all tables */
        " INSERT INTO hornbeam_journal.dump VALUES (%s, now())",
        id);

    if (hb_pg_execute(session, sql, error) && hb_pg_keep_schema(session, HB_PG_JOURNAL, error) &&
        hb_pg_execute(session, "COMMIT", error))
        return TRUE;
    hb_pg_execute(session, "ROLLBACK", NULL);
    g_prefix_error(error, "setting up the journal in %s: ", session->address);
    return FALSE;
}

GHashTable *hb_pg_read_journal(HbSession *session, GError **error)
{
    g_autoptr(HbResult) result = hb_pg_query(session, "SELECT key, note FROM hornbeam_journal.step", error);
    GHashTable *steps;

    if (result == NULL)
        return NULL;
    steps = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, g_free);
    for (int row = 0; row < PQntuples(result); row++)
        g_hash_table_insert(steps, g_strdup(PQgetvalue(result, row, 0)), g_strdup(PQgetvalue(result, row, 1)));
    return steps;
}

static char *write_array(HbSession *session, const GPtrArray *texts)
{
    GString *sql = g_string_new("ARRAY[");

    for (guint i = 0; i < texts->len; i++) {
        g_autofree char *literal = hb_pg_quote_literal(session, texts->pdata[i]);
        g_string_append_printf(sql, "%s%s", i > 0 ? ", " : "", literal);
    }
    g_string_append(sql, "]::text[]");
    return g_string_free(sql, FALSE);
}

/*
 * Three statements in one round trip, each of which sees what was committed before it: what the second one has locked,
 * the third one finds noted if it was. The index knows a key by two hashes; EXISTS might read the whole table instead
 */
gboolean hb_pg_take_steps(HbSession *session, const GPtrArray *held, const GPtrArray *keys, HbStepClaim *states,
                          GError **error)
{
    g_autofree char *old = write_array(session, held), *wanted = write_array(session, keys);
    g_autofree char *sql = g_strdup_printf(
        "SELECT count(pg_advisory_unlock(hashtextextended(k, 0))) FROM unnest(%s) k;"
        " SELECT set_config('hornbeam.taken', coalesce(string_agg(CASE WHEN"
        " pg_try_advisory_lock(hashtextextended(k, 0)) THEN 't' ELSE 'f' END, '' ORDER BY n), ''), false)"
        " FROM unnest(%s) WITH ORDINALITY AS u(k, n);"
        " SELECT current_setting('hornbeam.taken') AS taken, coalesce(string_agg(CASE WHEN 0 <"
        " (SELECT count(*) FROM hornbeam_journal.step s WHERE hashtextextended(s.key, 0) = hashtextextended(u.k, 0)"
        " AND hashtextextended(s.key, 1) = hashtextextended(u.k, 1) AND s.key = u.k) THEN 't' ELSE 'f' END, ''"
        " ORDER BY n), '') AS noted FROM unnest(%s) WITH ORDINALITY AS u(k, n)",
        old, wanted, wanted);
    g_autoptr(HbResult) result = keys->len > 0 || held->len > 0 ? hb_pg_query(session, sql, error) : NULL;

    for (guint i = 0; result != NULL && i < keys->len; i++)
        states[i] = hb_pg_get(result, 0, "taken")[i] != 't'   ? HB_CLAIM_ELSEWHERE
                    : hb_pg_get(result, 0, "noted")[i] == 't' ? HB_CLAIM_NOTED
                                                              : HB_CLAIM_OURS;
    return result != NULL || (keys->len == 0 && held->len == 0);
}

gboolean hb_pg_forget_steps(HbSession *session, const char *prefix, GError **error)
{
    g_autofree char *literal = hb_pg_quote_literal(session, prefix);
    g_autofree char *sql = g_strdup_printf("DELETE FROM hornbeam_journal.step WHERE starts_with(key, %s)", literal);

    return hb_pg_execute(session, sql, error);
}

/* A commit that waits for the disk takes all earlier ones with it; it must have written something */
gboolean hb_pg_settle_journal(HbSession *session, GError **error)
{
    return hb_pg_execute(session,
                         "BEGIN; SET LOCAL synchronous_commit = on;"
                         " INSERT INTO hornbeam_journal.step VALUES ('settled', '', now());"
                         " DELETE FROM hornbeam_journal.step WHERE key = 'settled'; COMMIT",
                         error);
}

/* Commits wait for the disk from here on, and this one takes all earlier ones with it */
gboolean hb_pg_end_journal(HbSession *session, GError **error)
{
    return hb_pg_execute(session, "SET synchronous_commit = on", error) &&
           hb_pg_execute(session, "DROP SCHEMA hornbeam_journal CASCADE", error);
}

/* ---- Steps ---- */

char *hb_pg_journal_entry_sql(HbSession *session, const HbJournalEntry *entry)
{
    g_autofree char *key_literal = hb_pg_quote_literal(session, entry->key);
    g_autofree char *note_literal = hb_pg_quote_literal(session, entry->note != NULL ? entry->note : "");

    return g_strdup_printf("INSERT INTO hornbeam_journal.step VALUES (%s, %s, now())", key_literal, note_literal);
}

/*
 * Several statements in one message are one transaction, so a step costs one round trip. The journal's entry comes
 * first: the step may end with other rights, or with another search_path, than it began with.
 */
gboolean hb_pg_run_step(HbSession *session, const char *sql, const char *key, const char *note, GError **error)
{
    g_autofree char *entry = hb_pg_journal_entry_sql(session, &(HbJournalEntry){key, note});
    /* The server makes a tablespace only outside of any transaction */
    if (sql != NULL && g_str_has_prefix(sql, "CREATE TABLESPACE "))
        return hb_pg_execute(session, sql, error) && hb_pg_execute(session, entry, error);
    g_autofree char *all = g_strdup_printf("%s;\n%s", entry, sql != NULL ? sql : "");

    return hb_pg_execute(session, all, error);
}
