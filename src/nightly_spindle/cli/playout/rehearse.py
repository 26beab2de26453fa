"""`rehearse`, `render`."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import TYPE_CHECKING

from nightly_spindle.cli.base.begun_sequencer import begin
from nightly_spindle.cli.base.common import checked_length, instant, print_json
from nightly_spindle.core.base.timebase import US, clock, iso, length
from nightly_spindle.core.playout.rehearsal import rehearse
from nightly_spindle.core.reports.json_views import entry_views, rehearsal_view
from nightly_spindle.store.programme.snapshot import open_station

if TYPE_CHECKING:
    import argparse
    from collections.abc import Iterable
    from zoneinfo import ZoneInfo

    from nightly_spindle.core.playout.rehearsal_rows import OverlayRow, RehearsalRow
    from nightly_spindle.core.programme.air_state import AirState


def rehearse_hours(options: argparse.Namespace) -> int:
    """Play the coming hours ahead and print what will air and what will go wrong."""
    hours = checked_length(options.hours, "hours")
    snapshot, sequencer, begun = begin(options.folder, options.from_, hours, watching=True)
    night = rehearse(snapshot.programme, sequencer, begun, hours)
    tz, state = snapshot.programme.settings.tz, sequencer.state
    if options.json:
        print_json(rehearsal_view(night, state, tz))
        return 0
    _print_rows(night.rows, night.overlays, state, tz)
    for landing in night.landings:
        print(landing.text)
    for finding in night.findings:
        print(f"{finding.severity}: {finding.text} {finding.mend}")
    print(f"{len(night.sounding())} items air; {len(night.findings)} findings.")
    return 0


def _print_rows(
    rows: Iterable[RehearsalRow], overlays: Iterable[OverlayRow], state: AirState, tz: ZoneInfo
) -> None:
    over: dict[int, list[OverlayRow]] = {}
    for one in overlays:
        over.setdefault(one.overlay.line_id, []).append(one)
    for row in rows:
        at = clock(state.clock.instant_of(row.start), tz)
        lasts = length((row.end - row.start) / state.clock.rate)
        title = row.play.item.label if row.play else row.title
        note = "" if row.outcome == "aired" else f"  [{row.outcome}: {row.note}]"
        print(f"{at}  {lasts:>7}  {title}  ({row.line.origin.text}){note}")
        for one in over.get(row.line.id, ()) if row.play else ():
            at = clock(state.clock.instant_of(one.start), tz)
            print(
                f"{at}           over {one.overlay.over}: {one.overlay.item.title}"
                f"  ({one.overlay.origin})"
            )


def render_out(options: argparse.Namespace) -> int:
    """Render the station's sound to a file and print its as-run lines."""
    from nightly_spindle.air.render import render

    seconds = checked_length(options.seconds, "seconds", 48 * 3600.0)
    out = Path(options.out)
    snapshot, sequencer, begun = begin(options.folder, options.from_, seconds / 3600)

    def progress(part: float) -> None:
        if sys.stderr.isatty():
            print(f"\r{part:.0%}", end="\n" if part == 1 else "", file=sys.stderr)

    rows, overlays = render(sequencer, begun, seconds, out, progress)
    tz, state = snapshot.programme.settings.tz, sequencer.state
    if options.json:
        print_json({"out": str(out), "entries": entry_views(rows, overlays, state, tz)})
    else:
        _print_rows(rows, overlays, state, tz)
    return 0


def list_firings(options: argparse.Namespace) -> int:
    """List what timed events will fire."""
    hours = checked_length(options.hours, "hours", 24.0 * 800)
    programme = open_station(Path(options.folder)).programme
    tz = programme.settings.tz
    at = instant(options.from_, tz)
    found = programme.firings(at - 1, at + round(hours * 3600 * US))
    coming = [firing for firing in found if firing.event.acts]
    if options.json:
        print_json(
            [
                {
                    "event": firing.event.name,
                    "at": iso(firing.at_us, tz),
                    "entry": str(firing.event.entry),
                    "steps": [step.sentence() for step in firing.event.steps],
                }
                for firing in coming
            ]
        )
        return 0
    for event in programme.standing_events():
        if event.acts:
            print(f"{event.name}: {event.sentence()}")
    for firing in coming:
        print(f"{iso(firing.at_us, tz)}  {firing.event.name}")
    return 0
