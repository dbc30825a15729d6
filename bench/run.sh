#!/usr/bin/env bash
# SPDX-License-Identifier: Apache-2.0
# How close dump, restore and verify come to the least that a C program must do (bench/bare.c, bench/bare_mariadb.c):
# alternated runs on two private servers, medians, ratios. Usage: bench/run.sh [ENGINE [SCALE [RUNS [JOBS [carry]]]]]; engines:
# postgresql (scale 140 is about 500 MB of rows), mariadb and mysql (scale 80 is about 400 MB).
set -euo pipefail
cd "$(dirname "$0")/.."
. demo/servers.sh

. scripts/versions.sh
. bench/measure.sh

engine=${1:-postgresql} scale=${2:-80} runs=${3:-5} jobs=${4:-$(nproc)}
hornbeam=build/hornbeam collation=utf8mb4_unicode_ci generated="is_generated = 'NEVER'"
if [ "$engine" = mysql ]; then
    engine=mariadb collation=utf8mb4_0900_ai_ci generated="generation_expression = ''"
    MARIADB_ROOT=$(family_root mysql)
    export MARIADB_ROOT
fi
servers_begin
trap servers_end EXIT
work=$(mktemp -d "$SERVERS/bench.XXXXXX")

# ---- What differs by engine: begin; settle; fresh NAME [structure], an empty database on the new server; the bare program

begin_postgresql() {
    cc -O2 -o "$work/bare" bench/bare.c $(pkg-config --cflags --libs libpq jansson libzstd libxxhash) -lpthread
    start_postgres old
    start_postgres new
    plant old "$scale"
}
settle_postgresql() {
    local name
    for name in old new; do psql -qX "$(server_uri $name postgres)" -c CHECKPOINT; done
    sync
}
fresh_postgresql() {
    local new
    new=$(server_uri new postgres)
    psql -qX "$new" -c "DROP DATABASE IF EXISTS $1" 2>/dev/null
    [ "${2:-}" = structure ] || return 0
    psql -qX "$new" -c "CREATE DATABASE $1 TEMPLATE template0 LC_COLLATE 'C.UTF-8' LC_CTYPE 'C.UTF-8'"
    psql -qX -v ON_ERROR_STOP=1 "$(server_uri new "$1")" -f "$work/plain/structure.sql" >/dev/null 2>&1
}
bare_read_postgresql() { # bare_read SERVER DATABASE [FOLDER]
    "$work/bare" read "$(server_uri "$1" "$2")" "$jobs" "$work/plain" ${3:+"$3"}
}
bare_rows() { "$work/bare" rows "$(server_uri new bare)" "$jobs" "$work/plain"; }
bare_load_postgresql() { "$work/bare" load "$(server_uri new bare)" "$jobs" "$work/plain"; }

begin_mariadb() {
    cc -O2 -o "$work/bare" bench/bare_mariadb.c $(pkg-config --cflags --libs libmariadb jansson libzstd libxxhash) -lpthread
    start_mariadb old
    start_mariadb new
    plant old "$scale"
    queries >"$work/queries"
}
settle_mariadb() { sync; sleep 2; }
fresh_mariadb() {
    mariadb_shell new -e "DROP DATABASE IF EXISTS $1"
    [ "${2:-}" = structure ] || return 0
    mariadb_shell new -e "CREATE DATABASE $1 CHARACTER SET utf8mb4 COLLATE $collation"
    sed "s/\`fennick_vale\`/\`$1\`/g" "$work/plain/structure.sql" | mariadb_shell new "$1"
}
queries() { # a SELECT for each table, and for each piece of the two large ones
    local table columns i
    mariadb_shell old -rN fennick_vale -e "SELECT table_name, GROUP_CONCAT(IF(data_type = 'float', CONCAT('\`', column_name, '\` * 1e0'),
        CONCAT('\`', column_name, '\`')) ORDER BY ordinal_position) FROM information_schema.columns JOIN information_schema.tables
        USING (table_schema, table_name) WHERE table_schema = 'fennick_vale' AND table_type IN ('BASE TABLE', 'SYSTEM VERSIONED')
        AND $generated GROUP BY table_name" |
        while IFS=$'\t' read -r table columns; do
            for i in 0 1 2 3 4 5 6 7 8 9 10 11 12 13; do
                case $table in
                reading) echo "SELECT $columns FROM reading WHERE taken >= '2023-01-01' + INTERVAL $i * 85 DAY AND taken < '2023-01-01' + INTERVAL ($i + 1) * 85 DAY" ;;
                logger_message) echo "SELECT $columns FROM logger_message WHERE message_id > $i * $((11000 * scale / 14 + 1)) AND message_id <= ($i + 1) * $((11000 * scale / 14 + 1))" ;;
                *) [ "$i" != 0 ] || echo "SELECT $columns FROM \`$table\`" ;;
                esac
            done
        done
}
bare_read_mariadb() { "$work/bare" read "$SERVERS/$1/socket" "$2" "$jobs" "$work/queries" ${3:+"$3"}; }
bare_load_mariadb() { "$work/bare" load "$SERVERS/new/socket" bare "$jobs" "$work/plain"; }

# ---- The runs

"begin_$engine"
from=$(server_uri old fennick_vale)
"$hornbeam" dump -q --compress none --jobs "$jobs" "$from" "$work/plain" 2>/dev/null
"$hornbeam" dump -q --jobs "$jobs" "$from" "$work/packed" 2>/dev/null
"$hornbeam" restore -q --parts users "$work/packed" "$(server_uri new users_only)" >/dev/null


bare_dump() { rm -rf "$work/bare.out"; mkdir "$work/bare.out"; "bare_read_$engine" old fennick_vale "$work/bare.out"; }
our_dump() { rm -rf "$work/ours"; "$hornbeam" dump -q --jobs "$jobs" "$from" "$work/ours"; }
our_restore() { "$hornbeam" restore -q --no-analyze --jobs "$jobs" "$work/packed" "$(server_uri new ours)"; }
bare_read() { "bare_read_$engine" new whole; }
our_rows() { "$hornbeam" restore -q --no-analyze --parts data --existing keep --jobs "$jobs" "$work/packed" "$(server_uri new ours)"; }
our_carry() { "$hornbeam" carry -q --no-analyze --skip user:* --jobs "$jobs" "$from" "$(server_uri new ours)"; }
bare_source() { "bare_read_$engine" old fennick_vale; }
our_verify() { "$hornbeam" verify -q --jobs "$jobs" "$work/packed" "$(server_uri new whole)"; }

compare() { # compare NAME BARE OURS [fresh|structure]: into new databases, empty ones or with the structure
    local i b o
    : >"$work/bare.times"; : >"$work/our.times"
    for i in $(seq "$runs"); do
        [ -z "${4:-}" ] || "fresh_$engine" bare structure
        "settle_$engine"
        seconds "$2" >>"$work/bare.times"
        [ -z "${4:-}" ] || "fresh_$engine" ours "${4#fresh}"
        "settle_$engine"
        seconds "$3" >>"$work/our.times"
    done
    b=$(median <"$work/bare.times"); o=$(median <"$work/our.times")
    printf '%-8s bare %6.2f s   hornbeam %6.2f s   ratio %s\n' "$1" "$b" "$o" "$(echo "scale=2; $o / $b" | bc)"
}
# Against the slower of reading and loading, which a carry does at the same time
compare_carry() {
    local i r l o
    : >"$work/read.times"; : >"$work/bare.times"; : >"$work/our.times"
    for i in $(seq "$runs"); do
        "settle_$engine"
        seconds bare_source >>"$work/read.times"
        "fresh_$engine" bare structure
        "settle_$engine"
        seconds "bare_load_$engine" >>"$work/bare.times"
        "fresh_$engine" ours
        "settle_$engine"
        seconds our_carry >>"$work/our.times"
    done
    r=$(median <"$work/read.times"); l=$(median <"$work/bare.times"); o=$(median <"$work/our.times")
    printf 'carry    read %6.2f s   load %6.2f s   hornbeam %6.2f s   ratio to the slower %s, to both %s\n' "$r" "$l" "$o" \
        "$(echo "scale=2; if ($r > $l) $o / $r else $o / $l" | bc)" "$(echo "scale=2; $o / ($r + $l)" | bc)"
}
peak() { /usr/bin/time -f '%M' "$@" 2>&1 >/dev/null | tail -n 1; }

echo "${1:-$engine}, scale $scale, $runs runs, $jobs sessions; rows as text: $(du -sm "$work/plain" | cut -f1) MB"
[ "${5:-}" != carry ] || { compare_carry; exit 0; }
compare dump bare_dump our_dump
compare restore "bare_load_$engine" our_restore fresh
[ "$engine" != postgresql ] || compare rows bare_rows our_rows structure
compare_carry
"$hornbeam" restore -q --jobs "$jobs" "$work/packed" "$(server_uri new whole)" >/dev/null
compare verify bare_read our_verify
if [ -x /usr/bin/time ]; then
    rm -rf "$work/ours"; "fresh_$engine" ours
    echo "peak memory, kB: dump $(peak "$hornbeam" dump -q --jobs "$jobs" "$from" "$work/ours")," \
         "restore $(peak "$hornbeam" restore -q --jobs "$jobs" "$work/packed" "$(server_uri new ours)")," \
         "verify $(peak "$hornbeam" verify -q --jobs "$jobs" "$work/packed" "$(server_uri new whole)")"
fi
