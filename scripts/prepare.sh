# Sourced by run-demo and run-tests: a Python, a virtual environment from the hashed lock, Qt's system libraries.
# Afterwards $PYTHON runs the application's environment.

say() { printf '%s\n' "$*" >&2; }

run_as_root() {
    if [ "$(id -u)" = 0 ]; then "$@"
    elif command -v sudo >/dev/null && sudo -n true 2>/dev/null; then sudo -n "$@"
    else return 1
    fi
}

# install_packages WHY PACKAGE...: through the system's package manager where it may, else says the command
install_packages() {
    local why="$1"; shift
    if ! command -v apt-get >/dev/null; then
        say "$why Please install these (named as Debian names them): $*"; return 1
    fi
    say "$why Installing: $*"
    run_as_root apt-get update -qq >/dev/null 2>&1
    if run_as_root env DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends "$@" >/dev/null 2>&1
    then return 0; fi
    say "That needs an administrator. Please run, then start again:"
    say "    sudo apt-get install $*"
    return 1
}

find_python() {
    local candidate
    for candidate in python3 python3.13 python3.12 python3.11 python3.14; do
        if "$candidate" -c 'import sys; sys.exit(sys.version_info < (3, 11))' 2>/dev/null; then
            command -v "$candidate"; return 0
        fi
    done
    return 1
}

# prepare_environment LOCK: an environment in .venv that holds what LOCK lists; again only when LOCK or Python changed
prepare_environment() {
    local lock="$1" base stamp
    base="$(find_python)" || { install_packages "Stathmis needs Python 3.11 or newer." python3 python3-venv || return 1
                               base="$(find_python)" || { say "No Python 3.11 or newer was found."; return 1; }; }
    PYTHON="$ROOT/.venv/bin/python"
    stamp="$( { "$base" --version; cat "$ROOT/requirements.lock" "$ROOT/$lock"; } | sha256sum | cut -d' ' -f1)"
    if [ -x "$PYTHON" ] && grep -qsx "$stamp" "$ROOT/.venv/ready"; then return 0; fi
    say "Setting up (once, a minute or two) in .venv ..."
    if ! [ -x "$PYTHON" ] || ! "$PYTHON" -c 'import sys; sys.exit(sys.version_info < (3, 11))' 2>/dev/null; then
        rm -rf "$ROOT/.venv"
        if ! "$base" -m venv "$ROOT/.venv" >/dev/null 2>&1; then
            rm -rf "$ROOT/.venv"
            install_packages "Python's venv module is missing." \
                "python$("$base" -c 'import sys; print("%d.%d" % sys.version_info[:2])')-venv" || return 1
            "$base" -m venv "$ROOT/.venv" || return 1
        fi
    fi
    "$PYTHON" -m pip install --quiet --disable-pip-version-check --require-hashes -r "$ROOT/$lock" || {
        say "Setting up failed; the lines above say why. Nothing outside .venv was changed."; return 1; }
    echo "$stamp" >> "$ROOT/.venv/ready"
}

# prepare_words: the catalogues the program reads, where a translation changed
prepare_words() {
    local po
    for po in "$ROOT"/src/stathmis/data/locale/*/LC_MESSAGES/*.po; do
        if ! [ "${po%.po}.mo" -nt "$po" ]; then "$PYTHON" "$ROOT/scripts/translations.py" build; return; fi
    done
}

# missing_libraries: Qt's shared libraries this system cannot find
missing_libraries() {
    local qt
    qt="$("$PYTHON" -c 'import importlib.util as u; print(u.find_spec("PySide6").submodule_search_locations[0])')/Qt"
    { ldd "$qt"/plugins/platforms/libqxcb.so "$qt"/plugins/platforms/libqoffscreen.so \
          "$qt"/plugins/xcbglintegrations/libqxcb-glx-integration.so "$qt"/lib/libQt6Widgets.so.6 2>/dev/null; } |
        awk '/not found/ {print $1}' | sort -u
}

prepare_libraries() {
    if grep -qsx libraries "$ROOT/.venv/ready"; then return 0; fi
    local missing
    missing="$(missing_libraries)"
    if [ -n "$missing" ]; then
        install_packages "Qt needs some system libraries ($(echo $missing))." \
            libegl1 libgl1 libglib2.0-0 libdbus-1-3 libfontconfig1 libxkbcommon0 libxkbcommon-x11-0 libxcb-cursor0 \
            libxcb-icccm4 libxcb-image0 libxcb-keysyms1 libxcb-randr0 libxcb-render-util0 libxcb-shape0 \
            libxcb-sync1 libxcb-xfixes0 libxcb-xkb1 libx11-xcb1 || return 1
    fi
    echo libraries >> "$ROOT/.venv/ready"
}
