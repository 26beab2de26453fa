"""`recordings`: what went out, as it was recorded."""

from __future__ import annotations

from contextlib import closing
from pathlib import Path
from typing import TYPE_CHECKING

from nightly_spindle.cli.base.common import answer, checked_length, instant, print_json
from nightly_spindle.core.base.errors import InputFault
from nightly_spindle.core.base.timebase import US, clock, iso
from nightly_spindle.outputs.recordings import recorded_in, save_stretch
from nightly_spindle.store.base.database import connect
from nightly_spindle.store.base.station_folder import read_settings
from nightly_spindle.store.outputs.outputs import read_outputs, recording_folders

if TYPE_CHECKING:
    import argparse


def folders_of(folder: Path) -> list[Path]:
    """Return the folders that a station records into; InputFault where it records nowhere."""
    with closing(connect(folder)) as connection:
        outputs = read_outputs(connection)
    found = recording_folders(folder, outputs)
    if not found:
        raise InputFault(
            "this station records nothing; `outputs set DIR Recording --kind recording` begins it"
        )
    return found


def list_recordings(options: argparse.Namespace) -> int:
    """List the recordings, the oldest first."""
    folder = Path(options.folder)
    tz = read_settings(folder).tz
    rows = [(place, one) for place in folders_of(folder) for one in recorded_in(place)]
    if options.json:
        print_json(
            [
                {"file": str(place / one.name), "start": iso(one.start_us, tz), "bytes": one.size}
                for place, one in rows
            ]
        )
        return 0
    for place, one in rows:
        print(f"{iso(one.start_us, tz)}  {one.size / 1e6:8.1f} MB  {place / one.name}")
    print(f"{len(rows)} recordings, {sum(one.size for _, one in rows) / 1e9:.2f} GB.")
    return 0


def save(options: argparse.Namespace) -> int:
    """Write what went out in a stretch to a file."""
    folder = Path(options.folder)
    tz = read_settings(folder).tz
    begin = instant(options.from_, tz)
    if options.to:
        end = instant(options.to, tz)
    else:
        end = begin + round(checked_length(options.seconds, "seconds", 1e6) * US)
    problem: InputFault | None = None
    for place in folders_of(folder):
        try:
            length = save_stretch(place, begin, end, Path(options.out))
        except InputFault as error:
            problem = error
            continue
        said = f"{options.out}: {length:.3f} s of what went out from {clock(begin, tz)} on."
        return answer(options, {"out": options.out, "seconds": round(length, 6)}, said)
    assert problem is not None
    raise problem
