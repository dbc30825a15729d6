/* SPDX-License-Identifier: Apache-2.0 */
/*
 * http - signed requests to an object store, over libcurl: tried again for passing reasons, with pauses that grow;
 * never without an end. Thread-safe.
 */
#pragma once

#include "dump/object_access.h"

typedef struct HbHttp HbHttp;

typedef struct {
    const char *verb;
    const char *path;                /* plain, with its first slash; it is escaped here */
    const char *query;               /* escaped, sorted, "=" after each name; NULL: none */
    int body;                        /* a file that is sent; -1: none */
    guint64 body_offset, body_bytes; /* what of it */
    const char *payload;             /* its SHA-256 in hexadecimal; NULL: there is no body */
    gboolean only_if_new;            /* If-None-Match: * */
    int into;      /* a file that takes the body of an answer of 200, from its beginning; -1: it is text */
    guint64 limit; /* so many bytes of it at most */
} HbHttpRequest;

typedef struct {
    guint status; /* of the last try */
    guint tries;
    GString *text; /* of the answer, unless it went into a file */
    guint64 bytes; /* that went there */
    char *code;    /* of an error: "NoSuchKey"; NULL: none was told */
    char *message; /* likewise */
    char *etag;    /* the header of that name; NULL: there is none */
} HbHttpAnswer;

void hb_http_answer_clear(HbHttpAnswer *answer);

/* The texts of all such elements of an answer, as far as it is XML: char *; the caller's. The first one; NULL: it has
 * none */
GPtrArray *hb_http_list_elements(const char *xml, const char *element);
char *hb_http_read_element(const char *xml, const char *element);

/* The program is to end: files that are on their way, and those that would be, fail with HB_ERROR_CANCELLED. From any
 * thread; for all of the process */
void hb_http_give_up(void);

/* access is borrowed */
HbHttp *hb_http_new(const HbObjectAccess *access);
void hb_http_free(HbHttp *http); /* accepts NULL */

/*
 * TRUE: the server has answered, whatever the status; answer is the caller's in any case. HB_ERROR_CONNECT: it could
 * not be reached, or answered for a passing reason until there was no patience left; HB_ERROR_DAMAGED: the body is
 * longer than the limit; HB_ERROR_FILE; HB_ERROR_CANCELLED
 */
gboolean hb_http_perform(HbHttp *http, const HbHttpRequest *request, HbHttpAnswer *answer, GError **error);
