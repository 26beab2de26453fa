"""`station new`, `station settings`, `station service`, `measure`."""

from __future__ import annotations

import os
import sys
from dataclasses import asdict
from pathlib import Path
from typing import TYPE_CHECKING

from nightly_spindle.cli.base.common import print_json
from nightly_spindle.core.base.errors import AudioUnreadable, InputFault, StorageFault
from nightly_spindle.core.base.timebase import length

if TYPE_CHECKING:
    import argparse


def new(options: argparse.Namespace) -> int:
    """Make an empty station."""
    from nightly_spindle.store.base.station_folder import DEFAULT_PATTERN, new_station

    folder = Path(options.folder)
    settings = new_station(
        folder,
        {
            "name": options.name,
            "timezone": options.timezone,
            "day_start": options.day_start,
            "rate": options.rate,
        },
    )
    if options.json:
        print_json({"folder": str(folder), "name": settings.name, "timezone": settings.timezone})
    else:
        print(f"{settings.name} is made in {folder}.")
        print(f"Leave a log per day in {folder / 'logs'}, named {DEFAULT_PATTERN}.")
    return 0


def settings(options: argparse.Namespace) -> int:
    """Say the station's settings, after changing some."""
    from nightly_spindle.core.station.settings import texts_from
    from nightly_spindle.store.base.station_folder import read_settings, set_settings

    folder = Path(options.folder)
    values = {}
    known = texts_from(read_settings(folder))
    for given in options.set:
        name, _, value = given.partition("=")
        if name not in known:
            raise InputFault(f"there is no setting '{name}'; there are {', '.join(known)}")
        values[name] = value
    now = texts_from(set_settings(folder, values) if values else read_settings(folder))
    if options.json:
        print_json(now)
    else:
        for name, value in now.items():
            print(f"{name}={value}")
    return 0


def service(options: argparse.Namespace) -> int:
    """Print, or write, a systemd user unit that keeps the station's engine running."""
    from nightly_spindle.air.unit import unit_name, unit_text
    from nightly_spindle.store.base.station_folder import read_settings

    folder = Path(options.folder).resolve()
    read_settings(folder)  # says so when there is no station
    text = unit_text(folder, Path(sys.executable))
    if not options.write:
        print(text, end="")
        return 0
    base = os.environ.get("XDG_CONFIG_HOME") or str(Path.home() / ".config")
    target = Path(base) / "systemd/user" / unit_name(folder)
    try:
        target.parent.mkdir(parents=True, exist_ok=True)
        target.write_text(text, encoding="utf-8")
    except OSError as error:
        raise StorageFault(f"{target} cannot be written: {error.strerror or error}") from error
    print(f"{target} is written; start it with:")
    print(f"  systemctl --user daemon-reload && systemctl --user enable --now {target.name}")
    return 0


def measure(options: argparse.Namespace) -> int:
    """Measure audio files; exit status 2 when one could not be."""
    from nightly_spindle.audio.measure import measure_file

    found = []
    status = 0
    for file in options.files:
        try:
            measured = measure_file(file).measure
        except AudioUnreadable as error:
            print(f"nightly-spindle: {error}", file=sys.stderr)
            status = error.exit_status
            continue
        found.append({"path": file, **asdict(measured)})
        if not options.json:
            loud = measured.integrated_lufs
            print(
                f"{file}: {length(measured.duration_s)}, "
                f"{'silent' if loud is None else f'{loud:.1f} LUFS'}, "
                f"cue in {measured.cue_in_s:.3f} s, segue {measured.segue_s:.3f} s, "
                f"cue out {measured.cue_out_s:.3f} s, {measured.ending} ending"
            )
    if options.json:
        print_json(found)
    return status
