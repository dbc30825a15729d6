/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/mariadb/dialect/password_hash.h"

#include "core/base/error.h"

#include <errno.h>
#include <string.h>
#include <sys/random.h>

#define SHA1_BYTES 20
#define BYTES      32 /* of a SHA-256 */

static void digest_of(GChecksum *sum, guint8 *digest, gsize length)
{
    g_checksum_get_digest(sum, digest, &length);
    g_checksum_free(sum);
}

char *hb_my_hash_native(const char *password)
{
    GChecksum *inner = g_checksum_new(G_CHECKSUM_SHA1);
    g_autofree char *hash = NULL, *upper = NULL;
    guint8 digest[SHA1_BYTES];

    g_checksum_update(inner, (const guchar *)password, -1);
    digest_of(inner, digest, sizeof digest);
    hash = g_compute_checksum_for_data(G_CHECKSUM_SHA1, digest, sizeof digest);
    upper = g_ascii_strup(hash, -1);
    return g_strconcat("*", upper, NULL);
}

/* ---- SHA-crypt ---- */

static const char alphabet[] = "./0123456789ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz";

gboolean hb_my_draw_salt(char salt[HB_MY_SALT_LENGTH + 1], GError **error)
{
    if (getrandom(salt, HB_MY_SALT_LENGTH, 0) != HB_MY_SALT_LENGTH)
        return hb_error_set(error, HB_ERROR_FILE, NULL, "no random bytes: %s", g_strerror(errno));
    for (guint i = 0; i < HB_MY_SALT_LENGTH; i++)
        salt[i] = alphabet[(guchar)salt[i] & 63];
    salt[HB_MY_SALT_LENGTH] = '\0';
    return TRUE;
}

typedef struct {
    const guint8 *bytes;
    gsize length;
} Text;

static void add(GChecksum *sum, Text text)
{
    g_checksum_update(sum, text.bytes, (gssize)text.length);
}

/* Its beginning, over and over, to that length */
static void add_repeated(GChecksum *sum, Text text, gsize length)
{
    for (; length > text.length; length -= text.length)
        add(sum, text);
    add(sum, (Text){text.bytes, length});
}

static void hash_first(Text password, Text salt, guint8 *digest)
{
    GChecksum *other = g_checksum_new(G_CHECKSUM_SHA256), *sum = g_checksum_new(G_CHECKSUM_SHA256);
    const Text whole = {digest, BYTES};

    add(other, password);
    add(other, salt);
    add(other, password);
    digest_of(other, digest, BYTES);
    add(sum, password);
    add(sum, salt);
    add_repeated(sum, whole, password.length);
    for (gsize bits = password.length; bits > 0; bits >>= 1)
        add(sum, bits & 1 ? whole : password);
    digest_of(sum, digest, BYTES);
}

/* As many bytes as the text has, of a digest of the text that many times; the caller's */
static guint8 *spread(Text text, gsize times)
{
    GChecksum *sum = g_checksum_new(G_CHECKSUM_SHA256);
    guint8 digest[BYTES], *bytes = g_malloc(text.length + 1);

    for (gsize i = 0; i < times; i++)
        add(sum, text);
    digest_of(sum, digest, BYTES);
    for (gsize i = 0; i < text.length; i++)
        bytes[i] = digest[i % BYTES];
    return bytes;
}

static void hash_round(guint round, Text password, Text salt, guint8 *digest)
{
    GChecksum *sum = g_checksum_new(G_CHECKSUM_SHA256);
    const Text last = {digest, BYTES};

    add(sum, round & 1 ? password : last);
    if (round % 3 != 0)
        add(sum, salt);
    if (round % 7 != 0)
        add(sum, password);
    add(sum, round & 1 ? last : password);
    digest_of(sum, digest, BYTES);
}

/* Three bytes as four letters, the lowest bits first; the last two bytes as three */
static void append_letters(GString *out, guint value, guint letters)
{
    for (; letters > 0; letters--, value >>= 6)
        g_string_append_c(out, alphabet[value & 63]);
}

/* Bytes 0, 10, 20, then 21, 1, 11, then 12, 22, 2, and so on */
static void append_digest(GString *out, const guint8 *digest)
{
    guint a = 0, b = 10, c = 20;

    for (guint group = 0; group < 10; group++) {
        const guint first = a;
        append_letters(out, (guint)digest[a] << 16 | (guint)digest[b] << 8 | digest[c], 4);
        a = c + 1;
        c = b + 1;
        b = first + 1;
    }
    append_letters(out, (guint)digest[31] << 8 | digest[30], 3);
}

char *hb_my_hash_caching_sha2(const char *password, const char *salt, guint thousands)
{
    const Text key = {(const guint8 *)password, strlen(password)}, grain = {(const guint8 *)salt, strlen(salt)};
    GString *out = g_string_new(NULL);
    guint8 digest[BYTES];
    g_autofree guint8 *keys = NULL, *grains = NULL;

    hash_first(key, grain, digest);
    keys = spread(key, key.length);
    grains = spread(grain, 16 + digest[0]);
    for (guint round = 0; round < thousands * 1000; round++)
        hash_round(round, (Text){keys, key.length}, (Text){grains, grain.length}, digest);
    g_string_append_printf(out, "$A$%03X$%s", thousands, salt);
    append_digest(out, digest);
    return g_string_free(out, FALSE);
}
