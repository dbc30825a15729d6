#!/usr/bin/env bash
# SPDX-License-Identifier: Apache-2.0
# Installs what is missing on Debian 12, as root or with sudo; says nothing where nothing is missing.
# Usage: scripts/prepare.sh GROUP...   groups: build, servers, versions, tests, lint, package, bench, fuzz
set -euo pipefail

build="gcc make cmake pkg-config libglib2.0-dev libpq-dev libmariadb-dev libjansson-dev libzstd-dev libarchive-dev libgraphviz-dev libxxhash-dev libssl-dev libcurl4-openssl-dev scdoc"
servers="postgresql-15 mariadb-server"
versions=$(command -v npm >/dev/null || echo "nodejs npm")
tests="libcmocka-dev systemd python3 zsh fish chromium tmux procps curl openssl swift-proxy swift-account swift-container swift-object memcached stunnel4"
lint="clang-format cppcheck valgrind git python3"
package="debhelper dpkg-dev fakeroot lintian man-db git"
bench="bc time"
fuzz="clang libclang-rt-dev"

missing=
for group in "$@"; do
    for needed in ${!group}; do
        [ "$(dpkg-query -W -f '${db:Status-Status}' "$needed" 2>/dev/null || true)" = installed ] || missing="$missing $needed"
    done
done
finish() { # servers of other versions come from another registry
    case " $groups " in *" versions "*)
        . "$(dirname "$0")/versions.sh"
        fetch_versions ;;
    esac
}
groups="$*"
[ -n "$missing" ] || { finish; exit 0; }

as_root() { if [ "$(id -u)" = 0 ]; then "$@"; else sudo "$@"; fi; }

if ! command -v apt-get >/dev/null; then
    echo "These Debian packages, or what your system calls them, are needed:$missing" >&2
    exit 1
fi
echo "Installing:$missing"

# The server's package would set up and start a cluster of its own, which nobody here needs
drop_in=/etc/postgresql-common/createcluster.d/hornbeam.conf
case "$missing" in *postgresql*)
    as_root mkdir -p "$(dirname "$drop_in")"
    echo "create_main_cluster = false" | as_root tee "$drop_in" >/dev/null
    trap 'as_root rm -f "$drop_in"' EXIT ;;
esac
# Nor services of their own, where the machine says nothing about that itself
policy=/usr/sbin/policy-rc.d
case "$missing" in *swift*)
    [ -e "$policy" ] || {
        printf '#!/bin/sh\nexit 101\n' | as_root tee "$policy" >/dev/null
        as_root chmod +x "$policy"
        trap 'as_root rm -f "$drop_in" "$policy"' EXIT
    } ;;
esac
as_root apt-get update -qq
as_root env DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends $missing >/dev/null
finish
