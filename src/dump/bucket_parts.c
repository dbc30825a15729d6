/* SPDX-License-Identifier: Apache-2.0 */
#include "dump/bucket_inner.h"

#include "core/base/error.h"
#include "dump/file.h"
#include "dump/signature.h"

#include <string.h>
#include <unistd.h>

/*
 * "Uploading and copying objects using multipart upload" of Amazon's documentation: a name for the upload, then each
 * part under its number, then the list of them, which makes the file. What is written at once is at most 5 GB with most
 * stores, and is sent anew from its beginning when the connection breaks
 */
#define PARTS_MAX      10000
#define PATIENCE       3   /* of the last request, which may fail after its answer has begun well */
#define UPLOADS_ROUNDS 100 /* of a thousand each */

typedef struct {
    HbBucket *bucket;
    const char *name, *path;
    int fd;
    char *upload;  /* the store's name of it, escaped */
    GString *list; /* of the parts that are there */
} Parts;

/* ---- Requests ---- */

static gboolean begin(Parts *parts, GError **error)
{
    const HbHttpRequest request = {.verb = "POST", .path = parts->path, .query = "uploads=", .body = -1, .into = -1};
    g_autofree char *upload = NULL;
    HbHttpAnswer answer;
    gboolean ok = hb_http_perform(parts->bucket->http, &request, &answer, error) &&
                  (answer.status == 200 || hb_bucket_set_refusal(parts->bucket, parts->name, &answer, error));

    if (ok) {
        upload = hb_http_read_element(answer.text->str, "UploadId");
        ok = upload != NULL || hb_error_set(error, HB_ERROR_FILE, "see whether the endpoint is that of an object store",
                                            "%s: the object store names no upload", parts->name);
        parts->upload = ok ? hb_signature_escape(upload, FALSE) : NULL;
    }
    hb_http_answer_clear(&answer);
    return ok;
}

static void add_to_list(Parts *parts, guint number, const char *etag)
{
    g_autofree char *escaped = g_markup_escape_text(etag, -1);

    g_string_append_printf(parts->list, "<Part><PartNumber>%u</PartNumber><ETag>%s</ETag></Part>", number, escaped);
}

static gboolean send_part(Parts *parts, guint number, guint64 offset, guint64 bytes, GError **error)
{
    g_autofree char *query = g_strdup_printf("partNumber=%u&uploadId=%s", number, parts->upload);
    g_autoptr(HbFileSum) sum = hb_file_sum(parts->fd, offset, bytes, parts->path, NULL, NULL, error);
    HbHttpRequest request = {.verb = "PUT",
                             .path = parts->path,
                             .query = query,
                             .body = parts->fd,
                             .body_offset = offset,
                             .body_bytes = bytes,
                             .into = -1};
    HbHttpAnswer answer;
    gboolean ok;

    if (sum == NULL)
        return FALSE;
    request.payload = sum->sum;
    ok = hb_http_perform(parts->bucket->http, &request, &answer, error) &&
         ((answer.status == 200 && answer.etag != NULL) ||
          hb_bucket_set_refusal(parts->bucket, parts->name, &answer, error));
    if (ok)
        add_to_list(parts, number, answer.etag);
    hb_http_answer_clear(&answer);
    return ok;
}

static gboolean send_all(Parts *parts, guint64 bytes, GError **error)
{
    const guint64 size = MAX(HB_BUCKET_PART_BYTES, (bytes + PARTS_MAX - 1) / PARTS_MAX);
    guint number = 0;

    for (guint64 at = 0; at < bytes; at += size) {
        if (!send_part(parts, ++number, at, MIN(size, bytes - at), error))
            return FALSE;
    }
    return TRUE;
}

/* An answer of 200 may hold an error: the store begins to answer before it has put the parts together */
static gboolean ask_to_end(Parts *parts, const HbHttpRequest *request, guint *status, gboolean *again, GError **error)
{
    HbHttpAnswer answer;
    g_autofree char *code = NULL;
    gboolean ok = hb_http_perform(parts->bucket->http, request, &answer, error);

    *again = FALSE;
    *status = answer.status;
    if (ok && answer.status == 200 && (code = hb_http_read_element(answer.text->str, "Code")) != NULL) {
        *again = strcmp(code, "InternalError") == 0;
        ok = hb_error_set(error, HB_ERROR_FILE, NULL, "%s: the object store cannot put its parts together: %s",
                          parts->name, code);
    } else if (ok && answer.status != 200 && answer.status != 404 && answer.status != 412 && answer.status != 501) {
        ok = hb_bucket_set_refusal(parts->bucket, parts->name, &answer, error);
    }
    hb_http_answer_clear(&answer);
    return ok;
}

static gboolean end(Parts *parts, gboolean only_if_new, guint *status, GError **error)
{
    g_autofree char *query = g_strconcat("uploadId=", parts->upload, NULL),
                    *text = g_strdup_printf("<CompleteMultipartUpload>%s</CompleteMultipartUpload>", parts->list->str),
                    *sum = g_compute_checksum_for_string(G_CHECKSUM_SHA256, text, -1);
    const int fd = hb_bucket_open_text(text, error);
    const HbHttpRequest request = {.verb = "POST",
                                   .path = parts->path,
                                   .query = query,
                                   .body = fd,
                                   .body_bytes = strlen(text),
                                   .payload = sum,
                                   .only_if_new = only_if_new,
                                   .into = -1};
    gboolean ok = FALSE, again = TRUE;

    if (fd < 0)
        return FALSE;
    for (guint count = 0; count < PATIENCE && again; count++) {
        g_clear_error(error);
        ok = ask_to_end(parts, &request, status, &again, error);
    }
    close(fd);
    return ok;
}

static void give_up(Parts *parts)
{
    g_autofree char *query = g_strconcat("uploadId=", parts->upload, NULL);
    const HbHttpRequest request = {.verb = "DELETE", .path = parts->path, .query = query, .body = -1, .into = -1};
    HbHttpAnswer answer;

    hb_http_perform(parts->bucket->http, &request, &answer, NULL);
    hb_http_answer_clear(&answer);
}

gboolean hb_bucket_put_parts(HbBucket *bucket, const HbBucketFile *file, gboolean only_if_new, guint *status,
                             GError **error)
{
    Parts parts = {
        .bucket = bucket, .name = file->name, .path = file->path, .fd = file->fd, .list = g_string_new(NULL)};
    GError *ours = NULL;
    const gboolean ok =
        begin(&parts, &ours) && send_all(&parts, file->bytes, &ours) && end(&parts, only_if_new, status, &ours);

    if (parts.upload != NULL && (!ok || *status != 200))
        give_up(&parts);
    if (ours != NULL)
        g_propagate_error(error, ours);
    g_string_free(parts.list, TRUE);
    g_free(parts.upload);
    return ok;
}

/* ---- What was begun, and never ended ---- */

/* TRUE with *none: there are none any more, or the store does not know of any */
static gboolean end_listed(HbBucket *bucket, const char *xml, const char *folder, gboolean *none, GError **error)
{
    g_autoptr(GPtrArray) files = hb_http_list_elements(xml, "Key"), uploads = hb_http_list_elements(xml, "UploadId");

    if (files->len != uploads->len)
        return hb_error_set(error, HB_ERROR_FILE, "see whether the endpoint is that of an object store",
                            "the list of a bucket's unfinished files cannot be read");
    for (guint i = 0; i < files->len; i++) {
        g_autofree char *path = g_strdup_printf("/%s/%s", bucket->access->bucket, (char *)files->pdata[i]);
        Parts parts = {.bucket = bucket, .path = path, .upload = hb_signature_escape(uploads->pdata[i], FALSE)};
        if (g_str_has_prefix(files->pdata[i], folder))
            give_up(&parts);
        g_free(parts.upload);
    }
    *none = files->len == 0;
    return TRUE;
}

static gboolean end_some(HbBucket *bucket, gboolean *none, GError **error)
{
    g_autofree char *path = g_strconcat("/", bucket->access->bucket, NULL),
                    *folder = g_strconcat(bucket->access->path, "/", NULL),
                    *prefix = hb_signature_escape(folder, FALSE),
                    *query = g_strdup_printf("max-uploads=1000&prefix=%s&uploads=", prefix);
    const HbHttpRequest request = {.verb = "GET", .path = path, .query = query, .body = -1, .into = -1};
    HbHttpAnswer answer;
    const gboolean ok = hb_http_perform(bucket->http, &request, &answer, error) &&
                        (answer.status == 200 || answer.status == 501 ||
                         hb_bucket_set_refusal(bucket, "looking for unfinished parts", &answer, error)) &&
                        end_listed(bucket, answer.status == 200 ? answer.text->str : "", folder, none, error);

    hb_http_answer_clear(&answer);
    return ok;
}

gboolean hb_bucket_end_parts(HbBucket *bucket, GError **error)
{
    gboolean none = FALSE;

    for (guint count = 0; count < UPLOADS_ROUNDS && !none; count++) {
        if (!end_some(bucket, &none, error))
            return FALSE;
    }
    return TRUE;
}
