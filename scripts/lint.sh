#!/usr/bin/env bash
# SPDX-License-Identifier: Apache-2.0
# The rules of the house that a machine can check. Prints what breaks them; exit status 1 if anything does.
set -uo pipefail
cd "$(dirname "$0")/.."
failed=0
complain() { echo "lint: $*"; failed=1; }

mapfile -t files < <(git ls-files -co --exclude-standard '*.c' '*.h')
clang-format --dry-run --Werror "${files[@]}" || complain "run 'make format'"

# Includes go downward only
below() {
    case $1 in
    core) echo core ;;
    dump) echo core dump ;;
    engine) echo core engine ;;
    work) echo core dump engine work ;;
    report) echo core dump engine work report ;;
    cli) echo core dump engine work report cli ;;
    esac
}
for room in core dump engine work report cli; do
    while IFS=: read -r file _ line; do
        target=$(sed -E 's/.*"([a-z]+)\/.*/\1/' <<<"$line")
        grep -qw "$target" <<<"$(below $room)" || complain "$file includes $target, which is not below $room"
    done < <(grep -rnE '#include "[a-z]+/' "src/$room")
done
rule() { # rule PATTERN ALLOWED-PATH WHY
    local found
    found=$(grep -rnE "$1" src --include='*.c' --include='*.h' | grep -vE "^($2)" || true)
    [ -z "$found" ] || complain "$3:"$'\n'"$found"
}
rule '<libpq-fe.h>' 'src/engine/postgres/' 'only engine/postgres knows libpq'
rule '<(mysql|errmsg|mysqld_error).h>' 'src/engine/mariadb/' 'only engine/mariadb knows libmariadb'
rule '\b(printf|puts|putchar|fputs|fputc|fprintf) ?\(' 'src/cli/' 'only cli prints'
rule '\b(getenv|g_getenv|isatty) ?\(' 'src/(cli/|dump/object_access.c)' 'only cli looks at environment and terminal'
rule '\b(exit|_exit|abort) ?\(' 'src/cli/(main|terminal).c' 'nobody exits, but the second signal'
rule '\b(strcpy|strcat|sprintf|gets) ?\(' 'nothing' 'unbounded string functions'

# What cannot be read at one sitting falls into two things
while read -r lines file; do
    [ "$lines" -le 500 ] || [ "$file" = total ] || complain "$file has $lines lines; 500 are enough: split it by meaning"
done < <(git ls-files -co --exclude-standard 'src/*.c' 'src/*.h' | xargs wc -l)

# Nothing includes itself by way of others: no module (a header with its source; NAME_inner.h is what NAME's files share),
# and no folder. What puts an engine together stands above its folders, and the registry above all engines
circles=$(python3 - <<'PYTHON'
import glob, re, sys
sys.setrecursionlimit(10000)
paths = glob.glob('src/**/*.[ch]', recursive=True)
inner = {p[4:-len('_inner.h')] for p in paths if p.endswith('_inner.h')}
module = lambda name: next((m for m in inner if name == m or name.startswith(m + '_')), name)
uses = {}
for path in paths:
    own = module(path[4:-2])
    found = re.findall(r'#include "([^"]+)\.h"', open(path).read())
    uses.setdefault(own, set()).update(m for m in map(module, found) if m != own)
top = lambda name: name in ('engine/registry',) or name.endswith('/contract')
base = lambda name: name in ('engine/mariadb/mariadb', 'engine/postgres/postgres')
folder = lambda name: name if top(name) or base(name) else name.rpartition('/')[0] + '/'
for own in list(uses):
    for other in list(uses[own]):
        if folder(own) != folder(other):
            uses.setdefault(folder(own), set()).add(folder(other))
seen, done = [], set()
def walk(name):
    if name in seen:
        print(' -> '.join(seen[seen.index(name):] + [name]))
        return
    if name in done:
        return
    seen.append(name)
    for other in sorted(uses.get(name, ())):
        walk(other)
    done.add(seen.pop())
for name in sorted(uses):
    walk(name)
PYTHON
) || complain "the includes could not be read"
[ -z "$circles" ] || complain "includes in a circle:"$'\n'"$circles"

# No word of an engine's SQL outside its folder (help texts aside): the dialect knows them
words='AUTO_INCREMENT|DEFINER|plpgsql|OVERRIDING|IDENTIFIED BY|ENGINE=|UNLOGGED|schema public|pg_[a-z]|GRANTED BY|DOLLAR|NO_WRITE_TO_BINLOG'
found=$(grep -rnE "\"[^\"]*($words)" src/core src/dump src/work src/report || true)
[ -z "$found" ] || complain "an engine's word outside its folder:"$'\n'"$found"

# Each header compiles alone
generated=build/generated
[ -d "$generated" ] || cmake -S . -B build >/dev/null
flags=$(pkg-config --cflags glib-2.0 libpq libmariadb jansson libzstd libxxhash libcrypto)
for header in $(git ls-files -co --exclude-standard 'src/*.h'); do
    echo "#include \"${header#src/}\"" | cc -std=c11 -D_POSIX_C_SOURCE=200809L $flags -Isrc -I"$generated" -fsyntax-only -x c - ||
        complain "$header does not compile alone"
done

# Files that need a map
for file in $(git ls-files -co --exclude-standard 'src/*.c' 'src/*.h'); do
    lines=$(wc -l <"$file")
    [ "$lines" -le 600 ] || complain "$file has $lines lines: split it by meaning"
done

cppcheck --quiet --std=c11 --enable=warning,performance,portability --inline-suppr --error-exitcode=1 \
    '-DG_DEFINE_EXTENDED_ERROR(type,name)=' '-DG_GNUC_PRINTF(a,b)=' --suppress=missingIncludeSystem --suppress=normalCheckLevelMaxBranches --library=gtk -Isrc src || complain "cppcheck"

[ $failed = 0 ] && echo "lint: clean"
exit $failed
