/* SPDX-License-Identifier: Apache-2.0 */
/* Dumps in an object store: the same as in a folder, whole or not there at all, whatever the store answers */
#include "support/check.h"
#include "support/servers.h"

/* Begins and ends the store: it is this test program's, in a shell and a folder that live as long */
static void run_with(const char *begin, const char *line)
{
    g_autofree char *whole = g_strdup_printf(
        ". $SOURCE/tests/support/store.sh; %s || exit 70; trap 'store_end 2>/dev/null' EXIT; "
        "not() { ! \"$@\"; };"
        " A=$(server_uri one vale) B=$(server_uri two $RANDOM); mkdir $STORE/work; cd $STORE/work; set -e;"
        " { %s; } 2>$FOLDER/trace",
        begin, line);
    Run run = run_shell(whole);

    if (run.status != 0) {
        Run trace = run_shell("tail -n 30 $FOLDER/trace");
        g_printerr("status %d: %s\n%s", run.status, run.out, trace.out);
        run_clear(&trace);
    }
    assert_int_equal(run.status, 0);
    run_clear(&run);
}

static void run_with_store(const char *line)
{
    run_with("store_begin", line);
}

/* One of each sort: large and true to conditions, or small and careless */
static void run_with_each_store(const char *line)
{
    run_with("store_begin", line);
    run_with("store_small", line);
}

/* What a folder, a tar and a bucket hold is the same, and each command takes each of them */
static void a_bucket_holds_what_a_folder_holds(void **state)
{
    (void)state;
    run_with_each_store(
        "set -x; for d in f.dump f.tar s3://dumps/deep/er/f.dump; do \"$HORNBEAM\" dump -q $A $d; \"$HORNBEAM\" verify"
        " $d | grep -q '^Whole'; \"$HORNBEAM\" sql $d | grep -v ^-- | sha256sum >>sums; \"$HORNBEAM\" show $d --json | "
        "grep "
        "-v"
        " '\"path\\|\"id\\|snapshot\\|_time\\|position' | sha256sum >>shown; done; [ $(sort -u sums | wc -l) = 1 ];"
        " [ $(sort -u shown | wc -l) = 1 ]; D=s3://dumps/deep/er/f.dump; \"$HORNBEAM\" preflight $D $B -q >o;"
        " \"$HORNBEAM\" restore $D $B -q; \"$HORNBEAM\" verify $D $B >o; grep -q '^Equal' o; psql -qX $A -c \"UPDATE t "
        "SET x ="
        " 'other' WHERE n = 7\"; \"$HORNBEAM\" dump -q $A s3://dumps/deep/er/g-%Y.dump; \"$HORNBEAM\" freshen"
        " s3://dumps/deep/er/g-$(date +%Y).dump $B --yes -q >o; \"$HORNBEAM\" verify $A $B >o; grep -q '^Equal' o;"
        " n=$(store_count); \"$HORNBEAM\" dump $A $D && exit 9 || [ $? = 6 ]; [ $(store_count) = $n ];"
        " \"$HORNBEAM\" dump -q \"$(server_uri one)\" s3://dumps/all.dump; \"$HORNBEAM\" verify s3://dumps/all.dump >o;"
        " [ $(grep -c '^Whole' o) = 2 ];"
        "openssl req -x509 -newkey rsa:2048 -nodes -keyout oak.key"
        " -out oak.pem -subj /CN=oak -days 9; \"$HORNBEAM\" dump -q $A s3://dumps/oak.dump --seal-for oak.pem; "
        "\"$HORNBEAM\""
        " verify s3://dumps/oak.dump --unseal oak.key | grep -q '^Whole'");
}

/*
 * Nights in a bucket: what is older goes when the new one is whole, what is another's or no dump stays; what a removal
 * that was killed has left goes with the next; and the newest is found by its name. Each night is a minute here
 */
static void older_dumps_leave_a_bucket(void **state)
{
    (void)state;
    run_with_each_store(
        "set -x; X='s3://dumps/nights/vale-%Y.dump'; \"$HORNBEAM\" dump -q"
        " \"$(server_uri one postgres)\" s3://dumps/nights/vale-2001.dump; for y in 2019 2020 2021 2022; do "
        "\"$HORNBEAM\" dump -q $A"
        " s3://dumps/nights/vale-$y.dump; done; \"$HORNBEAM\" dump -q $A s3://dumps/nights/vale-x.dump;"
        " for f in manifest.json rows/t/0001.rows.zst; do store_put nights/vale-2018.dump/$f ; done;"
        " store_put nights/.vale-2017.dump.removed; store_put nights/vale-2017.dump/rows/left;"
        " [ $(\"$HORNBEAM\" show \"$X\" --json | grep -c vale-2022) -gt 0 ];"
        " \"$HORNBEAM\" dump $A \"$X?endpoint=$AWS_ENDPOINT_URL\" --keep 3 --json >o 2>e; grep -q"
        " 'vale-2018.dump.* stays' e; grep -q 'vale-2001.dump.* stays: it is of another source' e; store_list >list;"
        " [ \"$(cut -d/ -f2 list | sort -u | tr '\\n' ' ')\" = \"vale-2001.dump vale-2018.dump vale-2021.dump"
        " vale-2022.dump vale-$(date +%Y).dump vale-x.dump \" ]; grep -q vale-2019 o; for y in 2021 2022; do"
        " \"$HORNBEAM\" verify s3://dumps/nights/vale-$y.dump | grep -q '^Whole'; done");
}

/* Over TLS with an authority of its own; and who may not come in is told why */
static void access_is_refused_with_the_next_step(void **state)
{
    (void)state;
    run_with_store(
        "set -x; \"$HORNBEAM\" dump -q $A s3://dumps/a.dump; store_tls; \"$HORNBEAM\" verify"
        " \"s3://dumps/a.dump?endpoint=$STORE_TLS\" 2>e && exit 9 || [ $? = 3 ]; grep -q 'ca=FILE' e; \"$HORNBEAM\" "
        "verify"
        " \"s3://dumps/a.dump?endpoint=$STORE_TLS&ca=$STORE/ca.pem\" | grep -q '^Whole'; AWS_SECRET_ACCESS_KEY=beech"
        " \"$HORNBEAM\" show s3://dumps/a.dump 2>e && exit 9 || [ $? = 3 ]; grep -q 'refuses us: 403' e; not grep -q "
        "beech e;"
        " (unset AWS_ACCESS_KEY_ID; AWS_SHARED_CREDENTIALS_FILE=/nowhere \"$HORNBEAM\" show s3://dumps/a.dump) 2>e && "
        "exit 9 ||"
        " [ $? = 3 ]; grep -q 'set AWS_ACCESS_KEY_ID' e; printf '[attic]\\naws_access_key_id = garden:keeper\\n"
        "aws_secret_access_key = acorn\\n' >keys; (unset AWS_ACCESS_KEY_ID; AWS_SHARED_CREDENTIALS_FILE=keys "
        "AWS_PROFILE=attic"
        " \"$HORNBEAM\" show s3://dumps/a.dump) >o; \"$HORNBEAM\" show s3://nowhere/a.dump 2>e && exit 9 || [ $? = 6 ];"
        " grep -q 'no bucket nowhere' e; \"$HORNBEAM\" show s3://dumps/b.dump 2>e && exit 9 || [ $? = 6 ]; grep -q"
        " 'no such dump' e; \"$HORNBEAM\" show \"s3://dumps/a?endpoint=http://127.0.0.1:9\" 2>e && exit 9 || [ $? = 3 "
        "]");
}

#define WITH_FAULTS                                                                                                    \
    "\"$HORNBEAM\" dump -q $A s3://dumps/ok.dump; : >$STORE/plan; store_start faults python3 "                         \
    "$SOURCE/tests/support/faults.py $((STORE_PORT + 7)) $STORE_PORT $STORE/plan; export "                             \
    "AWS_ENDPOINT_URL=http://127.0.0.1:$((STORE_PORT + 7)); sleep 1;"

/* The store has bad days: what passes is outlasted, what does not is told, and nothing false is taken for a dump */
static void a_store_that_fails_is_outlasted_or_told(void **state)
{
    static const struct {
        const char *plan, *command;
        int status;
        const char *part; /* of what is told */
    } cases[] = {
        {"PUT rows busy 3", "dump -q $A $D", 0, ""},
        {"PUT rows deaf 2\\nPUT SHA deaf 1", "dump -q $A $D", 0, ""},
        {"PUT rows skewed 1", "dump -q $A $D", 0, ""},
        {"PUT rows busy 99", "dump -q $A $D", 3, "answers 503 (SlowDown)"},
        {"PUT SHA busy 99", "dump -q $A $D", 3, "answers 503"},
        {"PUT manifest expired 99", "dump -q $A $D", 3, "credentials have expired"},
        {"GET rows cut 3\\nGET manifest slow 1\\nGET list-type busy 2", "verify s3://dumps/ok.dump", 0, ""},
        {"GET rows other 1", "verify s3://dumps/ok.dump", 5, ""},
        {"GET manifest other 1", "show s3://dumps/ok.dump", 5, "manifest.json"},
        {"GET rows cut 99", "verify s3://dumps/ok.dump", 3, "object store"},
        {"GET list-type other 1", "show s3://dumps/ok.dump", 6, "cannot be read"},
    };

    g_autoptr(GString) script = g_string_new(
        WITH_FAULTS " try() { kept=$(store_count); printf \"$2\\n\" >$STORE/plan; s=0; eval \"\\\"$HORNBEAM\\\" $3\" "
                    ">o 2>e || s=$?; : >$STORE/plan;"
                    " echo \"case $1 $2: $s\" >&2; cat e >&2; [ $s = $4 ]; { echo; cat e; } | grep -q \"$5\"; }");

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(cases); i++) {
        g_string_append_printf(script, "; D=s3://dumps/x%zu.dump; try %zu '%s' '%s' %d '%s'", i, i, cases[i].plan,
                               cases[i].command, cases[i].status, cases[i].part);
        if (cases[i].command[0] == 'd')
            g_string_append(script, cases[i].status == 0 ? "; \"$HORNBEAM\" verify $D | grep -q '^Whole'"
                                                         : "; [ $(store_count) = $kept ]");
    }
    run_with_store(script->str);
}

/* A value of 80 MB makes a file of as many, in three parts: one is sent again, and not the others; a killed dump's are
 * swept away; and nothing waits for what is stuck when the user wants the end */
static void large_files_go_in_parts(void **state)
{
    (void)state;
    run_with_store(
        WITH_FAULTS
        " set -x; L=\"$(server_uri one large)\"; psql -qX \"$(server_uri one postgres)\" -c 'CREATE DATABASE large'; "
        "psql"
        " -qX $L -c \"CREATE TABLE t AS SELECT repeat(md5('oak'), 2500000) AS x\"; unfinished() { store_ask GET"
        " 'dumps?max-uploads=1000&uploads=' | grep -o '<UploadId>' | wc -l; }; echo 'PUT partNumber=2 busy 2' "
        ">$STORE/plan;"
        " \"$HORNBEAM\" dump -q $L s3://dumps/l.dump --compress none; grep -q 'busy 0' $STORE/plan; \"$HORNBEAM\" "
        "verify"
        " s3://dumps/l.dump | grep -q '^Whole'; \"$HORNBEAM\" verify s3://dumps/l.dump $L | grep -q '^Equal';"
        " [ $(unfinished) = 0 ]; echo 'PUT partNumber=2 busy 99' >$STORE/plan; \"$HORNBEAM\" dump -q $L"
        " s3://dumps/m.dump --compress none && exit 9 || [ $? = 3 ]; [ $(unfinished) = 0 ]; \"$HORNBEAM\" dump -q $L "
        "s3://dumps/m.dump --compress none & p=$!;"
        " wait_for \"grep -q 'busy 9[0-2]' $STORE/plan\"; kill -KILL $p; wait $p || true; [ $(unfinished) = 1 ];"
        " : >$STORE/plan; \"$HORNBEAM\" dump -q $L s3://dumps/m.dump --compress none --sweep; [ $(unfinished) = 0 ];"
        " echo 'GET rows stuck 9' >$STORE/plan; \"$HORNBEAM\" verify s3://dumps/ok.dump 2>e & p=$!; sleep 1; kill -INT "
        "$p;"
        " SECONDS=0; s=0; wait $p || s=$?; [ $s = 130 ]; [ $SECONDS -lt 6 ]");
}

/* Killed, it leaves files without sums, which nobody takes for a dump, and which go when that is asked for */
static void what_a_killed_dump_leaves_is_swept_away(void **state)
{
    (void)state;
    run_with_store(
        "set -x; \"$HORNBEAM\" dump -q $A s3://dumps/y.dump --throttle 200k & p=$!; for i in $(seq 100); do [ "
        "$(store_count) = 0 ]"
        " || break; sleep 0.1; done; kill -KILL $p; wait $p || true; n=$(store_count); [ $n -gt 0 ]; \"$HORNBEAM\" show"
        " s3://dumps/y.dump 2>e && exit 9 || [ $? = 5 ]; \"$HORNBEAM\" dump -q $A s3://dumps/y.dump 2>e && exit 9 || [ "
        "$? = 6 ];"
        " grep -q -- --sweep e; [ $(store_count) = $n ]; \"$HORNBEAM\" dump -q $A s3://dumps/y.dump --sweep; "
        "\"$HORNBEAM\" verify"
        " s3://dumps/y.dump | grep -q '^Whole'; \"$HORNBEAM\" dump -q $A s3://dumps/y.dump --sweep 2>e && exit 9 || [ "
        "$? = 6 ];"
        " grep -q 'is a whole dump' e; \"$HORNBEAM\" dump -q $A s3://dumps/z.dump --throttle 200k & p=$!; sleep 1; "
        "kill -INT $p;"
        " wait $p || true; \"$HORNBEAM\" dump -q $A s3://dumps/z.dump");
}

/* Two hosts, the notes of which lie there, too, as long as the dump is in the making */
static void several_hosts_write_into_a_bucket(void **state)
{
    (void)state;
    run_with_store(
        "set -x; for n in 1 2; do \"$HORNBEAM\" dump --join --hosts 2 --jobs 1 $A s3://dumps/w.dump >o$n 2>e$n & "
        "p[$n]=$!; done; for n in 1 2; do wait ${p[$n]} || { cat e$n; exit 9; }; grep -q 'Written whole' o$n; "
        "done; \"$HORNBEAM\" verify s3://dumps/w.dump $A | grep -q '^Equal'; not eval \"store_ask GET "
        "'dumps?list-type=2&max-keys=1000&prefix=' | grep -q hosts/\";"
        " \"$HORNBEAM\" dump --join --jobs 1 --throttle 100k $A s3://dumps/v.dump & p=$!; for i in $(seq 300); "
        "do [ $(store_count) -lt 9 ] || break; sleep 0.1; done; kill -INT $p; wait $p || true; \"$HORNBEAM\" "
        "dump -q --join $A s3://dumps/v.dump; \"$HORNBEAM\" verify s3://dumps/v.dump | grep -q '^Whole'");
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(a_bucket_holds_what_a_folder_holds),
        cmocka_unit_test(older_dumps_leave_a_bucket),
        cmocka_unit_test(access_is_refused_with_the_next_step),
        cmocka_unit_test(a_store_that_fails_is_outlasted_or_told),
        cmocka_unit_test(large_files_go_in_parts),
        cmocka_unit_test(what_a_killed_dump_leaves_is_swept_away),
        cmocka_unit_test(several_hosts_write_into_a_bucket),
    };

    return servers_run_tests(
        "one two",
        "psql -qX \"$(server_uri one postgres)\" -c 'CREATE DATABASE vale'; psql -qX \"$(server_uri one"
        " vale)\" -c \"CREATE TABLE t AS SELECT n, md5(n::text) AS x FROM generate_series(1, 20000) n\" -c 'ALTER"
        " TABLE t ADD PRIMARY KEY (n)' -c 'CREATE TABLE \"größte Bäume %20\" AS SELECT * FROM t LIMIT 10'",
        tests, G_N_ELEMENTS(tests));
}
