/* SPDX-License-Identifier: Apache-2.0 */
/*
 * seal - files of a dump that only chosen people can read: each is a CMS message (RFC 5652) of the type
 * AuthEnvelopedData (RFC 5083) in DER, encrypted by AES-256-GCM (RFC 5084) with a key of its own, which is encrypted to
 * each recipient's X.509 certificate (RSA by OAEP with SHA-256, elliptic curves by their key agreement). The stock
 * `openssl cms -decrypt -inform DER` opens each.
 *
 * Sealing needs certificates only, so that the host that dumps cannot read what it wrote. It does not tell who sealed:
 * whoever has the certificates can make such a file.
 *
 * Any number of threads may use one object of these.
 */
#pragma once

#include <glib.h>

/* In a sealed dump, in clear as SHA256SUMS is: the recipients' certificates, and what of which moment it is. What each
 * other name ends in */
#define HB_RECIPIENTS_FILE "recipients.pem"
#define HB_LABEL_FILE      "label.json"
#define HB_SEALED_SUFFIX   ".cms"

/* ---- Sealing ---- */

typedef struct HbRecipients HbRecipients;

/* Paths of PEM files, each with one certificate or several; NULL-terminated, not empty. HB_ERROR_FILE if one cannot be
 * read, HB_ERROR_USAGE if it holds no certificate that is valid today and whose key can be sealed for */
HbRecipients *hb_recipients_read(char **paths, GError **error);
void hb_recipients_free(HbRecipients *recipients); /* accepts NULL */

/* The text of HB_RECIPIENTS_FILE, borrowed */
const char *hb_recipients_get_text(const HbRecipients *recipients);

/* Their subjects: "CN=oak; CN=ash"; the caller's */
char *hb_recipients_name_all(const HbRecipients *recipients);

/* name: for the error. HB_ERROR_FILE beyond 2 GiB less 1 MiB, which the container's library cannot hold */
GBytes *hb_recipients_seal(const HbRecipients *recipients, const void *bytes, gsize length, const char *name,
                           GError **error);

/* ---- Opening ---- */

typedef struct HbSealKey HbSealKey;

/* Asked for what protects the key in path; NULL: there is nothing to be had. The caller of it owns what comes */
typedef char *(*HbAskPassphrase)(const char *path);

/* A private key in PEM. HB_ERROR_FILE, HB_ERROR_USAGE */
HbSealKey *hb_seal_key_read(const char *path, HbAskPassphrase ask, GError **error);
void hb_seal_key_free(HbSealKey *key); /* accepts NULL */

/* For a dump that is not sealed: HB_ERROR_USAGE if a key was given (NULL: none was). Returns whether none was */
gboolean hb_seal_key_check_unused(const HbSealKey *key, GError **error);

typedef struct HbUnsealer HbUnsealer;

/*
 * For one dump; recipients: the bytes of its HB_RECIPIENTS_FILE. key (NULL: none was given) is borrowed.
 * HB_ERROR_USAGE, naming the recipients, if the key is none of theirs; HB_ERROR_DAMAGED
 */
HbUnsealer *hb_unsealer_new(const HbSealKey *key, const char *recipients, gsize length, GError **error);
void hb_unsealer_free(HbUnsealer *unsealer); /* accepts NULL */

/* What was sealed. HB_ERROR_DAMAGED if it is not whole, or not what was sealed */
GBytes *hb_unsealer_open(const HbUnsealer *unsealer, const void *bytes, gsize length, const char *name, GError **error);
