"""Handovers, each in a file of its own in the station's folder."""

from __future__ import annotations

import json
from typing import TYPE_CHECKING

from nightly_spindle.core.base.errors import StorageFault
from nightly_spindle.core.base.timebase import local_from
from nightly_spindle.core.reports.handover import (
    Handover,
    handover_from,
    handover_text,
    handover_values,
)

if TYPE_CHECKING:
    from pathlib import Path
    from zoneinfo import ZoneInfo

FOLDER = "handovers"
_KEPT = 60  # the newest of them


def write_handover(folder: Path, one: Handover, station: str, tz: ZoneInfo) -> Path:
    """Write a handover down, as a text to be read and as JSON beside it; returns the text's path.

    StorageFault where the folder cannot be written.
    """
    there = folder / FOLDER
    name = f"{local_from(one.at_us, tz):%Y-%m-%d %H.%M.%S}"
    text = there / f"{name}.txt"
    try:
        there.mkdir(exist_ok=True)
        text.write_text(handover_text(one, station, tz), encoding="utf-8")
        body = json.dumps(handover_values(one), ensure_ascii=False)
        (there / f"{name}.json").write_text(body, encoding="utf-8")
        for old in sorted(there.glob("*.json"))[:-_KEPT]:
            old.unlink(missing_ok=True)
            old.with_suffix(".txt").unlink(missing_ok=True)
    except OSError as error:
        raise StorageFault(
            f"the handover cannot be written to {there}: {error.strerror}; free the disk"
        ) from error
    return text


def last_handover(folder: Path, from_us: int, until_us: int) -> Handover | None:
    """Return the newest handover of a stretch, None where there is none that can be read."""
    for file in sorted((folder / FOLDER).glob("*.json"), reverse=True):
        try:
            one = handover_from(json.loads(file.read_text(encoding="utf-8")))
        except (OSError, ValueError, TypeError, KeyError):
            continue  # not one of ours, or broken off: the one before it serves
        if from_us <= one.at_us < until_us:
            return one
    return None
