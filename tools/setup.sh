#!/bin/sh
# Brings what the program and its tests need: system libraries (as root on
# Debian; otherwise it prints the one command to run), a virtual environment,
# and the Python packages of pyproject.toml.
set -eu
cd "$(dirname "$0")/.."

python=""
for candidate in python3.13 python3.12 python3.11 python3; do
    if command -v "$candidate" >/dev/null 2>&1 &&
        "$candidate" -c 'import sys; sys.exit(sys.version_info < (3, 11))'; then
        python=$candidate
        break
    fi
done
if [ -z "$python" ]; then
    echo "Python 3.11 or newer is needed." >&2
    exit 1
fi

# Libraries that Qt's wheels load from the system, a virtual display for the
# test that opens a real window, fonts for text in other scripts, ICC profiles
# of printing inks, and the locales that tests are run in.
packages="libegl1 libgl1 libopengl0 libglib2.0-0 libdbus-1-3 libfontconfig1
libfreetype6 libx11-xcb1 libxkbcommon0 libxkbcommon-x11-0 libxcb-cursor0
libxcb-icccm4 libxcb-image0 libxcb-keysyms1 libxcb-randr0 libxcb-render-util0
libxcb-shape0 libxcb-sync1 libxcb-xfixes0 libxcb-xinerama0 libxcb-xkb1
libzbar0 libgs-common fontconfig fonts-dejavu-core xvfb xauth x11-utils locales"
if ! "$python" -c 'import ensurepip, venv' >/dev/null 2>&1; then
    packages="$packages python3-venv"
fi

if command -v dpkg-query >/dev/null 2>&1; then
    missing=""
    for package in $packages; do
        state=$(dpkg-query -W -f '${db:Status-Status}' "$package" 2>/dev/null || true)
        # Newer Debian and Ubuntu carry some of them under a name with t64.
        [ "$state" = installed ] ||
            [ "$(dpkg-query -W -f '${db:Status-Status}' "${package}t64" 2>/dev/null || true)" = installed ] ||
            missing="$missing $package"
    done
    if [ -n "$missing" ]; then
        if [ "$(id -u)" = 0 ]; then
            echo "Installing system libraries:$missing"
            export DEBIAN_FRONTEND=noninteractive
            apt-get update -qq
            # shellcheck disable=SC2086
            apt-get install -y -qq --no-install-recommends $missing >/dev/null
        else
            echo "System libraries are missing. Please run:" >&2
            echo "  sudo apt-get update && sudo apt-get install -y --no-install-recommends$missing" >&2
            exit 1
        fi
    fi
else
    echo "This is not Debian: Qt's system libraries (EGL, xcb, xkbcommon) and Xvfb must be there." >&2
fi

if [ ! -x .venv/bin/python ]; then
    echo "Making the virtual environment."
    "$python" -m venv .venv
fi
echo "Installing Python packages; this takes a minute the first time."
.venv/bin/python -m pip install --quiet --disable-pip-version-check --editable ".[dev]"
