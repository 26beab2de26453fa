"""`station new`, `import`, `measure`."""

from __future__ import annotations

import sys
from dataclasses import asdict
from pathlib import Path
from typing import TYPE_CHECKING

from nightly_spindle.cli.common import print_json
from nightly_spindle.core.errors import AudioUnreadable, SettingRefused
from nightly_spindle.core.items import Kind
from nightly_spindle.core.timebase import length

if TYPE_CHECKING:
    import argparse


def new(options: argparse.Namespace) -> int:
    """Make an empty station."""
    from nightly_spindle.store.station import DEFAULT_PATTERN, new_station

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


def kind_from(text: str) -> Kind:
    """Return the kind of that name; SettingRefused names those that there are."""
    wanted = text.strip().lower().replace(" ", "-").replace("_", "-")
    try:
        return Kind(wanted)
    except ValueError as error:
        raise SettingRefused(f"kind '{text}' is not one of {', '.join(Kind)}") from error


def bring_in(options: argparse.Namespace) -> int:
    """Bring audio into the library; exit status 2 when nothing could be taken."""
    from nightly_spindle.store.intake import Intake
    from nightly_spindle.store.intake import bring_in as take

    kind = kind_from(options.kind)

    def progress(done: int, of: int) -> None:
        if sys.stderr.isatty():
            print(f"\r{done} of {of}", end="\n" if done == of else "", file=sys.stderr)

    intake = Intake([Path(path) for path in options.paths], kind, options.category)
    arrivals = take(Path(options.folder), [intake], progress)
    refused = [arrival for arrival in arrivals if arrival.cart is None]
    if options.json:
        print_json(
            [
                {
                    "cart": arrival.cart,
                    "path": arrival.path,
                    "ok": arrival.cart is not None,
                    "why_not": arrival.why_not or None,
                }
                for arrival in arrivals
            ]
        )
    else:
        print(f"{len(arrivals) - len(refused)} of {len(arrivals)} files are in the library.")
    for arrival in refused:
        print(f"nightly-spindle: {arrival.why_not}", file=sys.stderr)
    if not arrivals:
        print("nightly-spindle: no audio files lie there", file=sys.stderr)
    return 0 if len(refused) < len(arrivals) else 2


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
