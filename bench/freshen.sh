#!/usr/bin/env bash
# SPDX-License-Identifier: Apache-2.0
# What a pass costs beside a verify of the same two databases by as many sessions: where nothing differs, and where one
# row in a million does, spread evenly. Alternated runs on two private servers, medians, ratios.
# Usage: bench/freshen.sh [ENGINE [ROWS [RUNS [JOBS]]]]; engines: postgresql, mariadb, mysql
set -euo pipefail
cd "$(dirname "$0")/.."
. demo/servers.sh
. scripts/versions.sh
. bench/measure.sh

engine=${1:-postgresql} rows=${2:-8000000} runs=${3:-5} jobs=${4:-$(nproc)}
hornbeam=build/hornbeam
if [ "$engine" = mysql ]; then
    MARIADB_ROOT=$(family_root mysql)
    export MARIADB_ROOT
fi
servers_begin
trap servers_end EXIT

# Readings of trees, in two tables of half the rows
table() { # table NAME: SQL that makes and fills it
    case $engine in
    postgresql)
        echo "CREATE TABLE $1 (id bigint PRIMARY KEY, tree text, height numeric(8,2), taken timestamptz);" \
             "INSERT INTO $1 SELECT i, 'tree ' || i % 5000, i % 4000 / 100.0, timestamptz '2020-01-01' + i * interval '1 s'" \
             "FROM generate_series(1, $((rows / 2))) i;" ;;
    mariadb)
        echo "CREATE TABLE $1 (id BIGINT PRIMARY KEY, tree VARCHAR(40), height DECIMAL(8,2), taken DATETIME);" \
             "INSERT INTO $1 SELECT seq, CONCAT('tree ', seq % 5000), seq % 4000 / 100, '2020-01-01' + INTERVAL seq SECOND" \
             "FROM seq_1_to_$((rows / 2));" ;;
    mysql)
        echo "CREATE TABLE $1 (id BIGINT PRIMARY KEY, tree VARCHAR(40), height DECIMAL(8,2), taken DATETIME);" \
             "SET SESSION cte_max_recursion_depth = 1000000000;" \
             "INSERT INTO $1 WITH RECURSIVE d AS (SELECT 0 AS n UNION ALL SELECT n + 1 FROM d WHERE n < 999), e AS" \
             "(SELECT 0 AS n UNION ALL SELECT n + 1 FROM e WHERE n < $((rows / 2000 - 1))) SELECT e.n * 1000 + d.n," \
             "CONCAT('tree ', d.n), d.n / 100, '2020-01-01' + INTERVAL e.n SECOND FROM e, d;" ;;
    esac
}

run() { # run SERVER: SQL from standard input
    if [ "$engine" = postgresql ]; then psql -qX -v ON_ERROR_STOP=1 "$(server_uri "$1" vale)"; else mariadb_shell "$1" vale; fi
}

for name in old new; do
    if [ "$engine" = postgresql ]; then
        start_postgres "$name"
        psql -qX "$(server_uri "$name" postgres)" -c "CREATE DATABASE vale"
    else
        start_mariadb "$name"
        mariadb_shell "$name" -e "CREATE DATABASE vale"
    fi
done
{ table one; table two; } | run old
from=$(server_uri old vale) to=$(server_uri new vale)
"$hornbeam" carry -q --remember "$from" "$to" >/dev/null
[ "$engine" != postgresql ] || for name in old new; do psql -qX "$(server_uri "$name" vale)" -c "VACUUM" -c "CHECKPOINT"; done

spread() { # spread N: changes one row in a million, evenly, other ones each time
    echo "UPDATE one SET height = height + 0.01 WHERE id % 1000000 = $1; UPDATE two SET height = height + 0.01 WHERE id % 1000000 = $1;"
}

for i in $(seq "$runs"); do
    seconds "$hornbeam" verify -q --jobs "$jobs" "$from" "$to" >>"$SERVERS/verify"
    seconds "$hornbeam" freshen -q --jobs "$jobs" "$from" "$to" >>"$SERVERS/same"
    spread "$i" | run old
    seconds "$hornbeam" freshen -q --jobs "$jobs" "$from" "$to" >>"$SERVERS/few"
done
v=$(median <"$SERVERS/verify") s=$(median <"$SERVERS/same") f=$(median <"$SERVERS/few")
echo "$engine, $rows rows, $runs runs, $jobs sessions"
printf 'verify %.2f s   nothing differs %.2f s, ratio %s   one in a million %.2f s, ratio %s\n' "$v" "$s" \
    "$(echo "scale=2; $s / $v" | bc)" "$f" "$(echo "scale=2; $f / $v" | bc)"
