"""`log check`, `log expect`."""

from __future__ import annotations

from collections import Counter
from datetime import timedelta
from pathlib import Path
from typing import TYPE_CHECKING, Any

from nightly_spindle.cli.common import instant, print_json
from nightly_spindle.core.drops import LogDrop, ReadingState
from nightly_spindle.core.errors import SettingRefused
from nightly_spindle.core.joins import span
from nightly_spindle.core.logs import read_log
from nightly_spindle.core.matching import Match, Status
from nightly_spindle.core.timebase import broadcast_day, length
from nightly_spindle.store.snapshot import Snapshot, open_station

if TYPE_CHECKING:
    import argparse
    from collections.abc import Sequence


def check(options: argparse.Namespace) -> int:
    """Match a log file to the library; exit status 0 even when lines are missing."""
    snapshot = open_station(Path(options.folder))
    file = Path(options.file)
    log = read_log(file)
    folder = str(file.absolute().parent)
    if options.drop is not None:
        folder = _drop(snapshot, options.drop).folder
    matches = snapshot.logs.match(log, folder)
    counts = Counter(match.status for match in matches)
    if options.json:
        print_json(
            {
                "lines": [_line_view(match) for match in matches],
                **{str(status): counts[status] for status in Status},
                "duration_s": round(_duration(snapshot, matches), 3),
            }
        )
        return 0
    for match in matches:
        if match.status is not Status.MATCHED:
            print(f"line {match.line.number}: {match.status}: {match.line.raw}: {match.how}")
    print(
        f"{file.name}: {counts[Status.MATCHED]} of {len(matches)} lines found, "
        f"{length(_duration(snapshot, matches))} of programme."
    )
    return 0


def expect(options: argparse.Namespace) -> int:
    """See whether the coming logs are there; exit status 1 when one is not."""
    if not 0 < options.days <= 400:
        raise SettingRefused(f"{options.days} days is not within 1 and 400")
    snapshot = open_station(Path(options.folder))
    settings = snapshot.programme.settings
    first = broadcast_day(instant(options.from_, settings.tz), settings.tz, settings.day_start)
    found: list[dict[str, Any]] = []
    for drop in snapshot.programme.drops.values():
        for ahead in range(options.days):
            day = first + timedelta(days=ahead)
            reading = snapshot.logs.reading(drop, day)
            counts = Counter(match.status for match in reading.matches)
            found.append(
                {
                    "drop": drop.name,
                    "day": day.isoformat(),
                    "file": str(Path(drop.folder) / drop.file_name(day)),
                    "state": str(reading.state),
                    "problem": reading.problem or None,
                    "nearest": list(reading.nearest),
                    **{str(status): counts[status] for status in Status},
                    "duration_s": round(_duration(snapshot, reading.matches), 3),
                }
            )
    if options.json:
        print_json(found)
    else:
        for log in found:
            near = f"; nearest: {', '.join(log['nearest'])}" if log["nearest"] else ""
            print(
                f"{log['day']}  {log['file']}: {log['problem'] or log['state']}{near}, "
                f"{log['matched']} lines found, {log['missing']} missing, "
                f"{length(log['duration_s'])}"
            )
    return 0 if all(log["state"] == ReadingState.READ for log in found) else 1


def _drop(snapshot: Snapshot, wanted: str) -> LogDrop:
    for drop in snapshot.programme.drops.values():
        if wanted in {str(drop.id), drop.name}:
            return drop
    names = ", ".join(f"{drop.id} ({drop.name})" for drop in snapshot.programme.drops.values())
    raise SettingRefused(f"there is no log drop '{wanted}'; there are {names}")


def _duration(snapshot: Snapshot, matches: Sequence[Match]) -> float:
    """Return the seconds from the first cue in to the last segue point, segues counted."""
    items = [snapshot.programme.items[m.cart] for m in matches if m.cart is not None]
    programme = snapshot.programme
    rate = programme.settings.rate
    spans = [span(item, rate, programme.segues) for item in items]
    return sum(here.segue - here.cue_in for here in spans) / rate


def _line_view(match: Match) -> dict[str, Any]:
    return {
        "line": match.line.number,
        "raw": match.line.raw,
        "status": str(match.status),
        "how": match.how,
        "cart": match.cart,
    }
