/* SPDX-License-Identifier: Apache-2.0 */
/* Sealed dumps: all that one can do with a dump, for those who have a key; nothing to be read for anybody else */
#include "support/check.h"
#include "support/servers.h"

/* Of both engines, as folder, file and stream, of one database and of the whole server; with the key it is equal */
static void what_is_sealed_arrives_like_any_other_dump(void **state)
{
    (void)state;
    servers_run_traced(
        "for s in old mold; do n=new; [ $s = old ] || n=mnew; f=$(server_uri $s vale); for d in $s.dump $s.tar; do"
        " hb dump -q $f $d --seal-for oak.pem --seal-for ash.pem; hb verify $d --unseal oak.key | grep -q '^Whole';"
        " hb show $d --unseal ash.key >o; grep -q plot o; hb sql $d --unseal oak.key | grep -q 'CREATE TABLE';"
        " t=$(server_uri $n vale_${d#*.}); hb restore -q $d $t --unseal ash.key; hb verify $d $t --unseal oak.key |"
        " grep -q ^Equal; hb verify $f $t | grep -q ^Equal; done; hb dump -q $f - --seal-for oak.pem | hb restore -q -"
        " $(server_uri $n vale_pipe) --unseal oak.key; hb verify $f $(server_uri $n vale_pipe) | grep -q ^Equal; done");
    servers_run_traced(
        "for s in old mold; do hb dump -q \"$(server_uri $s)\" all-$s.dump --seal-for oak.pem; n=$(find"
        " all-$s.dump -name recipients.pem | wc -l); [ $n -ge 2 ]; hb verify all-$s.dump --unseal oak.key >o; [ $(grep"
        " -c ^Whole o) -ge 2 ]; hb dump -q \"$(server_uri $s)\" - --seal-for oak.pem >all.tar; hb verify all.tar "
        "--unseal"
        " oak.key >o; [ $(grep -c ^Whole o) -ge 2 ]; done");
    servers_run_traced(
        "hb restore -q all-old.dump \"$(server_uri new)\" --unseal oak.key --existing keep; hb verify -q \"$(server_uri"
        " old vale)\" \"$(server_uri new vale)\"; hb preflight old.dump \"$(server_uri new fresh)\" --unseal oak.key "
        ">o;"
        " hb dump -q \"$(server_uri old vale)\" d-%Y.dump --seal-for oak.pem; hb verify d-%Y.dump --unseal oak.key |"
        " grep -q ^Whole");
}

/* Nothing that the database holds lies open, and each file is opened by the stock program */
static void nothing_can_be_read_without_a_key(void **state)
{
    (void)state;
    servers_run_traced(
        "for d in old.dump old.tar mold.dump all-old.dump; do not grep -raq -e 'very old' -e plot_id -e nobody_knows"
        " $d; done; cd old.dump; sha256sum -c --quiet SHA256SUMS; for f in $(find . -name '*.cms'); do openssl cms "
        "-decrypt"
        " -binary -inform DER -in $f -inkey ../ash.key -recip ../ash.pem -out ../x/${f%.cms}; done; cd ../x; for f in "
        "$(find"
        " . -name '*.zst'); do zstd -tq $f; done; python3 -m json.tool manifest.json >/dev/null; grep -q 'CREATE TABLE'"
        " structure.sql; grep -q CN=oak ../old.dump/recipients.pem; [ \"$(find ../old.dump -type f ! -name '*.cms' |"
        " wc -l)\" = 3 ]");
}

/* No key, the wrong one, one too many: what is to be done is said, and with which status */
static void a_missing_or_wrong_key_is_told(void **state)
{
    (void)state;
    servers_run_traced(
        "for c in 'show old.dump' 'verify old.tar' 'sql old.dump' \"restore old.dump $(server_uri new never)\" "
        "\"preflight"
        " old.dump $(server_uri new never)\" \"verify old.dump $(server_uri new vale_dump)\"; do fails 2 hb $c; grep -q"
        " 'sealed for CN=oak; CN=ash' e; grep -q -- --unseal e; fails 2 hb $c --unseal elm.key; grep -q 'of none of "
        "them' e;"
        " done; hb dump -q \"$(server_uri old vale)\" open.dump; fails 2 hb show open.dump --unseal oak.key; grep -q "
        "'is not"
        " sealed' e; fails 2 hb show old.dump --unseal oak.pem; fails 6 hb show old.dump --unseal none.key; fails 2 hb "
        "dump"
        " \"$(server_uri old vale)\" no.dump --seal-for oak.key; [ ! -e no.dump ]; fails 2 hb show old.dump --unseal"
        " locked.key </dev/null; grep -q HORNBEAM_KEY_PASSPHRASE e; HORNBEAM_KEY_PASSPHRASE=acorn hb show old.dump "
        "--unseal"
        " locked.key >o; fails 2 hb"
        " restore - \"$(server_uri new never)\" <old.tar; not grep -q BEGIN e; fails 2 hb verify \"$(server_uri old "
        "vale)\" \"$(server_uri new vale_dump)\" --unseal oak.key; grep -q 'only servers' e");
}

/* The host that dumps every night has no key: it knows older dumps by their labels, and a damaged one by its sums */
static void old_dumps_go_without_a_key(void **state)
{
    (void)state;
    servers_run_traced(
        "mkdir n; night() { hb dump -q \"$(server_uri $1)\" n/v-%Y-%m-%d.dump --seal-for oak.pem --keep 2; mv "
        "n/v-$(date"
        " +%F).dump n/v-2026-01-$2.dump; }; night 'old vale' 01; night 'old vale' 02; night 'old vale' 03; [ ! -e"
        " n/v-2026-01-01.dump ]; [ -e n/v-2026-01-02.dump ]; rm n/v-2026-01-02.dump/settings.sql.cms; hb dump "
        "\"$(server_uri"
        " old vale)\" n/v-%Y-%m-%d.dump --seal-for oak.pem --keep 1 2>e >o; grep -q 'v-2026-01-02.dump "
        "stays.*missing' e;"
        " grep -q 'removed: .*v-2026-01-03' o; grep -q 'sealed for CN=oak' e; hb verify n/v-%Y-%m-%d.dump --unseal "
        "oak.key |"
        " grep -q ^Whole; do_not_show=$(grep -c plot n/v-$(date +%F).dump/label.json || true); [ $do_not_show = 0 "
        "]; rm -r n;"
        " mkdir n; night old 01; night old 02; night old 03; [ $(ls n | wc -l) = 2 ]");
}

/* A changed chunk, one of another dump in its place with sums made anew, one in clear between the others */
static void what_was_changed_is_found(void **state)
{
    (void)state;
    servers_run_traced(
        "c=$(cd old.dump && find rows -name '*.cms' | head -n 1); anew() { (cd w.dump && find . -type f ! -name "
        "SHA256SUMS"
        " -printf '%P\\0' | sort -z | xargs -0 sha256sum >SHA256SUMS); }; rm -rf w.dump; cp -r old.dump w.dump; printf "
        "x | dd"
        " of=w.dump/$c bs=1 seek=900 conv=notrunc status=none; fails 5 hb verify w.dump --unseal oak.key; grep -q 'sum"
        " differs' o; anew; fails 5 hb verify w.dump --unseal oak.key; grep -q 'not what was sealed' o; rm -rf w.dump; "
        "cp -r"
        " old.dump w.dump; rm w.dump/manifest.json.cms; cp open.dump/manifest.json w.dump/; anew; fails 5 hb show "
        "w.dump"
        " --unseal oak.key; rm -rf w.dump; cp -r old.dump w.dump; rm w.dump/recipients.pem; anew; fails 2 hb show "
        "w.dump"
        " --unseal oak.key; fails 5 hb show w.dump");
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(what_is_sealed_arrives_like_any_other_dump),
        cmocka_unit_test(nothing_can_be_read_without_a_key),
        cmocka_unit_test(a_missing_or_wrong_key_is_told),
        cmocka_unit_test(old_dumps_go_without_a_key),
        cmocka_unit_test(what_was_changed_is_found),
    };

    return servers_run_tests(
        "old new mold:mariadb mnew:mariadb",
        "cd $FOLDER; make() { openssl req -x509 -newkey $2 $3 -nodes -keyout $1.key -out $1.pem -subj \"/CN=$1\" -days "
        "9"
        " 2>/dev/null; }; make oak rsa:2048; make elm rsa:2048; make ash ec '-pkeyopt ec_paramgen_curve:P-256'; "
        "openssl pkey"
        " -in oak.key -aes256 -passout pass:acorn -out locked.key; mkdir -p x/rows/garden.plot x/rows/public.plot;"
        " psql -qX \"$(server_uri old postgres)\" -c 'CREATE DATABASE vale' -c \"CREATE ROLE keeper PASSWORD "
        "'nobody_knows'\";"
        " psql -qX \"$(server_uri old vale)\" -c \"CREATE TABLE plot (plot_id int PRIMARY KEY, note text)\" -c "
        "\"INSERT INTO"
        " plot SELECT n, 'very old oak ' || n FROM generate_series(1, 30000) n\" -c \"CREATE VIEW v AS SELECT * FROM "
        "plot\";"
        " mariadb_shell mold -e \"CREATE DATABASE vale; USE vale; CREATE TABLE plot (plot_id int PRIMARY KEY, note "
        "text);"
        " INSERT INTO plot SELECT seq, concat('very old oak ', seq) FROM seq_1_to_30000\"",
        tests, G_N_ELEMENTS(tests));
}
