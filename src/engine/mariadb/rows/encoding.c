/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/mariadb/rows/encoding.h"

#include <string.h>

/*
 * Rows in a dump are lines of fields, in which a backslash escapes what would end a field or a line; fields that are
 * marked so are hexadecimal digits. The decoder takes the bytes as they come, cut anywhere, and tells what it reads in
 * pieces: a value of any size passes through without being whole in memory. What is not well-formed is an error that
 * says where.
 */

#define BUFFER_BYTES 65536

/* What follows the backslash for each byte that must not stand in a field; 0: it may */
static const char escapes[256] = {
    ['\b'] = 'b', ['\f'] = 'f', ['\n'] = 'n', ['\r'] = 'r', ['\t'] = 't', ['\v'] = 'v', ['\\'] = '\\'};

static char unescape(char letter)
{
    switch (letter) {
    case 'b':
        return '\b';
    case 'f':
        return '\f';
    case 'n':
        return '\n';
    case 'r':
        return '\r';
    case 't':
        return '\t';
    case 'v':
        return '\v';
    default:
        return letter;
    }
}

/* ---- To text ---- */

void hb_encoder_init(HbEncoder *encoder, const char *hex_columns, gsize columns, HbRowSink sink, gpointer data)
{
    *encoder = (HbEncoder){hex_columns, columns, sink, data, g_malloc(BUFFER_BYTES), 0};
}

void hb_encoder_clear(HbEncoder *encoder)
{
    g_free(encoder->buffer);
}

static gboolean flush(HbEncoder *encoder, GError **error)
{
    gsize length = encoder->used;

    encoder->used = 0;
    return length == 0 || encoder->sink(encoder->data, encoder->buffer, length, error);
}

static gboolean make_room(HbEncoder *encoder, gsize bytes, GError **error)
{
    return encoder->used + bytes <= BUFFER_BYTES || flush(encoder, error);
}

static gboolean write_byte(HbEncoder *encoder, char byte, GError **error)
{
    if (!make_room(encoder, 1, error))
        return FALSE;
    encoder->buffer[encoder->used++] = byte;
    return TRUE;
}

static gboolean write_text(HbEncoder *encoder, const char *at, gsize length, GError **error)
{
    const char *end = at + length;

    while (at < end) {
        char *to = encoder->buffer + encoder->used;
        const char *stop = encoder->buffer + BUFFER_BYTES - 1;
        while (at < end && to < stop) {
            char escape = escapes[(unsigned char)*at];
            if (G_LIKELY(escape == 0)) {
                *to++ = *at++;
                continue;
            }
            *to++ = '\\';
            *to++ = escape;
            at++;
        }
        encoder->used = (gsize)(to - encoder->buffer);
        if (at < end && !flush(encoder, error))
            return FALSE;
    }
    return TRUE;
}

static gboolean write_hex(HbEncoder *encoder, const char *at, gsize length, GError **error)
{
    static const char digits[] = "0123456789abcdef";
    const char *end = at + length;

    while (at < end) {
        while (at < end && encoder->used + 2 <= BUFFER_BYTES) {
            unsigned char byte = (unsigned char)*at++;
            encoder->buffer[encoder->used++] = digits[byte >> 4];
            encoder->buffer[encoder->used++] = digits[byte & 15];
        }
        if (at < end && !flush(encoder, error))
            return FALSE;
    }
    return TRUE;
}

static gboolean write_null(HbEncoder *encoder, GError **error)
{
    return write_byte(encoder, '\\', error) && write_byte(encoder, 'N', error);
}

gboolean hb_encoder_write_row(HbEncoder *encoder, char *const *values, const unsigned long *lengths, GError **error)
{
    for (gsize c = 0; c < encoder->columns; c++) {
        gboolean ok;
        if (c > 0 && !write_byte(encoder, '\t', error))
            return FALSE;
        if (values[c] == NULL)
            ok = write_null(encoder, error);
        else if (encoder->hex_columns != NULL && encoder->hex_columns[c] == 'x')
            ok = write_hex(encoder, values[c], lengths[c], error);
        else
            ok = write_text(encoder, values[c], lengths[c], error);
        if (!ok)
            return FALSE;
    }
    return write_byte(encoder, '\n', error) && flush(encoder, error);
}

/* ---- From text ---- */

enum { STATE_PLAIN, STATE_ESCAPE, STATE_DIGIT };

void hb_decoder_init(HbDecoder *decoder, const char *hex_columns, gsize columns, const HbDecoderEvents *events,
                     gpointer data)
{
    *decoder = (HbDecoder){.hex_columns = hex_columns, .columns = columns, .events = events, .data = data};
}

static gboolean wrong(const HbDecoder *decoder, const char *what, GError **error)
{
    return hb_error_set(error, HB_ERROR_DAMAGED, "copy the dump again from where it is whole, then use --resume",
                        "column %zu of a row %s", decoder->field + 1, what);
}

static gboolean end_field(HbDecoder *decoder, GError **error)
{
    gboolean is_null = decoder->is_null;

    if (decoder->state != STATE_PLAIN)
        return wrong(decoder, "ends in the middle of a value", error);
    if (decoder->field >= MAX(decoder->columns, 1))
        return wrong(decoder, "is one too many", error);
    decoder->is_null = FALSE;
    decoder->begun = FALSE;
    if (!decoder->events->end_field(decoder->data, is_null, error))
        return FALSE;
    decoder->field++;
    return TRUE;
}

static gboolean end_row(HbDecoder *decoder, GError **error)
{
    if (!end_field(decoder, error))
        return FALSE;
    if (decoder->columns > 0 && decoder->field != decoder->columns)
        return wrong(decoder, "is missing", error);
    decoder->field = 0;
    return decoder->events->end_row(decoder->data, error);
}

static gboolean add_escaped(HbDecoder *decoder, char letter, GError **error)
{
    char byte = unescape(letter);

    decoder->state = STATE_PLAIN;
    if (letter == 'N' && !decoder->begun) {
        decoder->is_null = TRUE;
        return TRUE;
    }
    decoder->begun = TRUE;
    return decoder->events->add_bytes(decoder->data, &byte, 1, error);
}

static int digit_value(char digit)
{
    return g_ascii_xdigit_value(digit);
}

/* A run of digits, in blocks; an odd one waits for its partner */
static gboolean add_digits(HbDecoder *decoder, const char *at, const char *end, GError **error)
{
    char block[4096];
    gsize used = 0;

    for (; at < end; at++) {
        if (digit_value(*at) < 0)
            return wrong(decoder, "holds what is no hexadecimal digit", error);
        if (decoder->state == STATE_PLAIN) {
            decoder->digit = *at;
            decoder->state = STATE_DIGIT;
            continue;
        }
        decoder->state = STATE_PLAIN;
        block[used++] = (char)(digit_value(decoder->digit) << 4 | digit_value(*at));
        if (used == sizeof block) {
            if (!decoder->events->add_bytes(decoder->data, block, used, error))
                return FALSE;
            used = 0;
        }
    }
    return used == 0 || decoder->events->add_bytes(decoder->data, block, used, error);
}

static gboolean is_plain(char byte)
{
    return byte != '\t' && byte != '\n' && byte != '\\';
}

static gboolean add_run(HbDecoder *decoder, const char *at, const char *end, GError **error)
{
    decoder->begun = TRUE;
    if (decoder->hex_columns != NULL && decoder->field < decoder->columns &&
        decoder->hex_columns[decoder->field] == 'x')
        return add_digits(decoder, at, end, error);
    return decoder->events->add_bytes(decoder->data, at, (gsize)(end - at), error);
}

gboolean hb_decoder_add(HbDecoder *decoder, const char *bytes, gsize length, GError **error)
{
    const char *at = bytes, *end = bytes + length;

    while (at < end) {
        const char *run = at;
        gboolean ok;
        if (decoder->state == STATE_ESCAPE) {
            ok = add_escaped(decoder, *at++, error);
        } else {
            while (at < end && is_plain(*at))
                at++;
            ok = at == run || add_run(decoder, run, at, error);
            if (!ok || at == end)
                return ok;
            if (*at == '\\')
                decoder->state = STATE_ESCAPE;
            else
                ok = *at == '\t' ? end_field(decoder, error) : end_row(decoder, error);
            at++;
        }
        if (!ok)
            return FALSE;
    }
    return TRUE;
}
