"""A sequencer begun as an engine would begin it, for what plays the coming hours ahead."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from nightly_spindle.air.client import ask
from nightly_spindle.air.messages import State
from nightly_spindle.air.places import engine_pid
from nightly_spindle.cli.base.common import instant
from nightly_spindle.core.base.timebase import US
from nightly_spindle.core.playout.air_start import take_the_air
from nightly_spindle.core.playout.sequencer import Sequencer
from nightly_spindle.store.playout.journal import load_state
from nightly_spindle.store.programme.snapshot import Snapshot, open_station

if TYPE_CHECKING:
    from nightly_spindle.core.programme.sequencer_actions import Action


def begin(
    folder: str, from_: str | None, hours: float, *, watching: bool = False
) -> tuple[Snapshot, Sequencer, list[Action]]:
    """Return a sequencer as an engine would start: cold at `from_`, or from its state, now.

    `watching` looks at an engine that is on air instead: the item on air began when it did.
    """
    snapshot = open_station(Path(folder))
    at = instant(from_, snapshot.programme.settings.tz)
    if watching and from_ is None and engine_pid(Path(folder)) is not None:
        state = ask(Path(folder), State()).state
        at = state.clock.now_us
        snapshot.prepare(at, at + round(hours * 3600 * US), state)
        sequencer = Sequencer(snapshot.programme, state)
        return snapshot, sequencer, sequencer.present()
    saved = None if from_ is not None else load_state(snapshot.connection)
    snapshot.prepare(at, at + round(hours * 3600 * US), saved)
    sequencer, begun = take_the_air(snapshot.programme, saved, at)
    return snapshot, sequencer, begun
