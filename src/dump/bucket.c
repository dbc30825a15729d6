/* SPDX-License-Identifier: Apache-2.0 */
#include "dump/bucket.h"

#include "core/base/error.h"
#include "dump/file.h"
#include "dump/http.h"
#include "dump/signature.h"

#include <string.h>
#include <unistd.h>

#define LISTS_MAX 100000 /* of a thousand names each */

struct HbBucket {
    HbObjectAccess *access;
    HbHttp *http;
    gint is_unconditional; /* atomic: the store does not know conditions */
};

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

static char *make_path(const HbBucket *bucket, const char *name)
{
    return g_strdup_printf("/%s/%s/%s", bucket->access->bucket, bucket->access->path, name);
}

/* ---- Refusals ---- */

/* What an answer that is no success comes to */
static gboolean set_refusal(const HbBucket *bucket, const char *doing, const HbHttpAnswer *answer, GError **error)
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

/* ---- Listing ---- */

typedef struct {
    const char *prefix;
    GHashTable *sizes;
    char *element;
    char *key;
    char *next; /* where the list goes on; NULL: it ends */
    guint64 bytes;
} List;

static void begin_element(GMarkupParseContext *context, const char *name, const char **names, const char **values,
                          gpointer data, GError **error)
{
    List *list = data;

    (void)context, (void)names, (void)values, (void)error;
    g_free(list->element);
    list->element = g_strdup(name);
}

static void take_text(GMarkupParseContext *context, const char *text, gsize length, gpointer data, GError **error)
{
    List *list = data;
    g_autofree char *value = g_strndup(text, length);
    char **place = g_strcmp0(list->element, "Key") == 0                     ? &list->key
                   : g_strcmp0(list->element, "NextContinuationToken") == 0 ? &list->next
                                                                            : NULL;

    (void)context, (void)error;
    if (place != NULL) {
        g_free(*place);
        *place = g_steal_pointer(&value);
    } else if (g_strcmp0(list->element, "Size") == 0) {
        list->bytes = g_ascii_strtoull(value, NULL, 10);
    }
}

static void end_element(GMarkupParseContext *context, const char *name, gpointer data, GError **error)
{
    List *list = data;

    (void)context, (void)error;
    g_clear_pointer(&list->element, g_free);
    if (strcmp(name, "Contents") != 0 || list->key == NULL)
        return;
    if (g_str_has_prefix(list->key, list->prefix) && hb_file_is_safe_name(list->key + strlen(list->prefix)))
        g_hash_table_replace(list->sizes, g_strdup(list->key + strlen(list->prefix)),
                             g_memdup2(&list->bytes, sizeof list->bytes));
    g_clear_pointer(&list->key, g_free);
}

static gboolean read_list(List *list, const GString *text, GError **error)
{
    static const GMarkupParser parser = {begin_element, end_element, take_text, NULL, NULL};
    GMarkupParseContext *context = g_markup_parse_context_new(&parser, 0, list, NULL);
    g_autoptr(GError) cause = NULL;
    const gboolean ok = g_markup_parse_context_parse(context, text->str, (gssize)text->len, &cause) &&
                        g_markup_parse_context_end_parse(context, &cause);

    g_markup_parse_context_free(context);
    return ok || hb_error_set(error, HB_ERROR_FILE, "see whether the endpoint is that of an object store",
                              "the list of a bucket cannot be read: %s", cause->message);
}

/* One answer's names; *token (NULL: the first) becomes that of the next answer, or NULL */
static gboolean ask_list(HbBucket *bucket, List *list, guint most, char **token, GError **error)
{
    g_autofree char *path = g_strconcat("/", bucket->access->bucket, NULL), *query = NULL,
                    *prefix = hb_signature_escape(list->prefix, FALSE),
                    *from = *token != NULL ? hb_signature_escape(*token, FALSE) : NULL;
    HbHttpAnswer answer;
    gboolean ok;

    query =
        g_strdup_printf("%s%s%slist-type=2&max-keys=%u&prefix=%s", from != NULL ? "continuation-token=" : "",
                        from != NULL ? from : "", from != NULL ? "&" : "", most > 0 ? MIN(most, 1000) : 1000, prefix);
    const HbHttpRequest request = {.verb = "GET", .path = path, .query = query, .body = -1, .into = -1};
    ok = hb_http_perform(bucket->http, &request, &answer, error) &&
         (answer.status == 200 || set_refusal(bucket, "listing the dump", &answer, error)) &&
         read_list(list, answer.text, error);
    hb_http_answer_clear(&answer);
    g_free(*token);
    *token = g_steal_pointer(&list->next);
    return ok;
}

GHashTable *hb_bucket_list(HbBucket *bucket, guint most, GError **error)
{
    g_autofree char *prefix = g_strconcat(bucket->access->path, "/", NULL), *token = NULL;
    g_autoptr(GHashTable) sizes = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, g_free);
    List list = {.prefix = prefix, .sizes = sizes};
    gboolean ok = TRUE;

    for (guint count = 0; ok && (count == 0 || token != NULL); count++) {
        ok = count < LISTS_MAX ? ask_list(bucket, &list, most, &token, error)
                               : hb_error_set(error, HB_ERROR_FILE, NULL, "the list of a bucket has no end");
        if (most > 0)
            break;
    }
    g_free(list.element);
    g_free(list.key);
    g_free(list.next);
    return ok ? g_steal_pointer(&sizes) : NULL;
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

static gboolean check_got(const char *name, guint64 bytes, const HbBucket *bucket, const HbHttpAnswer *answer,
                          GError **error)
{
    if (answer->status == 404)
        return hb_file_set_missing(name, error);
    if (answer->status != 200)
        return set_refusal(bucket, name, answer, error);
    return answer->bytes == bytes ||
           hb_error_set(error, HB_ERROR_DAMAGED, "take a new dump", "%s: it ends too early in the object store", name);
}

int hb_bucket_get(HbBucket *bucket, const char *name, guint64 bytes, GError **error)
{
    g_autofree char *path = make_path(bucket, name);
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
    g_autofree char *path = make_path(bucket, name);
    const HbHttpRequest request = {.verb = "GET", .path = path, .body = -1, .into = -1};
    HbHttpAnswer answer;
    const gboolean ok = hb_http_perform(bucket->http, &request, &answer, error) &&
                        (answer.status == 200 || answer.status == 404 || set_refusal(bucket, name, &answer, error));

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
                         (answer.status != 200 && set_refusal(bucket, name, &answer, error)));

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

gboolean hb_bucket_put(HbBucket *bucket, const char *name, int fd, guint64 bytes, const char *sum, GError **error)
{
    g_autofree char *path = make_path(bucket, name);
    const gboolean is_conditional = !g_atomic_int_get(&bucket->is_unconditional);
    const HbHttpRequest request = {.verb = "PUT",
                                   .path = path,
                                   .body = fd,
                                   .body_bytes = bytes,
                                   .payload = sum,
                                   .only_if_new = is_conditional,
                                   .into = -1};
    HbHttpAnswer answer;
    gboolean ok;

    if (!is_conditional && !check_free(bucket, path, name, error))
        return FALSE;
    if (!hb_http_perform(bucket->http, &request, &answer, error)) {
        hb_http_answer_clear(&answer);
        g_prefix_error(error, "writing %s: ", name);
        return FALSE;
    }
    if (answer.status == 501 && is_conditional) {
        hb_http_answer_clear(&answer);
        g_atomic_int_set(&bucket->is_unconditional, TRUE);
        return hb_bucket_put(bucket, name, fd, bytes, sum, error);
    }
    if (answer.status == 412)
        ok = (answer.tries > 1 && is_ours(bucket, name, bytes, sum)) || set_exists(name, error);
    else
        ok = answer.status == 200 || set_refusal(bucket, name, &answer, error);
    hb_http_answer_clear(&answer);
    return ok;
}

gboolean hb_bucket_write(HbBucket *bucket, const char *name, const char *text, GError **error)
{
    g_autofree char *sum = g_compute_checksum_for_string(G_CHECKSUM_SHA256, text, -1);
    const int fd = open_temporary(error);
    gboolean ok;

    if (fd < 0)
        return FALSE;
    ok = hb_file_write_fully(fd, text, strlen(text)) ? hb_bucket_put(bucket, name, fd, strlen(text), sum, error)
                                                     : hb_file_error(error, "writing", name);
    close(fd);
    return ok;
}

gboolean hb_bucket_remove(HbBucket *bucket, const char *name, GError **error)
{
    g_autofree char *path = make_path(bucket, name);
    const HbHttpRequest request = {.verb = "DELETE", .path = path, .body = -1, .into = -1};
    HbHttpAnswer answer;
    const gboolean ok = hb_http_perform(bucket->http, &request, &answer, error) &&
                        (answer.status < 300 || answer.status == 404 || set_refusal(bucket, name, &answer, error));

    hb_http_answer_clear(&answer);
    return ok;
}

gboolean hb_bucket_sweep(const char *uri, const char *last, guint *count, GError **error)
{
    HbBucket *bucket = hb_bucket_open(uri, error);
    g_autoptr(GHashTable) names = bucket != NULL ? hb_bucket_list(bucket, 0, error) : NULL;
    gboolean ok = names != NULL;
    GHashTableIter iter;
    gpointer name;

    *count = 0;
    if (ok && g_hash_table_contains(names, last))
        ok = hb_error_set(error, HB_ERROR_FILE, "name another one", "%s is a whole dump, and is left alone", uri);
    if (ok)
        g_hash_table_iter_init(&iter, names);
    while (ok && g_hash_table_iter_next(&iter, &name, NULL)) {
        ok = hb_bucket_remove(bucket, name, error);
        *count += ok;
    }
    hb_bucket_close(bucket);
    return ok;
}
