/* SPDX-License-Identifier: Apache-2.0 */
#include "dump/http.h"

#include "core/base/error.h"
#include "dump/file.h"
#include "dump/signature.h"

#include <curl/curl.h>
#include <errno.h>
#include <string.h>
#include <unistd.h>

#define EMPTY_PAYLOAD "e3b0c44298fc1c149afbf4c8996fb92427ae41e4649b934ca495991b7852b855"

#define ATTEMPTS          6
#define PAUSE_US          (200 * 1000) /* before the second try; doubled each time, and up to half as long again */
#define CONNECT_TIMEOUT_S 15L
#define SILENCE_S         60L /* so long less than one byte a second */
#define TEXT_MAX          ((gsize)8 * 1024 * 1024)

struct HbHttp {
    const HbObjectAccess *access;
    GMutex lock;     /* guards the two below */
    GQueue *handles; /* CURL *: idle, with their connections */
    gint64 skew_s;   /* how far the server's clock is before ours */
};

/* One try */
typedef struct {
    const HbHttpRequest *request;
    HbHttpAnswer *answer;
    CURL *curl;
    guint64 sent;
    gint64 server_time; /* of the answer's header; 0: it has none */
    int file_error;     /* errno of what failed here; 0: nothing did */
    gboolean is_too_long;
} Try;

void hb_http_answer_clear(HbHttpAnswer *answer)
{
    if (answer->text != NULL)
        g_string_free(answer->text, TRUE);
    g_free(answer->code);
    g_free(answer->message);
    g_free(answer->etag);
    *answer = (HbHttpAnswer){0};
}

HbHttp *hb_http_new(const HbObjectAccess *access)
{
    static gsize is_ready = 0;
    HbHttp *http = g_new0(HbHttp, 1);

    if (g_once_init_enter(&is_ready)) {
        g_assert(curl_global_init(CURL_GLOBAL_DEFAULT) == CURLE_OK);
        g_once_init_leave(&is_ready, 1);
    }
    http->access = access;
    http->handles = g_queue_new();
    g_mutex_init(&http->lock);
    return http;
}

void hb_http_free(HbHttp *http)
{
    if (http == NULL)
        return;
    g_queue_free_full(http->handles, curl_easy_cleanup);
    g_mutex_clear(&http->lock);
    g_free(http);
}

static CURL *take_handle(HbHttp *http)
{
    CURL *curl;

    g_mutex_lock(&http->lock);
    curl = g_queue_pop_head(http->handles);
    g_mutex_unlock(&http->lock);
    if (curl == NULL)
        curl = curl_easy_init();
    g_assert(curl != NULL);
    curl_easy_reset(curl);
    return curl;
}

static void give_handle(HbHttp *http, CURL *curl)
{
    g_mutex_lock(&http->lock);
    g_queue_push_head(http->handles, curl);
    g_mutex_unlock(&http->lock);
}

/* ---- The end of the program ---- */

static gint is_given_up; /* atomic: by a signal, for the whole process */

void hb_http_give_up(void)
{
    g_atomic_int_set(&is_given_up, TRUE);
}

/* Nothing is to be left: what removes is asked all the same, and what lists; and the answer to a body that was sent to
 * its end is waited for, since it may be there */
static gboolean is_cut(const HbHttpRequest *request)
{
    return g_atomic_int_get(&is_given_up) && (request->body >= 0 || request->into >= 0);
}

static int look_up(void *data, curl_off_t get_total, curl_off_t got, curl_off_t put_total, curl_off_t put)
{
    const Try *attempt = data;

    (void)get_total, (void)got, (void)put_total, (void)put;
    return is_cut(attempt->request) && (attempt->request->body < 0 || attempt->sent < attempt->request->body_bytes);
}

/* ---- What goes and comes ---- */

static size_t send_body(char *buffer, size_t size, size_t count, void *data)
{
    Try *attempt = data;
    const guint64 left = attempt->request->body_bytes - attempt->sent;
    const gsize wanted = (gsize)MIN((guint64)size * count, left);
    const gssize got = wanted > 0 ? pread(attempt->request->body, buffer, wanted,
                                          (off_t)(attempt->request->body_offset + attempt->sent))
                                  : 0;

    if (got < 0 || (got == 0 && wanted > 0)) {
        attempt->file_error = got < 0 ? errno : EIO;
        return CURL_READFUNC_ABORT;
    }
    attempt->sent += (guint64)got;
    return (size_t)got;
}

static size_t take_body(char *bytes, size_t size, size_t count, void *data)
{
    Try *attempt = data;
    const gsize length = size * count;
    long status = 0;

    curl_easy_getinfo(attempt->curl, CURLINFO_RESPONSE_CODE, &status);
    if (attempt->request->into < 0 || status != 200) {
        if (attempt->answer->text->len + length > TEXT_MAX)
            return 0;
        g_string_append_len(attempt->answer->text, bytes, (gssize)length);
        return length;
    }
    if (attempt->answer->bytes + length > attempt->request->limit) {
        attempt->is_too_long = TRUE;
        return 0;
    }
    if (!hb_file_write_fully(attempt->request->into, bytes, length)) {
        attempt->file_error = errno;
        return 0;
    }
    attempt->answer->bytes += length;
    return length;
}

static size_t take_header(char *bytes, size_t size, size_t count, void *data)
{
    Try *attempt = data;
    g_autofree char *line = g_strndup(bytes, size * count);

    if (g_ascii_strncasecmp(line, "date:", 5) == 0)
        attempt->server_time = MAX((gint64)curl_getdate(line + 5, NULL), 0);
    if (g_ascii_strncasecmp(line, "etag:", 5) == 0 && attempt->answer->etag == NULL)
        attempt->answer->etag = g_strdup(g_strstrip(line + 5));
    return size * count;
}

/* ---- One try ---- */

static struct curl_slist *add_header(struct curl_slist *headers, const char *name, const char *value)
{
    g_autofree char *line = g_strdup_printf("%s: %s", name, value);

    return curl_slist_append(headers, line);
}

static struct curl_slist *make_headers(HbHttp *http, const HbHttpRequest *request, const char *path)
{
    const HbObjectAccess *access = http->access;
    const HbSigner signer = {access->key_id, access->secret, access->token, access->region};
    const char *payload = request->payload != NULL ? request->payload : EMPTY_PAYLOAD;
    struct curl_slist *headers = curl_slist_append(NULL, "Expect:");
    HbUnsigned unsigned_one = {
        request->verb, access->host, path, request->query != NULL ? request->query : "", payload, 0};

    if (request->body < 0 && strcmp(request->verb, "POST") == 0)
        headers = add_header(headers, "Content-Length", "0"); /* some do not take it without */
    if (request->only_if_new)
        headers = add_header(headers, "If-None-Match", "*");
    if (access->key_id == NULL)
        return headers;
    g_mutex_lock(&http->lock);
    unsigned_one.time = g_get_real_time() / G_USEC_PER_SEC + http->skew_s;
    g_mutex_unlock(&http->lock);
    g_autofree char *time = hb_signature_write_time(unsigned_one.time);
    g_autofree char *signature = hb_signature_make(&signer, &unsigned_one);
    headers = add_header(headers, "x-amz-content-sha256", payload);
    headers = add_header(headers, "x-amz-date", time);
    if (access->token != NULL)
        headers = add_header(headers, "x-amz-security-token", access->token);
    return add_header(headers, "Authorization", signature);
}

static void prepare(HbHttp *http, Try *attempt, const char *url, struct curl_slist *headers)
{
    const HbHttpRequest *request = attempt->request;
    CURL *curl = attempt->curl;

    curl_easy_setopt(curl, CURLOPT_URL, url);
    curl_easy_setopt(curl, CURLOPT_PATH_AS_IS, 1L);
    curl_easy_setopt(curl, CURLOPT_PROTOCOLS_STR, "http,https");
    curl_easy_setopt(curl, CURLOPT_NOSIGNAL, 1L);
    curl_easy_setopt(curl, CURLOPT_HTTPHEADER, headers);
    curl_easy_setopt(curl, CURLOPT_CONNECTTIMEOUT, CONNECT_TIMEOUT_S);
    curl_easy_setopt(curl, CURLOPT_LOW_SPEED_LIMIT, 1L);
    curl_easy_setopt(curl, CURLOPT_LOW_SPEED_TIME, SILENCE_S);
    curl_easy_setopt(curl, CURLOPT_WRITEFUNCTION, take_body);
    curl_easy_setopt(curl, CURLOPT_WRITEDATA, attempt);
    curl_easy_setopt(curl, CURLOPT_HEADERFUNCTION, take_header);
    curl_easy_setopt(curl, CURLOPT_HEADERDATA, attempt);
    curl_easy_setopt(curl, CURLOPT_NOPROGRESS, 0L);
    curl_easy_setopt(curl, CURLOPT_XFERINFOFUNCTION, look_up);
    curl_easy_setopt(curl, CURLOPT_XFERINFODATA, attempt);
    if (http->access->ca != NULL)
        curl_easy_setopt(curl, CURLOPT_CAINFO, http->access->ca);
    if (request->body >= 0) {
        curl_easy_setopt(curl, CURLOPT_UPLOAD, 1L);
        curl_easy_setopt(curl, CURLOPT_READFUNCTION, send_body);
        curl_easy_setopt(curl, CURLOPT_READDATA, attempt);
        curl_easy_setopt(curl, CURLOPT_INFILESIZE_LARGE, (curl_off_t)request->body_bytes);
        curl_easy_setopt(curl, CURLOPT_CUSTOMREQUEST, request->verb);
    } else if (strcmp(request->verb, "HEAD") == 0) {
        curl_easy_setopt(curl, CURLOPT_NOBODY, 1L);
    } else {
        curl_easy_setopt(curl, CURLOPT_CUSTOMREQUEST, request->verb);
    }
}

static CURLcode try_once(HbHttp *http, const HbHttpRequest *request, Try *attempt)
{
    g_autofree char *path = hb_signature_escape(request->path, TRUE);
    g_autofree char *url = g_strdup_printf("%s%s%s%s", http->access->endpoint, path, request->query != NULL ? "?" : "",
                                           request->query != NULL ? request->query : "");
    struct curl_slist *headers = make_headers(http, request, path);
    CURLcode code;
    long status = 0;
    const guint tries = attempt->answer->tries + 1;

    hb_http_answer_clear(attempt->answer);
    attempt->answer->tries = tries;
    attempt->answer->text = g_string_new(NULL);
    if (request->into >= 0 && (lseek(request->into, 0, SEEK_SET) != 0 || ftruncate(request->into, 0) != 0))
        attempt->file_error = errno;
    prepare(http, attempt, url, headers);
    code = curl_easy_perform(attempt->curl);
    curl_easy_getinfo(attempt->curl, CURLINFO_RESPONSE_CODE, &status);
    attempt->answer->status = (guint)status;
    curl_slist_free_all(headers);
    return code;
}

/* ---- What an answer says ---- */

typedef struct {
    const char *element;
    gboolean is_in;
    GPtrArray *texts;
} Search;

static void begin_element(GMarkupParseContext *context, const char *name, const char **names, const char **values,
                          gpointer data, GError **error)
{
    Search *search = data;

    (void)context, (void)names, (void)values, (void)error;
    search->is_in = strcmp(name, search->element) == 0;
}

static void take_text(GMarkupParseContext *context, const char *text, gsize length, gpointer data, GError **error)
{
    const Search *search = data;

    (void)context, (void)error;
    if (search->is_in)
        g_ptr_array_add(search->texts, g_strndup(text, length));
}

static void end_element(GMarkupParseContext *context, const char *name, gpointer data, GError **error)
{
    (void)context, (void)name, (void)error;
    ((Search *)data)->is_in = FALSE;
}

GPtrArray *hb_http_list_elements(const char *xml, const char *element)
{
    static const GMarkupParser parser = {begin_element, end_element, take_text, NULL, NULL};
    Search search = {.element = element, .texts = g_ptr_array_new_with_free_func(g_free)};
    GMarkupParseContext *context = g_markup_parse_context_new(&parser, 0, &search, NULL);

    g_markup_parse_context_parse(context, xml, (gssize)strlen(xml), NULL);
    g_markup_parse_context_free(context);
    return search.texts;
}

char *hb_http_read_element(const char *xml, const char *element)
{
    g_autoptr(GPtrArray) texts = hb_http_list_elements(xml, element);

    return texts->len > 0 ? g_strdup(texts->pdata[0]) : NULL;
}

static void read_error(HbHttpAnswer *answer)
{
    answer->code = hb_http_read_element(answer->text->str, "Code");
    answer->message = hb_http_read_element(answer->text->str, "Message");
}

/* ---- Again ---- */

static gboolean is_passing(const Try *attempt, CURLcode code)
{
    const guint status = attempt->answer->status;

    if (attempt->file_error != 0 || attempt->is_too_long || is_cut(attempt->request))
        return FALSE;
    if (code == CURLE_PEER_FAILED_VERIFICATION || code == CURLE_SSL_CACERT_BADFILE || code == CURLE_URL_MALFORMAT ||
        code == CURLE_UNSUPPORTED_PROTOCOL)
        return FALSE;
    return code != CURLE_OK || status == 429 || status == 408 || (status >= 500 && status != 501);
}

/* The server's clock counts: what is signed by another one is refused */
static gboolean set_clock(HbHttp *http, const Try *attempt)
{
    const gboolean is_skewed = g_strcmp0(attempt->answer->code, "RequestTimeTooSkewed") == 0;

    if (!is_skewed || attempt->server_time == 0)
        return FALSE;
    g_mutex_lock(&http->lock);
    http->skew_s = attempt->server_time - g_get_real_time() / G_USEC_PER_SEC;
    g_mutex_unlock(&http->lock);
    return TRUE;
}

static gboolean set_error(const HbHttp *http, const Try *attempt, CURLcode code, GError **error)
{
    const char *host = http->access->host;

    if (is_cut(attempt->request))
        return hb_error_set(error, HB_ERROR_CANCELLED, NULL, "interrupted");
    if (attempt->file_error != 0)
        return hb_error_set(error, HB_ERROR_FILE, "make room in the folder for temporary files (TMPDIR)",
                            "a temporary file: %s", g_strerror(attempt->file_error));
    if (attempt->is_too_long)
        return hb_error_set(error, HB_ERROR_DAMAGED, "take a new dump", "%s: it is longer than the store's list says",
                            attempt->request->path);
    if (code != CURLE_OK)
        return hb_error_set(error, HB_ERROR_CONNECT,
                            code == CURLE_PEER_FAILED_VERIFICATION
                                ? "name the authority that signed its certificate: ?ca=FILE, or AWS_CA_BUNDLE"
                                : "see whether the endpoint is right, and whether it can be reached from here",
                            "the object store at %s: %s", host, curl_easy_strerror(code));
    return hb_error_set(error, HB_ERROR_CONNECT, "try again when it is well", "the object store at %s answers %u (%s)",
                        host, attempt->answer->status,
                        attempt->answer->code != NULL ? attempt->answer->code : "without a reason");
}

static void pause_before(guint attempt, const HbHttpRequest *request)
{
    const gint64 pause = (gint64)PAUSE_US << (attempt - 1);
    const gint64 end = g_get_monotonic_time() + pause + g_random_int_range(0, (gint32)(pause / 2));

    while (g_get_monotonic_time() < end && !is_cut(request))
        g_usleep(PAUSE_US / 4);
}

gboolean hb_http_perform(HbHttp *http, const HbHttpRequest *request, HbHttpAnswer *answer, GError **error)
{
    gboolean is_clock_set = FALSE;

    *answer = (HbHttpAnswer){0};
    for (guint count = 1;; count++) {
        Try attempt = {.request = request, .answer = answer, .curl = take_handle(http)};
        const CURLcode code = try_once(http, request, &attempt);

        give_handle(http, attempt.curl);
        if (code == CURLE_OK && answer->status >= 300)
            read_error(answer);
        if (code == CURLE_OK && !is_clock_set && set_clock(http, &attempt)) {
            is_clock_set = TRUE;
            continue;
        }
        if (code == CURLE_OK && attempt.file_error == 0 && !is_passing(&attempt, code))
            return TRUE;
        if (count == ATTEMPTS || !is_passing(&attempt, code))
            return set_error(http, &attempt, code, error);
        pause_before(count, request);
    }
}
