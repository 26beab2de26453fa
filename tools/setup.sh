#!/bin/sh
# Makes the environment: system libraries that are missing (as root; otherwise the one
# line to run is printed), the virtual environment, the locked packages, the program.
set -eu
venv=$1
python=${PYTHON:-python3}

missing=""
need() { # package, then a test
    package=$1; shift
    "$@" >/dev/null 2>&1 || missing="$missing $package"
}
library() { "$python" -c "import ctypes, sys; ctypes.CDLL(sys.argv[1])" "$1"; }

need python3-venv "$python" -c "import ensurepip, venv"
need libegl1 library libEGL.so.1
need libgl1 library libGL.so.1
need libdbus-1-3 library libdbus-1.so.3
need libfontconfig1 library libfontconfig.so.1
need libglib2.0-0 library libglib-2.0.so.0
need libbrotli1 library libbrotlidec.so.1
need libxkbcommon-x11-0 library libxkbcommon-x11.so.0
need libxcb-cursor0 library libxcb-cursor.so.0
need libxcb-icccm4 library libxcb-icccm.so.4
need libxcb-keysyms1 library libxcb-keysyms.so.1
need libxcb-randr0 library libxcb-randr.so.0
need libxcb-shape0 library libxcb-shape.so.0
need libxcb-xkb1 library libxcb-xkb.so.1
need libportaudio2 library libportaudio.so.2

if [ -n "$missing" ]; then
    if [ "$(id -u)" = 0 ]; then
        echo "Installing:$missing"
        apt-get update -qq
        DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends $missing >/dev/null
    else
        echo "These libraries are missing; run this once, then make again:" >&2
        echo "  sudo apt-get install -y --no-install-recommends$missing" >&2
        exit 1
    fi
fi

[ -x "$venv/bin/python" ] || "$python" -m venv "$venv"
"$venv/bin/python" -m pip install --quiet --disable-pip-version-check -r requirements.lock
"$venv/bin/python" -m pip install --quiet --disable-pip-version-check --no-deps -e .
