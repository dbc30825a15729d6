# SPDX-License-Identifier: Apache-2.0
# A private object store for tests: OpenStack's Swift with its S3 interface, on this machine's loopback, below $STORE. Source it.
#
#   store_begin    starts it, makes the bucket "dumps", and sets the environment that gives access
#   store_small    instead: a small one from the npm registry, which neither knows conditional writes nor asks for a right secret
#   store_end      stops it and removes its files
#   store_tls      puts TLS in front of it, with an authority of its own: $STORE/ca.pem, at $STORE_TLS
#
# Swift knows conditional writes, but its S3 interface refuses them; a filter of some lines lets them through, one at a time.

store_start() { # NAME PROGRAM ARGUMENT...
    local name=$1
    shift
    PYTHONPATH="$STORE/etc" setsid "$@" >"$STORE/log/$name" 2>&1 </dev/null &
    echo $! >"$STORE/pid/$name"
}

store_write_conditions() {
    cat >"$STORE/etc/conditions.py" <<'PYTHON'
from eventlet.semaphore import Semaphore
from swift.common.middleware.s3api import s3request

check, lock = s3request.S3Request._validate_headers, Semaphore(1)

def validate(request):
    condition = request.headers.pop('If-None-Match', None) if request.method == 'PUT' else None
    try:
        check(request)
    finally:
        if condition:
            request.headers['If-None-Match'] = condition

s3request.S3Request._validate_headers = validate

def filter_factory(conf, **settings):
    def wrap(app):
        def call(environ, start):
            if environ['REQUEST_METHOD'] == 'PUT' and environ.get('HTTP_IF_NONE_MATCH'):
                with lock:
                    return list(app(environ, start))
            return app(environ, start)
        return call
    return wrap
PYTHON
}

store_configure() {
    local kind port=$STORE_PORT filters filter
    printf '[swift-hash]\nswift_hash_path_prefix = p\nswift_hash_path_suffix = s\n[storage-policy:0]\nname = one\ndefault = yes\n' >"$STORE/etc/swift.conf"
    for kind in object container account; do
        port=$((port + 1))
        printf '%s\n' '[DEFAULT]' 'bind_ip = 127.0.0.1' "bind_port = $port" "user = $(id -un)" "swift_dir = $STORE/etc" "devices = $STORE/node" \
            'mount_check = false' 'fallocate_reserve = 0' 'workers = 0' '[pipeline:main]' "pipeline = $kind-server" "[app:$kind-server]" \
            "use = egg:swift#$kind" >"$STORE/etc/$kind.conf"
        (cd "$STORE/etc" && swift-ring-builder $kind.builder create 4 1 1 && swift-ring-builder $kind.builder add "r1z1-127.0.0.1:$port/d1" 100 &&
            swift-ring-builder $kind.builder rebalance) >>"$STORE/log/rings" 2>&1
    done
    filters="catch_errors gatekeeper healthcheck memcache listing_formats bulk conditions s3api tempauth slo dlo versioned_writes symlink proxy_logging"
    {
        printf '[DEFAULT]\nbind_ip = 127.0.0.1\nbind_port = %s\nuser = %s\nswift_dir = %s\nworkers = 0\n[pipeline:main]\npipeline = %s proxy-server\n' \
            "$STORE_PORT" "$(id -un)" "$STORE/etc" "$filters"
        printf '[app:proxy-server]\nuse = egg:swift#proxy\naccount_autocreate = true\n'
        for filter in $filters; do
            echo "[filter:$filter]"
            [ $filter = conditions ] && echo "paste.filter_factory = conditions:filter_factory" || echo "use = egg:swift#$filter"
            case $filter in
                memcache) echo "memcache_servers = 127.0.0.1:$((STORE_PORT + 4))" ;;
                s3api) echo "location = us-east-1" ;;
                versioned_writes) echo "allow_object_versioning = true" ;;
                tempauth) echo "user_garden_keeper = acorn .admin" ;;
            esac
        done
    } >"$STORE/etc/proxy.conf"
}

store_place() { # KEY SECRET
    STORE=$(mktemp -d "${TMPDIR:-/tmp}/hornbeam-store.XXXXXX")
    STORE_PORT=$((20000 + RANDOM % 10000))
    mkdir -p "$STORE/etc" "$STORE/log" "$STORE/pid" "$STORE/node/d1"
    export STORE STORE_PORT AWS_ACCESS_KEY_ID=$1 AWS_SECRET_ACCESS_KEY=$2 AWS_ENDPOINT_URL=http://127.0.0.1:$STORE_PORT AWS_REGION=us-east-1
}

store_await() { # PATH [OPTION]: until something answers there
    local try
    for try in $(seq 150); do
        ! curl -sS ${2:-} -o /dev/null "$AWS_ENDPOINT_URL/$1" 2>/dev/null || return 0
        sleep 0.2
    done
    tail -n 5 "$STORE"/log/* >&2
    return 1
}

store_small() {
    # shellcheck source=scripts/versions.sh
    . "$SOURCE/scripts/versions.sh"
    store_place S3RVER S3RVER
    # it writes the tokens of its lists with a cipher that only the older algorithms have
    store_start small node --openssl-legacy-provider "$SOURCE/tests/support/small_store.js" "$(store_modules)" "$STORE_PORT" "$STORE/node"
    store_await dumps
}

store_begin() { # another program may have one of the ports, or the machine be busy
    local try
    for try in 1 2 3; do
        ! store_try || return 0
        store_end 2>/dev/null
    done
    return 1
}

store_try() {
    local kind try
    store_place garden:keeper acorn
    store_write_conditions
    store_configure
    store_start memcached memcached -l 127.0.0.1 -p $((STORE_PORT + 4)) -U 0 -m 16 -u "$(id -un)"
    for kind in object container account proxy; do store_start $kind swift-$kind-server "$STORE/etc/$kind.conf" -v; done
    store_await healthcheck -f || return 1
    for try in $(seq 50); do # the parts behind the front come up later
        ! store_ask PUT dumps 2>/dev/null || return 0
        sleep 0.2
    done
    return 1
}

store_ask() { # VERB PATH [OPTION...]: by curl, with its own signing
    printf 'machine 127.0.0.1 login %s password %s\n' "$AWS_ACCESS_KEY_ID" "$AWS_SECRET_ACCESS_KEY" >"$STORE/netrc"
    curl -sS -f -X "$1" --aws-sigv4 aws:amz:us-east-1:s3 --netrc-file "$STORE/netrc" -H "x-amz-content-sha256: $(sha256sum </dev/null | cut -d' ' -f1)" \
        "${@:3}" "http://127.0.0.1:$STORE_PORT/$2"
}

store_list() { store_ask GET "dumps?list-type=2&max-keys=1000&prefix=" | grep -o '<Key>[^<]*' | cut -c6- | sort; } # files in the bucket
store_put() { store_ask PUT "dumps/$1" -H 'Content-Length: 0'; } # an empty file
store_count() { store_ask GET "dumps?list-type=2&max-keys=1000&prefix=" | grep -o '<Key>' | wc -l; }

store_tls() {
    (
        cd "$STORE"
        openssl req -x509 -newkey rsa:2048 -nodes -days 3 -subj "/CN=authority" -keyout ca.key -out ca.pem -addext basicConstraints=critical,CA:TRUE \
            -addext keyUsage=critical,keyCertSign
        openssl req -newkey rsa:2048 -nodes -subj /CN=localhost -keyout server.key -out server.csr
        printf 'subjectAltName=DNS:localhost,IP:127.0.0.1\n' >extensions
        openssl x509 -req -in server.csr -CA ca.pem -CAkey ca.key -CAcreateserial -days 3 -extfile extensions -out server.pem
    ) >/dev/null 2>&1
    printf 'foreground = yes\npid =\nsyslog = no\n[s3]\naccept = 127.0.0.1:%s\nconnect = 127.0.0.1:%s\ncert = %s/server.pem\nkey = %s/server.key\n' \
        $((STORE_PORT + 6)) "$STORE_PORT" "$STORE" "$STORE" >"$STORE/stunnel.conf"
    store_start stunnel stunnel4 "$STORE/stunnel.conf"
    STORE_TLS=https://localhost:$((STORE_PORT + 6))
    sleep 1
}

store_end() {
    local file
    for file in "$STORE"/pid/*; do kill -KILL -- "-$(cat "$file")" 2>/dev/null || true; done
    rm -rf "${STORE:?}"
}
