#!/usr/bin/env bash
# SPDX-License-Identifier: Apache-2.0
# Three hosts on one restore, each killed at random and started again: after each round the database must be equal to the
# dump, and nothing of the restore left in it. Usage: scripts/kills.sh [ENGINE [ROUNDS]]; engines: postgresql, mariadb
set -euo pipefail
cd "$(dirname "$0")/.."
. demo/servers.sh

engine=${1:-postgresql} rounds=${2:-100} kills=5 bad=0 killed=0
servers_begin
trap servers_end EXIT
hornbeam=$SERVERS/hornbeam
cp build/hornbeam "$hornbeam" # which may be built anew meanwhile
start_"${engine%ql}" old
start_"${engine%ql}" new
plant old 12
dump=$SERVERS/vale.dump
"$hornbeam" dump -q "$(server_uri old fennick_vale)" "$dump" >/dev/null
to=$(server_uri new vale)

fresh() {
    if [ "$engine" = postgresql ]; then
        psql -qX "$(server_uri new postgres)" -c 'DROP DATABASE IF EXISTS vale WITH (FORCE)' 2>/dev/null
    else
        mariadb_shell new -e 'DROP DATABASE IF EXISTS vale'
    fi
}
host() { # NUMBER: started again for as long as it is killed
    local status=137
    while [ $status = 137 ]; do
        "$hornbeam" restore -q --join --jobs 2 "$dump" "$to" >>"$SERVERS/host.$1" 2>&1 &
        echo $! >"$SERVERS/pid.$1"
        status=0
        wait $! || status=$?
        sleep 0.$((RANDOM % 5))
    done
    return $status
}
run_round() { # *statuses: of the three in the end
    local n pids=()
    statuses=
    rm -f "$SERVERS"/host.* "$SERVERS"/pid.*
    for n in 1 2 3; do host $n 2>/dev/null & pids[n]=$!; done
    for _ in $(seq $kills); do
        sleep 0.$((RANDOM % 6 + 1))
        ! kill -KILL "$(cat "$SERVERS/pid.$((RANDOM % 3 + 1))")" 2>/dev/null || killed=$((killed + 1))
    done
    for n in 1 2 3; do wait "${pids[n]}" && statuses+=0 || statuses+=$?; done
}
is_clean() {
    [ "$statuses" = 000 ] && "$hornbeam" verify -q "$dump" "$to" >"$SERVERS/verified" 2>&1 &&
        "$hornbeam" restore --dry-run --resume "$dump" "$to" 2>/dev/null | grep -q "Finished already"
}

for round in $(seq "$rounds"); do
    fresh
    run_round
    is_clean && continue
    bad=$((bad + 1))
    echo "round $round: statuses $statuses"
    tail -n 5 "$SERVERS"/host.* "$SERVERS/verified" || true
done
echo "$engine: $rounds rounds, $killed hosts killed; $((rounds - bad)) passed, $bad failed"
[ $bad = 0 ]
