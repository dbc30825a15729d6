/* SPDX-License-Identifier: Apache-2.0 */
#include "core/rows/key_condition.h"
#include "engine/common/change_rows.h"
#include "engine/mariadb/dialect/dialect.h"
#include "engine/mariadb/dialect/names.h"

#include "engine/mariadb/rows/delete_by_value.h"
#include "engine/mariadb/rows/encoding.h"
#include "engine/mariadb/rows/insert_rows_inner.h"
#include "engine/mariadb/target/journal.h"

#include <mysqld_error.h>
#include <string.h>

#define BATCH_BYTES    (1024 * 1024)
#define BATCH_ROWS_MAX 20000

/* A value from this size on is sent in pieces, so that it is never whole in our memory */
#define PIECES_FROM_BYTES (2 * 1024 * 1024)

/* What we send as one packet is at most this part of what the server takes: text doubles when it is escaped */
#define PACKET_DIVISOR 4

/* ---- What the decoder tells ---- */

/* Bytes of the value that is being read go to the server once there are enough of them */
static gboolean pass_bytes(HbMyLoad *load, GError **error)
{
    gsize length = load->bytes->len - load->field_at;

    if (!hb_my_load_send_piece(load, load->values->len, (const char *)load->bytes->data + load->field_at, length,
                               error))
        return FALSE;
    g_byte_array_set_size(load->bytes, (guint)load->field_at);
    return TRUE;
}

static gboolean add_bytes(gpointer data, const char *bytes, gsize length, GError **error)
{
    HbMyLoad *load = data;

    g_byte_array_append(load->bytes, (const guint8 *)bytes, (guint)length);
    if (load->bytes->len - load->field_at < load->pieces_from_bytes || !load->with_pieces)
        return TRUE;
    return (load->in_pieces || hb_my_load_begin_pieces(load, error)) && pass_bytes(load, error);
}

static gboolean end_field(gpointer data, gboolean is_null, GError **error)
{
    HbMyLoad *load = data;
    HbMyValue value = {load->field_at, load->bytes->len - load->field_at, is_null};

    if (load->in_pieces) {
        load->alone_nulls[load->values->len] = (my_bool)is_null;
        if (!is_null && !pass_bytes(load, error))
            return FALSE;
    }
    if (load->columns > 0)
        g_array_append_val(load->values, value);
    load->field_at = load->bytes->len;
    return TRUE;
}

static gboolean end_row(gpointer data, GError **error)
{
    HbMyLoad *load = data;

    if (load->in_pieces)
        return hb_my_load_end_pieces(load, error);
    load->rows++;
    return (load->bytes->len < load->batch_bytes && load->rows < BATCH_ROWS_MAX) || hb_my_load_send_batch(load, error);
}

/* ---- The whole ---- */

static gboolean pass_rows(HbMyLoad *load, HbRowSource source, gpointer data, GError **error)
{
    static const HbDecoderEvents events = {add_bytes, end_field, end_row};
    HbDecoder decoder;
    const char *bytes;
    gsize length;

    hb_decoder_init(&decoder, load->set->hex_columns->len > 0 ? load->set->hex_columns->str : NULL, load->columns,
                    &events, load);
    for (;;) {
        if (!source(data, &bytes, &length, error))
            return FALSE;
        if (length == 0)
            return hb_my_load_send_batch(load, error);
        if (!hb_decoder_add(&decoder, bytes, length, error))
            return FALSE;
    }
}

static gboolean is_transactional(HbSession *session, const char *table, gboolean *yes, GError **error)
{
    g_autoptr(HbMyResult) result =
        hb_my_query_format(session, error,
                           "SELECT e.TRANSACTIONS FROM information_schema.TABLES t JOIN information_schema.ENGINES e"
                           " ON e.ENGINE = t.ENGINE WHERE t.TABLE_SCHEMA = DATABASE() AND t.TABLE_NAME = %s",
                           table);
    MYSQL_ROW row = result != NULL ? mysql_fetch_row(result) : NULL;

    *yes = row != NULL && row[0] != NULL && strcmp(row[0], "YES") == 0;
    return result != NULL;
}

/* Is the chunk in already? */
static gboolean check_new(HbSession *session, const char *key, GError **error)
{
    g_autofree char *step = hb_my_quote_literal(key), *done = NULL;
    g_autofree char *sql = g_strdup_printf(
        "SELECT 1 FROM " HB_MY_JOURNAL_STEP " WHERE digest = UNHEX(LEFT(SHA2(%s, 256), 32)) AND done", step);

    return hb_my_read_text(session, sql, &done, error) &&
           (done == NULL || hb_error_set(error, HB_ERROR_ALREADY_DONE, NULL, "the journal has this step already"));
}

/* A server may know no arrays, or allow no prepared statements (max_prepared_stmt_count); a table may have no columns
 */
static gboolean choose_way(HbMyLoad *load, GError **error)
{
    g_autoptr(GError) ours = NULL;

    load->with_pieces = load->columns > 0;
    load->with_arrays = hb_my_can(load->session, HB_MY_BOUND_ARRAYS) && load->columns > 0;
    if (!load->with_arrays || (load->batch = hb_my_load_prepare(load, FALSE, &ours)) != NULL)
        return TRUE;
    if (load->refusal != ER_MAX_PREPARED_STMT_COUNT_REACHED) {
        g_propagate_error(error, g_steal_pointer(&ours));
        return FALSE;
    }
    load->with_arrays = load->with_pieces = FALSE;
    return TRUE;
}

static gboolean read_packet_size(HbSession *session, GError **error)
{
    g_autofree char *text = NULL;

    if (session->packet == 0 && !hb_my_read_text(session, "SELECT @@max_allowed_packet", &text, error))
        return FALSE;
    if (text != NULL)
        session->packet = MAX(g_ascii_strtoull(text, NULL, 10), 1024);
    return TRUE;
}

static void load_clear(HbMyLoad *load)
{
    g_byte_array_unref(load->bytes);
    g_array_unref(load->values);
    g_free(load->alone_nulls);
    g_free(load->forms);
    g_free(load->complaint);
    if (load->batch != NULL)
        mysql_stmt_close(load->batch);
    if (load->without_needs != NULL)
        mysql_stmt_close(load->without_needs);
}

static gboolean pass_together(HbMyLoad *load, const HbJournalEntry *entry, HbRowSource source, gpointer data,
                              GError **error)
{
    return hb_my_execute(load->session, "START TRANSACTION", error) &&
           hb_my_note_done(load->session, entry->key, entry->note, error) && pass_rows(load, source, data, error) &&
           hb_my_execute(load->session, "COMMIT", error);
}

/* A server that logs by GTIDs allows no change of such a table within a transaction */
static gboolean pass_apart(HbMyLoad *load, const HbJournalEntry *entry, HbRowSource source, gpointer data,
                           GError **error)
{
    return check_new(load->session, entry->key, error) && pass_rows(load, source, data, error) &&
           hb_my_note_done(load->session, entry->key, entry->note, error);
}

/* A table without transactions keeps what it got: an entry says that it is to be emptied, until the chunk is done */
static gboolean pass_and_note(HbMyLoad *load, const HbJournalEntry *entry, HbRowSource source, gpointer data,
                              GError **error)
{
    g_autofree char *literal = hb_my_load_quote_table(load->set);
    gboolean transactional = FALSE;

    if (!is_transactional(load->session, literal, &transactional, error))
        return FALSE;
    if (transactional)
        return pass_together(load, entry, source, data, error);
    if (!hb_my_check_unbroken(load->session, load->set->table, error) ||
        !hb_my_note_begun(load->session, entry->key, load->set->table, error))
        return FALSE;
    return hb_my_can(load->session, HB_MY_GTID_CONSISTENCY) ? pass_apart(load, entry, source, data, error)
                                                            : pass_together(load, entry, source, data, error);
}

static void load_init(HbMyLoad *load, HbSession *session, const HbRowSet *set)
{
    *load = (HbMyLoad){.session = session,
                       .set = set,
                       .columns = set->columns->len,
                       .bytes = g_byte_array_new(),
                       .values = g_array_new(FALSE, FALSE, sizeof(HbMyValue))};
}

static gboolean load_begin(HbMyLoad *load, GError **error)
{
    const gboolean ok = read_packet_size(load->session, error);

    load->batch_bytes = MIN(BATCH_BYTES, load->session->packet / PACKET_DIVISOR);
    load->pieces_from_bytes = MIN(PIECES_FROM_BYTES, load->session->packet / PACKET_DIVISOR);
    return ok && choose_way(load, error);
}

static gboolean load_end(HbMyLoad *load, gboolean ok, GError **error)
{
    if (!ok)
        hb_my_execute(load->session, "ROLLBACK", NULL);
    if (ok && load->complaint != NULL)
        ok = hb_error_set(error, HB_ERROR_CONSTRAINT_VIOLATED, NULL,
                          "the rows are in; of what is computed from them the server says: %s", load->complaint);
    load_clear(load);
    return ok;
}

gboolean hb_my_write_rows(HbSession *session, const HbRowSet *set, HbRowSource source, gpointer data,
                          const HbJournalEntry *entry, GError **error)
{
    HbMyLoad load;

    load_init(&load, session, set);
    return load_end(&load, load_begin(&load, error) && pass_and_note(&load, entry, source, data, error), error);
}

gboolean hb_my_insert_rows(HbSession *session, const HbRowSet *set, HbRowSource source, gpointer data, GError **error)
{
    HbMyLoad load;
    gboolean ok;

    load_init(&load, session, set);
    ok = load_begin(&load, error) && pass_rows(&load, source, data, error);
    load_clear(&load);
    return ok;
}

/* ---- Changing ---- */

/* Rows that have a history leave one more piece of it, which goes, too */
static gboolean take_all_away(const HbMyLoad *load, GError **error)
{
    g_autofree char *rows = g_strdup_printf("DELETE FROM %s", load->set->table);
    g_autofree char *history = g_strdup_printf("DELETE HISTORY FROM %s", load->set->table);

    return hb_my_execute(load->session, rows, error) &&
           (load->set->condition == NULL || hb_my_execute(load->session, history, error));
}

gboolean hb_my_run_delete(gpointer data, const char *sql, guint64 *count, GError **error)
{
    HbSession *session = data;

    if (!hb_my_execute(session, sql, error))
        return FALSE;
    *count = mysql_affected_rows(session->mysql);
    return TRUE;
}

static gboolean take_rows_away(const HbMyLoad *load, const HbRowChange *change, GError **error)
{
    if (change->all_go)
        return take_all_away(load, error);
    if (change->gone == NULL || change->gone->len == 0)
        return TRUE;
    if (!hb_key_condition_is_possible(load->set, change->gone))
        return hb_my_delete_by_value(load->session, load->set, change->gone, error);
    return hb_engine_delete_by_keys(load->set->table, load->set, &hb_my_dialect, change->gone, hb_my_run_delete,
                                    load->session, error);
}

static gboolean change_in_transaction(HbMyLoad *load, const HbRowChange *change, GError **error)
{
    g_autofree char *literal = hb_my_load_quote_table(load->set);
    gboolean transactional = FALSE;

    if (!is_transactional(load->session, literal, &transactional, error))
        return FALSE;
    return (!transactional || hb_my_execute(load->session, "START TRANSACTION", error)) &&
           take_rows_away(load, change, error) &&
           (change->source == NULL || pass_rows(load, change->source, change->data, error)) &&
           hb_my_execute(load->session, "COMMIT", error);
}

gboolean hb_my_change_rows(HbSession *session, const HbRowSet *set, const HbRowChange *change, GError **error)
{
    HbMyLoad load;

    load_init(&load, session, set);
    return load_end(&load, load_begin(&load, error) && change_in_transaction(&load, change, error), error);
}
