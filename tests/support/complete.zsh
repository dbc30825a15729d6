#!/usr/bin/env zsh
# SPDX-License-Identifier: Apache-2.0
# complete.zsh FOLDER LINE PART: in an interactive zsh with the completions of FOLDER, types LINE and a tab. Status 0 as soon
# as PART is on the screen, 1 after a while
zmodload zsh/zpty
wait_for() {
    local out= line i
    for i in {1..200}; do
        while zpty -r -t shell line; do out+=$line; done
        [[ $out != *$1* ]] || return 0
        sleep 0.1
    done
    print -r -- "$out" >&2
    return 1
}
zpty -b shell 'zsh -f -i'
zpty -w shell "fpath=(${(q)1} \$fpath); autoload -Uz compinit; compinit -u -D; bindkey '^I' complete-word; stty rows 100 cols 200; PS1=ready'> '"
wait_for 'ready> ' || exit 1
zpty -n -w shell "$2"$'\t'
wait_for "$3"
result=$?
zpty -d shell
exit $result
