/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/mariadb/log/log_reader.h"

#include "engine/mariadb/log/kept_log.h"
#include "engine/mariadb/log/logged_statements.h"
#include "engine/mariadb/log/table_layouts.h"
#include "engine/mariadb/session/session.h"

#include <string.h>

#define WAY_OUT "bring the copy up to date by comparing: freshen --by rows"

/* While nothing is logged, the server says so this often: no read waits longer */
#define HEARTBEAT_MS 20

#define FLAG_XA_MARIADB 0xc0 /* of a GTID: the transaction is prepared, or one that was is ended */
#define ROWS_END        1    /* of an event with rows: the statement's last one */

struct HbLogReader {
    HbSession *session; /* NULL in tests */
    char *database;
    GHashTable *layouts; /* names to HbMyLayout * */
    GHashTable *maps;    /* numbers of tables to Mapped * */
    gsize checksum;      /* bytes at the end of each event */
    char *file;
    guint64 byte;
    GString *position, *what;
    gboolean has_pending; /* a definition is being told, of these tables: HbRowSet *, borrowed */
    GPtrArray *pending;
    gboolean owes_commit; /* a statement that is a transaction by itself was told */
    guint32 time;         /* when */

    /* The event with rows that is being told */
    HbMyRows rows;
    HbMyRowsKind rows_kind;
    const HbMyLayout *layout; /* NULL: none is */
    const HbMyTableMap *map;
    GString *scratch, *before, *after, *key, *old_key;
    GArray *before_fields, *after_fields;
    gboolean in_transaction;
};

typedef struct {
    HbMyTableMap map;
    const HbMyLayout *layout; /* NULL: it is of no interest */
    gboolean fits;
} Mapped;

/* ---- Life ---- */

static void free_mapped(gpointer data)
{
    hb_my_table_map_clear(&((Mapped *)data)->map);
    g_free(data);
}

HbLogReader *hb_my_log_reader_new(const char *database, const char *file, GHashTable *layouts)
{
    HbLogReader *reader = g_new0(HbLogReader, 1);

    reader->database = g_strdup(database);
    reader->file = g_strdup(file);
    reader->layouts = layouts;
    reader->maps = g_hash_table_new_full(g_int64_hash, g_int64_equal, NULL, free_mapped);
    reader->position = g_string_new(NULL);
    reader->what = g_string_new(NULL);
    reader->pending = g_ptr_array_new();
    reader->scratch = g_string_new(NULL);
    reader->before = g_string_new(NULL);
    reader->after = g_string_new(NULL);
    reader->key = g_string_new(NULL);
    reader->old_key = g_string_new(NULL);
    reader->before_fields = g_array_new(FALSE, TRUE, sizeof(gsize));
    reader->after_fields = g_array_new(FALSE, TRUE, sizeof(gsize));
    return reader;
}

void hb_my_close_log(HbLogReader *reader)
{
    if (reader == NULL)
        return;
    hb_my_close(reader->session);
    g_free(reader->database);
    g_free(reader->file);
    g_clear_pointer(&reader->layouts, g_hash_table_unref);
    g_hash_table_unref(reader->maps);
    g_ptr_array_unref(reader->pending);
    GString *const texts[] = {reader->position, reader->what, reader->scratch, reader->before,
                              reader->after,    reader->key,  reader->old_key};
    for (gsize i = 0; i < G_N_ELEMENTS(texts); i++)
        g_string_free(texts[i], TRUE);
    g_array_unref(reader->before_fields);
    g_array_unref(reader->after_fields);
    g_free(reader);
}

static gboolean set_damaged(GError **error)
{
    return hb_error_set(error, HB_ERROR_DAMAGED, WAY_OUT, "the binary log has an event that cannot be understood");
}

/* ---- Positions ---- */

/* Files may grow beyond what the header's four bytes can say */
static void advance(HbLogReader *reader, const HbMyEvent *event)
{
    const guint64 high = reader->byte & ~(guint64)G_MAXUINT32;

    if (event->next == 0)
        return;
    reader->byte = high | event->next;
    if (event->next < (guint32)(reader->byte - high) || (high | event->next) < high)
        reader->byte += (guint64)1 << 32;
}

static void set_position(HbLogReader *reader, HbLogEvent *event)
{
    g_string_printf(reader->position, "%s:%" G_GUINT64_FORMAT, reader->file, reader->byte);
    event->position = reader->position->str;
}

static gboolean take_rotation(HbLogReader *reader, HbMyEvent *event, GError **error)
{
    const guint64 byte = hb_my_take_number(&event->body, 8);
    const gsize length = (gsize)(event->body.end - event->body.at);

    if (event->body.is_short || length == 0 || memchr(event->body.at, '\0', length) != NULL)
        return set_damaged(error);
    g_free(reader->file);
    reader->file = g_strndup((const char *)event->body.at, length);
    reader->byte = byte;
    return TRUE;
}

/* ---- Tables ---- */

static gboolean take_map(HbLogReader *reader, HbMyEvent *event, GError **error)
{
    Mapped *mapped = g_new0(Mapped, 1);

    if (!hb_my_read_table_map(event, &mapped->map)) {
        free_mapped(mapped);
        return set_damaged(error);
    }
    if (strcmp(mapped->map.database, reader->database) == 0)
        mapped->layout = g_hash_table_lookup(reader->layouts, mapped->map.table);
    mapped->fits = mapped->layout != NULL && hb_my_layout_fits(mapped->layout, &mapped->map);
    g_hash_table_replace(reader->maps, &mapped->map.id, mapped);
    return TRUE;
}

/* ---- Rows ---- */

static gboolean refuse_partial(const HbLogReader *reader, GError **error)
{
    return hb_error_set(error, HB_ERROR_BLOCKED, WAY_OUT "; and have that session log whole rows (binlog_row_image)",
                        "a session has logged changes of %s in part only", reader->layout->set->table);
}

static gboolean begin_rows(HbLogReader *reader, HbMyEvent *event, gboolean *has_event, HbLogEvent *told, GError **error)
{
    const Mapped *mapped;

    reader->layout = NULL;
    if (!hb_my_read_rows_head(event, &reader->rows))
        return set_damaged(error);
    mapped = g_hash_table_lookup(reader->maps, &reader->rows.table_id);
    if (mapped == NULL || mapped->layout == NULL)
        return mapped != NULL || set_damaged(error);
    reader->in_transaction = TRUE;
    if (!mapped->fits) {
        g_string_printf(reader->what, "table %s has other columns than its catalog says", mapped->layout->set->table);
        *told = (HbLogEvent){.kind = HB_LOG_STRUCTURE, .set = mapped->layout->set, .what = reader->what->str};
        *has_event = TRUE;
        return TRUE;
    }
    reader->layout = mapped->layout;
    reader->map = &mapped->map;
    reader->rows_kind = hb_my_get_rows_kind(event->type);
    return reader->rows.is_whole || refuse_partial(reader, error);
}

static void write_key(GString *key, const HbRowSet *set, const GString *row, const GArray *fields)
{
    g_string_truncate(key, 0);
    for (guint i = 0; i < set->key->len; i++) {
        const guint field = g_array_index(set->key, guint, i);
        if (i > 0)
            g_string_append_c(key, '\t');
        g_string_append_len(key, row->str + g_array_index(fields, gsize, 2 * field),
                            (gssize)g_array_index(fields, gsize, 2 * field + 1));
    }
}

static gboolean read_image(HbLogReader *reader, GString *row, GArray *fields, GString *key, GError **error)
{
    const HbMyLayout *layout = reader->layout;

    if (!hb_my_read_image(&reader->rows, reader->map, layout->columns, layout->set->columns->len, reader->scratch, row,
                          fields))
        return set_damaged(error);
    g_string_append_c(row, '\n');
    write_key(key, layout->set, row, fields);
    return TRUE;
}

static void tell_after(const HbLogReader *reader, HbLogEvent *event)
{
    event->row = reader->after->str;
    event->row_length = reader->after->len;
    event->key = reader->key->str;
    event->key_length = reader->key->len;
}

/* The next row of an event that was begun */
static gboolean tell_row(HbLogReader *reader, gboolean *has_event, HbLogEvent *event, GError **error)
{
    *has_event = reader->layout != NULL && reader->rows.left.at < reader->rows.left.end;
    if (!*has_event) {
        reader->layout = NULL;
        return TRUE;
    }
    *event = (HbLogEvent){.set = reader->layout->set, .key_places = reader->layout->set->key};
    if (reader->rows_kind == HB_MY_ROWS_DELETE) {
        event->kind = HB_LOG_DELETED;
        if (!read_image(reader, reader->before, reader->before_fields, reader->key, error))
            return FALSE;
        event->key = reader->key->str;
        event->key_length = reader->key->len;
        return TRUE;
    }
    event->kind = HB_LOG_INSERTED;
    if (reader->rows_kind == HB_MY_ROWS_UPDATE) {
        event->kind = HB_LOG_UPDATED;
        if (!read_image(reader, reader->before, reader->before_fields, reader->old_key, error))
            return FALSE;
        event->old_key = reader->old_key->str;
        event->old_key_length = reader->old_key->len;
    }
    if (!read_image(reader, reader->after, reader->after_fields, reader->key, error))
        return FALSE;
    tell_after(reader, event);
    event->old_key = reader->rows_kind == HB_MY_ROWS_UPDATE ? reader->old_key->str : NULL;
    return TRUE;
}

/* ---- Statements ---- */

/* The log has whole seconds only: it was before the end of that one */
static void tell_commit(HbLogReader *reader, guint32 time, gboolean *has_event, HbLogEvent *told)
{
    reader->in_transaction = FALSE;
    reader->owes_commit = FALSE;
    g_hash_table_remove_all(reader->maps);
    *told = (HbLogEvent){.kind = HB_LOG_COMMIT, .time_us = ((gint64)time + 1) * G_USEC_PER_SEC - 1};
    set_position(reader, told);
    *has_event = TRUE;
}

static gboolean runs_in_ours(const HbLogReader *reader, const HbMyLoggedQuery *query)
{
    return query->database_length == strlen(reader->database) &&
           memcmp(query->database, reader->database, query->database_length) == 0;
}

/* Tables that the statement names, wherever: one of them more does no harm. Does it name the database? */
static gboolean look_for_ours(HbLogReader *reader, const char *text)
{
    gboolean is_named = FALSE;
    HbToken token;

    g_ptr_array_set_size(reader->pending, 0);
    while ((token = hb_my_next(&text)).type != HB_TOKEN_END) {
        const HbMyLayout *layout;
        g_autofree char *name = NULL;
        if (!hb_my_token_is_name(&token))
            continue;
        name = hb_token_unquote(&token);
        is_named |= strcmp(name, reader->database) == 0;
        layout = g_hash_table_lookup(reader->layouts, name);
        if (layout != NULL && !g_ptr_array_find(reader->pending, layout->set, NULL))
            g_ptr_array_add(reader->pending, (gpointer)layout->set);
    }
    return is_named;
}

/* Each of the tables that a definition names is told, and then that something has changed, with the place behind it */
static void tell_pending(HbLogReader *reader, HbLogEvent *event)
{
    *event = (HbLogEvent){.kind = HB_LOG_STRUCTURE, .what = reader->what->str};
    reader->has_pending = reader->pending->len > 0;
    if (reader->has_pending)
        event->set = g_ptr_array_steal_index(reader->pending, reader->pending->len - 1);
    set_position(reader, event);
}

static void tell_definition(HbLogReader *reader, const char *text, gboolean *has_event, HbLogEvent *told)
{
    g_autofree char *shown = hb_my_dialect.hide_secrets(text);

    g_string_printf(reader->what, "the structure has changed (%.60s)", shown);
    tell_pending(reader, told);
    *has_event = TRUE;
}

static void tell_emptied(HbLogReader *reader, const HbMyEvent *event, const HbMyLayout *layout, gboolean *has_event,
                         HbLogEvent *told)
{
    if (layout == NULL) {
        tell_commit(reader, event->time, has_event, told);
        return;
    }
    *told = (HbLogEvent){.kind = HB_LOG_EMPTIED, .set = layout->set, .key_places = layout->set->key};
    reader->owes_commit = TRUE;
    reader->time = event->time;
    *has_event = TRUE;
}

/* Not all of it: its values are nobody's business */
static gboolean refuse_statement(const char *text, GError **error)
{
    const HbToken verb = hb_my_next(&text);

    return hb_error_set(error, HB_ERROR_BLOCKED, WAY_OUT "; and see that all sessions log rows (binlog_format)",
                        "a session has logged a change of rows as a statement (%.*s)", (int)verb.length, verb.start);
}

static gboolean refuse_undoing(GError **error)
{
    return hb_error_set(error, HB_ERROR_BLOCKED, WAY_OUT,
                        "the binary log has a transaction that was prepared, or rolled back in part");
}

static gboolean take_statement(HbLogReader *reader, const HbMyEvent *event, gboolean is_inside, const char *text,
                               gboolean *has_event, HbLogEvent *told, GError **error)
{
    g_autofree char *table = NULL;

    switch (hb_my_judge_statement(text)) {
    case HB_MY_STATEMENT_CHANGES_ROWS:
        return refuse_statement(text, error);
    case HB_MY_STATEMENT_EMPTIES:
        table = hb_my_find_truncated(text, is_inside, reader->database);
        tell_emptied(reader, event, table != NULL ? g_hash_table_lookup(reader->layouts, table) : NULL, has_event,
                     told);
        return TRUE;
    default:
        tell_definition(reader, text, has_event, told);
        return TRUE;
    }
}

static gboolean take_query(HbLogReader *reader, HbMyEvent *event, gboolean *has_event, HbLogEvent *told, GError **error)
{
    HbMyLoggedQuery query;
    g_autofree char *text = NULL;
    gboolean is_inside;

    if (!hb_my_read_query(event, &query))
        return set_damaged(error);
    text = g_strndup(query.text, query.text_length);
    switch (hb_my_judge_statement(text)) {
    case HB_MY_STATEMENT_COMMITS:
        tell_commit(reader, event->time, has_event, told);
        return TRUE;
    case HB_MY_STATEMENT_UNDOES:
        return !reader->in_transaction || refuse_undoing(error);
    case HB_MY_STATEMENT_PREPARES:
        return refuse_undoing(error);
    case HB_MY_STATEMENT_IS_NOTHING:
        return TRUE;
    default:
        is_inside = runs_in_ours(reader, &query);
        return (!look_for_ours(reader, text) && !is_inside) ||
               take_statement(reader, event, is_inside, text, has_event, told, error);
    }
}

/* ---- Events ---- */

static gboolean refuse_form(const char *what, const char *todo, GError **error)
{
    return hb_error_set(error, HB_ERROR_BLOCKED, todo, "the binary log has %s, which is not read", what);
}

static gboolean take_gtid(const HbMyEvent *event, GError **error)
{
    HbMyBytesLeft body = event->body;

    hb_my_take_number(&body, 8 + 4);
    if ((hb_my_take_number(&body, 1) & FLAG_XA_MARIADB) == 0)
        return TRUE;
    return refuse_form("a transaction that was prepared (XA)", WAY_OUT, error);
}

static gboolean take_event(HbLogReader *reader, HbMyEvent *event, gboolean *has_event, HbLogEvent *told, GError **error)
{
    if (hb_my_get_rows_kind(event->type) != HB_MY_ROWS_NONE)
        return begin_rows(reader, event, has_event, told, error);
    switch (event->type) {
    case HB_MY_EVENT_TABLE_MAP:
        return take_map(reader, event, error);
    case HB_MY_EVENT_XID:
        tell_commit(reader, event->time, has_event, told);
        return TRUE;
    case HB_MY_EVENT_QUERY:
        return take_query(reader, event, has_event, told, error);
    case HB_MY_EVENT_GTID_MARIADB:
        return take_gtid(event, error);
    case HB_MY_EVENT_XA_PREPARE:
        return refuse_form("a transaction that was prepared (XA)", WAY_OUT, error);
    case HB_MY_EVENT_PARTIAL_ROWS:
        return refuse_form("JSON values that were changed in part",
                           WAY_OUT "; and SET GLOBAL binlog_row_value_options = ''", error);
    case HB_MY_EVENT_PAYLOAD:
        return refuse_form("a compressed transaction", WAY_OUT "; and SET GLOBAL binlog_transaction_compression = OFF",
                           error);
    default:
        if (event->type >= HB_MY_EVENT_QUERY_PACKED && event->type <= HB_MY_EVENT_DELETE_PACKED)
            return refuse_form("compressed events", WAY_OUT "; and SET GLOBAL log_bin_compress = OFF", error);
        return TRUE;
    }
}

/* Those that the server makes up (0x20) have no place of their own */
#define FLAG_ARTIFICIAL 0x20

gboolean hb_my_log_reader_take(HbLogReader *reader, const guint8 *bytes, gsize length, gboolean *has_event,
                               HbLogEvent *event, GError **error)
{
    HbMyEvent read;

    *has_event = FALSE;
    *event = (HbLogEvent){.kind = HB_LOG_NOTHING};
    if (!hb_my_read_event(bytes, length, reader->checksum, &read))
        return set_damaged(error);
    if (read.type == HB_MY_EVENT_ROTATE)
        return take_rotation(reader, &read, error);
    if (read.type == HB_MY_EVENT_FORMAT) {
        reader->checksum = hb_my_read_checksum_size(bytes, length);
        return TRUE;
    }
    if (read.type == HB_MY_EVENT_HEARTBEAT) {
        if (!reader->in_transaction)
            advance(reader, &read);
        set_position(reader, event);
        *has_event = TRUE;
        return TRUE;
    }
    if ((read.flags & FLAG_ARTIFICIAL) == 0)
        advance(reader, &read);
    return take_event(reader, &read, has_event, event, error);
}

/* ---- The stream ---- */

static gboolean set_refusal(HbLogReader *reader, const guint8 *packet, gsize length, GError **error)
{
    const guint number = length > 2 ? (guint)(packet[1] | packet[2] << 8) : 0;
    const gsize skip = length > 9 && packet[3] == '#' ? 9 : 3;
    g_autofree char *message =
        length > skip ? g_strndup((const char *)packet + skip, length - skip) : g_strdup("no reason was given");

    if (number == 1227 || number == 1045)
        return hb_error_set(error, HB_ERROR_RIGHTS, "an administrator can run: GRANT REPLICATION SLAVE ON *.* TO ...",
                            "%s does not let its log be read: %s", reader->session->address, message);
    if (number == 1236)
        return hb_error_set(error, HB_ERROR_BLOCKED, WAY_OUT, "the binary log cannot be read from there: %s", message);
    return hb_my_set_error_text(reader->session, number, message, error);
}

static gboolean receive(HbLogReader *reader, const guint8 **bytes, gsize *length, GError **error)
{
    MYSQL *mysql = reader->session->mysql;
    const unsigned long size = mysql_net_read_packet(mysql);
    const guint8 *packet = mysql->net.read_pos;

    if (size == packet_error)
        return hb_my_set_error(reader->session, error);
    if (size > 0 && packet[0] == 0xff)
        return set_refusal(reader, packet, size, error);
    if (size == 0 || (packet[0] == 0xfe && size < 9))
        return hb_error_set(error, HB_ERROR_LOST, "see whether the server runs", "%s has ended the stream of its log",
                            reader->session->address);
    *bytes = packet + 1;
    *length = size - 1;
    return TRUE;
}

gboolean hb_my_log_reader_tell(HbLogReader *reader, gboolean *has_event, HbLogEvent *event, GError **error)
{
    *has_event = reader->has_pending || reader->owes_commit;
    if (!*has_event)
        return tell_row(reader, has_event, event, error);
    if (reader->owes_commit)
        tell_commit(reader, reader->time, has_event, event);
    else
        tell_pending(reader, event);
    return TRUE;
}

gboolean hb_my_next_change(HbLogReader *reader, guint wait_ms, HbLogEvent *event, GError **error)
{
    gboolean has_event = FALSE;

    (void)wait_ms; /* the server says often enough that there is nothing */
    if (!hb_my_log_reader_tell(reader, &has_event, event, error))
        return FALSE;
    while (!has_event) {
        const guint8 *bytes = NULL;
        gsize length = 0;
        if (!receive(reader, &bytes, &length, error) ||
            !hb_my_log_reader_take(reader, bytes, length, &has_event, event, error) ||
            (!has_event && !hb_my_log_reader_tell(reader, &has_event, event, error)))
            return FALSE;
    }
    return TRUE;
}

/* The server keeps nothing for us, and does not ask whether we live */
gboolean hb_my_confirm_log(HbLogReader *reader, const char *position, GError **error)
{
    (void)reader;
    (void)position;
    (void)error;
    return TRUE;
}

/* ---- Opening ---- */

/* The server cuts an older reader with the same number: one that nobody else has */
static guint32 choose_number(void)
{
    return g_random_int() | 0x40000000u;
}

static gboolean start(HbLogReader *reader, const char *file, guint64 byte, GError **error)
{
    g_autofree char *beat = g_strdup_printf("SET @master_heartbeat_period = %d, @source_heartbeat_period = %d",
                                            HEARTBEAT_MS * 1000000, HEARTBEAT_MS * 1000000);
    MYSQL *mysql = reader->session->mysql;
    g_autoptr(GByteArray) command = g_byte_array_new();
    const guint32 number = choose_number();
    const guint8 head[] = {(guint8)byte,   (guint8)(byte >> 8),   (guint8)(byte >> 16),   (guint8)(byte >> 24),  0, 0,
                           (guint8)number, (guint8)(number >> 8), (guint8)(number >> 16), (guint8)(number >> 24)};

    if (byte > G_MAXUINT32)
        return hb_error_set(error, HB_ERROR_BLOCKED, WAY_OUT,
                            "the position %s:%" G_GUINT64_FORMAT " is beyond what a server can be asked for", file,
                            byte);
    if (!hb_my_execute(reader->session, "SET @master_binlog_checksum = 'NONE', @source_binlog_checksum = 'NONE'",
                       error) ||
        !hb_my_execute(reader->session, "SET @mariadb_slave_capability = 4", error) ||
        !hb_my_execute(reader->session, beat, error))
        return FALSE;
    g_byte_array_append(command, head, sizeof head);
    g_byte_array_append(command, (const guint8 *)file, (guint)strlen(file));
    reader->byte = byte;
    return mysql->methods->db_command(mysql, COM_BINLOG_DUMP, (const char *)command->data, command->len, 1, 0) == 0 ||
           hb_my_set_error(reader->session, error);
}

HbLogReader *hb_my_open_log(const HbAddress *address, const char *name, const char *position, const GPtrArray *tables,
                            GError **error)
{
    g_autofree char *file = NULL;
    guint64 byte = 0;
    HbSession *session;
    GHashTable *layouts;
    HbLogReader *reader;

    (void)name;
    if (!hb_my_split_position(position, &file, &byte)) {
        hb_error_set(error, HB_ERROR_BLOCKED, WAY_OUT, "“%s” is no position in a binary log", position);
        return NULL;
    }
    session = hb_my_open(address, error);
    layouts = session != NULL ? hb_my_read_layouts(session, tables, error) : NULL;
    if (layouts == NULL) {
        hb_my_close(session);
        return NULL;
    }
    reader = hb_my_log_reader_new(session->database, file, layouts);
    reader->session = session;
    if (!start(reader, file, byte, error))
        g_clear_pointer(&reader, hb_my_close_log);
    return reader;
}
