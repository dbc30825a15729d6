#!/usr/bin/env bash
# SPDX-License-Identifier: Apache-2.0
# A release in build/release: the sources as a tarball, a Debian package of this system, and their sums. What git knows goes in.
# Usage: scripts/package.sh tarball|package...
set -euo pipefail
cd "$(dirname "$0")/.."
version=$(sed -nE 's/^project\(hornbeam VERSION ([0-9.]+).*/\1/p' CMakeLists.txt)
release=$PWD/build/release name=hornbeam-$version
mkdir -p "$release"

# The same bytes for the same sources: names in order, nobody's, and the time of the last commit
tarball() {
    local moment
    moment=$(git log -1 --format=%ct 2>/dev/null || date +%s)
    git ls-files -z | grep -zv '^\.ci/' | while IFS= read -rd '' file; do [ ! -e "$file" ] || printf '%s\0' "$file"; done |
        LC_ALL=C sort -z | tar --null --no-recursion -T - --transform "s,^,$name/," --owner=0 --group=0 --numeric-owner \
        --mtime="@$moment" --format=gnu -cf - | gzip -9n >"$release/$name.tar.gz"
}

changelog() { # as Debian wants it; the project's own is in the package, too
    printf 'hornbeam (%s) unstable; urgency=medium\n\n  * What is new is in CHANGELOG.md.\n\n -- %s  %s\n' "$version" \
        "$(sed -n 's/^Maintainer: //p' packaging/debian/control)" "$(date -R -d "@$(git log -1 --format=%ct 2>/dev/null || date +%s)")"
}

package() {
    local work=$PWD/build/package
    rm -rf "$work"
    mkdir -p "$work"
    tar -xzf "$release/$name.tar.gz" -C "$work"
    cp -r packaging/debian "$work/$name/debian"
    changelog >"$work/$name/debian/changelog"
    (cd "$work/$name" && dpkg-buildpackage -us -uc -b >"$work/log" 2>&1) || { tail -40 "$work/log" >&2; return 1; }
    rm -f "$release"/*.deb
    cp "$work"/hornbeam_*.deb "$release/"
    rm -rf "${work:?}/$name"
}

tarball
[ "${1:-package}" = tarball ] || package
(cd "$release" && find . -name '*.tar.gz' -o -name '*.deb' | LC_ALL=C sort | sed 's,^\./,,' | xargs sha256sum >SHA256SUMS)
ls -l "$release"
