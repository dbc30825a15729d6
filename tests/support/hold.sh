# SPDX-License-Identifier: Apache-2.0
# A session that has said something and stays: what a test needs while it lasts, however slow the machine is
hold() { # SERVER DATABASE SQL: returns when it is said
    rm -f "$FOLDER/held.in" "$FOLDER/held.out"
    mkfifo "$FOLDER/held.in"
    if is_mariadb "$1"; then
        mariadb_shell "$1" -n "$2" <"$FOLDER/held.in" >"$FOLDER/held.out" 2>&1 &
    else
        psql -qXAt "$(server_uri "$1" "$2")" <"$FOLDER/held.in" >"$FOLDER/held.out" 2>&1 &
    fi
    HOLDER=$!
    exec 8>"$FOLDER/held.in"
    printf "%s;\nSELECT 'it is held';\n" "$3" >&8
    wait_for "grep -q 'it is held' '$FOLDER/held.out'"
}
let_go() {
    printf '\\q\n' >&8
    exec 8>&-
    wait $HOLDER
}
wait_for() { # COMMAND: until it succeeds, for three minutes; then 97
    local try
    for try in $(seq 3600); do
        ! eval "$1" || return 0
        sleep 0.05
    done
    echo "waited in vain: $1" >&2
    return 97
}
