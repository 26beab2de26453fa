"""What several subcommands share."""

from __future__ import annotations

import json
import math
import time
from pathlib import Path
from typing import TYPE_CHECKING, Any

import msgspec

from nightly_spindle.air.client import ask
from nightly_spindle.air.places import engine_pid
from nightly_spindle.core.errors import SettingRefused
from nightly_spindle.core.running import AirState
from nightly_spindle.core.sequencer import Sequencer
from nightly_spindle.core.start import take_the_air
from nightly_spindle.core.timebase import US, parse_instant, us_from_frames
from nightly_spindle.store.journal import load_state
from nightly_spindle.store.snapshot import Snapshot, open_station

if TYPE_CHECKING:
    from zoneinfo import ZoneInfo

    from nightly_spindle.core.actions import Action

_MOST_HOURS = 24.0 * 40


def now_us() -> int:
    """Return the machine's clock; the command line is an edge of the program."""
    return time.time_ns() // 1000


def print_json(value: Any) -> None:
    """Print JSON, one value, indented."""
    print(json.dumps(value, ensure_ascii=False, indent=1))


def instant(text: str | None, tz: ZoneInfo) -> int:
    """Return the instant (µs) that an option gives, now when it is left out."""
    return now_us() if text is None else parse_instant(text, tz)


def checked_length(value: float, unit: str, most: float = _MOST_HOURS) -> float:
    """Return a length that an option gives; SettingRefused when it makes no sense."""
    if not math.isfinite(value) or not 0 < value <= most:
        raise SettingRefused(f"{value:g} {unit} is not within 0 and {most:g} {unit}")
    return value


def begin(
    folder: str, from_: str | None, hours: float, *, watching: bool = False
) -> tuple[Snapshot, Sequencer, list[Action]]:
    """Return a sequencer as an engine would start: cold at `from_`, or from its state, now.

    `watching` looks at an engine that is on air instead: the item on air began when it did.
    """
    snapshot = open_station(Path(folder))
    at = instant(from_, snapshot.programme.settings.tz)
    if watching and from_ is None and engine_pid(Path(folder)) is not None:
        state = msgspec.convert(ask(Path(folder), "state")["state"], AirState)
        at = us_from_frames(state.frame, state.rate) + state.offset_us
        snapshot.prepare(at, at + round(hours * 3600 * US), state)
        sequencer = Sequencer(snapshot.programme, state)
        return snapshot, sequencer, sequencer.present()
    saved = None if from_ is not None else load_state(snapshot.connection)
    snapshot.prepare(at, at + round(hours * 3600 * US), saved)
    sequencer, begun = take_the_air(snapshot.programme, saved, at)
    return snapshot, sequencer, begun
