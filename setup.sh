# Brings everything the two commands need to this checkout; sourced by ./start and ./test.
# Each step is skipped when what it makes is there and up to date.

set -euo pipefail
cd "$(dirname "${BASH_SOURCE[0]}")"

say() { printf '%s\n' "$*"; }
fail() { printf '%s: %s\n' "$0" "$*" >&2; exit 1; }

# Debian packages: need COMMAND PACKAGE WHY …
missing=()
need() {
    local command=$1 package=$2 why=$3
    command -v "$command" >/dev/null 2>&1 || [ -x "/usr/sbin/$command" ] || missing+=("$package:$why")
}

install_missing() {
    [ ${#missing[@]} -eq 0 ] && return
    local packages=() entry
    for entry in "${missing[@]}"; do
        say "missing: ${entry%%:*} (${entry#*:})"
        packages+=("${entry%%:*}")
    done
    if [ "$(id -u)" -ne 0 ]; then
        fail "please install them first: apt-get install --no-install-recommends ${packages[*]}"
    fi
    say "installing them with apt-get"
    apt-get update -qq >/dev/null || fail "apt-get update failed"
    DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends "${packages[@]}" >/dev/null ||
        fail "apt-get could not install ${packages[*]}"
}

check_versions() {
    local python=${1:-python3}
    "$python" -c 'import sys; sys.exit(sys.version_info[:2] != (3, 11))' 2>/dev/null ||
        fail "Python 3.11 is needed (Debian 12 has it: apt-get install python3 python3-venv)"
    command -v node >/dev/null 2>&1 || fail "Node.js 20 or newer is needed, with npm, to build the web client"
    node -e 'process.exit(Number(process.versions.node.split(".")[0]) >= 20 ? 0 : 1)' ||
        fail "Node.js 20 or newer is needed; this is $(node --version)"
    command -v npm >/dev/null 2>&1 || fail "npm is needed to build the web client"
}

# stamp NAME FILES…: true when the files are as they were when NAME was last stamped.
stamp() {
    local name=$1
    shift
    [ -f "$name" ] && [ "$(cat "$name")" = "$(cat "$@" | sha256sum)" ]
}
mark() {
    local name=$1
    shift
    cat "$@" | sha256sum >"$name"
}

make_environment() { # the lock file to install: run or dev
    local lock=requirements/$1.txt
    [ -x .venv/bin/python ] || { say "making the Python environment"; python3 -m venv .venv; }
    if ! stamp ".venv/.installed-$1" "$lock" pyproject.toml; then
        say "installing the Python packages ($lock)"
        [ -x .venv/bin/uv ] || .venv/bin/python -m pip install -q --disable-pip-version-check uv==0.13.9
        .venv/bin/uv pip install -q --python .venv/bin/python --compile-bytecode -r "$lock"
        .venv/bin/uv pip install -q --python .venv/bin/python --no-deps -e .
        mark ".venv/.installed-$1" "$lock" pyproject.toml
    fi
}

# Bytecode of our own modules, which many systems forbid Python to keep by itself: a start loads all of them.
compile_modules() {
    local sources
    mapfile -t sources < <(find src -name '*.py' | LC_ALL=C sort)
    stamp .venv/.compiled "${sources[@]}" && return
    .venv/bin/python -m compileall -q src || return 0 # a checkout that cannot be written to does without
    mark .venv/.compiled "${sources[@]}"
}

# Both halves of what is installed, side by side.
install_all() { # the lock file to install: run or dev, and what is done for the web client
    "${2:-build_web}" &
    local web=$!
    make_environment "$1"
    compile_modules
    wait "$web" || fail "the web client could not be built"
}

install_web() {
    if ! stamp web/node_modules/.installed web/package-lock.json; then
        say "installing the web packages"
        (cd web && npm ci --no-audit --no-fund --loglevel=error >/dev/null)
        mark web/node_modules/.installed web/package-lock.json
    fi
}

build_web() {
    install_web
    local sources
    mapfile -t sources < <(find web/src web/public web/*.html web/openapi.json web/standins.json web/*.ts web/package.json \
        -type f ! -name '*.gen.d.ts' 2>/dev/null | LC_ALL=C sort)
    if ! stamp web/dist/.built "${sources[@]}"; then
        say "building the web client"
        (cd web && npm run -s build)
        mark web/dist/.built "${sources[@]}"
    fi
}
