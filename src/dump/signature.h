/* SPDX-License-Identifier: Apache-2.0 */
/*
 * signature - signs requests to an object store, as its service checks them: "Signature Version 4" of Amazon's
 * documentation
 * ("Create a signed AWS API request"), for the service s3. Pure: no clock, no network.
 */
#pragma once

#include <glib.h>

typedef struct {
    const char *key_id, *secret;
    const char *token;  /* of temporary credentials; NULL: there is none */
    const char *region; /* "eu-central-1" */
} HbSigner;

typedef struct {
    const char *verb;    /* "PUT" */
    const char *host;    /* as the header has it: "store.example:9000" */
    const char *path;    /* escaped: "/bucket/a%20b" */
    const char *query;   /* escaped, sorted by name, with "=" after every name; "" without one */
    const char *payload; /* SHA-256 of the body, in hexadecimal */
    gint64 time;         /* seconds since 1970 */
} HbUnsigned;

/* "20260307T040509Z"; the caller's */
char *hb_signature_write_time(gint64 time);

/* The value of the header Authorization. It covers Host, x-amz-content-sha256, x-amz-date and, with a token,
 * x-amz-security-token: these must be sent, and no other x-amz- header. The caller's */
char *hb_signature_make(const HbSigner *signer, const HbUnsigned *request);

/* Escapes all but letters, digits, - _ . ~ and, in a path, slashes. The caller's */
char *hb_signature_escape(const char *text, gboolean is_path);
