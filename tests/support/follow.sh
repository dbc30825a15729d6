# SPDX-License-Identifier: Apache-2.0
# For tests of what is read from a source's log. Source it with an engine's name: postgres, mariadb or mysql; the two
# servers are called ENGINE_from and ENGINE_to
type family_root >/dev/null 2>&1 || . "$SOURCE/scripts/versions.sh"
E=$1 F=$1_from T=$1_to
FROM=$(server_uri $F vane) TO=$(server_uri $T vane)
not() { ! "$@"; } # which ends a script under set -e where `!` alone does not
sql() { # SERVER DATABASE SQL
    if [ $E = postgres ]; then
        psql -X -q -At -v ON_ERROR_STOP=1 "$(server_uri $1 $2)" -c "$3"
    else
        mariadb_shell $1 -N ${2:-} -e "$3"
    fi
}
from() { sql $F vane "$1"; }
to() { sql $T vane "$1"; }
begin() { # an empty copy, and a source that is filled
    "$HORNBEAM" freshen "$FROM" --release --yes -q >/dev/null 2>&1 || true
    for server in $F $T; do sql $server "" "DROP DATABASE IF EXISTS vane" 2>/dev/null; done
    sql $F "" "CREATE DATABASE vane"
    if [ $E = postgres ]; then
        psql -X -q -v ON_ERROR_STOP=1 "$FROM" -f "$SOURCE/tests/support/weather_postgres.sql"
    else
        mariadb_shell $F vane <"$SOURCE/tests/support/weather_mariadb.sql"
    fi
}
write() { # STEPS SEED
    if [ $E = postgres ]; then from "CALL weather.write($1, 0.$2)"; else from "CALL write_some($1, $2)"; fi
}
carried() { # a source that is filled, and its copy, for which it keeps its log
    begin
    write 200 1
    "$HORNBEAM" carry "$FROM" "$TO" --keep-log -q
}
table() { if [ $E = postgres ]; then echo weather.$1; else echo $1; fi; }
restart() { # as after a crash
    stop_server $1 immediate
    run_again $1
}
run_again() {
    if [ $E = postgres ]; then
        as_server_user $POSTGRES_BIN/pg_ctl -D $SERVERS/$1/data -l $SERVERS/$1/data/server.log -w start >/dev/null 2>&1
    else
        [ $E = mariadb ] || export MARIADB_ROOT=$(family_root mysql)
        run_mariadb $1
        unset MARIADB_ROOT
    fi
}
freshen() { "$HORNBEAM" freshen "$FROM" "$TO" "$@"; }
keep_up() { # in the background, as $PID
    : >"$FOLDER/up.err"
    "$HORNBEAM" freshen "$FROM" "$TO" --keep-up "$@" >"$FOLDER/up.out" 2>"$FOLDER/up.err" </dev/null &
    PID=$!
    for i in $(seq 100); do ! grep -q "following the log" "$FOLDER/up.err" || return 0; sleep 0.1; done
    cat "$FOLDER/up.err"
    return 1
}
end() { kill -TERM $PID; wait $PID; } # its status
number() { grep -o "\"$1\": [0-9][0-9]*" | head -n 1 | grep -o '[0-9]*$'; } # of a JSON document
equal() { "$HORNBEAM" verify "$FROM" "$TO" -q && [ "$(to "SELECT sum(balance) FROM $(table station)")" = 200000 ]; }
