#!/usr/bin/env bash
# SPDX-License-Identifier: Apache-2.0
# One, two and three hosts on one dump and on one restore, each host in a network namespace of its own whose link to the
# servers carries so much a second: how many times faster they are than one. Needs root, for the namespaces.
# Usage: bench/hosts.sh [ENGINE [SCALE [RUNS [RATE]]]]; postgresql (scale 140 is about 500 MB of rows) or mariadb; RATE as
# tc(8) has it (160mbit: 20 MB/s). Then, with PostgreSQL, 10,000 steps of 2,000 tables by one host, without a link: what
# it costs to agree with nobody.
set -euo pipefail
cd "$(dirname "$0")/.."
. demo/servers.sh
. bench/measure.sh
engine=${1:-postgresql} scale=${2:-140} runs=${3:-3} rate=${4:-160mbit}
hornbeam=$PWD/build/hornbeam net=10.77
servers_begin
work=$(mktemp -d "$SERVERS/bench.XXXXXX")
end() {
    local i
    for i in 1 2 3; do
        ip link del "hornbeam$i" 2>/dev/null || true
        ip netns del "hornbeam$i" 2>/dev/null || true
    done
    servers_end
}
trap end EXIT

# ---- Links ----

for i in 1 2 3; do
    ip netns add "hornbeam$i"
    ip link add "hornbeam$i" type veth peer name eth0 netns "hornbeam$i"
    ip addr add "$net.$i.1/24" dev "hornbeam$i"
    ip link set "hornbeam$i" up
    ip -n "hornbeam$i" addr add "$net.$i.2/24" dev eth0
    ip -n "hornbeam$i" link set lo up
    ip -n "hornbeam$i" link set eth0 up
    # each end limits only what it sends
    tc qdisc replace dev "hornbeam$i" root tbf rate "$rate" burst 256kb latency 50ms
    ip netns exec "hornbeam$i" tc qdisc replace dev eth0 root tbf rate "$rate" burst 256kb latency 50ms
done

# ---- What differs by engine: servers that listen at all ends; uri SERVER DATABASE HOST ----

port_of() { [ "$1" = old ] && echo 7891 || echo 7892; }
if [ "$engine" = postgresql ]; then
    listen() {
        start_postgres "$1"
        stop_server "$1"
        echo "host all all $net.0.0/16 trust" | as_server_user tee -a "$SERVERS/$1/data/pg_hba.conf" >/dev/null
        printf '%s\n' "listen_addresses = '$net.1.1,$net.2.1,$net.3.1'" "port = $(port_of "$1")" |
            as_server_user tee -a "$SERVERS/$1/data/postgresql.conf" >/dev/null
        as_server_user "$POSTGRES_BIN/pg_ctl" -D "$SERVERS/$1/data" -l "$SERVERS/$1/data/server.log" -w start >/dev/null
    }
    server_uri() { echo "postgresql://postgres@/${2:-}?host=$SERVERS/$1/socket&port=$(port_of "$1")"; }
    uri() { echo "postgresql://postgres@$net.$3.1:$(port_of "$1")/$2"; }
    drop() { psql -qX "$(server_uri new postgres)" -c "DROP DATABASE IF EXISTS $1" 2>/dev/null; }
    settle() { psql -qX "$(server_uri new postgres)" -c CHECKPOINT; sync; }
else
    listen() {
        start_mariadb "$1" --skip-networking=0 --bind-address=0.0.0.0 --port="$(port_of "$1")"
        mariadb_shell "$1" -e "CREATE USER bench@'%'; GRANT ALL ON *.* TO bench@'%' WITH GRANT OPTION"
    }
    uri() { echo "mariadb://bench@$net.$3.1:$(port_of "$1")/$2"; }
    drop() { mariadb_shell new -e "DROP DATABASE IF EXISTS $1"; }
    settle() { sync; sleep 2; }
fi
for server in old new; do listen $server; done
plant old "$scale"

# ---- Runs ----

at() { # HOST COMMAND...
    local host=$1
    shift
    ip netns exec "hornbeam$host" "$hornbeam" "$@"
}
together() { # HOSTS FUNCTION: the function with each host's number, all at the same time
    local host pids=() status=0
    for host in $(seq "$1"); do
        "$2" "$host" "$1" &
        pids+=($!)
    done
    for host in "${pids[@]}"; do wait "$host" || status=$?; done
    return $status
}
dump_at() { at "$1" dump -q --join --hosts "$2" --jobs 2 "$(uri old fennick_vale "$1")" "$work/x.dump"; }
restore_at() { at "$1" restore -q --join --no-analyze --jobs 2 "$work/packed.dump" "$(uri new ours "$1")"; }
alone_dump() { at 1 dump -q --jobs 2 "$(uri old fennick_vale 1)" "$work/x.dump"; }

echo "$engine, scale $scale, $runs runs, 2 sessions a host, $rate a host"
"$hornbeam" dump -q "$(server_uri old fennick_vale)" "$work/packed.dump" 2>/dev/null || [ $? = 1 ]
"$hornbeam" restore -q --parts users "$work/packed.dump" "$(server_uri new users_only)" >/dev/null
for what in dump restore; do
    one=
    for hosts in 1 2 3; do
        for run in $(seq "$runs"); do
            rm -rf "$work/x.dump"
            [ $what = dump ] || drop ours
            settle
            if [ $what = dump ] && [ $hosts = 1 ]; then seconds alone_dump; else seconds together $hosts ${what}_at; fi
        done | median >"$work/median"
        took=$(cat "$work/median")
        one=${one:-$took}
        printf '%-8s %d host(s)  %6.2f s   %.2f times as fast as one\n' $what $hosts "$took" "$(echo "scale=4; $one / $took" | bc)"
    done
done

[ "$engine" = postgresql ] || exit 0
psql -qX "$(server_uri old postgres)" -c "CREATE DATABASE many"
for i in $(seq 2000); do
    echo "CREATE TABLE t$i (a int PRIMARY KEY, b text, c int DEFAULT 5); CREATE INDEX ON t$i (b); COMMENT ON TABLE t$i IS 'x'; INSERT INTO t$i VALUES (1, 'x');"
done | psql -qX "$(server_uri old many)"
"$hornbeam" dump -q "$(server_uri old many)" "$work/many.dump"
many() { "$hornbeam" restore -q --no-analyze --jobs 2 "$@" "$work/many.dump" "$(server_uri new many)"; }
for option in "" --join; do
    for run in $(seq "$runs"); do
        drop many
        settle
        seconds many $option
    done | median >"$work/median"
    printf '10,000 steps %-7s %6.2f s\n' "$option" "$(cat "$work/median")"
done
