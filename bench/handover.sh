#!/usr/bin/env bash
# SPDX-License-Identifier: Apache-2.0
# How long nobody may write in a hand-over, for databases of two sizes. A session writes all the time into a table that
# stays small and into the large one, and counts; the copy is kept up by another program until the hand-over asks it to
# end. The window, and of it the check, which reads the tables that have changed; medians of several hand-overs.
# Usage: bench/handover.sh [postgresql|mariadb [ROWS [ROWS [RUNS]]]]
set -euo pipefail
cd "$(dirname "$0")/.."
. demo/servers.sh
. bench/measure.sh

engine=${1:-postgresql} small=${2:-200000} large=${3:-10000000} runs=${4:-3} hornbeam=$PWD/build/hornbeam
servers_begin
trap 'touch "$SERVERS/enough"; servers_end' EXIT

if [ "$engine" = postgresql ]; then
    start_postgres old
    start_postgres new
    sql() { psql -qXAt -v ON_ERROR_STOP=1 "$(server_uri "$1" "$2")" -c "$3"; }
    fill() { sql old vale "INSERT INTO reading SELECT i, 'tree ' || i % 5000, i % 4000 / 100.0, now() FROM generate_series(1, $1) i"; }
    write() { psql -qX -v ON_ERROR_STOP=1 "$(server_uri old vale | sed s/postgres@/app@/)" -c "INSERT INTO tally VALUES ($1); UPDATE reading SET height = height + 1 WHERE id = $1"; }
    allow() { sql old vale "GRANT SELECT, INSERT, UPDATE ON ALL TABLES IN SCHEMA public TO app"; }
    sql old "" "CREATE ROLE app LOGIN"
else
    start_mariadb old --innodb-flush-log-at-trx-commit=2
    start_mariadb new --innodb-flush-log-at-trx-commit=2
    sql() { mariadb_shell "$1" -N ${2:-} -e "$3"; }
    fill() { sql old vale "INSERT INTO reading SELECT seq, CONCAT('tree ', seq % 5000), seq % 4000 / 100, NOW() FROM seq_1_to_$1"; }
    write() { mariadb_shell old -uapp vale -e "INSERT INTO tally VALUES ($1); UPDATE reading SET height = height + 1 WHERE id = $1"; }
    allow() { sql old "" "GRANT SELECT, INSERT, UPDATE ON vale.* TO app; ALTER USER app ACCOUNT UNLOCK"; }
    sql old "" "CREATE USER app"
fi

count() { # one number after the other, as long as the old host takes them
    local i=1
    while [ ! -e "$SERVERS/enough" ]; do
        ! write $i 2>/dev/null || { echo $i >>"$SERVERS/counted"; i=$((i + 1)); }
    done
}

number() { grep -o "\"$1\": [0-9.]*" | head -n 1 | grep -o '[0-9.]*$'; }

for rows in "$small" "$large"; do
    rm -f "$SERVERS"/*.s
    for run in $(seq "$runs"); do
        for server in old new; do sql "$server" "" "DROP DATABASE IF EXISTS vale" 2>/dev/null; done
        sql old "" "CREATE DATABASE vale"
        sql old vale "CREATE TABLE reading (id bigint PRIMARY KEY, tree varchar(40), height decimal(8,2), taken timestamp);
            CREATE TABLE tally (n bigint PRIMARY KEY)"
        allow
        fill "$rows"
        from=$(server_uri old vale) to=$(server_uri new vale)
        "$hornbeam" carry -q --keep-log "$from" "$to" 2>/dev/null
        rm -f "$SERVERS/enough" "$SERVERS/counted"
        count &
        writer=$!
        "$hornbeam" freshen -q --keep-up "$from" "$to" >/dev/null 2>&1 &
        keeper=$!
        sleep 5
        "$hornbeam" handover --yes --json "$from" "$to" >"$SERVERS/handed" 2>"$SERVERS/told" || { cat "$SERVERS/told"; exit 1; }
        touch "$SERVERS/enough"
        wait "$writer" "$keeper" || true
        [ "$(sql new vale 'SELECT count(*) FROM tally')" -ge "$(wc -l <"$SERVERS/counted")" ] || { echo "a row was lost" >&2; exit 1; }
        number window <"$SERVERS/handed" >>"$SERVERS/window.s"
        sed -n '/"step": "check"/,/"seconds"/p' "$SERVERS/handed" | number seconds >>"$SERVERS/check.s"
        sed -n '/"step": "last_pass"/,/"seconds"/p' "$SERVERS/handed" | number seconds >>"$SERVERS/pass.s"
    done
    printf '%s, %s rows, %s runs: window %.1f s, of which the check %.1f s, the last pass %.1f s\n' "$engine" "$rows" "$runs" \
        "$(median <"$SERVERS/window.s")" "$(median <"$SERVERS/check.s")" "$(median <"$SERVERS/pass.s")"
done
