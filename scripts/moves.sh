#!/usr/bin/env bash
# SPDX-License-Identifier: Apache-2.0
# Moves the arboretum between all versions of the MariaDB family that are here, in all directions, and writes the result as
# a table: docs/moves.md. Usage: scripts/moves.sh
set -euo pipefail
cd "$(dirname "$0")/.."
. demo/servers.sh
. scripts/versions.sh
PATH="$PWD/build:$PATH"
fetch_versions >/dev/null
servers_begin
trap servers_end EXIT

names="system"
for version in 10.5 11.8 mysql; do ! has_family "$version" || names="$names $version"; done
root() { [ "$1" = system ] || family_root "$1"; }
# What 10.5 has not been told yet
form() {
    case $1 in
    10.5) sed -E 's/UUID NOT NULL DEFAULT UUID\(\)/CHAR(36) NOT NULL DEFAULT UUID()/; s/ IGNORED,/,/; /^DO NEXT/d; s/ WITH SYSTEM VERSIONING//' "$2" ;;
    *) cat "$2" ;;
    esac
}
sow() { # VERSION SERVER
    if is_mysql "$2"; then plant "$2" 1; return; fi
    form "$1" demo/arboretum/mariadb.sql | mariadb_shell "$2"
    form "$1" demo/arboretum/mariadb-rows.sql | mariadb_shell "$2" fennick_vale
}
title() { hornbeam survey "$(server_uri "$1")" | sed -n 's/.*\(MariaDB\|MySQL\) \([0-9.]*\).*/\1 \2/p' | head -n 1; }

# What the other product needs to be told: a collation that it has, and what cannot go there at all
ways() { # FROM TO
    case $1-$2 in
    mysql-mysql | mysql-11.8) ;;
    mysql-*) echo "--rename collation:utf8mb4_0900_ai_ci=utf8mb4_unicode_520_ci" ;;
    11.8-mysql) echo "--rename storage:Aria=InnoDB --skip table:label_price --rename collation:utf8mb3_uca1400_ai_ci=utf8mb3_general_ci --rename collation:utf8mb4_uca1400_ai_ci=utf8mb4_0900_ai_ci" ;;
    *-mysql) echo "--rename storage:Aria=InnoDB --skip table:label_price" ;;
    11.8-10.5) echo "--skip table:label_price --rename collation:utf8mb3_uca1400_ai_ci=utf8mb3_general_ci --rename collation:utf8mb4_uca1400_ai_ci=utf8mb4_general_ci" ;;
    system-10.5) echo "--skip table:label_price" ;;
    esac
}

rows=
for from in $names; do
    MARIADB_ROOT=$(root "$from") start_mariadb source
    sow "$from" source >/dev/null 2>&1 || true
    hornbeam dump -q "$(server_uri source fennick_vale)" "$SERVERS/$from.dump" >/dev/null 2>&1 || true
    for to in $names; do
        MARIADB_ROOT=$(root "$to") start_mariadb target
        options=$(ways "$from" "$to")
        restored=0 verified=0
        # shellcheck disable=SC2086
        hornbeam restore "$SERVERS/$from.dump" "$(server_uri target)" --yes $options --json >"$SERVERS/restored" 2>/dev/null || restored=$?
        # shellcheck disable=SC2086
        hornbeam verify "$SERVERS/$from.dump" "$(server_uri target fennick_vale)" ${options%% --accept*} --json >"$SERVERS/verified" 2>/dev/null || verified=$?
        rows="$rows| $(title source) | $(title target) | $(python3 scripts/moves.py "$SERVERS/restored" $restored "$SERVERS/verified" $verified) | ${options:+\`$options\`} |
"
        stop_server target immediate && rm -rf "$SERVERS/target"
    done
    stop_server source immediate && rm -rf "$SERVERS/source"
done
{
    echo "# Moves that were run"
    echo
    echo "The arboretum's database, moved by \`scripts/moves.sh\` on $(date +%Y-%m-%d): from each server to each. *Named* is what a restore"
    echo "said would not be as in the source; all of it is known before anything is written. *Rows* says whether every row of every"
    echo "table that arrived is the same, by its digest; *definitions* in how many the two servers' own words differ."
    echo
    echo "| from | to | steps that failed | named | rows | definitions | told it |"
    echo "| --- | --- | --- | --- | --- | --- | --- |"
    printf '%s' "$rows"
    echo
    echo "Only read in the vendor's manuals, and not run: MySQL 5.7, 8.0 and 8.4; MariaDB 10.2 to 10.4, 10.6, 11.0 to 11.7."
} >docs/moves.md
cat docs/moves.md
