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

# A small weather station, which knows nothing of moves: one reading after the other, to where its address says. It
# writes down which readings the host has confirmed, and sends again what was refused
station() {
    local i=1 said
    while [ ! -e "$SERVERS/silent" ]; do
        if said=$(reading "$i" 2>&1) || echo "$said" | grep -qi duplicate; then
            echo "$i" >>"$SERVERS/confirmed"
            i=$((i + 1))
        fi
        sleep 0.02
    done
}

confirmed() { # SERVER DATABASE: has it each reading that was confirmed, once?
    local want have
    want=$(wc -l <"$SERVERS/confirmed")
    have=$(count_readings "$1" "$2")
    echo "readings that the station was told are safe: $want; on the $1 host: $have"
    [ "$want" = "$have" ] || { echo "a reading was lost or doubled" >&2; exit 1; }
}

# The address of the application, out of what the hand-over printed
take_string() { # FORM: its text, with a password
    sed -n "/^  $1  *connects/,/^  [^ ]/p" "$SERVERS/handed" | sed -n '2,${/^      /p}' | sed 's/^ *//; s/PASSWORD/rain-gauge-7/'
}

begin_postgresql() {
    start_postgres old
    start_postgres new
    plant old "$scale"
    view="view garden.worry_list"
    prepare_station() {
        psql -qX "$(server_uri old fennick_vale)" -c "CREATE ROLE gauge LOGIN PASSWORD 'rain-gauge-7'" \
            -c "GRANT CONNECT ON DATABASE fennick_vale TO gauge" -c "GRANT USAGE ON SCHEMA weather TO gauge" -c "GRANT INSERT ON weather.reading TO gauge"
        server_uri old fennick_vale | sed 's/postgres@/gauge@/' >"$SERVERS/address"
    }
    reading() {
        psql -qX "$(cat "$SERVERS/address")" -c "INSERT INTO weather.reading (station_id, taken, celsius) VALUES (1, timestamp '2027-01-01' + interval '1 minute' * $1, 21.5)"
    }
    count_readings() { psql -qXAt "$(server_uri "$1" "$2")" -c "SELECT count(*) FROM weather.reading WHERE station_id = 1 AND taken > '2027-01-01'"; }
    move_station() { take_string URI >"$SERVERS/address"; }
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
    prepare_station() {
        mariadb_shell old fennick_vale -e "CREATE USER gauge@'%' IDENTIFIED BY 'rain-gauge-7'; GRANT INSERT ON reading TO gauge@'%'"
        printf '[hornbeam-for-gauge]\npassword=rain-gauge-7\n' >"$SERVERS/my.cnf" # with that the printed strings are tried
        export MYSQL_HOME=$SERVERS
        [ "$1" = mariadb ] || mariadb_shell old -e "SET GLOBAL event_scheduler = OFF" # events would write on
        printf '[client]\nsocket=%s\nuser=gauge\npassword=rain-gauge-7\ndatabase=fennick_vale\n' "$SERVERS/old/socket" >"$SERVERS/address"
    }
    reading() {
        mariadb --defaults-file="$SERVERS/address" -e "INSERT INTO reading (station_id, taken, celsius) VALUES (1, '2027-01-01' + INTERVAL $1 MINUTE, 21.5)"
    }
    count_readings() { mariadb_shell "$1" -N "$2" -e "SELECT count(*) FROM reading WHERE station_id = 1 AND taken > '2027-01-01'"; }
    move_station() { take_string "option file" >"$SERVERS/address.new" && mv "$SERVERS/address.new" "$SERVERS/address"; }
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
    local old new copy dump station keeper confirmed_so_far status=0
    say "Starting two private servers ($1)"
    servers_begin
    trap servers_end EXIT
    "begin_$1"
    old=$(server_uri old fennick_vale)
    new=$(server_uri new)
    dump=$SERVERS/fennick_vale.dump
    copy=$(server_uri new vale_copy)

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
    prepare_station "$1"
    station &
    station=$!
    play hornbeam carry "$old" "$copy" --quiet --keep-log
    say "The copy keeps up, whatever is written"
    play hornbeam freshen "$old" "$copy" --keep-up --quiet &
    keeper=$!
    sleep 2
    say "Can it take the old host's place? A rehearsal stops nothing"
    play hornbeam handover "$old" "$copy" --dry-run --for gauge --way-back
    say "The hand-over: writes stop, the rest comes over, is compared, and the new host is open. The station gets the printed string"
    play hornbeam handover "$old" "$copy" --yes --for gauge --way-back | tee "$SERVERS/handed"
    move_station
    wait "$keeper"
    say "The station reports to the new host. The old one follows, and could take over again"
    sleep 1
    play hornbeam freshen "$copy" "$old" --by log
    confirmed_so_far=$(wc -l <"$SERVERS/confirmed")
    say "And back: the same, the other way round"
    play hornbeam handover "$copy" "$old" --yes --for gauge | tee "$SERVERS/handed"
    move_station
    sleep 1
    touch "$SERVERS/silent"
    wait "$station"
    confirmed old fennick_vale
    [ "$(wc -l <"$SERVERS/confirmed")" -gt "$confirmed_so_far" ] || { echo "the station was never let in again" >&2; exit 1; }
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
