# SPDX-License-Identifier: Apache-2.0
# For the benchmarks; source it after demo/servers.sh.

seconds() { # seconds COMMAND...: wall time of one run
    local start end
    start=$(date +%s.%N)
    "$@" >"$SERVERS/out" 2>&1 || { cat "$SERVERS/out" >&2; return 1; }
    end=$(date +%s.%N)
    echo "$end - $start" | bc
}
median() { sort -n | awk '{v[NR]=$1} END {print v[int((NR+1)/2)]}'; }
