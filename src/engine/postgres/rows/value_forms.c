/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/postgres/rows/value_forms.h"

#include "engine/postgres/rows/value_forms_inner.h"

/* ---- Texts: the server checks them as it checks text ---- */

static gboolean put_text(const char *text, gsize length, GString *binary)
{
    g_string_append_len(binary, text, (gssize)length);
    return TRUE;
}

#define JSONB_VERSION 1

static gboolean put_jsonb(const char *text, gsize length, GString *binary)
{
    g_string_append_c(binary, JSONB_VERSION);
    return put_text(text, length, binary);
}

/* A byte beyond ASCII, and none, have a spelling of their own */
static gboolean put_char(const char *text, gsize length, GString *binary)
{
    return length == 1 && (guchar)*text < 0x80 && put_text(text, length, binary);
}

static gboolean put_boolean(const char *text, gsize length, GString *binary)
{
    if (length != 1 || (*text != 't' && *text != 'f'))
        return FALSE;
    g_string_append_c(binary, *text == 't');
    return TRUE;
}

/* ---- Bytes and bits ---- */

static gboolean append_hex(HbPgValueReader *reader, gsize bytes, GString *binary)
{
    for (; bytes > 0; bytes--, reader->at += 2) {
        const gint high = reader->end - reader->at >= 2 ? g_ascii_xdigit_value(reader->at[0]) : -1;
        const gint low = high >= 0 ? g_ascii_xdigit_value(reader->at[1]) : -1;
        if (low < 0)
            return FALSE;
        g_string_append_c(binary, (char)(high << 4 | low));
    }
    return TRUE;
}

static gboolean put_bytea(const char *text, gsize length, GString *binary)
{
    HbPgValueReader reader = {text, text + length};

    return hb_pg_value_take(&reader, '\\') && hb_pg_value_take(&reader, 'x') && length % 2 == 0 &&
           append_hex(&reader, (length - 2) / 2, binary);
}

static gboolean put_uuid(const char *text, gsize length, GString *binary)
{
    HbPgValueReader reader = {text, text + length};

    return append_hex(&reader, 4, binary) && hb_pg_value_take(&reader, '-') && append_hex(&reader, 2, binary) &&
           hb_pg_value_take(&reader, '-') && append_hex(&reader, 2, binary) && hb_pg_value_take(&reader, '-') &&
           append_hex(&reader, 2, binary) && hb_pg_value_take(&reader, '-') && append_hex(&reader, 6, binary) &&
           reader.at == reader.end;
}

static gboolean put_bits(const char *text, gsize length, GString *binary)
{
    hb_pg_append_number(binary, (gint64)length, 4);
    for (gsize i = 0; i < length; i += 8) {
        guint byte = 0;
        for (gsize bit = i; bit < i + 8; bit++) {
            if (bit < length && text[bit] != '0' && text[bit] != '1')
                return FALSE;
            byte = byte << 1 | (bit < length && text[bit] == '1');
        }
        g_string_append_c(binary, (char)byte);
    }
    return TRUE;
}

/* ---- By receiver ---- */

HbPgToBinary hb_pg_find_value_form(const char *receiver)
{
    static const struct {
        const char *receiver;
        HbPgToBinary form;
    } forms[] = {{"boolrecv", put_boolean},
                 {"int2recv", hb_pg_put_int2},
                 {"int4recv", hb_pg_put_int4},
                 {"int8recv", hb_pg_put_int8},
                 {"oidrecv", hb_pg_put_oid},
                 {"float4recv", hb_pg_put_float4},
                 {"float8recv", hb_pg_put_float8},
                 {"numeric_recv", hb_pg_put_numeric},
                 {"textrecv", put_text},
                 {"varcharrecv", put_text},
                 {"bpcharrecv", put_text},
                 {"namerecv", put_text},
                 {"charrecv", put_char},
                 {"enum_recv", put_text},
                 {"json_recv", put_text},
                 {"jsonb_recv", put_jsonb},
                 {"date_recv", hb_pg_put_date},
                 {"time_recv", hb_pg_put_time},
                 {"timetz_recv", hb_pg_put_timetz},
                 {"timestamp_recv", hb_pg_put_timestamp},
                 {"timestamptz_recv", hb_pg_put_timestamptz},
                 {"interval_recv", hb_pg_put_interval},
                 {"bytearecv", put_bytea},
                 {"uuid_recv", put_uuid},
                 {"bit_recv", put_bits},
                 {"varbit_recv", put_bits}};

    for (gsize i = 0; i < G_N_ELEMENTS(forms); i++) {
        if (strcmp(forms[i].receiver, receiver) == 0)
            return forms[i].form;
    }
    return NULL;
}
