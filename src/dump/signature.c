/* SPDX-License-Identifier: Apache-2.0 */
#include "dump/signature.h"

#include <openssl/evp.h>
#include <openssl/hmac.h>
#include <string.h>

#define BYTES 32 /* of a SHA-256 */

static char *write_hex(const guint8 *bytes)
{
    GString *text = g_string_new(NULL);

    for (guint i = 0; i < BYTES; i++)
        g_string_append_printf(text, "%02x", bytes[i]);
    return g_string_free(text, FALSE);
}

static void authenticate(const void *key, gsize length, const char *text, guint8 *out)
{
    unsigned int size = BYTES;

    g_assert(HMAC(EVP_sha256(), key, (int)length, (const unsigned char *)text, strlen(text), out, &size) != NULL);
}

static char *write_moment(gint64 time, const char *format)
{
    g_autoptr(GDateTime) moment = g_date_time_new_from_unix_utc(time);

    return g_date_time_format(moment, format);
}

char *hb_signature_write_time(gint64 time)
{
    return write_moment(time, "%Y%m%dT%H%M%SZ");
}

char *hb_signature_escape(const char *text, gboolean is_path)
{
    GString *escaped = g_string_new(NULL);

    for (; *text != '\0'; text++) {
        if (g_ascii_isalnum(*text) || strchr("-_.~", *text) != NULL || (is_path && *text == '/'))
            g_string_append_c(escaped, *text);
        else
            g_string_append_printf(escaped, "%%%02X", (guchar)*text);
    }
    return g_string_free(escaped, FALSE);
}

static const char *name_headers(const HbSigner *signer)
{
    return signer->token != NULL ? "host;x-amz-content-sha256;x-amz-date;x-amz-security-token"
                                 : "host;x-amz-content-sha256;x-amz-date";
}

/* The request in the form in which both sides write it before they sign it: its digest, the caller's */
static char *digest_request(const HbSigner *signer, const HbUnsigned *request, const char *time)
{
    g_autofree char *token =
        signer->token != NULL ? g_strdup_printf("x-amz-security-token:%s\n", signer->token) : g_strdup("");
    g_autofree char *text = g_strdup_printf("%s\n%s\n%s\nhost:%s\nx-amz-content-sha256:%s\nx-amz-date:%s\n%s\n%s\n%s",
                                            request->verb, request->path, request->query, request->host,
                                            request->payload, time, token, name_headers(signer), request->payload);

    return g_compute_checksum_for_string(G_CHECKSUM_SHA256, text, -1);
}

static char *sign(const HbSigner *signer, const char *day, const char *text)
{
    g_autofree char *first = g_strconcat("AWS4", signer->secret, NULL);
    guint8 key[BYTES];

    authenticate(first, strlen(first), day, key);
    authenticate(key, sizeof key, signer->region, key);
    authenticate(key, sizeof key, "s3", key);
    authenticate(key, sizeof key, "aws4_request", key);
    authenticate(key, sizeof key, text, key);
    memset(first, 0, strlen(first));
    return write_hex(key);
}

char *hb_signature_make(const HbSigner *signer, const HbUnsigned *request)
{
    g_autofree char *day = write_moment(request->time, "%Y%m%d"), *time = hb_signature_write_time(request->time);
    g_autofree char *scope = g_strdup_printf("%s/%s/s3/aws4_request", day, signer->region);
    g_autofree char *digest = digest_request(signer, request, time);
    g_autofree char *text = g_strdup_printf("AWS4-HMAC-SHA256\n%s\n%s\n%s", time, scope, digest);
    g_autofree char *signature = sign(signer, day, text);

    return g_strdup_printf("AWS4-HMAC-SHA256 Credential=%s/%s, SignedHeaders=%s, Signature=%s", signer->key_id, scope,
                           name_headers(signer), signature);
}
