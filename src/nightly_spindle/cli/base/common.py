"""What several subcommands share, the engine's among them: it imports little."""

from __future__ import annotations

import json
import math
import time
from typing import TYPE_CHECKING, Any

from nightly_spindle.core.base.errors import SettingRefused
from nightly_spindle.core.base.timebase import parse_instant

if TYPE_CHECKING:
    import argparse
    from zoneinfo import ZoneInfo

_MOST_HOURS = 24.0 * 40


def now_us() -> int:
    """Return the machine's clock; the command line is an edge of the program."""
    return time.time_ns() // 1000


def print_json(value: Any) -> None:
    """Print JSON, one value, indented."""
    print(json.dumps(value, ensure_ascii=False, indent=1))


def answer(options: argparse.Namespace, value: Any, said: str) -> int:
    """Print what was done: as JSON where that is asked for, else as it is said; returns 0."""
    if options.json:
        print_json(value)
    else:
        print(said)
    return 0


def instant(text: str | None, tz: ZoneInfo) -> int:
    """Return the instant (µs) that an option gives, now when it is left out."""
    return now_us() if text is None else parse_instant(text, tz)


def checked_length(value: float, unit: str, most: float = _MOST_HOURS) -> float:
    """Return a length that an option gives; SettingRefused when it makes no sense."""
    if not math.isfinite(value) or not 0 < value <= most:
        raise SettingRefused(f"{value:g} {unit} is not within 0 and {most:g} {unit}")
    return value
