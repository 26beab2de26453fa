"""Lines whose folder is away keep their time; the safety net plays meanwhile.

A log that is a day long lasts a day, whatever of it can be played. So when the folder is back the
station is where its log should be by then, without anybody working that out, and what of the log
can be played airs about when it should.

While a line keeps its time stand-ins are put in front of it, of the safety net, as many as its
time takes. When its time is over it is missed. What follows begins, for the log, when its time was
over, not when the last stand-in was: so nothing adds up. Lines that are too short for a stand-in of
their own, as IDs and spots are, are missed together, as many as one stand-in takes.
"""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

from nightly_spindle.core.base.findings import Finding, Severity
from nightly_spindle.core.base.timebase import to_frames
from nightly_spindle.core.base.wording import counted
from nightly_spindle.core.playout.safety_net import stand_in
from nightly_spindle.core.programme.running_order import NET, Hold, Outcome
from nightly_spindle.core.programme.sequencer_actions import Action, Dropped
from nightly_spindle.core.segues.joins import span

if TYPE_CHECKING:
    from collections.abc import Iterable

    from nightly_spindle.core.library.items import Item
    from nightly_spindle.core.programme.air_state import AirState
    from nightly_spindle.core.programme.away_folders import Away
    from nightly_spindle.core.programme.programme import Programme
    from nightly_spindle.core.programme.running_order import Line, Play

MOST_SKIPPED = 3  # lines skipped in a row before the safety net plays something
_WORTH_S = 20.0  # what is left of a line's time is filled when there is so much of it
_ADRIFT_S = 600.0  # by so much at most the log's own time may lag


def keeps_time(programme: Programme, state: AirState) -> bool:
    """Whether the next line waits for its folder to come back."""
    if not programme.away or not state.order.upcoming:
        return False
    line = state.order.upcoming[0]
    return line.origin.source not in NET and programme.away_of(line.cart) is not None


def hold(programme: Programme, state: AirState, at: int, away: Away, actions: list[Action]) -> None:
    """Let the next line keep its time: a stand-in in front of it, or it is over and missed.

    What is on air ends at frame `at`.
    """
    line = state.order.upcoming[0]
    item = programme.item(line.cart)
    assert item is not None, "what is away is known"
    kept, worth = state.order.kept_time, to_frames(_WORTH_S, state.clock.rate)
    if kept is None or kept.line_id != line.id:
        begun = (
            at
            if kept is None or _adrift(kept, at, state.clock.rate)
            else min(kept.until, at + worth)
        )
        state.order.kept_time = kept = Hold(line.id, begun, begun + _lasts(programme, item))
    if kept.until - at >= worth:
        state.order.upcoming.insert(0, stand_in(programme, state, at, actions))
        state.revision += 1
        return
    _miss(state, line, item, at, away.reason, actions)


def go_on(programme: Programme, state: AirState, at: int, actions: list[Action]) -> bool:
    """Look at a next line that can be played (again); returns whether it is over all the same.

    Its folder is back: when more than half of its time has passed the log is at the next line.
    """
    line, kept = state.order.upcoming[0], state.order.kept_time
    if kept is None or kept.line_id != line.id:
        return False
    if at - kept.begun <= (kept.until - kept.begun) / 2:
        return False
    item = programme.item(line.cart)
    assert item is not None, "what can be played is known"
    _miss(state, line, item, at, "its folder was away while it was its time", actions)
    return True


def note_start(programme: Programme, state: AirState, line: Line, item: Item) -> None:
    """Go on with the log's own time by a line that starts; forget it when nothing is away."""
    state.order.skipped = 0
    kept = state.order.kept_time
    if kept is None or line.origin.source in NET:
        return
    if not programme.away:
        state.order.kept_time = None
        return
    begun = min(kept.until, state.clock.frame)
    state.order.kept_time = Hold(0, begun, begun + _lasts(programme, item))


def put_back(programme: Programme, state: AirState, playing: Play) -> None:
    """Let the line that should be on air keep what is left of its time: its folder is away."""
    line = replace(playing.line, id=state.take_id())
    until = playing.start + _lasts(programme, playing.item)
    state.order.upcoming.insert(0, line)
    state.order.kept_time = Hold(line.id, playing.start, until)
    state.order.playing = None
    state.revision += 1


def folder_back(state: AirState) -> None:
    """Take away the stand-ins that were lined up: what they stood for can be played."""
    while (
        state.order.upcoming
        and state.order.kept_time is not None
        and state.order.upcoming[0].origin.source in NET
    ):
        del state.order.upcoming[0]
    state.net.level = ""
    state.revision += 1


def skip_line(programme: Programme, state: AirState, at: int, actions: list[Action]) -> None:
    """Drop the next line, which cannot be played, and say so.

    After three in a row the safety net plays something before the next is tried.
    """
    line = state.order.upcoming.pop(0)
    state.revision += 1
    item, why = programme.item(line.cart), programme.why_unplayable(line.cart)
    title = item.title if item else f"cart {line.cart}"
    actions.append(Dropped(at, line, Outcome.UNPLAYABLE, title, why))
    text = f"“{title}” ({line.origin.text}) is skipped: {why}."
    mend = f"Import {item.path} again." if item else "Import the item again."
    actions.append(Finding("unplayable", Severity.WARNING, at, text, mend, line.id))
    state.order.skipped += 1
    if state.order.skipped >= MOST_SKIPPED and state.order.upcoming:
        state.order.skipped = 0
        state.order.upcoming.insert(0, stand_in(programme, state, at, actions))


def cannot_play(programme: Programme, state: AirState, carts: Iterable[int]) -> list[Finding]:
    """Return the finding that items cannot be played any more which are lined up, before they air.

    `carts` are those of which that is new.
    """
    wanted = set(carts)
    lines = [line for line in state.order.upcoming if line.cart in wanted]
    if not lines:
        return []
    first, others = lines[0], len({line.cart for line in lines}) - 1
    item = programme.item(first.cart)
    assert item is not None, "what was looked for is known"
    more = f"; so it is with {counted(others, 'other item')} lined up" if others else ""
    text = (
        f"“{item.title}” cannot be played when its turn comes: "
        f"{programme.why_unplayable(first.cart)}{more}."
    )
    mend = f"Import {item.path} again; what cannot be played is skipped."
    return [Finding("cannot-play", Severity.ALARM, state.clock.frame, text, mend, first.id)]


def _lasts(programme: Programme, item: Item) -> int:
    here = span(item, programme.settings.rate, programme.segues)
    return max(1, here.segue - here.cue_in)


def _adrift(kept: Hold, at: int, rate: int) -> bool:
    return at - kept.until > to_frames(_ADRIFT_S, rate)


def _miss(
    state: AirState, line: Line, item: Item, at: int, why: str, actions: list[Action]
) -> None:
    kept = state.order.kept_time
    assert kept is not None
    state.order.upcoming.pop(0)
    state.order.kept_time = Hold(0, kept.until, kept.until)
    state.revision += 1
    actions.append(Dropped(at, line, Outcome.MISSED, item.title, why))
