#!/bin/bash
# SPDX-License-Identifier: Apache-2.0
# Seeds for the fuzzers from real servers of each version that is there: what their catalogs, grants and rows look like.
#
#   scripts/seeds.sh BUILD FOLDER    BUILD has the program; each target gets a folder of its own below FOLDER
set -eu

cd "$(dirname "$0")/.."
. demo/servers.sh
. scripts/versions.sh

build=$1
folder=$2
servers_begin
trap servers_end EXIT
work=$(mktemp -d)

each_object() { # FILE TARGET PREFIX: one seed for each definition, which stands under a comment that names it
    mkdir -p "$folder/$2"
    csplit -s -z -n 4 -f "$folder/$2/$3-" "$1" '/^-- /' '{*}'
}

take_dump() { # NAME: what a dump of it holds
    local dump="$work/$1" file
    mkdir -p "$folder/manifest" "$folder/tar"
    cp "$dump/manifest.json" "$folder/manifest/$1"
    for file in "$dump"/*.sql; do
        each_object "$file" sql "$1-$(basename "$file" .sql)"
    done
    tar -cf "$folder/tar/$1" -C "$work" "$1"
}

from_postgres() { # NAME BASE
    psql -qX "$(server_uri "$1" postgres)" -c "CREATE DATABASE $2"
    psql -qX "$(server_uri "$1" "$2")" -f "tests/support/$2.sql" >/dev/null 2>&1 || true
    "$build/hornbeam" dump -q "$(server_uri "$1" "$2")" "$work/$1-$2" >/dev/null 2>&1 || [ $? = 1 ]
    take_dump "$1-$2"
}

from_mariadb() { # NAME
    mariadb_shell "$1" <demo/arboretum/mariadb.sql
    mariadb_shell "$1" -e 'CREATE DATABASE odd'
    mariadb_shell "$1" odd <tests/support/odd_mariadb.sql || true
    for base in fennick_vale odd; do
        "$build/hornbeam" dump -q "$(server_uri "$1" "$base")" "$work/$1-$base" >/dev/null 2>&1 || [ $? = 1 ]
        take_dump "$1-$base"
        each_object "$work/$1-$base/structure.sql" statements "$1-$base"
    done
    mkdir -p "$folder/grant"
    mariadb_shell "$1" -BNe "SELECT CONCAT('SHOW GRANTS FOR ', QUOTE(User), '@', QUOTE(Host), ';') FROM mysql.user
        WHERE is_role = 'N'" | mariadb_shell "$1" -BN --force 2>/dev/null | split -l 1 -a 4 - "$folder/grant/$1-"
}

start_postgres old
from_postgres old odd
from_postgres old kinds
for version in 13 17 18; do
    [ ! -x "$(postgres_bin "$version")/initdb" ] || {
        POSTGRES_BIN=$(postgres_bin "$version") start_postgres "v$version"
        from_postgres "v$version" kinds
    }
done
start_mariadb mold
from_mariadb mold
! has_family 11.8 || {
    MARIADB_ROOT=$(family_root 11.8) start_mariadb m118
    from_mariadb m118
}
# Recorded streams of logs, each message behind its length in two bytes
python3 - "$folder" <<'PYTHON'
import glob, os, struct, sys
for path in glob.glob('tests/golden/log-*.txt'):
    lines = open(path).read().split('\n')
    name = 'pgoutput' if 'postgres' in path else 'binlog'
    number = next((int(l.split()[1]) for l in lines if l.startswith('set ') and ' plot ' in l), 0)
    frames = [bytes.fromhex(l[8:]) for l in lines if l.startswith('message ')]
    seed = b'' if name == 'binlog' else struct.pack('<I', number)
    seed += b''.join(struct.pack('<H', len(f)) + f for f in frames if len(f) < 4000)
    os.makedirs(sys.argv[1] + '/' + name, exist_ok=True)
    open(f'{sys.argv[1]}/{name}/{os.path.basename(path)}', 'wb').write(seed)
PYTHON
rm -rf "$work"
find "$folder" -type f -size +64k ! -path '*/tar/*' ! -path '*/manifest/*' -delete
echo "Seeds: $(find "$folder" -type f | wc -l) files"
