# Sourced by run-demo, run-tests and .ci/run: installs what is missing, configures and builds.
# Everything may be run again at no cost.
set -euo pipefail
top=$(cd "$(dirname "${BASH_SOURCE[0]}")/.." && pwd)
cd "$top"

say() { printf '%s\n' "$*"; }

install_packages() {
    local missing=() name
    while read -r name; do
        case "$name" in '' | '#'*) continue ;; esac
        dpkg-query -W -f='${Status}' "$name" 2>/dev/null | grep -q '^install ok installed' || missing+=("$name")
    done <packaging/debian-12.packages
    [ ${#missing[@]} -eq 0 ] && return 0
    say "installing: ${missing[*]}"
    local sudo=()
    [ "$(id -u)" -eq 0 ] || sudo=(sudo)
    "${sudo[@]}" apt-get update -q
    "${sudo[@]}" env DEBIAN_FRONTEND=noninteractive apt-get install -y -q --no-install-recommends "${missing[@]}"
}

# build PRESET FOLDER [TARGET...]
build() {
    local preset=$1 folder=$2
    shift 2
    if [ ! -e "$folder/build.ninja" ]; then
        say "configuring ($preset)"
        cmake --preset "$preset"
    fi
    say "building ($preset)"
    cmake --build --preset "$preset" ${*:+--target "$@"}
}

# Runs a command with a display: the present one, or one of its own under Xvfb.
with_display() {
    if [ -n "${DISPLAY:-}" ] || [ -n "${WAYLAND_DISPLAY:-}" ]; then
        "$@"
    else
        "$top/scripts/with-display" "$@"
    fi
}
