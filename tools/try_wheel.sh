#!/bin/sh
# Installs a wheel into an empty environment and runs it: a station is made, music imported, the
# night rehearsed, the desk opened and closed.
set -eu
wheel=$1
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
${PYTHON:-python3} -m venv "$work/env"
"$work/env/bin/python" -m pip install --quiet --disable-pip-version-check "$wheel"
run() { (cd "$work" && HOME="$work" XDG_RUNTIME_DIR="$work" QT_QPA_PLATFORM=offscreen "$work/env/bin/$@"); }
run nightly-spindle --version
run nightly-spindle station new "$work/radio" --name Wheel --timezone Europe/Lisbon
mkdir "$work/music"
run python -c "
import numpy, soundfile
for n in range(3):
    wave = 0.2 * numpy.sin(numpy.arange(8000 * 20) * (0.2 + n / 10))
    soundfile.write(f'music/Tern {n} - Slip {n}.flac', wave, 8000)"
run nightly-spindle import "$work/radio" "$work/music" --kind song
run nightly-spindle rehearse "$work/radio" --hours 1 >/dev/null
run python -c "
from nightly_spindle.desk.shell.app import application, open_window
from pathlib import Path
application()
window = open_window(Path('radio'))
window.show()
window.close()"
echo "The wheel installs into an empty environment and runs: $wheel"
