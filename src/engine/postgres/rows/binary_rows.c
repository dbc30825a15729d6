/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/postgres/rows/binary_rows.h"

#include <string.h>

#define HEADER      "PGCOPY\n\377\r\n\0"
#define HEADER_MORE 8    /* bytes: flags, the length of what else is in the header; none is set */
#define END         (-1) /* in place of a row's count of columns */
#define NULL_VALUE  (-1) /* in place of a value's length */

/* A row that is longer goes as text, and what follows it: it would have to be held twice */
#define LONGEST_ROW (4 * 1024 * 1024)

typedef enum { BEFORE, WITHIN, ENDED } Progress;

struct HbPgBinaryRows {
    const GArray *forms;
    HbRowSource source;
    gpointer data;
    gboolean is_dry; /* the source has ended */
    Progress progress;
    guint64 count;      /* of rows in binary form */
    gboolean refused;   /* there is a row that goes as text */
    GString *begun;     /* a row's beginning from earlier blocks; after a refusal, what of the rest comes before at */
    const char *at;     /* in the source's block: what was not looked at yet */
    const char *end;    /* of the block */
    GString *binary;    /* what is given next */
    GString *unescaped; /* a value that stood in the text with escapes */
};

HbPgBinaryRows *hb_pg_binary_rows_new(const GArray *forms, HbRowSource source, gpointer data)
{
    HbPgBinaryRows *rows = g_new0(HbPgBinaryRows, 1);

    rows->forms = forms;
    rows->source = source;
    rows->data = data;
    rows->begun = g_string_new(NULL);
    rows->binary = g_string_new(NULL);
    rows->unescaped = g_string_new(NULL);
    return rows;
}

void hb_pg_binary_rows_free(HbPgBinaryRows *rows)
{
    if (rows == NULL)
        return;
    g_string_free(rows->begun, TRUE);
    g_string_free(rows->binary, TRUE);
    g_string_free(rows->unescaped, TRUE);
    g_free(rows);
}

/* ---- A value ---- */

/* What stands behind a backslash; 0: nothing that a server writes */
static char unescape(char c)
{
    static const char written[] = "bfnrtv\\", meant[] = "\b\f\n\r\t\v\\";
    const char *found = c != '\0' ? strchr(written, c) : NULL;

    return found != NULL ? meant[found - written] : '\0';
}

static gboolean take_escapes(const char *text, gsize length, GString *unescaped)
{
    g_string_truncate(unescaped, 0);
    for (const char *end = text + length; text < end;) {
        const char *escape = memchr(text, '\\', (gsize)(end - text));
        const char *plain_end = escape != NULL ? escape : end;
        g_string_append_len(unescaped, text, plain_end - text);
        if (escape == NULL)
            return TRUE;
        if (escape + 1 == end || unescape(escape[1]) == '\0')
            return FALSE;
        g_string_append_c(unescaped, unescape(escape[1]));
        text = escape + 2;
    }
    return TRUE;
}

static gboolean put_value(HbPgBinaryRows *rows, HbPgToBinary form, const char *text, gsize length, gboolean escaped)
{
    const gsize start = rows->binary->len;
    guint32 bytes;

    if (escaped && length == 2 && memcmp(text, "\\N", 2) == 0) {
        hb_pg_append_number(rows->binary, NULL_VALUE, 4);
        return TRUE;
    }
    if (escaped && !take_escapes(text, length, rows->unescaped))
        return FALSE;
    hb_pg_append_number(rows->binary, 0, 4);
    if (!(escaped ? form(rows->unescaped->str, rows->unescaped->len, rows->binary) : form(text, length, rows->binary)))
        return FALSE;
    bytes = GUINT32_TO_BE((guint32)(rows->binary->len - start - 4));
    memcpy(rows->binary->str + start, &bytes, 4);
    return TRUE;
}

/* ---- A row ---- */

/* end: at its newline. FALSE: it is refused, and nothing of it is in binary */
static gboolean put_row(HbPgBinaryRows *rows, const char *at, const char *end)
{
    const gsize start = rows->binary->len;
    const gboolean has_escapes = memchr(at, '\\', (gsize)(end - at)) != NULL;

    hb_pg_append_number(rows->binary, rows->forms->len, 2);
    for (guint i = 0; i < rows->forms->len; i++) {
        const gboolean is_last = i + 1 == rows->forms->len;
        const char *value_end = is_last ? end : memchr(at, '\t', (gsize)(end - at));
        const gsize length = value_end != NULL ? (gsize)(value_end - at) : 0;
        const gboolean escaped = has_escapes && memchr(at, '\\', length) != NULL;

        if (value_end == NULL || (is_last && memchr(at, '\t', length) != NULL) ||
            !put_value(rows, g_array_index(rows->forms, HbPgToBinary, i), at, length, escaped)) {
            g_string_truncate(rows->binary, start);
            return FALSE;
        }
        at = value_end + 1;
    }
    rows->count++;
    return TRUE;
}

/* The row that earlier blocks began, with its end from this one */
static void finish_begun(HbPgBinaryRows *rows, const char *newline)
{
    g_string_append_len(rows->begun, rows->at, newline + 1 - rows->at);
    rows->at = newline + 1;
    rows->refused = !put_row(rows, rows->begun->str, rows->begun->str + rows->begun->len - 1);
    if (!rows->refused)
        g_string_truncate(rows->begun, 0);
}

static void put_block(HbPgBinaryRows *rows)
{
    while (rows->at < rows->end && !rows->refused) {
        const char *newline = memchr(rows->at, '\n', (gsize)(rows->end - rows->at));
        if (newline == NULL) {
            g_string_append_len(rows->begun, rows->at, rows->end - rows->at);
            rows->at = rows->end;
            rows->refused = rows->begun->len > LONGEST_ROW;
        } else if (rows->begun->len > 0) {
            finish_begun(rows, newline);
        } else if (put_row(rows, rows->at, newline)) {
            rows->at = newline + 1;
        } else {
            rows->refused = TRUE;
        }
    }
}

/* ---- The whole ---- */

/* FALSE without an error: there is none any more */
static gboolean read_block(HbPgBinaryRows *rows, GError **error)
{
    const char *bytes;
    gsize length;

    if (!rows->source(rows->data, &bytes, &length, error))
        return FALSE;
    rows->is_dry = length == 0;
    if (rows->is_dry)
        return FALSE;
    rows->at = bytes;
    rows->end = bytes + length;
    return TRUE;
}

static void begin(HbPgBinaryRows *rows)
{
    g_string_append_len(rows->binary, HEADER, sizeof HEADER - 1);
    hb_pg_append_number(rows->binary, 0, HEADER_MORE);
    rows->progress = WITHIN;
}

/* A last line without its end is no row of ours */
static void end(HbPgBinaryRows *rows)
{
    rows->refused = rows->refused || rows->begun->len > 0;
    hb_pg_append_number(rows->binary, END, 2);
    rows->progress = ENDED;
}

gboolean hb_pg_binary_rows_give(gpointer data, const char **bytes, gsize *length, GError **error)
{
    HbPgBinaryRows *rows = data;
    GError *ours = NULL;

    g_string_truncate(rows->binary, 0);
    if (rows->progress == BEFORE)
        begin(rows);
    while (rows->progress == WITHIN && rows->binary->len == 0) {
        const gboolean is_block = read_block(rows, &ours);
        if (ours != NULL) {
            g_propagate_error(error, ours);
            return FALSE;
        }
        put_block(rows);
        if (!is_block || rows->refused)
            end(rows);
    }
    *bytes = rows->binary->str;
    *length = rows->binary->len;
    return TRUE;
}

/* ---- What is left ---- */

guint64 hb_pg_binary_rows_count(const HbPgBinaryRows *rows)
{
    return rows->count;
}

gboolean hb_pg_binary_rows_has_rest(const HbPgBinaryRows *rows)
{
    return rows->refused;
}

/* What was kept of earlier blocks, what was not looked at, what the source still has */
gboolean hb_pg_binary_rows_give_rest(gpointer data, const char **bytes, gsize *length, GError **error)
{
    HbPgBinaryRows *rows = data;

    if (rows->begun->len > 0) {
        *bytes = rows->begun->str;
        *length = rows->begun->len;
        rows->begun->len = 0; /* the text stays until the next call */
        return TRUE;
    }
    if (rows->at == rows->end && !rows->is_dry)
        return rows->source(rows->data, bytes, length, error);
    *bytes = rows->at;
    *length = (gsize)(rows->end - rows->at);
    rows->at = rows->end;
    return TRUE;
}
