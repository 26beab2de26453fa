"""`tonight`: will it work?"""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Any

from nightly_spindle.cli.base.begun_sequencer import begin
from nightly_spindle.cli.base.common import checked_length, now_us, print_json
from nightly_spindle.core.base.errors import InputFault
from nightly_spindle.core.base.timebase import iso, local_from
from nightly_spindle.core.base.wording import counted, span_text
from nightly_spindle.core.reports.timeline import night_of
from nightly_spindle.core.reports.tonight import Answer, tonight_of
from nightly_spindle.store.reports.findings_left import leave, read_left, take_up

if TYPE_CHECKING:
    import argparse
    from zoneinfo import ZoneInfo

    from nightly_spindle.core.reports.tonight import Cause, HourAhead, Tonight

_LONGEST_H = 48.0


def tonight(options: argparse.Namespace) -> int:
    """Say whether the coming hours work; the exit status is 0 when they do, 1 when not."""
    from nightly_spindle.store.base.transaction import LibraryTransaction

    hours = checked_length(options.hours, "hours", _LONGEST_H)
    folder = Path(options.folder)
    snapshot, sequencer, begun = begin(options.folder, options.from_, hours, watching=True)
    tz = snapshot.programme.settings.tz
    night = night_of(snapshot.programme, sequencer, begun, hours)
    found = tonight_of(night, tz, read_left(snapshot.connection))
    if options.leave or options.take_up:
        cause = _cause(found, options.leave or options.take_up)
        with LibraryTransaction(folder) as library:
            if options.leave:
                leave(library, cause, options.because, now_us())
            else:
                take_up(library, cause.key)
        found = tonight_of(night, tz, read_left(snapshot.connection))
    if options.json:
        print_json(view(found, tz))
    else:
        _print(found, tz)
    return 1 if found.answer is Answer.NEEDS_YOU else 0


def _cause(found: Tonight, code: str) -> Cause:
    """Return the cause of a code; InputFault when there is none, or there are several."""
    wanted = [one for one in found.causes if code in {one.code, one.key}]
    if len(wanted) != 1:
        known = ", ".join(dict.fromkeys(one.code for one in found.causes)) or "none"
        many = "no finding" if not wanted else f"{len(wanted)} findings"
        raise InputFault(f"there is {many} “{code}” tonight; the findings are: {known}")
    return wanted[0]


def view(found: Tonight, tz: ZoneInfo) -> dict[str, Any]:
    """Return the answer as it is printed with `--json`."""
    return {
        "works": found.answer is not Answer.NEEDS_YOU,
        "answer": str(found.answer),
        "verdict": found.sentence,
        "from": iso(found.from_us, tz),
        "until": iso(found.until_us, tz),
        "findings": [_cause_view(one, tz) for one in found.causes],
        "hours": [
            {
                "from": iso(hour.start_us, tz),
                "fills": [{"what": what, "seconds": round(s, 1)} for what, s in hour.fills],
                "items": hour.items,
                "spots": hour.spots,
                "events": [
                    {"name": pin.name, "at": iso(pin.at_us, tz), "offset_s": pin.offset_s}
                    for pin in hour.pins
                ],
            }
            for hour in found.hours
        ],
    }


def _cause_view(one: Cause, tz: ZoneInfo) -> dict[str, Any]:
    return {
        "code": one.code,
        "severity": str(one.severity),
        "heard": one.heard.words,
        "needs_you": one.needs_you,
        "first": iso(one.first_us, tz),
        "last": iso(one.last_us, tz),
        "times": one.many,
        "text": one.text,
        "mend": one.mend,
        "left": None if one.left is None else one.left.reason,
    }


def _print(found: Tonight, tz: ZoneInfo) -> None:
    print(found.sentence)
    for one in found.causes:
        mark = "!" if one.needs_you else "-"
        last = f" ({one.many} times, the last at {_clock(one.last_us, tz)})"
        times = last if one.many > 1 else ""
        left = "" if one.left is None else f" Left as it is: {one.left.reason}"
        print(f"{mark} {_clock(one.first_us, tz)}  {one.text}{times} {one.mend}{left}")
        print(f"    listeners hear: {one.heard.words}   ({one.code})")
    for hour in found.hours:
        print(f"{_clock(hour.start_us, tz)}  {_hour(hour)}")


def _hour(hour: HourAhead) -> str:
    fills = ", ".join(f"{what} {span_text(round(s))}" for what, s in hour.fills[:3] if s >= 1)
    spots = f"; {counted(hour.spots, 'spot')}" if hour.spots else ""
    return f"{fills}; {counted(hour.items, 'item')}{spots}"


def _clock(us: int, tz: ZoneInfo) -> str:
    return f"{local_from(us, tz):%H:%M}"
