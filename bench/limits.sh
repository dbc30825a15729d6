#!/usr/bin/env bash
# SPDX-License-Identifier: Apache-2.0
# How far it goes: each command on a database that is large in one way, with its time and its largest memory, at two sizes,
# so that what grows faster than its input shows; and what the server's own shell takes to make the database, because a
# server, too, may grow faster. Two private servers of PostgreSQL.
# Usage: bench/limits.sh [WHAT [SMALL LARGE]]; WHAT: tables, views, roles, objects, definition, value
set -euo pipefail
cd "$(dirname "$0")/.."
. demo/servers.sh

what=${1:-tables}
case $what in
tables) sizes=${2:-10000}\ ${3:-100000} ;;     # small tables, each with a key and an index
views) sizes=${2:-500}\ ${3:-2000} ;;          # each on the one before it
roles) sizes=${2:-500}\ ${3:-5000} ;;          # each with a grant on one of twenty tables, a tenth members of one
objects) sizes=${2:-10000}\ ${3:-100000} ;;    # large objects
definition) sizes=${2:-1000000}\ ${3:-10000000} ;; # bytes of one function's body
value) sizes=${2:-50000000}\ ${3:-500000000} ;; # bytes of one value
*) echo "limits: not known: $what" >&2; exit 2 ;;
esac

servers_begin
trap servers_end EXIT
for name in old new; do
    start_postgres "$name"
    psql -qX "$(server_uri "$name" postgres)" -c "ALTER SYSTEM SET max_locks_per_transaction = 4096" -c "ALTER SYSTEM SET fsync = off"
    as_server_user "$POSTGRES_BIN/pg_ctl" -D "$SERVERS/$name/data" -l "$SERVERS/$name/data/server.log" -w restart >/dev/null
done

fill() { # fill N: SQL
    case $what in
    tables) echo "SELECT format('CREATE TABLE bed_%s (id int PRIMARY KEY, tree text); CREATE INDEX ON bed_%s (tree); INSERT INTO" \
                 "bed_%s VALUES (1, ''oak'')', i, i, i) FROM generate_series(1, $1) i \\gexec" ;;
    views) echo "CREATE VIEW view_0 AS SELECT 1 AS tree; SELECT format('CREATE VIEW view_%s AS SELECT tree FROM view_%s', i, i - 1)" \
                "FROM generate_series(1, $1) i \\gexec" ;;
    roles) echo "SELECT format('CREATE TABLE tree_%s (id int)', i) FROM generate_series(0, 19) i \\gexec
                 CREATE ROLE keeper_$1_0;
                 SELECT format('CREATE ROLE keeper_$1_%s%s; GRANT SELECT ON tree_%s TO keeper_$1_%s', i, CASE WHEN i % 10 = 0 THEN" \
                " ' IN ROLE keeper_$1_0' ELSE '' END, i % 20, i) FROM generate_series(1, $1) i \\gexec" ;;
    objects) echo "SELECT count(lo_from_bytea(0, convert_to('leaf ' || i, 'UTF8'))) FROM generate_series(1, $1) i" ;;
    value) echo "CREATE TABLE tree (id int, leaves text); INSERT INTO tree SELECT 1, repeat('leaf ', $1 / 5)" ;;
    definition) echo "SELECT format('CREATE FUNCTION leaves() RETURNS text LANGUAGE sql AS %L', 'SELECT ''' || repeat('leaf ', $1 / 5)" \
                     "|| '''') \\gexec" ;;
    esac
}

measured() { # measured NAME COMMAND...
    local name=$1
    shift
    /usr/bin/time -o "$SERVERS/time" -f '%e s, %M kB' "$@" >"$SERVERS/out" 2>&1 || [ $? = 1 ] || { tail -n 5 "$SERVERS/out"; return 1; }
    printf '  %-8s %s\n' "$name" "$(tail -n 1 "$SERVERS/time")"
}

for size in $sizes; do
    database=vale_$size
    echo "$what: $size"
    psql -qX "$(server_uri old postgres)" -c "CREATE DATABASE $database"
    fill "$size" >"$SERVERS/fill.sql"
    measured server psql -qX -v ON_ERROR_STOP=1 -f "$SERVERS/fill.sql" "$(server_uri old "$database")"
    from=$(server_uri old "$database") to=$(server_uri new "$database") dump=$SERVERS/$database.dump
    measured survey build/hornbeam survey "$from"
    measured dump build/hornbeam dump -q "$from" "$dump"
    measured restore build/hornbeam restore -q "$dump" "$to"
    measured verify build/hornbeam verify -q "$from" "$to"
    rm -rf "$dump"
done
