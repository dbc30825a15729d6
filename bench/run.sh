#!/usr/bin/env bash
# SPDX-License-Identifier: Apache-2.0
# How close dump, restore and verify come to the least that a C program must do (bench/bare.c): alternated runs on two
# private servers, medians, ratios. Usage: bench/run.sh [SCALE [RUNS [JOBS]]]; scale 140 is about 500 MB of rows.
set -euo pipefail
cd "$(dirname "$0")/.."
. demo/servers.sh

scale=${1:-140} runs=${2:-5} jobs=${3:-$(nproc)}
hornbeam=build/hornbeam
servers_begin
trap servers_end EXIT
work=$(mktemp -d "$SERVERS/bench.XXXXXX")
cc -O2 -o "$work/bare" bench/bare.c $(pkg-config --cflags --libs libpq jansson libzstd libxxhash) -lpthread

start_postgres old
start_postgres new
psql -qX "$(server_uri old postgres)" -f demo/arboretum/postgres.sql
psql -qX "$(server_uri old fennick_vale)" -v scale="$scale" -f demo/arboretum/postgres-rows.sql
from=$(server_uri old fennick_vale)
new=$(server_uri new postgres)
"$hornbeam" dump -q --compress none --jobs "$jobs" "$from" "$work/plain"
"$hornbeam" dump -q --jobs "$jobs" "$from" "$work/packed"
"$hornbeam" restore -q --parts users "$work/packed" "$(server_uri new users_only)" >/dev/null

seconds() { # seconds COMMAND...: wall time of one run
    local start end
    start=$(date +%s.%N)
    "$@" >"$work/out" 2>&1 || { cat "$work/out" >&2; return 1; }
    end=$(date +%s.%N)
    echo "$end - $start" | bc
}
median() { sort -n | awk '{v[NR]=$1} END {print v[int((NR+1)/2)]}'; }
settle() { psql -qX "$1" -c CHECKPOINT; sync; }
fresh() { # fresh NAME [structure]: an empty database on the new server
    psql -qX "$new" -c "DROP DATABASE IF EXISTS $1" 2>/dev/null
    if [ "${2:-}" = structure ]; then
        psql -qX "$new" -c "CREATE DATABASE $1 TEMPLATE template0 LC_COLLATE 'C.UTF-8' LC_CTYPE 'C.UTF-8'"
        psql -qX -v ON_ERROR_STOP=1 "$(server_uri new "$1")" -f "$work/plain/structure.sql" >/dev/null
    fi
    settle "$new"
}

bare_dump() { rm -rf "$work/bare.out"; mkdir "$work/bare.out"; "$work/bare" read "$from" "$jobs" "$work/plain" "$work/bare.out"; }
our_dump() { rm -rf "$work/ours"; "$hornbeam" dump -q --jobs "$jobs" "$from" "$work/ours"; }
bare_load() { "$work/bare" load "$(server_uri new bare)" "$jobs" "$work/plain"; }
our_restore() { "$hornbeam" restore -q --no-analyze --jobs "$jobs" "$work/packed" "$(server_uri new ours)"; }
bare_read() { "$work/bare" read "$(server_uri new whole)" "$jobs" "$work/plain"; }
our_verify() { "$hornbeam" verify -q --jobs "$jobs" "$work/packed" "$(server_uri new whole)"; }

compare() { # compare NAME BARE OURS [PREPARE]
    local i
    : >"$work/bare.times"; : >"$work/our.times"
    for i in $(seq "$runs"); do
        [ -z "${4:-}" ] || fresh bare structure
        settle "$from"
        seconds "$2" >>"$work/bare.times"
        [ -z "${4:-}" ] || fresh ours
        settle "$from"
        seconds "$3" >>"$work/our.times"
    done
    local b o
    b=$(median <"$work/bare.times"); o=$(median <"$work/our.times")
    printf '%-8s bare %6.2f s   hornbeam %6.2f s   ratio %s\n' "$1" "$b" "$o" "$(echo "scale=2; $o / $b" | bc)"
}
peak() { /usr/bin/time -f '%M' "$@" 2>&1 >/dev/null | tail -n 1; }

echo "scale $scale, $runs runs, $jobs sessions; rows as text: $(du -sm "$work/plain" | cut -f1) MB"
compare dump bare_dump our_dump
compare restore bare_load our_restore fresh
"$hornbeam" restore -q --jobs "$jobs" "$work/packed" "$(server_uri new whole)" >/dev/null
compare verify bare_read our_verify
if [ -x /usr/bin/time ]; then
    rm -rf "$work/ours"; fresh ours
    echo "peak memory, kB: dump $(peak "$hornbeam" dump -q --jobs "$jobs" "$from" "$work/ours")," \
         "restore $(peak "$hornbeam" restore -q --jobs "$jobs" "$work/packed" "$(server_uri new ours)")," \
         "verify $(peak "$hornbeam" verify -q --jobs "$jobs" "$work/packed" "$(server_uri new whole)")"
fi
