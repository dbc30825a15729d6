/* SPDX-License-Identifier: Apache-2.0 */
#include "core/rows/insert_writer.h"

#include "core/rows/row_text.h"

/*
 *     AT_ROW --> AT_FIELD --'\'--> AT_ESCAPE --'N'--> MAYBE_NULL --tab, line end--> (NULL)
 *                   \----------------\---------------------\-------> IN_FIELD <--> IN_ESCAPE
 */
typedef enum { AT_ROW, AT_FIELD, AT_ESCAPE, MAYBE_NULL, IN_FIELD, IN_ESCAPE } State;

struct HbInsertWriter {
    const HbRowSet *set;
    char *head; /* INSERT INTO ... VALUES */
    const HbDialect *dialect;
    guint rows_each;
    guint rows; /* of the open statement */
    guint field;
    State state;
};

HbInsertWriter *hb_insert_writer_new(const HbRowSet *set, const char *table, const HbDialect *dialect, guint rows_each)
{
    HbInsertWriter *rows = g_new0(HbInsertWriter, 1);
    g_autoptr(GString) head = g_string_new(NULL);

    g_string_append_printf(head, "INSERT INTO %s (", table != NULL ? table : set->table);
    for (guint c = 0; c < set->columns->len; c++)
        g_string_append_printf(head, "%s%s", c > 0 ? ", " : "", (const char *)set->columns->pdata[c]);
    g_string_append_printf(head, ")%s VALUES\n", dialect->insert_override);
    if (set->columns->len == 0)
        g_string_printf(head, "INSERT INTO %s DEFAULT VALUES", set->table);
    rows->set = set;
    rows->head = g_strdup(head->str);
    rows->dialect = dialect;
    rows->rows_each = set->columns->len > 0 ? rows_each : 1;
    return rows;
}

void hb_insert_writer_free(HbInsertWriter *rows)
{
    if (rows == NULL)
        return;
    g_free(rows->head);
    g_free(rows);
}

static char coding_of(const HbInsertWriter *rows)
{
    return rows->field < rows->set->hex_columns->len ? rows->set->hex_columns->str[rows->field] : 't';
}

static void begin_row(HbInsertWriter *rows, GString *sql)
{
    g_string_append(sql, rows->rows == 0 ? rows->head : ",\n");
    if (rows->set->columns->len > 0)
        g_string_append_c(sql, '(');
    rows->rows++;
    rows->field = 0;
    rows->state = AT_FIELD;
}

static void begin_text(HbInsertWriter *rows, GString *sql)
{
    g_string_append(sql, coding_of(rows) == 'x' ? "x'" : "'");
    rows->state = IN_FIELD;
}

static void end_statement(HbInsertWriter *rows, GString *sql)
{
    if (rows->rows > 0)
        g_string_append(sql, ";\n");
    rows->rows = 0;
}

static void end_field(HbInsertWriter *rows, GString *sql, char byte)
{
    gboolean has_columns = rows->set->columns->len > 0;

    if (rows->state == MAYBE_NULL)
        g_string_append(sql, coding_of(rows) == 'd' ? "DEFAULT" : "NULL");
    else if (rows->state == AT_FIELD && has_columns)
        g_string_append(sql, "''");
    else if (rows->state == IN_FIELD)
        g_string_append_c(sql, '\'');
    if (byte == '\t') {
        g_string_append(sql, ", ");
        rows->field++;
        rows->state = AT_FIELD;
        return;
    }
    if (has_columns)
        g_string_append_c(sql, ')');
    rows->state = AT_ROW;
    if (rows->rows == rows->rows_each)
        end_statement(rows, sql);
}

/* A field that began like NULL, and is none, is text after all */
static void add_inside(HbInsertWriter *rows, GString *sql, char byte)
{
    State state = rows->state;

    if (state == AT_FIELD && byte == '\\') {
        rows->state = AT_ESCAPE;
        return;
    }
    if (state == AT_ESCAPE && byte == 'N') {
        rows->state = MAYBE_NULL;
        return;
    }
    if (state == AT_FIELD || state == AT_ESCAPE || state == MAYBE_NULL)
        begin_text(rows, sql);
    if (state == MAYBE_NULL)
        g_string_append_c(sql, 'N');
    if (state == AT_ESCAPE || state == IN_ESCAPE) {
        rows->dialect->append_literal_byte(sql, hb_row_text_unescape(byte));
        rows->state = IN_FIELD;
    } else if (byte == '\\') {
        rows->state = IN_ESCAPE;
    } else {
        rows->dialect->append_literal_byte(sql, byte);
    }
}

void hb_insert_writer_add(HbInsertWriter *rows, const char *bytes, gsize length, GString *sql)
{
    for (gsize i = 0; i < length; i++) {
        if (rows->state == AT_ROW)
            begin_row(rows, sql);
        if (bytes[i] == '\t' || bytes[i] == '\n')
            end_field(rows, sql, bytes[i]);
        else
            add_inside(rows, sql, bytes[i]);
    }
}

void hb_insert_writer_end(HbInsertWriter *rows, GString *sql)
{
    end_statement(rows, sql);
}
