#!/bin/sh
# What Qt's xcb platform and Python's venv need on Debian beyond a minimal system. As root they are installed;
# otherwise they are named. Nothing is done where they are there already, or on a system without apt.
set -eu
wanted="libegl1 libgl1 libxkbcommon-x11-0 libdbus-1-3 libfontconfig1 libxcb-cursor0 libxcb-icccm4 libxcb-image0
libxcb-keysyms1 libxcb-randr0 libxcb-render-util0 libxcb-shape0 libxcb-xinerama0 libxcb-xkb1 fonts-dejavu-core"
command -v dpkg-query >/dev/null 2>&1 || exit 0
python=${PYTHON:-python3}
"$python" -c 'import ensurepip' 2>/dev/null || wanted="$wanted python3-venv"
missing=""
for package in $wanted; do
    dpkg-query -W -f '${Status}' "$package" 2>/dev/null | grep -q 'ok installed' || missing="$missing $package"
done
[ -n "$missing" ] || exit 0
if [ "$(id -u)" = 0 ]; then
    export DEBIAN_FRONTEND=noninteractive
    # shellcheck disable=SC2086 # a list of words
    if apt-get update -qq && apt-get install -qq -y --no-install-recommends $missing >/dev/null; then
        exit 0
    fi
    echo "Some system libraries could not be installed; without a display the program runs all the same."
fi
echo "These system libraries are missing:$missing"
echo "Install them with: sudo apt-get install$missing"
