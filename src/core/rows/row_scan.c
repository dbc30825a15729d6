/* SPDX-License-Identifier: Apache-2.0 */
#include "core/rows/row_scan.h"

#include <string.h>

#define XXH_INLINE_ALL
#include <xxhash.h>

guint hb_row_key_count_bytes(guint key_length)
{
    return key_length == HB_ROW_KEY_NONE ? 0 : key_length == HB_ROW_KEY_HASHED ? sizeof(guint64) : key_length;
}

guint64 hb_row_mark_spread(const HbRowMark *mark)
{
    return mark->key_length == HB_ROW_KEY_NONE ? mark->low
                                               : XXH3_64bits(mark->key, hb_row_key_count_bytes(mark->key_length));
}

void hb_row_scan_init(HbRowScan *scan, const guint *fields, guint count)
{
    *scan = (HbRowScan){.fields = fields, .count = count};
}

void hb_row_scan_clear(HbRowScan *scan)
{
    XXH3_freeState(scan->state);
    *scan = (HbRowScan){0};
}

static void begin_row(HbRowScan *scan)
{
    scan->field = scan->next = 0;
    scan->mark.key_length = scan->count > 0 ? 0 : HB_ROW_KEY_NONE;
}

/* FNV-1a of 64 bits (G. Fowler, L. Noll, P. Vo): it takes the key byte by byte. It is no proof; the row's hash is */
static void hash_key(HbRowScan *scan, const char *bytes, gsize length)
{
    for (gsize i = 0; i < length; i++)
        scan->long_key = (scan->long_key ^ (guchar)bytes[i]) * G_GUINT64_CONSTANT(0x100000001b3);
    memcpy(scan->mark.key, &scan->long_key, sizeof scan->long_key);
}

static void append(HbRowScan *scan, const char *bytes, gsize length)
{
    HbRowMark *mark = &scan->mark;

    if (mark->key_length != HB_ROW_KEY_HASHED && length > HB_ROW_KEY_MAX - mark->key_length) {
        char begun[HB_ROW_KEY_MAX];
        memcpy(begun, mark->key, mark->key_length);
        scan->long_key = G_GUINT64_CONSTANT(0xcbf29ce484222325);
        hash_key(scan, begun, mark->key_length);
        mark->key_length = HB_ROW_KEY_HASHED;
    }
    if (mark->key_length == HB_ROW_KEY_HASHED) {
        hash_key(scan, bytes, length);
        return;
    }
    memcpy(mark->key + mark->key_length, bytes, length);
    mark->key_length += (guint)length;
}

/* Tabs are only between fields; the last field of the key may be the row's last, and end with the piece */
static void take_key(HbRowScan *scan, const char *at, gsize length)
{
    const char *end = at + length;

    while (scan->next < scan->count) {
        const char *tab = memchr(at, '\t', (gsize)(end - at));
        const gboolean wanted = scan->field == scan->fields[scan->next];
        if (wanted)
            append(scan, at, (gsize)((tab != NULL ? tab : end) - at));
        if (tab == NULL)
            return;
        if (wanted && ++scan->next < scan->count)
            append(scan, "\t", 1);
        scan->field++;
        at = tab + 1;
    }
}

static void take_hash(HbRowScan *scan, XXH128_hash_t hash)
{
    scan->mark.low = hash.low64;
    scan->mark.high = hash.high64;
}

gboolean hb_row_scan_add(HbRowScan *scan, const char *piece, gsize length)
{
    const gboolean ends = length > 0 && piece[length - 1] == '\n';
    const gsize bytes = length - ends;

    if (!scan->is_open)
        begin_row(scan);
    take_key(scan, piece, bytes);
    if (ends && !scan->is_open) {
        take_hash(scan, XXH3_128bits(piece, bytes));
        return TRUE;
    }
    if (!scan->is_open) {
        if (scan->state == NULL)
            scan->state = XXH3_createState();
        XXH3_128bits_reset(scan->state);
        scan->is_open = TRUE;
    }
    XXH3_128bits_update(scan->state, piece, bytes);
    if (ends)
        take_hash(scan, XXH3_128bits_digest(scan->state));
    scan->is_open = !ends;
    return ends;
}
