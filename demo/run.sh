#!/usr/bin/env bash
# SPDX-License-Identifier: Apache-2.0
# Plays a whole move with the demo data: two private servers of an engine, the old host with the arboretum's database and
# the new one without. Each command is shown before its output. Leaves nothing behind; exit status 0 only if all of it is
# true. Usage: demo/run.sh [ENGINE [SCALE]]   engines: postgresql, mariadb, both (the
# default), mysql, whose packages are fetched first
set -euo pipefail
cd "$(dirname "$0")/.."
. demo/servers.sh

engine=${1:-both} scale=${2:-1}
PATH="$PWD/build:$PATH"

say() { printf '\n\033[1m%s\033[0m\n' "$*"; }
play() { # play COMMAND...: shows it as one would type it, runs it
    local word line=
    for word in "$@"; do
        case $word in *[!A-Za-z0-9._:/=@-]*) line="$line '$word'" ;; *) line="$line $word" ;; esac
    done
    printf '\n\033[1m$%s\033[0m\n' "$line"
    "$@"
}

readings() { # one after the other, until somebody wants silence
    local i
    for i in $(seq 100000); do
        [ ! -e "$SERVERS/silent" ] || return 0
        echo "INSERT INTO $table (station_id, taken, celsius) VALUES (1, '2026-06-01 $(date -u -d "@$i" +%T)', 21.5);"
        sleep 0.05
    done
}

begin_postgresql() {
    start_postgres old
    start_postgres new
    plant old "$scale"
    view="view garden.worry_list" table=weather.reading
    report() { psql -qX "$(server_uri old fennick_vale)"; }
    change() { psql -qX "$(server_uri new fennick_vale)" -c "UPDATE weather.station SET name = 'ridge' WHERE name = 'Ridge'"; }
    write_on() {
        psql -qX "$(server_uri old fennick_vale)" -c "UPDATE garden.tree SET planted = planted + 1 WHERE tree_id IN (3, 14, 159)" \
            -c "DELETE FROM loans.loan WHERE loan_id IN (26, 53)" -c "INSERT INTO garden.label_queue SELECT * FROM garden.label_queue LIMIT 2"
    }
}

begin_mariadb() {
    start_mariadb old
    start_mariadb new
    plant old "$scale"
    view="view a_worry_list"
    table=reading
    report() { mariadb_shell old fennick_vale; }
    change() { mariadb_shell new fennick_vale -e "UPDATE station SET name = 'ridge' WHERE name = 'Ridge'"; }
    write_on() {
        mariadb_shell old fennick_vale -e "UPDATE loan SET value_eur = value_eur + 1 WHERE loan_id IN (3, 14, 159);
            DELETE FROM loan WHERE loan_id IN (26, 53); INSERT INTO label_queue SELECT * FROM label_queue LIMIT 2"
    }
}

begin_mysql() {
    . scripts/versions.sh
    fetch_versions
    has_family mysql || { echo "no server of MySQL can be fetched here" >&2; exit 1; }
    MARIADB_ROOT=$(family_root mysql)
    export MARIADB_ROOT
    begin_mariadb
}

move() { # move ENGINE
    local old new dump station status=0
    say "Starting two private servers ($1)"
    servers_begin
    trap servers_end EXIT
    "begin_$1"
    old=$(server_uri old fennick_vale)
    new=$(server_uri new)
    dump=$SERVERS/fennick_vale.dump

    say "What is on the old host?"
    play hornbeam survey "$old"
    say "Can the new host take it?"
    play hornbeam preflight "$old" "$new"
    say "Write it down: schema, data, users and settings at one moment"
    play hornbeam dump "$old" "$dump"
    say "What is in the dump, and does every byte of it still stand?"
    play hornbeam show "$dump" | sed -n '1,40p;41s/.*/  .../p'
    play hornbeam show "$dump" --needs "$view"
    play hornbeam verify "$dump"
    say "Restore it on the new host, which has neither the database nor its users"
    play hornbeam restore "$dump" "$new" --remember
    say "Is what arrived what left? Every object, every row, against the dump and against the old host itself"
    play hornbeam verify "$dump" "$new"
    play hornbeam verify "$old" "$(server_uri new fennick_vale)"

    say "And would a difference be found? One byte of one row is changed on the new host"
    change
    play hornbeam verify "$dump" "$new" || status=$?
    [ "$status" = 1 ] || { echo "the difference was not found" >&2; exit 1; }
    say "The gardeners write on, on the old host. The copy remembers where it came from, and follows; what was changed on the wrong host is put right"
    write_on
    play hornbeam freshen "$old" "$new"
    play hornbeam survey "$(server_uri new fennick_vale)" | sed -n '1,8p'
    play hornbeam verify "$old" "$new"
    say "The weather station reports all the time. A second copy, straight from server to server: the old host keeps its log for it"
    readings | report &
    station=$!
    play hornbeam carry "$old" "$(server_uri new vale_copy)" --quiet --keep-log
    sleep 1
    say "The copy keeps up, whatever is written, until it is less than a second behind; then the station is silent, and nothing is missing"
    play hornbeam freshen "$old" "$(server_uri new vale_copy)" --keep-up --until-lag 1s
    touch "$SERVERS/silent"
    wait "$station"
    play hornbeam freshen "$old" "$(server_uri new vale_copy)" --by log --quiet
    play hornbeam verify "$old" "$(server_uri new vale_copy)"
    play hornbeam freshen --release "$old" "$(server_uri new vale_copy)"
    say "The dump as a script"
    play hornbeam sql "$dump" --take "${view/ /:}" --needs no --parts schema
    servers_end
    say "The move is whole. Both servers are stopped and removed."
}

case $engine in
    both) move postgresql; move mariadb ;;
    postgresql | mariadb | mysql) move "$engine" ;;
    *) echo "usage: demo/run.sh [postgresql|mariadb|both|mysql [SCALE]]" >&2; exit 2 ;;
esac
