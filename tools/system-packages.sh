#!/bin/sh
# Debian packages the application needs beside its Python packages: the PortAudio library, the Qt
# platform libraries, Xvfb for the tests, the program that retunes, the layout of text for PDF. Installs what is missing where that is allowed, and says in
# one sentence what to do where it is not. Names given to it are installed instead of those.
set -eu
wanted="libportaudio2 xvfb xauth libegl1 libgl1 libdbus-1-3 libfontconfig1 libxkbcommon-x11-0 libxcb-cursor0 libxcb-icccm4 libxcb-image0 libxcb-keysyms1 libxcb-randr0 libxcb-render-util0 libxcb-shape0 libxcb-xinerama0 libxcb-xkb1 rubberband-cli libpango-1.0-0 libpangoft2-1.0-0 libharfbuzz-subset0"
[ $# -gt 0 ] && wanted="$*"
python3 -c "import ensurepip" 2>/dev/null || wanted="$wanted python3-venv"
command -v dpkg-query >/dev/null 2>&1 || {
    echo "This is not a Debian system: please install PortAudio, Xvfb and the Qt 6 xcb libraries with its own package tool." >&2
    exit 0
}
missing=""
for package in $wanted; do
    dpkg-query -W -f '${Status}' "$package" 2>/dev/null | grep -q "ok installed" || missing="$missing $package"
done
[ -z "$missing" ] && exit 0
if [ "$(id -u)" = 0 ]; then run=""; elif command -v sudo >/dev/null 2>&1 && sudo -n true 2>/dev/null; then run="sudo"; else
    echo "Please install these Debian packages, then call make again:$missing" >&2
    exit 1
fi
echo "Installing:$missing"
$run apt-get update -q >/dev/null
DEBIAN_FRONTEND=noninteractive $run apt-get install -y -q --no-install-recommends $missing >/dev/null
