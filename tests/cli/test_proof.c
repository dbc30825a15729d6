/* SPDX-License-Identifier: Apache-2.0 */
/* Each link of the proof by itself: what only a digest, only a sum, or only an id tells is found by it alone */
#include "support/check.h"
#include "support/servers.h"
#include "support/tamper.h"

#include <string.h>
#include <zstd.h>

static char *folder, *dump;
static char *chunk; /* of the rows of plot */

static int begin(void **state)
{
    (void)state;
    folder = servers_begin_with_folder("one");
    servers_run_shell(
        "psql -qX \"$(server_uri one postgres)\" -c 'CREATE DATABASE vale' -c 'CREATE DATABASE other';"
        " psql -qX \"$(server_uri one vale)\" -c 'CREATE TABLE plot (n int, name text); INSERT INTO plot VALUES"
        " (1, $$beech$$), (2, $$oak$$)'; $HORNBEAM dump -q \"$(server_uri one vale)\" $FOLDER/vale.dump;"
        " $HORNBEAM dump -q \"$(server_uri one vale)\" - >$FOLDER/vale.stream");
    dump = g_build_filename(folder, "vale.dump", NULL);
    chunk = g_strdup("rows/public.plot/0001.rows.zst");
    return 0;
}

static int end(void **state)
{
    (void)state;
    g_free(dump);
    g_free(chunk);
    servers_end_with_folder(folder);
    return 0;
}

static const char *const other_rows[] = {
    "1\tbeech\n2\telm\n",         /* as many, other ones */
    "1\tbeech\n2\toak\n2\toak\n", /* one more */
    "1\tbeech\n",                 /* one less */
    "1\tbeech\n2\toak",           /* not ended */
};

static void expect_nothing_restored(const char *database)
{
    g_autofree char *uri = servers_get_uri("one", database);
    g_autofree char *rows = servers_query(uri, "SELECT count(*) FROM plot");

    assert_string_equal(rows, "0");
}

static void rows_that_differ_from_their_digest_are_never_kept(void **state)
{
    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(other_rows); i++) {
        g_autofree char *copy = tamper_copy(dump), *name = g_strdup_printf("rows%zu", i);
        g_autofree char *uri = servers_get_uri("one", name);
        tamper_rows(copy, chunk, other_rows[i], strlen(other_rows[i]));
        run_expect(run_hornbeam("verify", copy, NULL), 5, NULL, NULL);
        run_expect(run_hornbeam("restore", copy, uri, "--yes", NULL), 5, chunk, NULL);
        expect_nothing_restored(name);
    }
}

static void a_file_that_differs_from_its_sum_is_not_read(void **state)
{
    static const struct {
        const char *claim, *line, *told; /* in the dump's folder */
    } changes[] = {
        {"a definition", "sed -i s/name/nane/ structure.sql", "structure.sql: the file is not the one"},
        {"the manifest", "sed -i s/beech/birch/\\;s/15/16/ manifest.json", "manifest.json: the file is not the one"},
        {"a chunk that the sums do not list", "sed -i /0001/d SHA256SUMS", "0001.rows.zst: not listed"},
        {"a stage that the sums do not list", "sed -i /completion/d SHA256SUMS", "completion.sql: not listed"},
        {"a chunk that is gone", "rm rows/*/*", "0001.rows.zst: the file is missing"},
        {"a chunk of another size", "echo >>rows/public.plot/0001.rows.zst", "0001.rows.zst: the file has"},
    };
    g_autofree char *uri = servers_get_uri("one", "sums");

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(changes); i++) {
        g_autofree char *copy = tamper_copy(dump);
        g_autofree char *line = g_strdup_printf("cd '%s'; %s", copy, changes[i].line);
        servers_run_shell(line);
        run_expect(run_hornbeam("restore", copy, uri, "--yes", NULL), 5, NULL, changes[i].told);
    }
}

/* ---- Streams ---- */

static const char *rows_to_put;

static char *with_other_sizes(const char *manifest, gsize stored, gsize *length)
{
    g_autoptr(GRegex) of_chunk = g_regex_new("(\"bytes\": )\\d+(,\\s*\"stored\": )\\d+", 0, 0, NULL);
    g_autoptr(GRegex) of_rows = g_regex_new("(\"bytes\": )\\d+(,\\s*\"(folder|chunks)\")", 0, 0, NULL);
    g_autofree char *sizes = g_strdup_printf("\\g<1>%zu\\g<2>%zu", strlen(rows_to_put), stored);
    g_autofree char *total = g_strdup_printf("\\g<1>%zu\\g<2>", strlen(rows_to_put));
    g_autofree char *one = g_regex_replace(of_chunk, manifest, -1, 0, sizes, 0, NULL);
    char *text = g_regex_replace(of_rows, one, -1, 0, total, 0, NULL);

    *length = strlen(text);
    return text;
}

/* Other rows, with sizes and sums that are right, and the old digest */
static char *change_rows(const char *name, int nth, const char *bytes, gsize length, const char *sums,
                         gsize *new_length)
{
    static gsize stored;
    char *packed;

    (void)length;
    if (strcmp(name, chunk) == 0) {
        packed = g_malloc(ZSTD_compressBound(strlen(rows_to_put)));
        *new_length = stored =
            ZSTD_compress(packed, ZSTD_compressBound(strlen(rows_to_put)), rows_to_put, strlen(rows_to_put), 1);
        return packed;
    }
    if (strcmp(name, "manifest.json") == 0 && nth == 1)
        return with_other_sizes(bytes, stored, new_length);
    if (strcmp(name, "SHA256SUMS") != 0 || nth == 0)
        return NULL;
    *new_length = strlen(sums);
    return g_strdup(sums);
}

static char *change_definition(const char *name, int nth, const char *bytes, gsize length, const char *sums,
                               gsize *new_length)
{
    (void)nth, (void)sums;
    if (strcmp(name, "structure.sql") != 0)
        return NULL;
    GString *text = g_string_new(bytes);
    assert_int_equal(g_string_replace(text, "name text", "nane text", 1), 1);
    *new_length = length;
    return g_string_free(text, FALSE);
}

static char *change_last_id(const char *name, int nth, const char *bytes, gsize length, const char *sums,
                            gsize *new_length)
{
    char *text, *id;

    (void)length;
    if (nth == 0)
        return NULL;
    text = g_strdup(strcmp(name, "SHA256SUMS") == 0 ? sums : bytes);
    id = strstr(text, "\"id\": \"");
    if (id != NULL)
        id[7] = id[7] == '0' ? '1' : '0';
    *new_length = strlen(text);
    return text;
}

static char *change_last_sums(const char *name, int nth, const char *bytes, gsize length, const char *sums,
                              gsize *new_length)
{
    char *text;

    (void)length, (void)sums;
    if (strcmp(name, "SHA256SUMS") != 0 || nth == 0)
        return NULL;
    text = g_strdup_printf("%.*s%c%s", 64 - 1, bytes, bytes[63] == '0' ? '1' : '0', bytes + 64);
    *new_length = strlen(text);
    return text;
}

static char *keep(const char *name, int nth, const char *bytes, gsize length, const char *sums, gsize *new_length)
{
    (void)name, (void)nth, (void)bytes, (void)length, (void)sums, (void)new_length;
    return NULL;
}

static void a_stream_is_proven_by_each_of_its_links(void **state)
{
    static const struct {
        const char *claim;
        TamperEdit edit;
        int status;
        const char *told;
    } changes[] = {
        {"nothing", keep, 0, "Restored whole"},
        {"rows", change_rows, 5, "not those that were dumped"},
        {"a definition", change_definition, 5, "its sum differs"},
        {"the last manifest's id", change_last_id, 5, "is not that of this dump"},
        {"the last sums", change_last_sums, 5, "its sum differs"},
    };
    g_autofree char *from = g_build_filename(folder, "vale.stream", NULL),
                    *to = g_build_filename(folder, "x.stream", NULL);

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(changes); i++) {
        const gsize wordings = changes[i].edit == change_rows ? 3 : 1;
        for (gsize v = 0; v < wordings; v++) {
            g_autofree char *line = NULL;
            rows_to_put = other_rows[v];
            tamper_stream(from, to, changes[i].edit);
            line = g_strdup_printf("$HORNBEAM restore - \"$(server_uri one s%zu_%zu)\" --yes <$FOLDER/x.stream 2>&1", i,
                                   v);
            Run run = run_shell(line);
            if (run.status != changes[i].status || strstr(run.out, changes[i].told) == NULL)
                fail_msg("%s (%zu): status %d: %s", changes[i].claim, v, run.status, run.out);
            run_clear(&run);
        }
    }
}

/* ---- Names and disks ---- */

/* A database without an encoding has names and texts of any bytes: it moves, by every way */
static void names_that_are_no_text_move(void **state)
{
    Run run = run_shell(
        "set -e; cd $FOLDER; export PGCLIENTENCODING=SQL_ASCII; psql -qX \"$(server_uri one postgres)\" -c \"CREATE "
        "DATABASE"
        " raw ENCODING SQL_ASCII LC_COLLATE 'C' LC_CTYPE 'C' TEMPLATE template0\"; printf 'CREATE TABLE \"b\\344ume\""
        " (\"gr\\366sse\" int, t text); INSERT INTO \"b\\344ume\" VALUES (1, $$\\374ber$$); COMMENT ON TABLE "
        "\"b\\344ume\" IS"
        " $$\\337$$; CREATE VIEW \"\\377\" AS SELECT * FROM \"b\\344ume\";' | psql -qX \"$(server_uri one raw)\";"
        " from=$(server_uri one raw); $HORNBEAM dump -q \"$from\" raw.dump; $HORNBEAM dump -q \"$from\" raw.tar;"
        " $HORNBEAM verify raw.dump; $HORNBEAM show raw.dump; $HORNBEAM show raw.dump --json | iconv -f UTF-8 "
        ">/dev/null;"
        " $HORNBEAM restore -q raw.dump \"$(server_uri one raw1)\"; $HORNBEAM restore -q raw.tar \"$(server_uri one "
        "raw2)\";"
        " $HORNBEAM dump -q \"$from\" - | $HORNBEAM restore -q - \"$(server_uri one raw3)\"; $HORNBEAM carry -q "
        "\"$from\""
        " \"$(server_uri one raw4)\"; for n in 1 2 3 4; do $HORNBEAM verify \"$from\" \"$(server_uri one raw$n)\"; "
        "psql -qXAt"
        " \"$(server_uri one raw$n)\" -c \"SELECT encode(convert_to(relname, 'SQL_ASCII'), 'hex') FROM pg_class WHERE "
        "relkind ="
        " 'r' AND relnamespace = 'public'::regnamespace\"; done 2>&1; $HORNBEAM restore -q --existing replace --yes"
        " raw.dump \"$(server_uri one raw1)\"; $HORNBEAM verify \"$from\" \"$(server_uri one raw1)\"");

    (void)state;
    run_expect(run, 0, "62e4756d65", NULL);
}

static void a_database_may_be_called_like_a_file(void **state)
{
    (void)state;
    run_expect(
        run_shell(
            "set -e; cd $FOLDER; psql -qX \"$(server_uri one postgres)\" -c 'CREATE DATABASE \"x.tar\"';"
            " psql -qX \"$(server_uri one x.tar)\" -c 'CREATE TABLE t AS SELECT 1 AS n'; $HORNBEAM dump -q"
            " \"$(server_uri one)\" server.dump; $HORNBEAM verify server.dump; test -d server.dump/databases/x.tar;"
            " $HORNBEAM show server.dump/databases/x.tar"),
        0, "public.t", NULL);
}

static void a_log_that_is_not_whole_is_an_error(void **state)
{
    (void)state;
    run_expect(run_hornbeam("verify", dump, "--log", "/dev/full", NULL), 6, NULL, "the log /dev/full is not whole");
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(rows_that_differ_from_their_digest_are_never_kept),
        cmocka_unit_test(a_file_that_differs_from_its_sum_is_not_read),
        cmocka_unit_test(a_stream_is_proven_by_each_of_its_links),
        cmocka_unit_test(names_that_are_no_text_move),
        cmocka_unit_test(a_database_may_be_called_like_a_file),
        cmocka_unit_test(a_log_that_is_not_whole_is_an_error),
    };
    return cmocka_run_group_tests(tests, begin, end);
}
