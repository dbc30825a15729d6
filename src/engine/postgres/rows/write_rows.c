/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/postgres/dialect/large_objects.h"
#include "engine/postgres/rows/binary_rows.h"
#include "engine/postgres/rows/rows.h"
#include "engine/postgres/rows/rows_inner.h"
#include "engine/postgres/session/copy_data.h"
#include "engine/postgres/target/journal.h"
#include "sql.h"

/* sent: NULL if they are counted elsewhere */
static gboolean send_rows(HbSession *session, HbRowSource source, gpointer data, HbPgRowsSent *sent, GError **error)
{
    const char *bytes;
    gsize length;

    for (;;) {
        if (!source(data, &bytes, &length, error))
            return FALSE;
        if (length == 0)
            return TRUE;
        if (sent != NULL)
            hb_pg_rows_sent_add(sent, bytes, length);
        if (PQputCopyData(session->conn, bytes, (int)length) != 1)
            return hb_pg_set_error(session, NULL, error);
    }
}

/* The server's complaint, if it has one, tells more than ours */
static gboolean give_up(HbSession *session, GError **error)
{
    g_autoptr(GError) servers = NULL;

    PQputCopyEnd(session->conn, "the rows cannot be read");
    hb_pg_finish_copy(session, NULL, &servers);
    if (error != NULL && hb_error_is(*error, HB_ERROR_LOST) && servers != NULL) {
        g_clear_error(error);
        g_propagate_error(error, g_steal_pointer(&servers));
    }
    return FALSE;
}

static gboolean commit(HbSession *session, const HbRowSet *set, GError **error)
{
    if (hb_pg_is_large_objects(set) && !hb_pg_execute(session, hb_pg_take_large_objects_sql, error))
        return FALSE;
    return hb_pg_execute(session, "COMMIT", error);
}

/*
 * An extension has its tables complete from the beginning, with foreign keys, and what refers to each other cannot come
 * one after the other. All of it was read from one moment, in which the keys held
 */
static char *leave_keys_unchecked(HbSession *session, const HbRowSet *set)
{
    g_autofree char *table = hb_pg_quote_literal(session, set->table);

    return g_strdup_printf("SELECT set_config('session_replication_role', 'replica', true)"
                           " WHERE current_setting('is_superuser') = 'on' AND EXISTS (SELECT FROM pg_depend"
                           " WHERE classid = 'pg_class'::regclass AND objid = to_regclass(%s) AND deptype = 'e')",
                           table);
}

static char *copy_statement(const HbRowSet *set, gboolean binary)
{
    g_autofree char *list = hb_pg_make_column_list(set);

    return g_strdup_printf("COPY %s%s FROM STDIN%s", set->table, list, hb_pg_get_form(binary));
}

/* The journal's entry comes first: it waits for another session that is just doing the same */
static char *begin_statement(HbSession *session, const HbRowSet *set, gboolean binary, const HbJournalEntry *noted)
{
    g_autofree char *entry = hb_pg_journal_entry_sql(session, noted);
    g_autofree char *copy = NULL, *unchecked = NULL;

    if (hb_pg_is_large_objects(set))
        return g_strdup_printf("BEGIN; %s; %s", entry, hb_pg_begin_large_objects_sql);
    copy = copy_statement(set, binary);
    unchecked = leave_keys_unchecked(session, set);
    return g_strdup_printf("BEGIN; %s; %s; %s", entry, unchecked, copy);
}

/* The server must have taken what it was given, neither fewer rows nor more */
static gboolean check_taken(const HbRowSet *set, guint64 taken, guint64 sent, GError **error)
{
    return taken == sent ||
           hb_error_set(error, HB_ERROR_STATEMENT, "see whether something on the target changes what is inserted",
                        "%s took %" G_GUINT64_FORMAT " of %" G_GUINT64_FORMAT " rows", set->table, taken, sent);
}

static gboolean copy(HbSession *session, const char *sql, HbRowSource source, gpointer data, HbPgRowsSent *sent,
                     guint64 *taken, GError **error)
{
    g_autoptr(HbResult) result = PQexec(session->conn, sql);

    *taken = 0;
    if (PQresultStatus(result) != PGRES_COPY_IN)
        return hb_pg_set_error(session, result, error);
    if (!send_rows(session, source, data, sent, error))
        return give_up(session, error);
    if (PQputCopyEnd(session->conn, NULL) != 1)
        return hb_pg_set_error(session, NULL, error);
    return hb_pg_finish_copy(session, taken, error);
}

gboolean hb_pg_copy_into(HbSession *session, const HbRowSet *set, const char *sql, HbRowSource source, gpointer data,
                         GError **error)
{
    HbPgRowsSent sent;
    guint64 taken;

    hb_pg_rows_sent_init(&sent, set->binary);
    return copy(session, sql, source, data, &sent, &taken, error) && check_taken(set, taken, sent.rows, error);
}

static gboolean roll_back(HbSession *session)
{
    hb_pg_execute(session, "ROLLBACK", NULL);
    return FALSE;
}

gboolean hb_pg_copy_in(HbSession *session, const HbRowSet *set, const char *sql, HbRowSource source, gpointer data,
                       GError **error)
{
    return hb_pg_copy_into(session, set, sql, source, data, error) || roll_back(session);
}

gboolean hb_pg_commit_copy(HbSession *session, const HbRowSet *set, GError **error)
{
    return commit(session, set, error) || roll_back(session);
}

/* ---- In binary form, where all columns have one that is the same for all versions ---- */

/* Rows that are fewer are sent sooner than their table's types are looked up */
#define FEWEST_BYTES (64 * 1024)

/* The source, of which the first block has been read */
typedef struct {
    HbRowSource source;
    gpointer data;
    const char *bytes; /* what was read, and not given yet */
    gsize length;
} Opened;

static gboolean give_opened(gpointer data, const char **bytes, gsize *length, GError **error)
{
    Opened *opened = data;

    if (opened->length == 0)
        return opened->source(opened->data, bytes, length, error);
    *bytes = opened->bytes;
    *length = opened->length;
    opened->length = 0;
    return TRUE;
}

/* By columns of the row set. NULL: one of them has none, or it cannot be told */
static GArray *find_forms(HbSession *session, const HbRowSet *set)
{
    const char *const parameters[] = {set->table};
    g_autoptr(HbResult) result = hb_pg_query_with(session, hb_sql_receivers, 1, parameters, NULL);
    g_autoptr(GHashTable) receivers = g_hash_table_new(g_str_hash, g_str_equal);
    g_autoptr(GArray) forms = g_array_new(FALSE, FALSE, sizeof(HbPgToBinary));

    for (int i = 0; result != NULL && i < PQntuples(result); i++)
        g_hash_table_insert(receivers, PQgetvalue(result, i, 0), PQgetvalue(result, i, 1));
    for (guint i = 0; i < set->columns->len; i++) {
        const char *receiver = g_hash_table_lookup(receivers, set->columns->pdata[i]);
        HbPgToBinary form = receiver != NULL ? hb_pg_find_value_form(receiver) : NULL;
        if (form == NULL)
            return NULL;
        g_array_append_val(forms, form);
    }
    return g_steal_pointer(&forms);
}

static gboolean may_be_binary(const HbSession *session, const HbRowSet *set, const Opened *opened)
{
    const char *whole_times = PQparameterStatus(session->conn, "integer_datetimes");

    return opened->length >= FEWEST_BYTES && !set->binary && set->columns->len > 0 && !hb_pg_is_large_objects(set) &&
           g_strcmp0(whole_times, "on") == 0;
}

static gboolean copy_in_binary(HbSession *session, const HbRowSet *set, const GArray *forms, Opened *opened,
                               const HbJournalEntry *entry, GError **error)
{
    g_autoptr(HbPgBinaryRows) rows = hb_pg_binary_rows_new(forms, give_opened, opened);
    g_autofree char *rest = copy_statement(set, FALSE), *sql = begin_statement(session, set, TRUE, entry);
    guint64 taken;

    if (!copy(session, sql, hb_pg_binary_rows_give, rows, NULL, &taken, error) ||
        !check_taken(set, taken, hb_pg_binary_rows_count(rows), error))
        return roll_back(session);
    return !hb_pg_binary_rows_has_rest(rows) ||
           hb_pg_copy_in(session, set, rest, hb_pg_binary_rows_give_rest, rows, error);
}

static gboolean copy_in_text(HbSession *session, const HbRowSet *set, Opened *opened, const HbJournalEntry *entry,
                             GError **error)
{
    g_autofree char *sql = begin_statement(session, set, set->binary, entry);

    return hb_pg_copy_in(session, set, sql, give_opened, opened, error);
}

gboolean hb_pg_write_rows(HbSession *session, const HbRowSet *set, HbRowSource source, gpointer data,
                          const HbJournalEntry *entry, GError **error)
{
    Opened opened = {.source = source, .data = data};
    g_autoptr(GArray) forms = NULL;

    if (!source(data, &opened.bytes, &opened.length, error))
        return FALSE;
    forms = may_be_binary(session, set, &opened) ? find_forms(session, set) : NULL;
    return (forms != NULL ? copy_in_binary(session, set, forms, &opened, entry, error)
                          : copy_in_text(session, set, &opened, entry, error)) &&
           hb_pg_commit_copy(session, set, error);
}
