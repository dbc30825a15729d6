/* SPDX-License-Identifier: Apache-2.0 */
#include "dump/seal.h"

#include "core/base/error.h"
#include "dump/file.h"

#include <limits.h>
#include <openssl/cms.h>
#include <openssl/err.h>
#include <openssl/pem.h>
#include <openssl/rsa.h>
#include <string.h>

/*
 * A message has its recipients in the order of recipients.pem. Whoever opens it names the certificate that the key
 * belongs to: a library that only tries the key on every recipient may take a wrong answer for the right one, because
 * a failing RSA decryption gives random bytes on purpose.
 */

#define SEAL_LIMIT (INT_MAX - 1024 * 1024) /* the library counts in int, and the container needs some more */

struct HbRecipients {
    STACK_OF(X509) * certificates;
    char *text;
};

struct HbSealKey {
    EVP_PKEY *key;
    char *path;
};

struct HbUnsealer {
    EVP_PKEY *key;
    X509 *certificate; /* to which the key belongs */
};

/* ---- What both need ---- */

/* What the library has to say of its last failure; empties its queue. The caller's */
static char *take_reason(void)
{
    const char *reason = ERR_reason_error_string(ERR_peek_last_error());
    char *text = g_strdup(reason != NULL ? reason : "the library gives no reason");

    ERR_clear_error();
    return text;
}

static char *take_text(BIO *bio)
{
    const char *bytes;
    const long length = BIO_get_mem_data(bio, &bytes);

    return g_strndup(bytes, (gsize)length);
}

/* In UTF-8, with control characters escaped */
static char *name_certificate(const X509 *certificate)
{
    BIO *bio = BIO_new(BIO_s_mem());
    char *name;

    X509_NAME_print_ex(bio, X509_get_subject_name(certificate), 0,
                       XN_FLAG_RFC2253 & ~(unsigned long)ASN1_STRFLGS_ESC_MSB);
    name = take_text(bio);
    BIO_free(bio);
    return name;
}

static char *name_all(STACK_OF(X509) * certificates)
{
    GString *names = g_string_new(NULL);

    for (int i = 0; i < sk_X509_num(certificates); i++) {
        g_autofree char *name = name_certificate(sk_X509_value(certificates, i));
        g_string_append_printf(names, "%s%s", i > 0 ? "; " : "", name);
    }
    return g_string_free(names, FALSE);
}

static void free_certificates(STACK_OF(X509) * certificates)
{
    sk_X509_pop_free(certificates, X509_free);
}

/* Appends all that the text holds; FALSE if it holds none, or one that is broken */
static gboolean read_certificates(const char *text, gsize length, STACK_OF(X509) * certificates)
{
    BIO *bio = BIO_new_mem_buf(text, (int)MIN(length, INT_MAX));
    const int before = sk_X509_num(certificates);
    X509 *certificate;
    gboolean is_at_end;

    while ((certificate = PEM_read_bio_X509(bio, NULL, NULL, NULL)) != NULL)
        sk_X509_push(certificates, certificate);
    is_at_end = ERR_GET_REASON(ERR_peek_last_error()) == PEM_R_NO_START_LINE;
    ERR_clear_error();
    BIO_free(bio);
    return is_at_end && sk_X509_num(certificates) > before;
}

/* ---- Sealing ---- */

static gboolean add_recipient(CMS_ContentInfo *message, X509 *certificate)
{
    CMS_RecipientInfo *recipient = CMS_add1_recipient_cert(message, certificate, CMS_KEY_PARAM);
    EVP_PKEY_CTX *parameters;

    if (recipient == NULL || CMS_RecipientInfo_type(recipient) != CMS_RECIPINFO_TRANS)
        return recipient != NULL;
    parameters = CMS_RecipientInfo_get0_pkey_ctx(recipient);
    return parameters != NULL && EVP_PKEY_CTX_set_rsa_padding(parameters, RSA_PKCS1_OAEP_PADDING) > 0 &&
           EVP_PKEY_CTX_set_rsa_oaep_md(parameters, EVP_sha256()) > 0 &&
           EVP_PKEY_CTX_set_rsa_mgf1_md(parameters, EVP_sha256()) > 0;
}

/* NULL on failure, with the reason in the library's queue */
static CMS_ContentInfo *make_message(STACK_OF(X509) * certificates, const void *bytes, gsize length)
{
    CMS_ContentInfo *message = CMS_encrypt(NULL, NULL, EVP_aes_256_gcm(), CMS_BINARY | CMS_PARTIAL);
    BIO *in = BIO_new_mem_buf(length > 0 ? bytes : "", (int)length);
    gboolean ok = message != NULL;

    for (int i = 0; ok && i < sk_X509_num(certificates); i++)
        ok = add_recipient(message, sk_X509_value(certificates, i));
    ok = ok && CMS_final(message, in, NULL, CMS_BINARY) == 1;
    BIO_free(in);
    if (!ok)
        g_clear_pointer(&message, CMS_ContentInfo_free);
    return message;
}

static void free_der(gpointer data)
{
    OPENSSL_free(data);
}

static GBytes *seal(STACK_OF(X509) * certificates, const void *bytes, gsize length)
{
    CMS_ContentInfo *message = make_message(certificates, bytes, length);
    unsigned char *der = NULL;
    const int der_length = message != NULL ? i2d_CMS_ContentInfo(message, &der) : -1;
    GBytes *sealed = der_length > 0 ? g_bytes_new_with_free_func(der, (gsize)der_length, free_der, der) : NULL;

    CMS_ContentInfo_free(message);
    return sealed;
}

GBytes *hb_recipients_seal(const HbRecipients *recipients, const void *bytes, gsize length, const char *name,
                           GError **error)
{
    g_autofree char *reason = NULL;
    GBytes *sealed;

    if (length > SEAL_LIMIT) {
        hb_error_set(error, HB_ERROR_FILE, "seal without --compress none, or leave the table out by --skip",
                     "%s: %" G_GSIZE_FORMAT " bytes are more than can be sealed as one file", name, length);
        return NULL;
    }
    sealed = seal(recipients->certificates, bytes, length);
    if (sealed != NULL)
        return sealed;
    reason = take_reason();
    hb_error_set(error, HB_ERROR_FILE, NULL, "sealing %s: %s", name, reason);
    return NULL;
}

static gboolean check_certificate(X509 *certificate, const char *path, GError **error)
{
    STACK_OF(X509) *alone = sk_X509_new_null();
    g_autofree char *name = name_certificate(certificate), *reason = NULL;
    GBytes *trial;

    if (X509_cmp_current_time(X509_get0_notAfter(certificate)) <= 0 ||
        X509_cmp_current_time(X509_get0_notBefore(certificate)) >= 0) {
        sk_X509_free(alone);
        return hb_error_set(error, HB_ERROR_USAGE, "name a certificate that is valid today",
                            "--seal-for %s: the certificate of %s has expired, or is not valid yet", path, name);
    }
    sk_X509_push(alone, certificate);
    trial = seal(alone, "", 0);
    sk_X509_free(alone);
    if (trial == NULL) {
        reason = take_reason();
        return hb_error_set(error, HB_ERROR_USAGE, "name one with an RSA key, or one of an elliptic curve like P-256",
                            "--seal-for %s: nothing can be sealed for the key of %s: %s", path, name, reason);
    }
    g_bytes_unref(trial);
    return TRUE;
}

static gboolean read_recipient(HbRecipients *recipients, const char *path, GError **error)
{
    g_autofree char *text = NULL;
    g_autoptr(GError) cause = NULL;
    const int before = sk_X509_num(recipients->certificates);
    gsize length;

    if (!g_file_get_contents(path, &text, &length, &cause))
        return hb_error_set(error, HB_ERROR_FILE, "name a file that can be read", "--seal-for: %s", cause->message);
    if (!read_certificates(text, length, recipients->certificates))
        return hb_error_set(error, HB_ERROR_USAGE, "name an X.509 certificate in PEM: BEGIN CERTIFICATE",
                            "--seal-for %s: there is no certificate in it, or a broken one", path);
    for (int i = before; i < sk_X509_num(recipients->certificates); i++) {
        if (!check_certificate(sk_X509_value(recipients->certificates, i), path, error))
            return FALSE;
    }
    return TRUE;
}

/* Above each certificate stands whose it is */
static char *write_certificates(STACK_OF(X509) * certificates)
{
    BIO *bio = BIO_new(BIO_s_mem());
    char *text;

    for (int i = 0; i < sk_X509_num(certificates); i++) {
        g_autofree char *name = name_certificate(sk_X509_value(certificates, i));
        BIO_printf(bio, "%s\n", name);
        PEM_write_bio_X509(bio, sk_X509_value(certificates, i));
    }
    text = take_text(bio);
    BIO_free(bio);
    return text;
}

HbRecipients *hb_recipients_read(char **paths, GError **error)
{
    HbRecipients *recipients = g_new0(HbRecipients, 1);

    recipients->certificates = sk_X509_new_null();
    for (; *paths != NULL; paths++) {
        if (!read_recipient(recipients, *paths, error)) {
            hb_recipients_free(recipients);
            return NULL;
        }
    }
    recipients->text = write_certificates(recipients->certificates);
    return recipients;
}

void hb_recipients_free(HbRecipients *recipients)
{
    if (recipients == NULL)
        return;
    free_certificates(recipients->certificates);
    g_free(recipients->text);
    g_free(recipients);
}

const char *hb_recipients_get_text(const HbRecipients *recipients)
{
    return recipients->text;
}

char *hb_recipients_name_all(const HbRecipients *recipients)
{
    return name_all(recipients->certificates);
}

/* ---- The key ---- */

typedef struct {
    const char *path;
    HbAskPassphrase ask;
    gboolean was_asked;
} Passphrase;

/* The library's own way would be to ask at the terminal, and to wait there */
static int give_passphrase(char *buffer, int size, int is_for_writing, void *data)
{
    Passphrase *passphrase = data;
    char *text = passphrase->ask != NULL ? passphrase->ask(passphrase->path) : NULL;
    int length = -1;

    (void)is_for_writing;
    passphrase->was_asked = TRUE;
    if (text == NULL)
        return -1;
    if (strlen(text) <= (gsize)size) {
        length = (int)strlen(text);
        memcpy(buffer, text, (gsize)length);
    }
    OPENSSL_cleanse(text, strlen(text));
    g_free(text);
    return length;
}

HbSealKey *hb_seal_key_read(const char *path, HbAskPassphrase ask, GError **error)
{
    Passphrase passphrase = {path, ask, FALSE};
    BIO *bio = BIO_new_file(path, "r");
    HbSealKey *key;
    EVP_PKEY *read;

    ERR_clear_error();
    if (bio == NULL) {
        hb_file_error(error, "--unseal: opening", path);
        return NULL;
    }
    read = PEM_read_bio_PrivateKey(bio, NULL, give_passphrase, &passphrase);
    BIO_free(bio);
    ERR_clear_error();
    if (read == NULL) {
        hb_error_set(error, HB_ERROR_USAGE,
                     passphrase.was_asked
                         ? "set HORNBEAM_KEY_PASSPHRASE, or type the right one where there is a terminal"
                         : "name the private key in PEM: BEGIN PRIVATE KEY",
                     passphrase.was_asked ? "--unseal %s: the key is protected, and its passphrase is missing or wrong"
                                          : "--unseal %s: there is no private key in it",
                     path);
        return NULL;
    }
    key = g_new0(HbSealKey, 1);
    key->key = read;
    key->path = g_strdup(path);
    return key;
}

void hb_seal_key_free(HbSealKey *key)
{
    if (key == NULL)
        return;
    EVP_PKEY_free(key->key);
    g_free(key->path);
    g_free(key);
}

gboolean hb_seal_key_check_unused(const HbSealKey *key, GError **error)
{
    return key == NULL ||
           hb_error_set(error, HB_ERROR_USAGE, "see whether it is the dump that you mean; then leave --unseal out",
                        "the dump is not sealed, and --unseal names a key");
}

/* ---- Opening ---- */

static X509 *find_own(STACK_OF(X509) * certificates, EVP_PKEY *key)
{
    for (int i = 0; i < sk_X509_num(certificates); i++) {
        X509 *certificate = sk_X509_value(certificates, i);
        const gboolean is_own = X509_check_private_key(certificate, key) == 1;
        ERR_clear_error();
        if (is_own)
            return certificate;
    }
    return NULL;
}

static HbUnsealer *find_unsealer(const HbSealKey *key, STACK_OF(X509) * certificates, GError **error)
{
    X509 *own = key != NULL ? find_own(certificates, key->key) : NULL;
    g_autofree char *names = name_all(certificates);
    HbUnsealer *unsealer;

    if (key == NULL)
        hb_error_set(error, HB_ERROR_USAGE,
                     "name the private key of one of them: --unseal FILE; `sha256sum -c SHA256SUMS` checks the "
                     "files without one",
                     "the dump is sealed for %s", names);
    else if (own == NULL)
        hb_error_set(error, HB_ERROR_USAGE, "name the private key of one of these",
                     "--unseal %s: the dump is sealed for %s, and this key is of none of them", key->path, names);
    if (own == NULL)
        return NULL;
    unsealer = g_new0(HbUnsealer, 1);
    unsealer->key = key->key;
    unsealer->certificate = own;
    EVP_PKEY_up_ref(unsealer->key);
    X509_up_ref(own);
    return unsealer;
}

HbUnsealer *hb_unsealer_new(const HbSealKey *key, const char *recipients, gsize length, GError **error)
{
    STACK_OF(X509) *certificates = sk_X509_new_null();
    HbUnsealer *unsealer = NULL;

    if (read_certificates(recipients, length, certificates))
        unsealer = find_unsealer(key, certificates, error);
    else
        hb_error_set(error, HB_ERROR_DAMAGED, "copy the dump again from where it is whole",
                     HB_RECIPIENTS_FILE ": there is no certificate in it, or a broken one");
    free_certificates(certificates);
    return unsealer;
}

void hb_unsealer_free(HbUnsealer *unsealer)
{
    if (unsealer == NULL)
        return;
    EVP_PKEY_free(unsealer->key);
    X509_free(unsealer->certificate);
    g_free(unsealer);
}

static void free_content(gpointer data)
{
    BIO_free(data);
}

/* Other types of message are refused: they do not tell whether their content was changed */
static GBytes *open_message(const HbUnsealer *unsealer, CMS_ContentInfo *message)
{
    BIO *out;
    const char *content;
    long length;

    if (message == NULL || OBJ_obj2nid(CMS_get0_type(message)) != NID_id_smime_ct_authEnvelopedData)
        return NULL;
    out = BIO_new(BIO_s_mem());
    if (CMS_decrypt(message, unsealer->key, unsealer->certificate, NULL, out, CMS_BINARY) != 1) {
        BIO_free(out);
        return NULL;
    }
    length = BIO_get_mem_data(out, &content);
    return g_bytes_new_with_free_func(content, (gsize)length, free_content, out);
}

GBytes *hb_unsealer_open(const HbUnsealer *unsealer, const void *bytes, gsize length, const char *name, GError **error)
{
    const unsigned char *at = bytes;
    CMS_ContentInfo *message = length <= INT_MAX ? d2i_CMS_ContentInfo(NULL, &at, (long)length) : NULL;
    GBytes *content = open_message(unsealer, message);

    CMS_ContentInfo_free(message);
    ERR_clear_error();
    if (content == NULL)
        hb_error_set(error, HB_ERROR_DAMAGED, "copy the dump again from where it is whole, or take a new one",
                     "%s: it is not what was sealed, or not for this key", name);
    return content;
}
