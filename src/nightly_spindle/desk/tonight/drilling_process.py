"""Drilling the coming night, in a process of its own: one drill a request (`answering`).

Nothing here knows Qt.
"""

from __future__ import annotations

import sys
from dataclasses import dataclass
from pathlib import Path
from typing import BinaryIO

from nightly_spindle.core.base.timebase import US
from nightly_spindle.core.playout.drills import BREAKS_US, Drill, run_drill
from nightly_spindle.core.programme.air_state import AirState
from nightly_spindle.core.reports.drilled import Drilled, drilled_of
from nightly_spindle.core.reports.timeline import begin_ahead
from nightly_spindle.desk.kit.answering import serve
from nightly_spindle.store.base.changes import change_count
from nightly_spindle.store.base.messages import begin_messages
from nightly_spindle.store.playout.journal import load_state
from nightly_spindle.store.programme.snapshot import Snapshot, open_station


@dataclass(frozen=True, slots=True)
class Request:
    """One drill over the night that begins with this state (None: the one saved last)."""

    state: AirState | None
    now_us: int
    live: bool
    hours: float
    drill: Drill


@dataclass(frozen=True, slots=True)
class Reply:
    """What the drill comes to, or a sentence that says why nothing."""

    found: Drilled | None
    problem: str = ""


class _Kept:
    """The station, read again when it was edited."""

    def __init__(self) -> None:
        self.snapshot: Snapshot | None = None

    def of(self, folder: Path) -> Snapshot:
        """Return the station as it is now."""
        known = self.snapshot
        if known is not None and change_count(known.connection) != known.count:
            known.connection.close()
            known = None
        self.snapshot = known or open_station(folder)
        return self.snapshot


_kept = _Kept()


def _drill(folder: Path, asked: Request) -> Drilled:
    snapshot = _kept.of(folder)
    state = load_state(snapshot.connection) if asked.state is None else asked.state
    until_us = asked.now_us + round(asked.hours * 3600) * US
    snapshot.prepare(asked.now_us, until_us, state)
    programme = snapshot.programme
    sequencer, begun = begin_ahead(programme, state, asked.now_us, live=asked.live)
    at_us = sequencer.state.clock.now_us + BREAKS_US
    return drilled_of(run_drill(programme, sequencer, begun, asked.hours, asked.drill, at_us))


def main(folder: Path, pipes: tuple[BinaryIO, BinaryIO]) -> None:
    """Answer requests until they end."""
    begin_messages(folder, "driller", echo=False)
    serve(
        pipes,
        Request,
        lambda asked: Reply(_drill(folder, asked)),
        lambda why: Reply(None, why),
        "The drill could not be run",
    )


if __name__ == "__main__":
    main(Path(sys.argv[1]), (sys.stdin.buffer, sys.stdout.buffer))
