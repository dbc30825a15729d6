/* SPDX-License-Identifier: Apache-2.0 */
#include "dump/bucket_inner.h"

#include "core/base/error.h"
#include "dump/file.h"

#include <string.h>
#include <unistd.h>

HbBucket *hb_bucket_open(const char *uri, GError **error)
{
    HbObjectAccess *access = hb_object_access_new(uri, error);
    HbBucket *bucket = access != NULL ? g_new0(HbBucket, 1) : NULL;

    if (bucket == NULL)
        return NULL;
    bucket->access = access;
    bucket->http = hb_http_new(access);
    return bucket;
}

void hb_bucket_close(HbBucket *bucket)
{
    if (bucket == NULL)
        return;
    hb_http_free(bucket->http);
    hb_object_access_free(bucket->access);
    g_free(bucket);
}

char *hb_bucket_make_path(const HbBucket *bucket, const char *name)
{
    return g_strdup_printf("/%s/%s%s%s", bucket->access->bucket, bucket->access->path,
                           *bucket->access->path != '\0' ? "/" : "", name);
}

/* ---- Refusals ---- */

/* What an answer that is no success comes to */
gboolean hb_bucket_set_refusal(const HbBucket *bucket, const char *doing, const HbHttpAnswer *answer, GError **error)
{
    const char *code = answer->code != NULL ? answer->code : "no reason given";
    const gboolean is_expired = g_strcmp0(answer->code, "ExpiredToken") == 0 ||
                                g_strcmp0(answer->code, "RequestExpired") == 0 ||
                                g_strcmp0(answer->code, "TokenRefreshRequired") == 0;

    if (is_expired)
        return hb_error_set(error, HB_ERROR_CONNECT, "get new ones, and give the same command again",
                            "%s: the object store at %s says that the credentials have expired", doing,
                            bucket->access->host);
    if (answer->status == 401 || answer->status == 403 || bucket->access->key_id == NULL)
        return hb_error_set(error, HB_ERROR_CONNECT,
                            bucket->access->key_id != NULL
                                ? "see that key, secret, region and the bucket's policy are right"
                                : "set AWS_ACCESS_KEY_ID and AWS_SECRET_ACCESS_KEY, or fill in the file of credentials",
                            "%s: the object store at %s refuses us: %u (%s)", doing, bucket->access->host,
                            answer->status, code);
    if (answer->status == 404)
        return hb_error_set(error, HB_ERROR_FILE, "create it, or see whether its name and the endpoint are right",
                            "%s: the object store at %s has no bucket %s", doing, bucket->access->host,
                            bucket->access->bucket);
    return hb_error_set(error, HB_ERROR_FILE, NULL, "%s: the object store at %s answers %u (%s)%s%s", doing,
                        bucket->access->host, answer->status, code, answer->message != NULL ? ": " : "",
                        answer->message != NULL ? answer->message : "");
}

/* ---- Single files ---- */

static int open_temporary(GError **error)
{
    g_autofree char *path = NULL;
    g_autoptr(GError) cause = NULL;
    const int fd = g_file_open_tmp("hornbeam-XXXXXX", &path, &cause);

    if (fd < 0)
        hb_error_set(error, HB_ERROR_FILE, "name a folder that may be written in TMPDIR", "%s", cause->message);
    else
        unlink(path);
    return fd;
}

int hb_bucket_open_text(const char *text, GError **error)
{
    const int fd = open_temporary(error);

    if (fd < 0 || hb_file_write_fully(fd, text, strlen(text)))
        return fd;
    hb_file_error(error, "writing", "a temporary file");
    close(fd);
    return -1;
}

static gboolean check_got(const char *name, guint64 bytes, const HbBucket *bucket, const HbHttpAnswer *answer,
                          GError **error)
{
    if (answer->status == 404)
        return hb_file_set_missing(name, error);
    if (answer->status != 200)
        return hb_bucket_set_refusal(bucket, name, answer, error);
    return answer->bytes == bytes ||
           hb_error_set(error, HB_ERROR_DAMAGED, "take a new dump", "%s: it ends too early in the object store", name);
}

int hb_bucket_get(HbBucket *bucket, const char *name, guint64 bytes, GError **error)
{
    g_autofree char *path = hb_bucket_make_path(bucket, name);
    int fd = open_temporary(error);
    const HbHttpRequest request = {.verb = "GET", .path = path, .body = -1, .into = fd, .limit = bytes};
    HbHttpAnswer answer = {0};

    if (fd < 0)
        return -1;
    if (!hb_http_perform(bucket->http, &request, &answer, error) || !check_got(name, bytes, bucket, &answer, error)) {
        close(fd);
        fd = -1;
    }
    hb_http_answer_clear(&answer);
    return fd;
}

gboolean hb_bucket_read(HbBucket *bucket, const char *name, char **text, GError **error)
{
    g_autofree char *path = hb_bucket_make_path(bucket, name);
    const HbHttpRequest request = {.verb = "GET", .path = path, .body = -1, .into = -1};
    HbHttpAnswer answer;
    const gboolean ok =
        hb_http_perform(bucket->http, &request, &answer, error) &&
        (answer.status == 200 || answer.status == 404 || hb_bucket_set_refusal(bucket, name, &answer, error));

    *text = ok && answer.status == 200 ? g_strndup(answer.text->str, answer.text->len) : NULL;
    hb_http_answer_clear(&answer);
    return ok;
}

static gboolean set_exists(const char *name, GError **error)
{
    return hb_error_set(error, HB_ERROR_FILE, "dump again under a name that is free",
                        "%s is there by now; a dump never overwrites anything", name);
}

/* Where conditions are not known: whether it is there just now */
static gboolean check_free(HbBucket *bucket, const char *path, const char *name, GError **error)
{
    const HbHttpRequest request = {.verb = "HEAD", .path = path, .body = -1, .into = -1};
    HbHttpAnswer answer;
    const gboolean ok = hb_http_perform(bucket->http, &request, &answer, error) &&
                        (answer.status == 404 || (answer.status == 200 && set_exists(name, error)) ||
                         (answer.status != 200 && hb_bucket_set_refusal(bucket, name, &answer, error)));

    hb_http_answer_clear(&answer);
    return ok;
}

/* After a try whose answer was lost: it may be our own file that is there */
static gboolean is_ours(HbBucket *bucket, const char *name, guint64 bytes, const char *sum)
{
    const int fd = hb_bucket_get(bucket, name, bytes, NULL);
    g_autoptr(HbFileSum) found = fd >= 0 ? hb_file_sum(fd, 0, bytes, name, NULL, NULL, NULL) : NULL;

    if (fd >= 0)
        close(fd);
    return found != NULL && strcmp(found->sum, sum) == 0;
}

/* *may_be_ours: what is there by now may have come with an earlier try */
static gboolean put_whole(HbBucket *bucket, const HbBucketFile *file, const char *sum, guint *status,
                          gboolean *may_be_ours, GError **error)
{
    const HbHttpRequest request = {.verb = "PUT",
                                   .path = file->path,
                                   .body = file->fd,
                                   .body_bytes = file->bytes,
                                   .payload = sum,
                                   .only_if_new = !g_atomic_int_get(&bucket->is_unconditional),
                                   .into = -1};
    HbHttpAnswer answer;
    const gboolean ok =
        hb_http_perform(bucket->http, &request, &answer, error) &&
        (answer.status == 200 || answer.status == 412 || (answer.status == 501 && request.only_if_new) ||
         hb_bucket_set_refusal(bucket, file->name, &answer, error));

    *status = answer.status;
    *may_be_ours = answer.tries > 1;
    hb_http_answer_clear(&answer);
    return ok;
}

#define PROBE_BYTES_MAX ((guint64)64 * 1024)

/* A store may pass over a condition that it does not know: what has just been written must be refused the second time.
 * If that cannot be asked now, the next file shows it: this one is there */
static void try_condition(HbBucket *bucket, const HbBucketFile *file, const char *sum)
{
    gboolean may_be_ours;
    guint status;

    if (g_atomic_int_get(&bucket->is_tried) || file->bytes > PROBE_BYTES_MAX ||
        !put_whole(bucket, file, sum, &status, &may_be_ours, NULL))
        return;
    g_atomic_int_set(&bucket->is_tried, TRUE);
    if (status != 412)
        g_atomic_int_set(&bucket->is_unconditional, TRUE);
}

gboolean hb_bucket_put(HbBucket *bucket, const char *name, int fd, guint64 bytes, const char *sum, GError **error)
{
    g_autofree char *path = hb_bucket_make_path(bucket, name);
    const HbBucketFile file = {name, path, fd, bytes};
    const gboolean is_conditional = !g_atomic_int_get(&bucket->is_unconditional),
                   in_parts = bytes > HB_BUCKET_PART_BYTES;
    gboolean may_be_ours = TRUE;
    guint status = 0;

    if (!is_conditional && !check_free(bucket, path, name, error))
        return FALSE;
    if (in_parts ? !hb_bucket_put_parts(bucket, &file, is_conditional, &status, error)
                 : !put_whole(bucket, &file, sum, &status, &may_be_ours, error)) {
        if (error != NULL && !g_str_has_prefix((*error)->message, name))
            g_prefix_error(error, "writing %s: ", name);
        return FALSE;
    }
    if (status == 501 && is_conditional) {
        g_atomic_int_set(&bucket->is_tried, TRUE);
        g_atomic_int_set(&bucket->is_unconditional, TRUE);
        return hb_bucket_put(bucket, name, fd, bytes, sum, error);
    }
    if (status == 200) {
        if (is_conditional)
            try_condition(bucket, &file, sum);
        return TRUE;
    }
    return (may_be_ours && is_ours(bucket, name, bytes, sum)) || set_exists(name, error);
}

gboolean hb_bucket_write(HbBucket *bucket, const char *name, const char *text, GError **error)
{
    g_autofree char *sum = g_compute_checksum_for_string(G_CHECKSUM_SHA256, text, -1);
    const int fd = hb_bucket_open_text(text, error);
    const gboolean ok = fd >= 0 && hb_bucket_put(bucket, name, fd, strlen(text), sum, error);

    if (fd >= 0)
        close(fd);
    return ok;
}

gboolean hb_bucket_remove(HbBucket *bucket, const char *name, GError **error)
{
    g_autofree char *path = hb_bucket_make_path(bucket, name);
    const HbHttpRequest request = {.verb = "DELETE", .path = path, .body = -1, .into = -1};
    HbHttpAnswer answer;
    const gboolean ok =
        hb_http_perform(bucket->http, &request, &answer, error) &&
        (answer.status < 300 || answer.status == 404 || hb_bucket_set_refusal(bucket, name, &answer, error));

    hb_http_answer_clear(&answer);
    return ok;
}
