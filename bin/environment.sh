# Sourced by the other scripts: finds the checkout, makes .venv from the lock file when it is not what the lock file says.
# Says what it does, and fails with a sentence.

ROOT=$(CDPATH= cd -- "$(dirname -- "$0")/.." && pwd)
export RAMPA_ROOT="$ROOT"
# The certificates that the machine trusts, a studio's own among them.
export UV_SYSTEM_CERTS="${UV_SYSTEM_CERTS:-true}"

say() { printf '%s\n' "$*" >&2; }
fail() { say "$(basename "$0"): $*"; exit 1; }
is_root() { [ "$(id -u)" = 0 ]; }

# debian PACKAGE...: installs Debian packages, or says which to install. No server among them starts by itself.
debian() {
    if is_root && command -v apt-get >/dev/null; then
        say "Installing $* …"
        apt-get update -qq >/dev/null 2>&1 || true
        policy=/usr/sbin/policy-rc.d
        if [ -e "$policy" ]; then policy=; else printf '#!/bin/sh\nexit 101\n' >"$policy" && chmod 755 "$policy"; fi
        result=0
        DEBIAN_FRONTEND=noninteractive apt-get install -y -qq "$@" >/dev/null 2>"$ROOT/.rampa/apt.log" || result=$?
        [ -z "$policy" ] || rm -f "$policy"
        [ $result = 0 ] || fail "apt-get could not install $*: $(tail -1 "$ROOT/.rampa/apt.log")"
    else
        fail "please install: apt-get install $*   (then run this again)"
    fi
}

find_python() {
    for name in ${PYTHON:-} python3 python3.13 python3.12 python3.11 /usr/bin/python3; do
        if "$name" -c 'import sys; sys.exit(sys.version_info < (3, 11))' 2>/dev/null; then
            command -v "$name"
            return
        fi
    done
    fail "Python 3.11 or newer is needed: apt-get install python3 python3-venv"
}

# make_venv LOCK: .venv holds exactly what LOCK lists, and this checkout.
make_venv() {
    mkdir -p "$ROOT/.rampa"
    python=$(find_python)
    wanted=$(cat "$ROOT/requirements.lock" "$ROOT/requirements-dev.lock" "$ROOT/pyproject.toml" "$ROOT/setup.py" "$ROOT"/src/rampa/core/content/*/*.pyx "$ROOT"/src/rampa/core/content/*/[!_]*.[ch] | cksum)
    wanted="$1 $("$python" --version) $ROOT $wanted"
    stamp="$ROOT/.venv/rampa-stamp"
    if [ "$(cat "$stamp" 2>/dev/null)" = "$wanted" ]; then return; fi
    # What was installed for the tests is good for running, too.
    if [ "$(cat "$stamp" 2>/dev/null)" = "requirements-dev.lock${wanted#"$1"}" ]; then return; fi
    say "Making the Python environment from $1 …"
    if ! "$ROOT/.venv/bin/python" -c '' 2>/dev/null; then
        rm -rf "$ROOT/.venv"
        if ! "$python" -m venv "$ROOT/.venv" 2>/dev/null; then
            rm -rf "$ROOT/.venv"
            debian python3-venv
            "$python" -m venv "$ROOT/.venv" || fail "the Python environment could not be made with $python"
        fi
    fi
    # The kernels want a C compiler; without one everything works, but slower, and updates travel as whole chunks.
    command -v cc >/dev/null || ! is_root || debian gcc libc6-dev
    "$ROOT/.venv/bin/python" -m pip install -q --disable-pip-version-check "uv==0.13.9" 2>"$ROOT/.rampa/pip.log" ||
        fail "uv could not be installed from the package registry: $(tail -1 "$ROOT/.rampa/pip.log")"
    (cd "$ROOT" && .venv/bin/uv pip sync -q --compile-bytecode --python .venv/bin/python "$1" &&
        .venv/bin/uv pip install -q --python .venv/bin/python --no-deps --no-build-isolation -e . &&
        { .venv/bin/python -m compileall -q src || true; }) ||
        fail "the packages of $1 could not be installed"
    if ! "$ROOT/.venv/bin/python" -c 'import rampa.core.content.scan._cut_kernel' 2>/dev/null; then
        say "Note: there is no C compiler here; content is cut by the slower numpy version, with the same result, and updates travel as whole chunks."
    fi
    printf '%s' "$wanted" >"$stamp"
}

need_postgres() {
    if ! "$ROOT/.venv/bin/python" -c 'from rampa.local.postgres import find_programs; find_programs()' 2>/dev/null; then
        debian postgresql
    fi
}

build_console() {
    [ -d "$ROOT/console" ] || return 0
    dist="$ROOT/console/dist"
    wanted=$(cd "$ROOT" && find console/src console/*.json console/*.ts console/index.html src/rampa/schema src/rampa/service \
        -type f -not -path '*/generated/*' -not -path '*/__pycache__/*' | LC_ALL=C sort | xargs cat | cksum)
    if [ "$(cat "$dist/stamp" 2>/dev/null)" = "$wanted" ]; then return; fi
    command -v npm >/dev/null || fail "Node 20 with npm is needed to build the console: apt-get install nodejs npm"
    say "Building the console …"
    (cd "$ROOT/console" &&
        { [ node_modules/.package-lock.json -nt package-lock.json ] || npm ci --no-audit --no-fund --loglevel=error; } &&
        mkdir -p src/generated &&
        "$ROOT/.venv/bin/python" -m rampa.service.document >src/generated/openapi.json &&
        npm run --silent build) >"$ROOT/.rampa/console.log" 2>&1 ||
        fail "the console could not be built; the end of .rampa/console.log: $(tail -5 "$ROOT/.rampa/console.log")"
    printf '%s' "$wanted" >"$dist/stamp"
}
