/* SPDX-License-Identifier: Apache-2.0 */
/* What an object store may answer, by a server of ours that says its lines: outlasted, told, never believed too far */
#include "support/check.h"

#include "dump/bucket.h"
#include "dump/http.h"

#include <arpa/inet.h>
#include <netinet/in.h>
#include <string.h>
#include <sys/socket.h>
#include <unistd.h>

/* Answers one request after the other with the next of its texts; the last one for ever. An empty one breaks off */
typedef struct {
    const char *const *answers;
    int listener;
    guint port;
    guint requests;
    GString *heard; /* all heads that were sent */
    GThread *thread;
} Server;

static gboolean hear(Server *server, int client)
{
    g_autoptr(GString) head = g_string_new(NULL);
    char bytes[4096];
    const char *length;
    gsize body;

    while (strstr(head->str, "\r\n\r\n") == NULL) {
        const gssize count = read(client, bytes, sizeof bytes);
        if (count <= 0)
            return FALSE;
        g_string_append_len(head, bytes, count);
    }
    length = strstr(head->str, "Content-Length: ");
    body = length != NULL ? (gsize)g_ascii_strtoull(length + strlen("Content-Length: "), NULL, 10) : 0;
    for (gsize got = head->len - (gsize)(strstr(head->str, "\r\n\r\n") + 4 - head->str); got < body;) {
        const gssize count = read(client, bytes, MIN(sizeof bytes, body - got));
        if (count <= 0)
            return FALSE;
        got += (gsize)count;
    }
    g_string_append(server->heard, head->str);
    return TRUE;
}

static gpointer serve(gpointer data)
{
    Server *server = data;
    int client;

    while ((client = accept(server->listener, NULL, NULL)) >= 0) {
        const char *answer = *server->answers;
        if (hear(server, client)) {
            server->requests++;
            if (send(client, answer, strlen(answer), MSG_NOSIGNAL) >= 0)
                shutdown(client, SHUT_WR);
            if (server->answers[1] != NULL)
                server->answers++;
        }
        close(client);
    }
    return NULL;
}

static void begin_server(Server *server, const char *const *answers)
{
    struct sockaddr_in address = {.sin_family = AF_INET, .sin_addr.s_addr = htonl(INADDR_LOOPBACK)};
    socklen_t length = sizeof address;

    *server = (Server){.answers = answers, .listener = socket(AF_INET, SOCK_STREAM, 0), .heard = g_string_new(NULL)};
    assert_int_equal(bind(server->listener, (struct sockaddr *)&address, sizeof address), 0);
    assert_int_equal(listen(server->listener, 8), 0);
    assert_int_equal(getsockname(server->listener, (struct sockaddr *)&address, &length), 0);
    server->port = ntohs(address.sin_port);
    server->thread = g_thread_new("server", serve, server);
}

static void end_server(Server *server)
{
    shutdown(server->listener, SHUT_RDWR);
    close(server->listener);
    g_thread_join(server->thread);
    g_string_free(server->heard, TRUE);
}

static HbBucket *open_bucket(const Server *server)
{
    g_autofree char *uri = g_strdup_printf("s3://dumps/vale.dump?endpoint=http://127.0.0.1:%u", server->port);
    GError *error = NULL;
    HbBucket *bucket;

    g_setenv("AWS_ACCESS_KEY_ID", "ida", TRUE);
    g_setenv("AWS_SECRET_ACCESS_KEY", "geheim", TRUE);
    bucket = hb_bucket_open(uri, &error);
    check_no_error(error);
    return bucket;
}

#define ANSWER(status, headers, body) "HTTP/1.1 " status "\r\nConnection: close\r\n" headers "\r\n" body
#define REFUSAL(status, code)         ANSWER(status, "", "<Error><Code>" code "</Code><Message>because</Message></Error>")
#define OAK                           ANSWER("200 OK", "Content-Length: 3\r\n", "oak")

/* A file of three bytes is fetched */
static void what_passes_is_outlasted_and_the_rest_is_told(void **state)
{
    static const struct {
        const char *answers[4];
        guint requests;
        HbErrorCode code;
        const char *part; /* NULL: it is fetched */
    } cases[] = {
        {{OAK}, 1, 0, NULL},
        {{REFUSAL("503 Slow", "SlowDown"), OAK}, 2, 0, NULL},
        {{REFUSAL("429 Too many", "Slow"), REFUSAL("408 Late", "RequestTimeout"), OAK}, 3, 0, NULL},
        {{"", "HTTP/1.1 200 OK\r\nContent-Length: 3\r\n\r\no", OAK}, 3, 0, NULL},
        {{ANSWER("200 OK", "Transfer-Encoding: chunked\r\n", "3\r\noa"), OAK}, 2, 0, NULL},
        {{ANSWER("403 Skewed", "Date: Thu, 01 Jan 2032 00:00:00 GMT\r\n",
                 "<Error><Code>RequestTimeTooSkewed</Code></Error>"),
          OAK},
         2,
         0,
         NULL},
        {{REFUSAL("403 Skewed", "RequestTimeTooSkewed")},
         1,
         HB_ERROR_CONNECT,
         "refuses us: 403 (RequestTimeTooSkewed)"},
        {{REFUSAL("403 No", "AccessDenied")}, 1, HB_ERROR_CONNECT, "refuses us: 403 (AccessDenied)"},
        {{REFUSAL("400 No", "ExpiredToken")}, 1, HB_ERROR_CONNECT, "credentials have expired"},
        {{ANSWER("403 No", "", "no XML at all <<<")}, 1, HB_ERROR_CONNECT, "403 (no reason given)"},
        {{ANSWER("404 No", "", "")}, 1, HB_ERROR_DAMAGED, "rows/a: the file is missing"},
        {{REFUSAL("400 No", "Odd\033[2J")}, 1, HB_ERROR_FILE, "answers 400"},
        {{ANSWER("301 Elsewhere", "Location: http://127.0.0.1:1/\r\n", "")}, 1, HB_ERROR_FILE, "answers 301"},
        {{ANSWER("200 OK", "Content-Length: 4\r\n", "oaks")}, 1, HB_ERROR_DAMAGED, "longer than the store's list says"},
        {{ANSWER("200 OK", "Content-Length: 2\r\n", "oa")}, 1, HB_ERROR_DAMAGED, "ends too early"},
        {{ANSWER("501 No", "", "")}, 1, HB_ERROR_FILE, "answers 501"},
    };

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(cases); i++) {
        GError *error = NULL;
        Server server;
        HbBucket *bucket;
        char bytes[8] = "";
        int fd;

        begin_server(&server, cases[i].answers);
        bucket = open_bucket(&server);
        fd = hb_bucket_get(bucket, "rows/a", 3, &error);
        if (cases[i].part == NULL) {
            check_no_error(error);
            assert_int_equal(pread(fd, bytes, sizeof bytes, 0), 3);
            assert_memory_equal(bytes, "oak", 3);
            close(fd);
        } else {
            assert_int_equal(fd, -1);
            check_lacks(error->message, "geheim");
            check_error(&error, cases[i].code, cases[i].part);
        }
        if (server.requests != cases[i].requests)
            fail_msg("case %zu: %u requests", i, server.requests);
        check_contains(server.heard->str, "GET /dumps/vale.dump/rows/a HTTP/1.1");
        check_contains(server.heard->str, "Credential=ida/");
        check_lacks(server.heard->str, "geheim");
        hb_bucket_close(bucket);
        end_server(&server);
    }
}

/* Never over what is there; one whose answer was lost is found to be ours, or not */
static void files_are_written_where_nothing_is(void **state)
{
    static const char sum[] = "7cd6bbba0b2d6c10d6d6a5fcbc5e4f4ab3a5f2f2e4a2b2a2a2a2a2a2a2a2a2a2";
    static const struct {
        const char *answers[4];
        const char *part; /* NULL: it is written */
        const char *heard;
    } cases[] = {
        {{ANSWER("200 OK", "", "")}, NULL, "If-None-Match: *"},
        {{REFUSAL("412 There", "PreconditionFailed")}, "never overwrites", "If-None-Match: *"},
        {{"", REFUSAL("412 There", "PreconditionFailed"), ANSWER("200 OK", "Content-Length: 3\r\n", "elm")},
         "never overwrites",
         "GET /dumps/vale.dump/rows/a"},
        {{REFUSAL("501 No", "NotImplemented"), ANSWER("404 No", "", ""), ANSWER("200 OK", "", "")},
         NULL,
         "HEAD /dumps"},
        {{REFUSAL("501 No", "NotImplemented"), ANSWER("200 OK", "", "")}, "never overwrites", "HEAD /dumps"},
        {{REFUSAL("400 No", "BadDigest")}, "answers 400 (BadDigest): because", "x-amz-content-sha256: 7cd6"},
    };
    g_autofree char *path = NULL;
    const int fd = g_file_open_tmp("hornbeam-XXXXXX", &path, NULL);

    (void)state;
    assert_int_equal(write(fd, "oak", 3), 3);
    for (gsize i = 0; i < G_N_ELEMENTS(cases); i++) {
        GError *error = NULL;
        Server server;
        HbBucket *bucket;

        begin_server(&server, cases[i].answers);
        bucket = open_bucket(&server);
        if (hb_bucket_put(bucket, "rows/a", fd, 3, sum, &error) != (cases[i].part == NULL))
            fail_msg("case %zu: %s", i, error != NULL ? error->message : "written");
        if (cases[i].part != NULL)
            check_error(&error, HB_ERROR_FILE, cases[i].part);
        check_contains(server.heard->str, cases[i].heard);
        hb_bucket_close(bucket);
        end_server(&server);
    }
    close(fd);
    unlink(path);
}

/* What has just been written is refused the second time, or the store does not know the condition */
static void conditions_are_tried_before_they_are_believed(void **state)
{
    static const struct {
        const char *answers[5];
        gboolean writes_again;
        const char *heard; /* of the second file */
    } cases[] = {
        {{ANSWER("200 OK", "", ""), ANSWER("200 OK", "", ""), ANSWER("404 No", "", ""), ANSWER("200 OK", "", "")},
         TRUE,
         "HEAD /dumps/vale.dump/rows/b"},
        {{ANSWER("200 OK", "", ""), ANSWER("200 OK", "", ""), ANSWER("200 OK", "", "")}, FALSE, "HEAD /dumps"},
        {{ANSWER("200 OK", "", ""), REFUSAL("412 There", "PreconditionFailed"), ANSWER("200 OK", "", "")},
         TRUE,
         "PUT /dumps/vale.dump/rows/b"},
        /* one that cannot be asked just now has the file all the same, and is asked again */
        {{ANSWER("200 OK", "", ""), REFUSAL("403 No", "AccessDenied"), ANSWER("200 OK", "", ""),
          REFUSAL("412 There", "PreconditionFailed")},
         TRUE,
         "PUT /dumps/vale.dump/rows/b"},
    };
    g_autofree char *path = NULL, *sum = g_compute_checksum_for_string(G_CHECKSUM_SHA256, "oak", 3);
    const int fd = g_file_open_tmp("hornbeam-XXXXXX", &path, NULL);

    (void)state;
    assert_int_equal(write(fd, "oak", 3), 3);
    for (gsize i = 0; i < G_N_ELEMENTS(cases); i++) {
        Server server;
        HbBucket *bucket;

        begin_server(&server, cases[i].answers);
        bucket = open_bucket(&server);
        assert_true(hb_bucket_put(bucket, "rows/a", fd, 3, sum, NULL));
        assert_int_equal(hb_bucket_put(bucket, "rows/b", fd, 3, sum, NULL), cases[i].writes_again);
        check_contains(server.heard->str, cases[i].heard);
        hb_bucket_close(bucket);
        end_server(&server);
    }
    close(fd);
    unlink(path);
}

/* The lost answer was to our own file: it is there, with our bytes */
static void what_was_written_without_an_answer_is_known_again(void **state)
{
    const char *const answers[] = {"", REFUSAL("412 There", "PreconditionFailed"), OAK, NULL};
    g_autofree char *path = NULL, *sum = g_compute_checksum_for_string(G_CHECKSUM_SHA256, "oak", 3);
    const int fd = g_file_open_tmp("hornbeam-XXXXXX", &path, NULL);
    GError *error = NULL;
    Server server;
    HbBucket *bucket;

    (void)state;
    assert_int_equal(write(fd, "oak", 3), 3);
    begin_server(&server, answers);
    bucket = open_bucket(&server);
    assert_true(hb_bucket_put(bucket, "rows/a", fd, 3, sum, &error));
    check_no_error(error);
    hb_bucket_close(bucket);
    end_server(&server);
    close(fd);
    unlink(path);
}

#define BEGUN ANSWER("200 OK", "", "<Upload><Key>k</Key><UploadId>a/b&amp;c</UploadId></Upload>")
#define PART  ANSWER("200 OK", "ETag: \"p<1>\"\r\n", "")

/* A part is sent again by itself; what fails is given up; the last answer is read to its end */
static void a_large_file_is_put_together_from_parts(void **state)
{
    static const struct {
        const char *answers[8];
        guint requests;
        const char *part; /* NULL: it is written */
        const char *heard;
    } cases[] = {
        {{BEGUN, PART, PART, PART, ANSWER("200 OK", "", "<Done/>")}, 5, NULL, "POST /dumps/vale.dump/rows/a?uploads="},
        {{BEGUN, PART, REFUSAL("503 Slow", "SlowDown"), "", PART, PART, ANSWER("200 OK", "", "<Done/>")},
         7,
         NULL,
         "PUT /dumps/vale.dump/rows/a?partNumber=3&uploadId=a%2Fb%26c"},
        {{BEGUN, PART, PART, PART, ANSWER("200 OK", "", "<Error><Code>InternalError</Code></Error>"),
          ANSWER("200 OK", "", "<Done/>")},
         6,
         NULL,
         "If-None-Match: *"},
        {{BEGUN, PART, PART, PART, ANSWER("200 OK", "", "<Error><Code>InvalidPart</Code></Error>"),
          ANSWER("204 Gone", "", "")},
         6,
         "cannot put its parts together: InvalidPart",
         "DELETE /dumps/vale.dump/rows/a?uploadId=a%2Fb%26c"},
        {{BEGUN, PART, REFUSAL("403 No", "AccessDenied"), ANSWER("204 Gone", "", "")}, 4, "AccessDenied", "DELETE "},
        {{BEGUN, ANSWER("200 OK", "", ""), ANSWER("204 Gone", "", "")}, 3, "answers 200", "DELETE "},
        {{ANSWER("200 OK", "", "<Upload/>")}, 1, "names no upload", "POST "},
        {{BEGUN, PART, PART, PART, REFUSAL("412 There", "PreconditionFailed"), ANSWER("204 Gone", "", ""),
          ANSWER("200 OK", "Content-Length: 3\r\n", "oak")},
         7,
         "never overwrites",
         "GET /dumps/vale.dump/rows/a"},
    };
    g_autofree char *path = NULL;
    const int fd = g_file_open_tmp("hornbeam-XXXXXX", &path, NULL);
    const guint64 bytes = (guint64)65 * 1024 * 1024; /* two parts of 32 MB, and one of 1 */

    (void)state;
    assert_int_equal(ftruncate(fd, (off_t)bytes), 0);
    for (gsize i = 0; i < G_N_ELEMENTS(cases); i++) {
        GError *error = NULL;
        Server server;
        HbBucket *bucket;

        begin_server(&server, cases[i].answers);
        bucket = open_bucket(&server);
        if (hb_bucket_put(bucket, "rows/a", fd, bytes, "unused", &error) != (cases[i].part == NULL))
            fail_msg("case %zu: %s", i, error != NULL ? error->message : "written");
        if (cases[i].part != NULL) {
            check_contains(error->message, cases[i].part);
            check_contains(error->message, "rows/a");
            check_lacks(error->message, "/dumps/");
        }
        g_clear_error(&error);
        if (server.requests != cases[i].requests)
            fail_msg("case %zu: %u requests: %s", i, server.requests, server.heard->str);
        check_contains(server.heard->str, cases[i].heard);
        check_contains(server.heard->str, "Content-Length: 0\r\n");
        hb_bucket_close(bucket);
        end_server(&server);
    }
    close(fd);
    unlink(path);
}

#define LISTED(key, size)  "<Contents><Key>vale.dump/" key "</Key><Size>" size "</Size></Contents>"
#define LIST(entries, end) ANSWER("200 OK", "", "<ListBucketResult>" entries end "</ListBucketResult>")
#define MORE               "<IsTruncated>true</IsTruncated><NextContinuationToken>a/b=</NextContinuationToken>"

/* Page by page; of names only those that a dump may have, and that are below it */
static void lists_are_read_to_their_end(void **state)
{
    static const struct {
        const char *answers[4];
        const char *names; /* NULL: an error, which is */
        const char *part;
    } cases[] = {
        {{LIST("", "")}, "", NULL},
        {{LIST(LISTED("rows/a", "7"), "")}, "rows/a=7", NULL},
        {{LIST(LISTED("rows/a", "7"), MORE), LIST(LISTED("b", "0"), "")}, "b=0 rows/a=7", NULL},
        {{LIST(LISTED("../a", "7")
                   LISTED("/b", "7") "<Contents><Key>other/c</Key></Contents>" LISTED("gr&#xF6;&#xDF;e", "5"),
               "")},
         "größe=5",
         NULL},
        {{LIST(LISTED("a", "x"), "")}, "a=0", NULL},
        {{ANSWER("200 OK", "", "<ListBucketResult><Contents>")}, NULL, "cannot be read"},
        {{ANSWER("200 OK", "", "oak")}, NULL, "cannot be read"},
        {{REFUSAL("404 No", "NoSuchBucket")}, NULL, "has no bucket dumps"},
    };

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(cases); i++) {
        g_autoptr(GString) text = g_string_new(NULL);
        GError *error = NULL;
        Server server;
        HbBucket *bucket;

        begin_server(&server, cases[i].answers);
        bucket = open_bucket(&server);
        g_autoptr(GHashTable) names = hb_bucket_list(bucket, 0, &error);
        if (cases[i].names == NULL) {
            assert_null(names);
            check_error(&error, HB_ERROR_FILE, cases[i].part);
        } else {
            g_autoptr(GList) keys = g_list_sort(g_hash_table_get_keys(names), (GCompareFunc)strcmp);
            check_no_error(error);
            for (GList *at = keys; at != NULL; at = at->next)
                g_string_append_printf(text, "%s%s=%" G_GUINT64_FORMAT, text->len > 0 ? " " : "", (char *)at->data,
                                       *(guint64 *)g_hash_table_lookup(names, at->data));
            assert_string_equal(text->str, cases[i].names);
        }
        if (cases[i].answers[1] != NULL)
            check_contains(server.heard->str,
                           "continuation-token=a%2Fb%3D&list-type=2&max-keys=1000&prefix=vale.dump%2F");
        hb_bucket_close(bucket);
        end_server(&server);
    }
}

static void elements_are_found_as_far_as_it_is_xml(void **state)
{
    static const struct {
        const char *xml, *texts;
    } cases[] = {
        {"<a><Key>one</Key><b><Key>two</Key></b></a>", "one|two"},
        {"<?xml version='1.0'?><r xmlns=\"http://x\"><Key>t&amp;w&#111;</Key></r>", "t&wo"},
        {"<r><Keys>no</Keys><MyKey>no</MyKey><Key attribute=\"1\">yes</Key></r>", "yes"},
        {"<r><Key></Key><Key/></r>", ""},
        {"<r><Key>one</Key><Key>tw", "one"},
        {"<r><Key>one</Other></r>", "one"},
        {"no XML at all <<<", ""},
        {"", ""},
    };

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(cases); i++) {
        g_autoptr(GPtrArray) texts = hb_http_list_elements(cases[i].xml, "Key");
        g_autofree char *first = hb_http_read_element(cases[i].xml, "Key"), *joined = NULL;
        if (texts->len > 0)
            assert_string_equal(first, texts->pdata[0]);
        else
            assert_null(first);
        g_ptr_array_add(texts, NULL);
        joined = g_strjoinv("|", (char **)texts->pdata);
        if (strcmp(joined, cases[i].texts) != 0)
            fail_msg("%s: %s", cases[i].xml, joined);
    }
}

#define UPLOAD(key, id) "<Upload><Key>" key "</Key><UploadId>" id "</UploadId></Upload>"
#define UPLOADS(text)   ANSWER("200 OK", "", "<ListMultipartUploadsResult>" text "</ListMultipartUploadsResult>")

/* What a killed dump began is ended first, whatever is listed beside it; then its files go. A whole dump is left alone
 */
static void a_sweep_ends_what_was_begun(void **state)
{
    static const struct {
        const char *answers[8];
        gboolean ok;
        guint requests, count;
        const char *heard;
    } cases[] = {
        {{LIST(LISTED("rows/a", "4"), ""), UPLOADS(UPLOAD("vale.dump/rows/b", "u/1")), ANSWER("204 Gone", "", ""),
          UPLOADS(""), ANSWER("204 Gone", "", "")},
         TRUE,
         5,
         1,
         "DELETE /dumps/vale.dump/rows/b?uploadId=u%2F1"},
        {{LIST("", ""), ANSWER("501 No", "", "")}, TRUE, 2, 0, "uploads="},
        {{LIST("", ""), UPLOADS("<Upload><Key>vale.dump/a</Key></Upload>")}, FALSE, 2, 0, "uploads="},
        {{LIST("", ""), REFUSAL("403 No", "AccessDenied")}, FALSE, 2, 0, "uploads="},
        {{LIST(LISTED("SUMS", "4"), ""), UPLOADS("")}, FALSE, 2, 0, "uploads="},
    };

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(cases); i++) {
        g_autofree char *uri = NULL;
        GError *error = NULL;
        Server server;
        guint count;
        gboolean ok;

        begin_server(&server, cases[i].answers);
        uri = g_strdup_printf("s3://dumps/vale.dump?endpoint=http://127.0.0.1:%u", server.port);
        ok = hb_bucket_sweep(uri, "SUMS", &count, &error);
        if (ok != cases[i].ok || server.requests != cases[i].requests || count != cases[i].count)
            fail_msg("case %zu: %d, %u requests, %u went: %s", i, ok, server.requests, count, server.heard->str);
        check_contains(server.heard->str, cases[i].heard);
        check_lacks(server.heard->str, "elsewhere");
        g_clear_error(&error);
        end_server(&server);
    }
}

/* ---- Dumps beside each other ---- */

#define GONE   ANSWER("204 Gone", "", "")
#define ABSENT ANSWER("404 No", "", "")
#define MARK   ".vale.dump.removed"

/* Each of these in this order */
static void check_order(const char *heard, const char *const *parts)
{
    for (; *parts != NULL; parts++) {
        const char *at = strstr(heard, *parts);
        if (at == NULL)
            fail_msg("%s is not in what follows: %s", *parts, heard);
        heard = at + strlen(*parts);
    }
}

/* The mark first, then what makes it a dump, then the rest, and the mark last; what is there is never half a dump */
static void a_dump_goes_in_an_order_that_leaves_no_half(void **state)
{
    static const struct {
        const char *answers[10];
        gboolean ends; /* what an earlier removal began, instead of one from its beginning */
        gboolean ok;
        guint requests;
        const char *heard[7];
    } cases[] = {
        {{ABSENT, ANSWER("200 OK", "", ""), REFUSAL("412 There", "x"), GONE,
          LIST(LISTED("manifest.json", "3") LISTED("rows/a", "4"), ""), GONE, GONE, GONE},
         FALSE,
         TRUE,
         8,
         {"GET /dumps/" MARK, "PUT /dumps/" MARK, "DELETE /dumps/vale.dump/SUMS", "DELETE /dumps/vale.dump/",
          "DELETE /dumps/vale.dump/", "DELETE /dumps/" MARK}},
        {{ANSWER("200 OK", "Content-Length: 1\r\n", "x"), GONE, LIST("", ""), GONE},
         FALSE,
         TRUE,
         4,
         {"GET /dumps/" MARK, "DELETE /dumps/vale.dump/SUMS", "GET /dumps?", "DELETE /dumps/" MARK}},
        {{ABSENT, REFUSAL("403 No", "AccessDenied")}, FALSE, FALSE, 2, {"PUT /dumps/" MARK}},
        {{ANSWER("200 OK", "Content-Length: 1\r\n", "x"), REFUSAL("403 No", "AccessDenied")},
         FALSE,
         FALSE,
         2,
         {"DELETE /dumps/vale.dump/SUMS"}},
        {{LIST(LISTED("SUMS", "3") LISTED("rows/a", "4"), ""), GONE}, TRUE, TRUE, 2, {"DELETE /dumps/" MARK}},
        {{LIST(LISTED("rows/a", "4"), ""), GONE, LIST(LISTED("rows/a", "4"), ""), GONE, GONE},
         TRUE,
         TRUE,
         5,
         {"DELETE /dumps/vale.dump/SUMS", "DELETE /dumps/vale.dump/rows/a", "DELETE /dumps/" MARK}},
        {{LIST(LISTED("rows/a", "4"), ""), GONE, LIST(LISTED("rows/a", "4"), ""), REFUSAL("403 No", "AccessDenied")},
         TRUE,
         FALSE,
         4,
         {"DELETE /dumps/vale.dump/rows/a"}},
    };

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(cases); i++) {
        g_autofree char *uri = NULL;
        GError *error = NULL;
        Server server;
        gboolean ok;

        begin_server(&server, cases[i].answers);
        uri = g_strdup_printf("s3://dumps/vale.dump?endpoint=http://127.0.0.1:%u", server.port);
        ok = cases[i].ends ? hb_bucket_end_removal(uri, MARK, "SUMS", &error)
                           : hb_bucket_remove_dump(uri, MARK, "SUMS", &error);
        if (ok != cases[i].ok || server.requests != cases[i].requests)
            fail_msg("case %zu: %d, %u requests: %s", i, ok, server.requests, server.heard->str);
        check_order(server.heard->str, cases[i].heard);
        g_clear_error(&error);
        end_server(&server);
    }
}

#define FOLDER(name) "<CommonPrefixes><Prefix>night/" name "/</Prefix></CommonPrefixes>"
#define KEY(name)    "<Contents><Key>night/" name "</Key><Size>1</Size></Contents>"

static void what_is_beside_a_dump_is_listed(void **state)
{
    const char *const answers[] = {LIST("<Prefix>night/</Prefix>" FOLDER("b.dump") KEY(".a.removed") MORE, ""),
                                   LIST(FOLDER("a.dump") FOLDER("../x") KEY("c\033.tar"), ""), NULL};
    g_autofree char *uri = NULL, *names = NULL;
    g_autoptr(GPtrArray) found = NULL;
    GError *error = NULL;
    Server server;

    (void)state;
    begin_server(&server, answers);
    uri = g_strdup_printf("s3://dumps/night/z.dump?endpoint=http://127.0.0.1:%u", server.port);
    found = hb_bucket_list_beside(uri, &error);
    check_no_error(error);
    g_ptr_array_add(found, NULL);
    names = g_strjoinv(" ", (char **)found->pdata);
    assert_string_equal(names, ".a.removed a.dump b.dump");
    check_contains(server.heard->str, "GET /dumps?delimiter=%2F&list-type=2&max-keys=1000&prefix=night%2F HTTP");
    check_contains(server.heard->str, "GET /dumps?continuation-token=a%2Fb%3D&delimiter=%2F&list-type=2");
    end_server(&server);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(what_passes_is_outlasted_and_the_rest_is_told),
        cmocka_unit_test(files_are_written_where_nothing_is),
        cmocka_unit_test(conditions_are_tried_before_they_are_believed),
        cmocka_unit_test(a_large_file_is_put_together_from_parts),
        cmocka_unit_test(what_was_written_without_an_answer_is_known_again),
        cmocka_unit_test(lists_are_read_to_their_end),
        cmocka_unit_test(elements_are_found_as_far_as_it_is_xml),
        cmocka_unit_test(a_sweep_ends_what_was_begun),
        cmocka_unit_test(a_dump_goes_in_an_order_that_leaves_no_half),
        cmocka_unit_test(what_is_beside_a_dump_is_listed),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
