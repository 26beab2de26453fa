"""`morning`: what happened, and why?"""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Any

from nightly_spindle.cli.base.common import instant, now_us, print_json
from nightly_spindle.core.base.errors import InputFault
from nightly_spindle.core.base.timebase import iso
from nightly_spindle.core.reports.morning_text import morning_text
from nightly_spindle.store.base.station_folder import read_settings
from nightly_spindle.store.reports.night_past import read_morning, since_the_handover

if TYPE_CHECKING:
    import argparse
    from zoneinfo import ZoneInfo

    from nightly_spindle.core.reports.morning import Difference, Morning


def morning(options: argparse.Namespace) -> int:
    """Say what was not as planned; the exit status is 0 when nothing was, 1 otherwise."""
    folder = Path(options.folder)
    tz = read_settings(folder).tz
    until = instant(options.to, tz) if options.to else now_us()
    begin = instant(options.from_, tz) if options.from_ else since_the_handover(folder, until, tz)
    if begin >= until:
        raise InputFault("--from must be before --to")
    found = read_morning(folder, begin, until)
    if options.json:
        print_json(_view(found, tz))
    else:
        print(morning_text(found, tz), end="")
    return 0 if found.as_planned else 1


def _view(found: Morning, tz: ZoneInfo) -> dict[str, Any]:
    return {
        "as_planned": found.as_planned,
        "verdict": found.sentence,
        "from": iso(found.from_us, tz),
        "to": iso(found.until_us, tz),
        "items": found.items,
        "handed_over": iso(found.handed_over_us, tz) if found.handed_over_us else None,
        "off_air_s": round(found.off_s, 1),
        "longest_off_air_s": round(found.longest_off_s, 1),
        "safety_net_s": round(found.net_s, 1),
        "differences": [_difference(one, tz) for one in found.differences],
    }


def _difference(one: Difference, tz: ZoneInfo) -> dict[str, Any]:
    return {
        "from": iso(one.from_us, tz),
        "to": iso(one.until_us, tz),
        "heard": one.heard.words,
        "what": one.what,
        "why": one.why,
        "mend": one.mend,
        "many": one.many,
        "code": one.code or None,
    }
