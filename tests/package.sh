#!/usr/bin/env bash
# SPDX-License-Identifier: Apache-2.0
# The built Debian package: what lintian says, installed in a clean folder, used from there, removed without a trace
set -euo pipefail
cd "$(dirname "$0")/.."
passed=0
check() { # WHAT COMMAND...
    local what=$1
    shift
    "$@" || { echo "FAILED: $what"; echo "$passed passed, 1 failed"; exit 1; }
    passed=$((passed + 1))
    echo "ok: $what"
}
release=$PWD/build/release
deb=$(ls "$release"/hornbeam_*.deb)
root=$(mktemp -d)
. demo/servers.sh
trap 'servers_end 2>/dev/null; rm -rf "$root"' EXIT

sums() { (cd "$release" && sha256sum --quiet -c SHA256SUMS); }
check "the sums are right" sums
check "lintian finds nothing" lintian --fail-on error,warning --allow-root "$deb"
depends() {
    dpkg-deb -f "$deb" Depends >"$root/depends"
    for library in libpq5 libmariadb3 libzstd1 libarchive13 libjansson4 libglib2.0-0; do
        grep -q "$library" "$root/depends" || { echo "$library is missing"; return 1; }
    done
}
check "the libraries are dependencies" depends
rm "$root/depends"

mkdir -p "$root/var/lib/dpkg/info" "$root/var/lib/dpkg/updates"
touch "$root/var/lib/dpkg/status"
of_root() { dpkg --root="$root" --log=/dev/null --force-depends --force-not-root --force-script-chrootless "$@" >/dev/null 2>&1; }
check "it installs" of_root --install "$deb"
check "its files are as they were packed" of_root --verify hornbeam
hornbeam=$root/usr/bin/hornbeam
check "it knows its version" test "$("$hornbeam" --version)" = "hornbeam $(dpkg-deb -f "$deb" Version)"
for page in hornbeam.1 hornbeam-handover.1 hornbeam-nightly.7 hornbeam-hosts.7; do
    check "$page is there, and can be read" sh -c "MANROFFOPT=-ww man --warnings -l '$root/usr/share/man/man${page##*.}/$page.gz' 2>&1 >/dev/null | (! grep .)"
done
for file in bash-completion/completions/hornbeam zsh/vendor-completions/_hornbeam fish/vendor_completions.d/hornbeam.fish \
    doc/hornbeam/copyright doc/hornbeam/changelog.gz doc/hornbeam/examples/nightly.route doc/hornbeam/trust.md*; do
    check "$file is there" test -s "$root/usr/share/"$file
done

servers_begin
start_postgres old
start_postgres new
plant old >/dev/null
use() {
    "$hornbeam" dump --quiet --accept left-out-of-dump "$(server_uri old fennick_vale)" "$root/vale.dump" &&
        "$hornbeam" restore --quiet --yes "$root/vale.dump" "$(server_uri new)" &&
        "$hornbeam" verify "$root/vale.dump" "$(server_uri new)" 2>/dev/null | grep -q "^Equal"
}
check "it moves a database" use
rm -r "$root/vale.dump"
check "it is removed" of_root --purge hornbeam
left() { [ -z "$(find "$root" -mindepth 1 ! -path "$root/var*" ! -path "$root/usr" ! -path "$root/etc*")" ]; }
check "nothing is left" left
echo "$passed passed, 0 failed"
