"""What a new station still lacks before it can run a night: music, a log, an output, a net."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum
from typing import TYPE_CHECKING

from nightly_spindle.core.base.wording import counted
from nightly_spindle.core.outputs.outputs import outputs_sentence
from nightly_spindle.core.station.log_sources import ReadingState
from nightly_spindle.store.outputs.outputs import read_outputs
from nightly_spindle.store.programme.snapshot import open_station
from nightly_spindle.store.reports.net_levels import levels_of

if TYPE_CHECKING:
    import sqlite3
    from pathlib import Path

    from nightly_spindle.store.programme.snapshot import Snapshot

_DAY_US = 86_400_000_000


class Step(StrEnum):
    """What a station needs."""

    MUSIC = "Music"
    LOG = "A log, or a clock"
    OUTPUT = "An output"
    NET = "A safety net"


@dataclass(frozen=True, slots=True)
class FirstStep:
    """One thing that a station needs: whether it has it, and a sentence."""

    step: Step
    done: bool
    said: str


def first_steps(folder: Path, now_us: int) -> list[FirstStep]:
    """Return what a station needs, in the order in which it is done."""
    snapshot = open_station(folder, shared=True)
    try:
        return [
            _music(snapshot.connection),
            _log(snapshot, now_us),
            _output(snapshot.connection),
            _net(snapshot, now_us),
        ]
    finally:
        snapshot.connection.close()


def _music(connection: sqlite3.Connection) -> FirstStep:
    songs = connection.execute(
        "SELECT count(*) FROM item WHERE kind = 'song' AND waits = ''"
    ).fetchone()[0]
    said = f"{counted(songs, 'song')} in the library." if songs else "There are no songs yet."
    return FirstStep(Step.MUSIC, songs > 0, said)


def _log(snapshot: Snapshot, now_us: int) -> FirstStep:
    programme = snapshot.programme
    hours = sum(clock > 0 for clock in programme.formats.plans.week)
    if hours:
        whole = "every hour" if hours == len(programme.formats.plans.week) else f"{hours} hours"
        return FirstStep(Step.LOG, True, f"The station makes {whole} of the week itself.")
    drops = [drop for drop in programme.drops.values() if drop.options.enabled]
    until_us = now_us + _DAY_US
    wanted = [(drop, slot) for drop in drops for slot in programme.coming(drop, now_us, until_us)]
    found = [one for one in snapshot.logs.look(wanted) if one.state is ReadingState.READ]
    if found:
        return FirstStep(Step.LOG, True, f"{counted(len(found), 'log')} found for the coming day.")
    said = "No log is there for the coming day, and no clock makes one."
    return FirstStep(Step.LOG, False, said)


def _output(connection: sqlite3.Connection) -> FirstStep:
    outputs = read_outputs(connection)
    return FirstStep(Step.OUTPUT, any(one.on for one in outputs), outputs_sentence(outputs))


def _net(snapshot: Snapshot, now_us: int) -> FirstStep:
    level = next(one for one in levels_of(snapshot, now_us) if one.lasts_s != 0)
    done = level.lasts_s is not None
    return FirstStep(Step.NET, done, f"If all else fails, “{level.name.lower()}” plays.")
