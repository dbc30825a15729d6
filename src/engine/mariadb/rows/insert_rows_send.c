/* SPDX-License-Identifier: Apache-2.0 */
#include "core/sql/lexer.h"
#include "engine/mariadb/dialect/lexical.h"
#include "engine/mariadb/dialect/names.h"
#include "engine/mariadb/dialect/show_create_parser.h"
#include "engine/mariadb/rows/insert_rows_inner.h"
#include "engine/mariadb/rows/numbers.h"

#include <mysqld_error.h>
#include <string.h>

/*
 * Three ways to the server, by what it knows and how large a value is: arrays of bound values, one round trip for a
 * batch; a statement of many rows, where there are no arrays; a row alone, its values sent in pieces. After each the
 * server must say that it took as many rows as it was given, and that it had no cause to warn.
 */

/* The table's name as a literal */
char *hb_my_load_quote_table(const HbRowSet *set)
{
    const char *at = set->table;
    HbToken token = hb_lexer_read_token(&hb_my_rules, &at);
    g_autofree char *name = hb_token_unquote(&token);

    return hb_my_quote_literal(name);
}

/* ---- Statements ---- */

static void append_columns(GString *sql, const HbRowSet *set)
{
    g_string_append_printf(sql, "INSERT INTO %s (", set->table);
    for (guint i = 0; i < set->columns->len; i++)
        g_string_append_printf(sql, "%s%s", i > 0 ? ", " : "", (const char *)set->columns->pdata[i]);
    g_string_append(sql, ") VALUES ");
}

static gboolean statement_error(HbMyLoad *load, MYSQL_STMT *statement, GError **error)
{
    guint number = mysql_stmt_errno(statement);
    g_autofree char *message = g_strdup(mysql_stmt_error(statement));

    /* A value in pieces that is too large is complained of without a number of its own */
    if (strstr(message, "max_allowed_packet") != NULL || strstr(message, "max_long_data_size") != NULL)
        number = ER_NET_PACKET_TOO_LARGE;
    return hb_my_set_error_text(load->session, number, message, error);
}

/* NULL in this column stands for its default, which no value can say */
static gboolean takes_default(const HbMyLoad *load, guint column)
{
    return load->set->hex_columns->len > 0 && load->set->hex_columns->str[column] == HB_CODING_END;
}

/* The server's arrays have a mark for defaults; a single row has not */
MYSQL_STMT *hb_my_load_prepare(HbMyLoad *load, gboolean without_needs, GError **error)
{
    g_autoptr(GString) sql = g_string_new(NULL);
    MYSQL_STMT *statement = mysql_stmt_init(load->session->mysql);

    append_columns(sql, load->set);
    for (guint c = 0; c < load->columns; c++) {
        g_string_append(sql, c > 0 ? ", " : "(");
        if (without_needs && takes_default(load, c))
            g_string_append_printf(sql, "COALESCE(?, %s)", hb_my_get_end_of_time(load->session));
        else
            g_string_append_c(sql, '?');
    }
    g_string_append_c(sql, ')');
    if (mysql_stmt_prepare(statement, sql->str, sql->len) == 0)
        return statement;
    load->refusal = mysql_stmt_errno(statement);
    statement_error(load, statement, error);
    mysql_stmt_close(statement);
    return NULL;
}

static enum enum_field_types type_of(const HbMyLoad *load, guint column)
{
    return load->set->hex_columns->len > 0 && load->set->hex_columns->str[column] == 'x' ? MYSQL_TYPE_BLOB
                                                                                         : MYSQL_TYPE_STRING;
}

/* "Data truncated for column 'x' at row 1": an enum's empty value, which stands for a mistake, is stored as it was */
static gboolean is_about_enum(HbMyLoad *load, const char *message)
{
    const char *start = strchr(message, '\''), *end = strstr(message, "' at row");
    g_autofree char *name =
        start != NULL && end > start ? g_strndup(start + 1, (gsize)(end - start) - 1) : g_strdup("");
    g_autofree char *column = hb_my_quote_literal(name), *table = hb_my_load_quote_table(load->set);
    g_autofree char *sql = g_strdup_printf("SELECT DATA_TYPE IN ('enum', 'set') FROM information_schema.COLUMNS"
                                           " WHERE TABLE_SCHEMA = DATABASE() AND TABLE_NAME = %s AND COLUMN_NAME = %s",
                                           table, column);
    g_autofree char *yes = NULL;

    return hb_my_read_text(load->session, sql, &yes, NULL) && g_strcmp0(yes, "1") == 0;
}

/* A name in a message stands as 'name', or as `database`.`table`.`name`; signs in it are not always doubled */
static gboolean is_about_ours(const HbMyLoad *load, const char *message)
{
    gboolean is_named = FALSE;

    for (guint i = 0; i < load->set->columns->len && !is_named; i++) {
        g_autofree char *name = hb_lexer_unquote_name(load->set->columns->pdata[i]),
                        *as_text = g_strdup_printf("column '%s'", name), *as_name = g_strdup_printf("`%s`", name),
                        *quoted = hb_my_quote_any_name(name);
        is_named =
            strstr(message, as_text) != NULL || strstr(message, as_name) != NULL || strstr(message, quoted) != NULL;
    }
    return is_named;
}

/*
 * A generated column, a check or a default that stumbles over a value of ours loses nothing of it: the source has
 * computed the same. Such a warning names a column that gets no value from us, or, with these numbers, none at all
 * where one about a value of ours names its column.
 */
static gboolean is_about_computed(const HbMyLoad *load, const char *number, const char *message)
{
    static const char *const of_expressions[] = {"1292", "1365", "1411", "1690", "1918", "1919", NULL};

    if (strstr(message, "column ") == NULL)
        return g_strv_contains(of_expressions, number);
    return !is_about_ours(load, message);
}

/* Outside strict mode the server stores something else where a value does not fit, and warns */
static gboolean check_warnings(HbMyLoad *load, GError **error)
{
    g_autoptr(HbMyResult) result = NULL;
    MYSQL_ROW row;

    if (mysql_warning_count(load->session->mysql) == 0)
        return TRUE;
    result = hb_my_query(load->session, "SHOW WARNINGS", error);
    while (result != NULL && (row = mysql_fetch_row(result)) != NULL) {
        if (strcmp(row[0], "Note") == 0 || (strcmp(row[1], "1265") == 0 && is_about_enum(load, row[2])))
            continue;
        if (is_about_computed(load, row[1], row[2])) {
            if (load->complaint == NULL)
                load->complaint = g_strdup_printf("%s (warning %s)", row[2], row[1]);
            continue;
        }
        return hb_error_set(error, HB_ERROR_STATEMENT, "see whether the target's column can hold the source's values",
                            "%s (warning %s)", row[2], row[1]);
    }
    return result != NULL;
}

/* The server must have taken what it was given, neither fewer rows nor more */
static gboolean check_taken(HbMyLoad *load, guint64 taken, guint64 given, GError **error)
{
    if (taken == given)
        return check_warnings(load, error);
    return hb_error_set(error, HB_ERROR_STATEMENT, "see whether something on the target changes what is inserted",
                        "the server took %" G_GUINT64_FORMAT " of %" G_GUINT64_FORMAT " rows", taken, given);
}

/* ---- The forms of columns ---- */

/* Asking costs a round trip, which a few rows are not worth */
#define FORMS_FROM_ROWS 200

static char form_of(const MYSQL_FIELD *field)
{
    switch (field->type) {
    case MYSQL_TYPE_TINY:
    case MYSQL_TYPE_SHORT:
    case MYSQL_TYPE_INT24:
    case MYSQL_TYPE_LONG:
    case MYSQL_TYPE_LONGLONG:
        return 'w';
    case MYSQL_TYPE_FLOAT:
    case MYSQL_TYPE_DOUBLE:
        return 'r';
    default:
        return 't';
    }
}

/* Without the privilege to read the table there is no answer, and everything goes as text */
static void ask_for_forms(HbMyLoad *load)
{
    g_autoptr(GString) sql = g_string_new("SELECT ");
    g_autoptr(HbMyResult) result = NULL;

    if (load->forms != NULL || load->rows < FORMS_FROM_ROWS)
        return;
    for (guint c = 0; c < load->columns; c++)
        g_string_append_printf(sql, "%s%s", c > 0 ? ", " : "", (const char *)load->set->columns->pdata[c]);
    g_string_append_printf(sql, " FROM %s LIMIT 0", load->set->table);
    result = hb_my_query(load->session, sql->str, NULL);
    load->forms = g_strnfill(load->columns, 't');
    for (guint c = 0; result != NULL && c < load->columns; c++)
        load->forms[c] = form_of(mysql_fetch_field_direct(result, c));
}

/* ---- A batch by arrays ---- */

/* One of the first three holds the values */
typedef struct {
    char **pointers;
    gint64 *whole;
    double *real;
    unsigned long *lengths; /* of pointers */
    char *indicators;
} Column;

static const HbMyValue *value_at(const HbMyLoad *load, guint row, guint column)
{
    return &g_array_index(load->values, HbMyValue, row * load->columns + column);
}

static const char *text_of(const HbMyLoad *load, const HbMyValue *value)
{
    return (const char *)load->bytes->data + value->at;
}

static void column_clear(Column *arrays)
{
    g_free(arrays->pointers);
    g_free(arrays->whole);
    g_free(arrays->real);
    g_free(arrays->lengths);
    g_free(arrays->indicators);
}

static void fill_texts(const HbMyLoad *load, guint column, Column *arrays)
{
    arrays->pointers = g_new(char *, load->rows);
    arrays->lengths = g_new(unsigned long, load->rows);
    for (guint r = 0; r < load->rows; r++) {
        const HbMyValue *value = value_at(load, r, column);
        arrays->pointers[r] = (char *)text_of(load, value);
        arrays->lengths[r] = value->length;
    }
}

/* FALSE: one of the values is none that goes as a number */
static gboolean fill_numbers(const HbMyLoad *load, guint column, Column *arrays)
{
    const gboolean is_whole = load->forms[column] == 'w';

    if (is_whole)
        arrays->whole = g_new(gint64, load->rows);
    else
        arrays->real = g_new(double, load->rows);
    for (guint r = 0; r < load->rows; r++) {
        const HbMyValue *value = value_at(load, r, column);
        const char *text = text_of(load, value);
        if (!value->is_null && !(is_whole ? hb_number_read_whole(text, value->length, &arrays->whole[r])
                                          : hb_number_read_real(text, value->length, &arrays->real[r])))
            return FALSE;
    }
    return TRUE;
}

static void fill_column(const HbMyLoad *load, guint column, Column *arrays, MYSQL_BIND *bind)
{
    const char null = takes_default(load, column) ? STMT_INDICATOR_DEFAULT : STMT_INDICATOR_NULL;
    const gboolean may_be_numbers = load->forms != NULL && load->forms[column] != 't';

    if (!may_be_numbers || !fill_numbers(load, column, arrays)) {
        g_clear_pointer(&arrays->whole, g_free);
        g_clear_pointer(&arrays->real, g_free);
        fill_texts(load, column, arrays);
    }
    arrays->indicators = g_new(char, load->rows);
    for (guint r = 0; r < load->rows; r++)
        arrays->indicators[r] = value_at(load, r, column)->is_null ? null : STMT_INDICATOR_NONE;
    bind->buffer_type = arrays->whole != NULL  ? MYSQL_TYPE_LONGLONG
                        : arrays->real != NULL ? MYSQL_TYPE_DOUBLE
                                               : type_of(load, column);
    bind->buffer = arrays->whole != NULL  ? (void *)arrays->whole
                   : arrays->real != NULL ? (void *)arrays->real
                                          : (void *)arrays->pointers;
    bind->length = arrays->lengths;
    bind->u.indicator = arrays->indicators;
}

static gboolean execute_arrays(HbMyLoad *load, MYSQL_BIND *binds, GError **error)
{
    unsigned int rows = load->rows;

    if (mysql_stmt_attr_set(load->batch, STMT_ATTR_ARRAY_SIZE, &rows) != 0 ||
        mysql_stmt_bind_param(load->batch, binds) != 0 || mysql_stmt_execute(load->batch) != 0)
        return statement_error(load, load->batch, error);
    return check_taken(load, mysql_stmt_affected_rows(load->batch), load->rows, error);
}

static gboolean send_arrays(HbMyLoad *load, GError **error)
{
    g_autofree MYSQL_BIND *binds = g_new0(MYSQL_BIND, load->columns);
    g_autofree Column *arrays = g_new0(Column, load->columns);
    gboolean ok;

    ask_for_forms(load);
    for (guint c = 0; c < load->columns; c++)
        fill_column(load, c, &arrays[c], &binds[c]);
    ok = execute_arrays(load, binds, error);
    for (guint c = 0; c < load->columns; c++)
        column_clear(&arrays[c]);
    return ok;
}

/* ---- A batch as one statement ---- */

/* Few bytes need a backslash, while hexadecimal digits would double all of them */
static void append_quoted(const HbMyLoad *load, GString *sql, const char *opening, const char *bytes, gsize length)
{
    gsize before;

    g_string_append(sql, opening);
    before = sql->len;
    g_string_set_size(sql, before + 2 * length + 1);
    g_string_set_size(sql, before + mysql_real_escape_string(load->session->mysql, sql->str + before, bytes, length));
    g_string_append_c(sql, '\'');
}

static void append_value(const HbMyLoad *load, GString *sql, guint column, const HbMyValue *value)
{
    const char *bytes = (const char *)load->bytes->data + value->at;

    if (value->is_null) {
        g_string_append(sql, takes_default(load, column) ? "DEFAULT" : "NULL");
    } else if (type_of(load, column) == MYSQL_TYPE_BLOB) {
        append_quoted(load, sql, "_binary'", bytes, value->length);
    } else {
        append_quoted(load, sql, "'", bytes, value->length);
    }
}

static gboolean send_statement(HbMyLoad *load, GError **error)
{
    g_autoptr(GString) sql = g_string_new(NULL);

    append_columns(sql, load->set);
    for (guint r = 0; r < load->rows; r++) {
        g_string_append(sql, r > 0 ? ", (" : "(");
        for (guint c = 0; c < load->columns; c++) {
            g_string_append(sql, c > 0 ? ", " : "");
            append_value(load, sql, c, &g_array_index(load->values, HbMyValue, r * load->columns + c));
        }
        g_string_append_c(sql, ')');
    }
    if (mysql_real_query(load->session->mysql, sql->str, sql->len) != 0)
        return hb_my_set_error(load->session, error);
    return check_taken(load, mysql_affected_rows(load->session->mysql), load->rows, error);
}

/* Sends the whole rows; the row that has begun stays */
gboolean hb_my_load_send_batch(HbMyLoad *load, GError **error)
{
    guint sent = load->rows * load->columns;
    gsize from;

    if (load->rows == 0)
        return TRUE;
    if (!(load->with_arrays ? send_arrays(load, error) : send_statement(load, error)))
        return FALSE;
    from = sent < load->values->len ? g_array_index(load->values, HbMyValue, sent).at : load->field_at;
    g_array_remove_range(load->values, 0, sent);
    g_byte_array_remove_range(load->bytes, 0, (guint)from);
    for (guint i = 0; i < load->values->len; i++)
        g_array_index(load->values, HbMyValue, i).at -= from;
    load->field_at -= from;
    load->rows = 0;
    return TRUE;
}

/* ---- One row in pieces ---- */

gboolean hb_my_load_send_piece(HbMyLoad *load, guint column, const char *bytes, gsize length, GError **error)
{
    return mysql_stmt_send_long_data(load->without_needs, column, bytes, length) == 0 ||
           statement_error(load, load->without_needs, error);
}

/* The values of this row that are in the batch already */
static gboolean send_earlier_values(HbMyLoad *load, GError **error)
{
    for (guint c = 0; c < load->values->len; c++) {
        const HbMyValue *value = &g_array_index(load->values, HbMyValue, c);
        load->alone_nulls[c] = (my_bool)value->is_null;
        if (!value->is_null &&
            !hb_my_load_send_piece(load, c, (const char *)load->bytes->data + value->at, value->length, error))
            return FALSE;
    }
    return TRUE;
}

static gboolean bind_alone(HbMyLoad *load, GError **error)
{
    g_autofree MYSQL_BIND *binds = g_new0(MYSQL_BIND, load->columns);

    for (guint c = 0; c < load->columns; c++) {
        binds[c].buffer_type = type_of(load, c);
        binds[c].is_null = &load->alone_nulls[c];
    }
    return mysql_stmt_bind_param(load->without_needs, binds) == 0 || statement_error(load, load->without_needs, error);
}

gboolean hb_my_load_begin_pieces(HbMyLoad *load, GError **error)
{
    if (!hb_my_load_send_batch(load, error))
        return FALSE;
    if (load->without_needs == NULL) {
        load->alone_nulls = g_new0(my_bool, load->columns);
        load->without_needs = hb_my_load_prepare(load, TRUE, error);
    }
    load->in_pieces = TRUE;
    return load->without_needs != NULL && bind_alone(load, error) && send_earlier_values(load, error);
}

gboolean hb_my_load_end_pieces(HbMyLoad *load, GError **error)
{
    load->in_pieces = FALSE;
    g_array_set_size(load->values, 0);
    g_byte_array_set_size(load->bytes, 0);
    load->field_at = 0;
    if (mysql_stmt_execute(load->without_needs) != 0)
        return statement_error(load, load->without_needs, error);
    return check_taken(load, mysql_stmt_affected_rows(load->without_needs), 1, error);
}
