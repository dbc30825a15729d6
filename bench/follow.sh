#!/usr/bin/env bash
# SPDX-License-Identifier: Apache-2.0
# How fast changes come from the log. As many sessions as there are cores write single-row statements into a database for
# some seconds, in transactions of their own; then what the log tells of that is brought into a copy: by Hornbeam, and by
# the least that a program does (bench/bare_follow.c). Medians of the seconds that bringing takes, the ratio to that, and
# to the seconds of writing; a whole pass also reads two catalogs.
# Usage: bench/follow.sh [SECONDS [RUNS]]
set -euo pipefail
cd "$(dirname "$0")/.."
. demo/servers.sh
. bench/measure.sh

time=${1:-10} runs=${2:-3} hornbeam=build/hornbeam
servers_begin
trap servers_end EXIT
start_postgres old
start_postgres new
cc -O2 -o "$SERVERS/bare" bench/bare_follow.c $(pkg-config --cflags --libs libpq)
chmod 755 "$SERVERS/bare"
old() { psql -qXAt -v ON_ERROR_STOP=1 "$(server_uri old vale)" -c "$1"; }
psql -qX "$(server_uri old postgres)" -c "CREATE DATABASE vale"
old "CREATE TABLE reading (id bigint PRIMARY KEY, tree text, height numeric(8,2), taken timestamptz);
     INSERT INTO reading SELECT i, 'tree ' || i % 5000, i % 4000 / 100.0, now() FROM generate_series(1, 500000) i;
     CREATE SEQUENCE n START 500001"
from=$(server_uri old vale) to=$(server_uri new vale)
"$hornbeam" carry -q --keep-log "$from" "$to" 2>/dev/null
"$hornbeam" carry -q --rename database:vale=bare "$from" "$(server_uri new bare)"
old "CREATE PUBLICATION bare FOR TABLE reading"
old "SELECT pg_create_logical_replication_slot('bare', 'pgoutput')" >/dev/null
cat >"$SERVERS/mix.sql" <<'SQL'
\set a random(1, 500000)
\set b random(1, 500000)
\set c random(1, 500000)
UPDATE reading SET height = height + 1 WHERE id = :a;
INSERT INTO reading VALUES (nextval('n'), 'tree new', 1.5, now());
DELETE FROM reading WHERE id = :b;
UPDATE reading SET tree = 'tree b' WHERE id = :c;
SQL

for i in $(seq "$runs"); do
    "$POSTGRES_BIN/pgbench" -n -c "$(nproc)" -j "$(nproc)" -T "$time" -M prepared -f "$SERVERS/mix.sql" "$from" >"$SERVERS/written" 2>&1
    old "SELECT pg_logical_emit_message(true, 'end', '')" >/dev/null
    end=$(old "SELECT pg_current_wal_insert_lsn()")
    old "SELECT pg_logical_emit_message(true, 'end', '')" >/dev/null
    seconds "$SERVERS/bare" "host=$SERVERS/old/socket user=postgres dbname=vale replication=database" \
        "host=$SERVERS/new/socket user=postgres dbname=bare" bare "$end" >>"$SERVERS/bare.s"
    grep -o '^[0-9]*' "$SERVERS/out" >>"$SERVERS/changes"
    old "SELECT pg_replication_slot_advance('bare', '$end')" >/dev/null
    seconds "$hornbeam" freshen --by log --json "$from" "$to" >>"$SERVERS/pass.s"
    grep -A20 '"log"' "$SERVERS/out" | grep -o '"seconds": [0-9.]*' | head -n 1 | grep -o '[0-9.]*$' >>"$SERVERS/ours.s"
done
"$hornbeam" verify -q "$from" "$to" >/dev/null
p=$(median <"$SERVERS/pass.s") b=$(median <"$SERVERS/bare.s") o=$(median <"$SERVERS/ours.s") c=$(median <"$SERVERS/changes")
echo "postgresql, $(nproc) sessions write for $time s, $c changes, $runs runs"
printf 'bare %.2f s   Hornbeam %.2f s, ratio %s (%s times as fast as it was written); the whole pass %.2f s\n' "$b" "$o" \
    "$(echo "scale=2; $o / $b" | bc)" "$(echo "scale=1; $time / $o" | bc)" "$p"
