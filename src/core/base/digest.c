/* SPDX-License-Identifier: Apache-2.0 */
#include "core/base/digest.h"

#include <string.h>

/* All of XXH3 inlined: a call per row costs more than the hash of a short row */
#define XXH_INLINE_ALL
#include <xxhash.h>

static void add(HbDigest *digest, guint64 low, guint64 high)
{
    digest->low += low;
    digest->high += high + (digest->low < low);
}

void hb_digest_add_row(HbDigest *digest, const char *bytes, gsize length)
{
    XXH128_hash_t hash = XXH3_128bits(bytes, length);

    add(digest, hash.low64, hash.high64);
    digest->rows++;
}

void hb_digest_add_hash(HbDigest *digest, guint64 low, guint64 high)
{
    add(digest, low, high);
    digest->rows++;
}

static void open_row(HbPieceDigest *digest)
{
    if (digest->state == NULL)
        digest->state = XXH3_createState();
    XXH3_128bits_reset(digest->state);
    digest->is_open = TRUE;
}

void hb_piece_digest_add(HbPieceDigest *digest, const char *piece, gsize length)
{
    gboolean ends = length > 0 && piece[length - 1] == '\n';

    if (ends && !digest->is_open) {
        hb_digest_add_row(&digest->digest, piece, length - 1);
        return;
    }
    if (!digest->is_open)
        open_row(digest);
    XXH3_128bits_update(digest->state, piece, length - ends);
    if (!ends)
        return;
    XXH128_hash_t hash = XXH3_128bits_digest(digest->state);
    add(&digest->digest, hash.low64, hash.high64);
    digest->digest.rows++;
    digest->is_open = FALSE;
}

void hb_piece_digest_clear(HbPieceDigest *digest)
{
    XXH3_freeState(digest->state);
    *digest = (HbPieceDigest){0};
}

void hb_digest_add(HbDigest *digest, const HbDigest *other)
{
    add(digest, other->low, other->high);
    digest->rows += other->rows;
}

gboolean hb_digest_is_equal(const HbDigest *one, const HbDigest *other)
{
    return one->rows == other->rows && one->low == other->low && one->high == other->high;
}

void hb_digest_write(const HbDigest *digest, char *text)
{
    g_snprintf(text, HB_DIGEST_TEXT_LENGTH + 1, "%016" G_GINT64_MODIFIER "x%016" G_GINT64_MODIFIER "x", digest->high,
               digest->low);
}

static gboolean read_half(const char *text, guint64 *half)
{
    *half = 0;
    for (int i = 0; i < HB_DIGEST_TEXT_LENGTH / 2; i++) {
        if (!g_ascii_isxdigit(text[i]) || g_ascii_isupper(text[i]))
            return FALSE;
        *half = *half << 4 | (guint64)g_ascii_xdigit_value(text[i]);
    }
    return TRUE;
}

gboolean hb_digest_read(HbDigest *digest, const char *text)
{
    return strlen(text) == HB_DIGEST_TEXT_LENGTH && read_half(text, &digest->high) &&
           read_half(text + HB_DIGEST_TEXT_LENGTH / 2, &digest->low);
}
