# SPDX-License-Identifier: Apache-2.0
# For tests of hand-overs, beside follow.sh: an application with a user of its own, app, that counts
. "$SOURCE/tests/support/follow.sh" "$1"
app() { # SERVER SQL
    if [ $E = postgres ]; then
        psql -X -q -At -v ON_ERROR_STOP=1 "$(server_uri $1 vane | sed 's/postgres@/app@/')" -c "$2"
    else
        mariadb_shell $1 -uapp -N vane -e "$2"
    fi
}
opened() { # whatever closed it before
    if [ $E = postgres ]; then
        for server in $F $T; do
            sql $server "" "DO \$\$ BEGIN IF NOT EXISTS (SELECT FROM pg_roles WHERE rolname = 'app') THEN CREATE ROLE app LOGIN; END IF; END \$\$"
        done
    else
        for server in $F $T; do
            sql $server "" "CREATE USER IF NOT EXISTS app; ALTER USER app ACCOUNT UNLOCK"
            [ $E != mysql ] || for name in $(sql $server "" "SELECT SCHEMA_NAME FROM information_schema.SCHEMATA_EXTENSIONS WHERE OPTIONS LIKE '%READ ONLY=1%'"); do
                sql $server "" "ALTER SCHEMA $name READ ONLY = 0"
            done
        done
    fi
}
serving() { # a source that is filled, with an application, and nothing of before
    opened
    "$HORNBEAM" freshen "$TO" --release --yes -q >/dev/null 2>&1 || true
    begin
    if [ $E = postgres ]; then
        from "CREATE TABLE weather.tally (n bigint PRIMARY KEY); GRANT USAGE ON SCHEMA weather TO app;
              GRANT SELECT, INSERT, UPDATE, DELETE ON ALL TABLES IN SCHEMA weather TO app"
    else
        from "CREATE TABLE tally (n BIGINT PRIMARY KEY); GRANT SELECT, INSERT, UPDATE, DELETE, EXECUTE ON vane.* TO app"
    fi
    write 200 1
}
copied() { # and its copy, for which it keeps its log
    serving
    "$HORNBEAM" carry "$FROM" "$TO" --keep-log -q 2>/dev/null
}
copied_by_rows() { # and its copy, which remembers where it comes from
    serving
    "$HORNBEAM" carry "$FROM" "$TO" --remember -q 2>/dev/null
}
handover() { "$HORNBEAM" handover "$FROM" "$TO" "$@" 2>"$FOLDER/h.err"; }
opens() { app $1 "DELETE FROM $(table tally) WHERE n = -1" >/dev/null 2>&1; } # SERVER: may the application write there?
count_up() { # in the background, as $COUNTER: one number after the other, at the server that the file $FOLDER/where names
    rm -f "$FOLDER/enough"
    : >"$FOLDER/counted"
    echo $F >"$FOLDER/where"
    (
        set +ex
        n=1
        while [ ! -e "$FOLDER/enough" ]; do
            said=$(app "$(cat "$FOLDER/where")" "INSERT INTO $(table tally) VALUES ($n)" 2>&1)
            if [ $? = 0 ] || echo "$said" | grep -qi duplicate; then
                echo $n >>"$FOLDER/counted"
                n=$((n + 1))
            else
                sleep 0.02
            fi
        done
    ) >/dev/null 2>&1 &
    COUNTER=$!
}
trap 'touch "$FOLDER/enough" "$FOLDER/rude"' EXIT
counted() { # SERVER: some were, and it has each number that the application was told of, once
    touch "$FOLDER/enough"
    wait $COUNTER
    [ "$(sql $1 vane "SELECT CONCAT(COUNT(*), ' ', MAX(n)) FROM $(table tally)")" = "$(wc -l <"$FOLDER/counted" | tr -d ' ') $(tail -n 1 "$FOLDER/counted")" ] &&
        [ "$(wc -l <"$FOLDER/counted")" -gt 2 ]
}
outcome() { grep -o '"outcome": "[a-z ]*"' | head -n 1 | cut -d '"' -f 4; } # of a JSON document
hand_over_until() { # STEP OPTION...: in the background, as $H; returns when it tells that the step begins, or it has ended
    local step=$1
    shift
    rm -f "$FOLDER/steps"
    "$HORNBEAM" handover "$FROM" "$TO" --yes -q --log "$FOLDER/steps" "$@" >/dev/null 2>&1 &
    H=$!
    while kill -0 $H 2>/dev/null && ! grep -q "step $step" "$FOLDER/steps" 2>/dev/null; do sleep 0.005; done
}
ended_properly() { # OPTION...: whatever broke the hand-over off, it is undone and given again, or gone on with, or had ended
    local said undone=0
    said=$("$HORNBEAM" handover "$FROM" "$TO" --undo 2>&1 >/dev/null) || undone=$?
    case $undone-$said in
        0-*) opens $F && handover --yes -q "$@" ;;
        *"point of no return"*) not opens $F && handover --resume -q ;;
        *"knows of no hand-over"*) opens $F && handover --yes -q "$@" ;;
        *"does not remember"*) ;;
        *) echo "$said" && return 1 ;;
    esac
    not opens $F && opens $T
}
