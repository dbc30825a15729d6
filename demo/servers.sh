# SPDX-License-Identifier: Apache-2.0
# Private PostgreSQL servers for the demo, the benchmarks and the tests: on Unix sockets in a temporary folder, never on
# a network. Source this file. Run as root, it starts them as an unprivileged user, because PostgreSQL refuses root.
#
#   servers_begin            makes the folder, $SERVERS
#   start_postgres NAME      starts a server; its socket is in $SERVERS/NAME/socket, its superuser is "postgres". Set
#                            POSTGRES_BIN for another version than the system's newest
#   server_uri NAME [DB]     prints its URI
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
    STARTED=
}

# Durability is left on, as on a real server; only the memory is set for a small machine
start_postgres() {
    local folder="$SERVERS/$1"
    as_server_user mkdir -p "$folder/socket"
    as_server_user "$POSTGRES_BIN/initdb" -D "$folder/data" -U postgres -A trust -E UTF8 --locale=C.UTF-8 >"$folder.log" 2>&1
    {
        echo "listen_addresses = ''"
        echo "unix_socket_directories = '$folder/socket'"
        echo "shared_buffers = 256MB"
        echo "max_wal_size = 4GB"
        echo "logging_collector = off"
    } | as_server_user tee -a "$folder/data/postgresql.conf" >/dev/null
    as_server_user "$POSTGRES_BIN/pg_ctl" -D "$folder/data" -l "$folder/data/server.log" -w start >>"$folder.log" 2>&1
    STARTED="$STARTED $1"
}

stop_postgres() {
    as_server_user "$POSTGRES_BIN/pg_ctl" -D "$SERVERS/$1/data" -m "${2:-fast}" -w stop >/dev/null 2>&1
}

# The socket's folder stands as a parameter, because it holds slashes
server_uri() {
    echo "postgresql://postgres@/${2:-}?host=$SERVERS/$1/socket"
}

servers_end() {
    local name
    for name in $STARTED; do
        stop_postgres "$name" immediate || true
    done
    STARTED=
    [ -z "${SERVERS:-}" ] || rm -rf "$SERVERS"
}
