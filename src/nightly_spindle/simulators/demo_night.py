"""The night before: what the demo station would have aired by now, in its as-run log.

Made-up like all of the demo, but by the rules of the real thing: the sequencer plays the hours in
fast forward, and the journal writes what it did.
"""

from __future__ import annotations

from datetime import datetime, time, timedelta
from typing import TYPE_CHECKING

from nightly_spindle.core.base.timebase import US, local_from, resolve_local
from nightly_spindle.core.playout.air_start import take_the_air
from nightly_spindle.core.reports.as_run import records
from nightly_spindle.store.playout.journal import Journal
from nightly_spindle.store.programme.snapshot import open_station
from nightly_spindle.store.reports.spot_placements import place

if TYPE_CHECKING:
    from collections.abc import Callable
    from pathlib import Path

_FROM = time(18)
_STEP_S = 900.0  # of programme between two words of progress
_SESSION = "the night before"


def air_the_night_before(folder: Path, now_us: int, progress: Callable[[str, float], None]) -> int:
    """Air yesterday's evening and everything since into the as-run log; returns the lines.

    Nothing where something has aired already.
    """
    snapshot = open_station(folder)
    try:
        if snapshot.connection.execute("SELECT 1 FROM as_run LIMIT 1").fetchone():
            return 0
        tz = snapshot.programme.settings.tz
        yesterday = local_from(now_us, tz).date() - timedelta(days=1)
        begin_us = resolve_local(datetime.combine(yesterday, _FROM), tz)
        place(snapshot, begin_us)
    finally:
        snapshot.connection.close()
    snapshot = open_station(folder)  # with the spots in their breaks
    try:
        snapshot.prepare(begin_us, now_us, None)
        sequencer, actions = take_the_air(snapshot.programme, None, begin_us)
        clock = sequencer.state.clock
        done, whole_s = list(actions), (now_us - begin_us) / US
        aired_s = 0.0
        while aired_s < whole_s:
            aired_s = min(whole_s, aired_s + _STEP_S)
            done += sequencer.advance(clock.frame_of(begin_us + round(aired_s * US)))
            progress("airing the night before", aired_s / whole_s)
        lines, alarms = records(done, sequencer.state, _SESSION)
        journal = Journal(folder)
        journal.prepare()
        # what is on air at the end breaks off there, as when an engine is told to leave
        journal.write(lines, alarms, None, now_us)
        journal.close_open(now_us)
        journal.write([], [], None, now_us)
        journal.close()
        return len(lines)
    finally:
        snapshot.connection.close()
