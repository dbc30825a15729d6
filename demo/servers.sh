# SPDX-License-Identifier: Apache-2.0
# Private servers for the demo, the benchmarks and the tests: on Unix sockets in a temporary folder, never on a network.
# Source this file. Run as root, it starts them as an unprivileged user, because servers refuse root.
#
#   servers_begin            makes the folder, $SERVERS
#   start_postgres NAME      starts a server; its socket is in $SERVERS/NAME/socket, its superuser is "postgres". Set
#                            POSTGRES_BIN for another version than the system's newest, WAL_LEVEL for what it logs
#   start_mariadb NAME [OPTION...]  starts a server; its socket is $SERVERS/NAME/socket, its superuser is "root". Set
#                            MARIADB_ROOT for one whose packages are unpacked there, instead of the system's; the
#                            packages may be MySQL's
#   stop_server NAME [MODE]  stops it: fast (the default) or immediate, as if it had crashed
#   server_uri NAME [DB]     prints its URI
#   mariadb_shell NAME ...   runs the plain shell on a MariaDB or MySQL server
#   plant NAME [SCALE]       puts the arboretum's database, fennick_vale, on a server
#   servers_end              stops all of them and removes the folder

POSTGRES_BIN=${POSTGRES_BIN:-$(ls -d /usr/lib/postgresql/*/bin 2>/dev/null | sort -V | tail -n 1)}
SERVER_USER=${SERVER_USER:-nobody}

as_server_user() {
    if [ "$(id -u)" = 0 ]; then
        setpriv --reuid "$SERVER_USER" --regid "$(id -g "$SERVER_USER")" --clear-groups env HOME="$SERVERS" "$@"
    else
        "$@"
    fi
}

servers_begin() {
    SERVERS=$(mktemp -d "${TMPDIR:-/tmp}/hornbeam.XXXXXX")
    chmod 755 "$SERVERS"
    [ "$(id -u)" != 0 ] || chown "$SERVER_USER" "$SERVERS"
}

# Durability is left on, as on a real server; only the memory is set for a small machine
start_postgres() {
    local folder="$SERVERS/$1"
    as_server_user mkdir -p "$folder/socket"
    as_server_user "$POSTGRES_BIN/initdb" -D "$folder/data" -U postgres -A trust -E UTF8 --locale=C.UTF-8 >"$folder.log" 2>&1 || { tail "$folder.log" >&2; return 1; }
    {
        echo "listen_addresses = ''"
        echo "unix_socket_directories = '$folder/socket'"
        echo "shared_buffers = 256MB"
        echo "max_wal_size = 4GB"
        echo "logging_collector = off"
        echo "max_prepared_transactions = 8"
        echo "wal_level = ${WAL_LEVEL:-logical}"
    } | as_server_user tee -a "$folder/data/postgresql.conf" >/dev/null
    as_server_user "$POSTGRES_BIN/pg_ctl" -D "$folder/data" -l "$folder/data/server.log" -w start >>"$folder.log" 2>&1 ||
        { tail "$folder.log" "$folder/data/server.log" >&2; return 1; }
}

# A file or folder below MARIADB_ROOT, which releases of Debian have in different places: the first of the names
in_root() {
    local name
    for name in "$@"; do
        for name in $MARIADB_ROOT/$name; do [ ! -e "$name" ] || { echo "$name"; return; }; done
    done
}

is_mysql_root() { [ -n "${MARIADB_ROOT:-}" ] && [ ! -e "$MARIADB_ROOT/usr/sbin/mariadbd" ]; }

# The server's program and what it must be told: a release of its own comes with libraries of its own
mariadbd_program() {
    local root=${MARIADB_ROOT:-} share
    [ -n "$root" ] || { echo /usr/sbin/mariadbd --no-defaults; return; }
    share=$(in_root usr/share/mariadb usr/share/mysql)
    echo "$(in_root 'usr/lib/*/ld-linux-x86-64.so.2' 'lib/*/ld-linux-x86-64.so.2')" \
        --library-path "$root/usr/lib/x86_64-linux-gnu:$root/lib/x86_64-linux-gnu" \
        "$(in_root usr/sbin/mariadbd usr/sbin/mysqld)" --no-defaults --basedir="$root/usr" \
        --plugin-dir="$root/usr/lib/mysql/plugin" --lc-messages-dir="$share" --character-sets-dir="$share/charsets"
}

# A server that starts removes the temporary tables of its temporary folder, also those of another that is at work there
make_system_tables() { # FOLDER
    local scripts own="$1.tmp"
    as_server_user mkdir -p "$own"
    if [ -z "${MARIADB_ROOT:-}" ]; then
        as_server_user mariadb-install-db --no-defaults --datadir="$1" --tmpdir="$own" --auth-root-authentication-method=normal --skip-test-db
        return
    fi
    if is_mysql_root; then
        as_server_user $(mariadbd_program) --initialize-insecure --datadir="$1" --tmpdir="$own"
        return
    fi
    scripts=$(in_root usr/share/mariadb usr/share/mysql)
    as_server_user mkdir -p "$1"
    {
        printf '%s;\n' "CREATE DATABASE mysql" "USE mysql" "SET @auth_root_socket = NULL"
        cat "$scripts"/*_system_tables.sql "$scripts"/*_performance_tables.sql "$scripts"/*_system_tables_data.sql \
            "$scripts"/maria_add_gis_sp_bootstrap.sql
        cat "$scripts"/mariadb_sys_schema.sql 2>/dev/null || true
    } | as_server_user $(mariadbd_program) --bootstrap --datadir="$1" --tmpdir="$own" --max-allowed-packet=8M
}

# Its system tables are made once and copied, which is quicker than making them again
start_mariadb() {
    local name=$1 folder="$SERVERS/$1" pristine
    pristine="$SERVERS/pristine.mariadb$(echo "${MARIADB_ROOT:-}" | tr / -)"
    shift
    [ -d "$pristine" ] || make_system_tables "$pristine" >"$folder.log" 2>&1 || { tail "$folder.log" >&2; return 1; }
    as_server_user mkdir -p "$folder"
    as_server_user cp -a "$pristine" "$folder/data"
    run_mariadb "$name" "$@"
}

# Durability is left on, as on a real server; only the memory is set for a small machine
run_mariadb() {
    local name=$1 folder="$SERVERS/$1" tries=0 own="--innodb-log-file-size=256M"
    shift
    ! is_mysql_root || own="--innodb-redo-log-capacity=512M --mysqlx=OFF --secure-file-priv=NULL"
    as_server_user setsid $(mariadbd_program) --tmpdir="$folder/data" --datadir="$folder/data" --socket="$folder/socket" \
        --pid-file="$folder/pid" --skip-networking --innodb-buffer-pool-size=256M $own \
        --log-bin=binlog --binlog-format=ROW --server-id=1 --max-allowed-packet=128M --character-set-server=utf8mb4 "$@" \
        >>"$folder.log" 2>&1 </dev/null &
    until mariadb_shell "$name" -e "SELECT 1" >/dev/null 2>&1; do
        tries=$((tries + 1))
        [ "$tries" -lt 300 ] || { tail "$folder.log" >&2; return 1; }
        sleep 0.1
    done
}

mariadb_shell() {
    local name=$1
    shift
    mariadb --no-defaults --default-character-set=utf8mb4 -u root -S "$SERVERS/$name/socket" "$@"
}

stop_mariadb() {
    local pid
    pid=$(cat "$SERVERS/$1/pid" 2>/dev/null) || return 0
    as_server_user kill "$([ "${2:-fast}" = immediate ] && echo -KILL || echo -TERM)" "$pid" || true
    while kill -0 "$pid" 2>/dev/null; do sleep 0.05; done
    as_server_user rm -f "$SERVERS/$1/pid"
}

is_mariadb() { [ ! -f "$SERVERS/$1/data/PG_VERSION" ]; }

stop_server() {
    if is_mariadb "$1"; then stop_mariadb "$@"; else stop_postgres "$@"; fi
}

stop_postgres() {
    as_server_user "$POSTGRES_BIN/pg_ctl" -D "$SERVERS/$1/data" -m "${2:-fast}" -w stop >/dev/null 2>&1
}

# The socket stands as a parameter, because its path holds slashes
server_uri() {
    if is_mariadb "$1"; then
        echo "mariadb://root@localhost/${2:-}?socket=$SERVERS/$1/socket"
    else
        echo "postgresql://postgres@/${2:-}?host=$SERVERS/$1/socket"
    fi
}

is_mysql() { [ -f "$SERVERS/$1/data/mysql.ibd" ]; }

# MariaDB has tables of numbers ready (seq_1_to_30); MySQL gets one for as long as this takes. MySQL 9 has no MD5() any more
mysql_rows() { # FILE SCALE
    echo "SET cte_max_recursion_depth = 100000000; CREATE TABLE counted (n INT PRIMARY KEY);"
    echo "INSERT INTO counted WITH RECURSIVE c AS (SELECT 0 AS n UNION ALL SELECT n + 1 FROM c WHERE n < 60000 * $2) SELECT n FROM c;"
    sed -E 's/seq_([0-9]+)_to_([0-9]+)( [a-z]\b)?/(SELECT n AS seq FROM counted WHERE n BETWEEN \1 AND \2)\3/g
        s/MD5\(([a-z.]+( \+ 1)?)\)/LEFT(SHA2(\1, 256), 32)/g
        s|% 100 / 10,|% 100 / 10e0,|; /NEXTVAL/d
        s/(BETWEEN [0-9]+ AND [0-9]+\))( WHERE|;|$)/\1 q\2/g' "$1"
    echo "DROP TABLE counted; ANALYZE TABLE reading UPDATE HISTOGRAM ON humidity, wind_ms WITH 16 BUCKETS;"
}

plant() {
    local name=$1 scale=${2:-1} data
    data=$(dirname "${BASH_SOURCE[0]}")/arboretum
    if is_mysql "$name"; then
        mariadb_shell "$name" <"$data/mysql.sql"
        { echo "SET @scale = $scale;"; mysql_rows "$data/mariadb-rows.sql" "$scale"; } | mariadb_shell "$name" fennick_vale >/dev/null
    elif is_mariadb "$name"; then
        mariadb_shell "$name" <"$data/mariadb.sql"
        { echo "SET @scale = $scale;"; cat "$data/mariadb-rows.sql"; } | mariadb_shell "$name" fennick_vale
    else
        psql -qX "$(server_uri "$name" postgres)" -f "$data/postgres.sql"
        psql -qX "$(server_uri "$name" fennick_vale)" -v scale="$scale" -f "$data/postgres-rows.sql"
    fi
}

# All servers that run there, also those that a test started
servers_end() {
    local folder
    for folder in "${SERVERS:-/nowhere}"/*/; do
        [ ! -e "$folder/pid" ] && [ ! -e "$folder/data/postmaster.pid" ] ||
            stop_server "$(basename "$folder")" immediate || true
    done
    [ -z "${SERVERS:-}" ] || rm -rf "$SERVERS"
}
