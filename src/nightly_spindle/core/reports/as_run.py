"""The as-run log: what did air, to the second, and why."""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any
from zlib import crc32

from nightly_spindle.core.base.findings import Finding
from nightly_spindle.core.base.timebase import clock, iso, length, us_from_frames
from nightly_spindle.core.base.wording import counted
from nightly_spindle.core.playout.spot_heard import share_heard, whole_frames
from nightly_spindle.core.programme.running_order import Outcome, Overlay, Play
from nightly_spindle.core.programme.sequencer_actions import (
    Action,
    BreakFilled,
    Dropped,
    Ended,
    Fired,
    LogLoaded,
    OverlayEnded,
    StartOverlay,
    StartVoice,
)
from nightly_spindle.core.segues.joins import span

if TYPE_CHECKING:
    from collections.abc import Iterable
    from zoneinfo import ZoneInfo

    from nightly_spindle.core.programme.air_state import AirState
    from nightly_spindle.core.programme.running_order import Line


OFF_AIR = "Off air"  # the title of the line that a start leaves of the time before it


@dataclass(frozen=True, slots=True)
class AsRun:
    """One line of the as-run log. `key` names the play or line within its engine session.

    `over` says of an overlay what it lay on; it is empty for everything else. Of a campaign's spot:
    `campaign` is its number, `break_id` and `break_us` the break it was placed in (0 where a
    log brought it), `good` whether it made good for that. `file` is the audio, `whole_us` how long
    it is in full, `share` how much of it was heard, 0 to 1, once it is over.
    """

    key: str
    start_us: int
    end_us: int
    cart: int | None
    kind: str
    title: str
    artist: str
    origin: str
    why: str
    outcome: str
    note: str
    over: str = ""
    campaign: int = 0
    break_id: int = 0
    break_us: int = 0
    good: bool = False
    file: str = ""
    whole_us: int = 0
    share: float = 0.0


@dataclass(frozen=True, slots=True)
class Alarm:
    """A finding that happened on air.

    Equal ones are one with a count: `times`, the last of them at `last_us` (0: there is but one).
    """

    key: str
    at_us: int
    code: str
    severity: str
    text: str
    mend: str
    times: int = 1
    last_us: int = 0

    def told(self, tz: ZoneInfo) -> str:
        """What is told of it, with how often where that is more than once."""
        if self.times < 2:
            return self.text
        return f"{self.text} ({self.times} times, the last at {clock(self.last_us, tz)})"


def fold_of(code: str, text: str) -> str:
    """Return what equal alarms have in common: all but figures; titles keep theirs."""
    parts = re.split("(“[^”]*”)", text)
    return f"{code} " + "".join(
        part if part.startswith("“") else re.sub(r"\d+", "#", part) for part in parts
    )


def records(
    actions: Iterable[Action], state: AirState, session: str
) -> tuple[list[AsRun], list[Alarm]]:
    """Return what the actions leave behind, in order.

    A play is written when it starts, as "on air", and again under the same key when it
    ends.
    """
    lines: list[AsRun] = []
    alarms: list[Alarm] = []

    def when(frame: int) -> int:
        return state.clock.instant_of(frame)

    for action in actions:
        if isinstance(action, Finding):
            alarms.append(_alarm(action, when(action.at), session))
            continue
        line = _line(action, when, session, state.clock.rate)
        if line is not None:
            lines.append(line)
    return lines, alarms


def _line(action: Action, when: Any, session: str, rate: int) -> AsRun | None:
    """Return the line that an action leaves, None for orders to the mixer."""
    if isinstance(action, StartVoice):
        end = action.play.start + action.end - action.play.begin
        return _played(action.play, end, when, Outcome.ON_AIR, "", session, rate)
    if isinstance(action, Ended):
        told = (action.outcome, action.note, session, rate)
        return _played(action.play, action.end, when, *told)
    found: AsRun | None = None
    if isinstance(action, StartOverlay):
        found = _overlaid(action.play, when, action.play.end, Outcome.ON_AIR, "", session)
    elif isinstance(action, OverlayEnded):
        found = _overlaid(action.play, when, action.end, action.outcome, action.note, session)
    elif isinstance(action, Dropped):
        found = _dropped(action.line, when(action.at), action, session)
    elif isinstance(action, LogLoaded):
        found = _log(action, when(action.at), session)
    elif isinstance(action, BreakFilled):
        found = _filled(action, when(action.at), session)
    elif isinstance(action, Fired) and action.event_id > 0:
        found = _fired(action, when(action.at), session)
    return found


def _alarm(finding: Finding, at_us: int, session: str) -> Alarm:
    # two findings of one kind can fall on one frame: what they say tells them apart
    mark = f"{crc32(finding.text.encode()):08x}"
    key = f"{session}/{finding.code}/{finding.at}/{finding.line_id}/{mark}"
    return Alarm(key, at_us, finding.code, str(finding.severity), finding.text, finding.mend)


def _played(
    play: Play, end: int, when: Any, outcome: Outcome, note: str, session: str, rate: int
) -> AsRun:
    item = play.item
    notes = [note] if note else []
    if play.joined:
        into = (play.begin - span(item, rate).cue_in) / rate
        notes.insert(0, f"joined in progress at {length(into)}")
    return AsRun(
        f"{session}/play/{play.id}",
        when(play.start),
        when(end),
        item.cart,
        str(item.kind),
        item.title,
        item.artist,
        play.line.origin.text,
        play.line.origin.why,
        str(outcome),
        "; ".join(notes),
        **_spot(play.line),
        file=item.path,
        whole_us=us_from_frames(whole_frames(play, rate), rate),
        share=0.0 if outcome is Outcome.ON_AIR else share_heard(play, end, outcome, rate),
    )


def _spot(line: Line) -> dict[str, Any]:
    """Return what a line says of whose spot it is."""
    spot = line.spot
    if spot is None:
        return {}
    return {
        "campaign": spot.campaign,
        "break_id": spot.pattern,
        "break_us": spot.at_us,
        "good": spot.good,
    }


def _overlaid(
    overlay: Overlay, when: Any, end: int, outcome: Outcome, note: str, session: str
) -> AsRun:
    """Return the line of an overlay: listed as items are, with what it lay on."""
    item = overlay.item
    return AsRun(
        f"{session}/play/{overlay.id}",
        when(overlay.start),
        when(end),
        item.cart,
        str(item.kind),
        item.title,
        item.artist,
        overlay.origin,
        overlay.why,
        str(outcome),
        note,
        overlay.over,
    )


def _dropped(line: Line, at_us: int, action: Dropped, session: str) -> AsRun:
    return AsRun(
        f"{session}/line/{line.id}",
        at_us,
        at_us,
        line.cart or None,
        "",
        action.title,
        "",
        line.origin.text,
        line.origin.why,
        str(action.outcome),
        action.why,
        **_spot(line),
    )


def _fired(action: Fired, at_us: int, session: str) -> AsRun:
    """Return the line that a timed event itself leaves."""
    key = f"{session}/event/{action.event_id}/{action.due_us}/{action.at}"
    many = len(action.line_ids)
    did = ", then ".join(action.did) or (counted(many, "line") if many else "nothing to air")
    why = f"A timed event, entry “{action.entry}”."
    return AsRun(
        key,
        at_us,
        at_us,
        None,
        "",
        f"Event {action.event}",
        "",
        action.event,
        why,
        str(Outcome.FIRED),
        did,
    )


def _filled(action: BreakFilled, at_us: int, session: str) -> AsRun:
    """Return the line that a break leaves."""
    key = f"{session}/break/{action.key[0]}/{action.key[1]}/{action.at}"
    return AsRun(
        key,
        at_us,
        at_us,
        None,
        "",
        f"Break {action.name}",
        "",
        action.name,
        "A break came and was filled.",
        str(Outcome.FILLED),
        action.note,
        break_id=action.key[0],
        break_us=action.key[1],
    )


def _log(action: LogLoaded, at_us: int, session: str) -> AsRun:
    """Return the line that a log itself leaves: loaded, or due and not there."""
    key = f"{session}/log/{action.drop}/{action.slot_us}/{action.at}"
    note = action.why
    if action.lines:
        note = f"{action.lines} lines"
        note += f", {action.lost} not found" if action.lost else ""
        note += f", from line {action.from_line}" if action.from_line else ""
    outcome = Outcome.LOADED if action.lines else Outcome.MISSING
    return AsRun(
        key,
        at_us,
        at_us,
        None,
        "",
        f"Log {action.file}",
        "",
        action.name,
        action.why,
        str(outcome),
        note,
    )


def as_run_view(line: AsRun, tz: ZoneInfo) -> dict[str, Any]:
    """Return a line as JSON: times ISO 8601 with offset."""
    return {
        "start": iso(line.start_us, tz),
        "end": iso(line.end_us, tz),
        "cart": line.cart,
        "kind": line.kind or None,
        "title": line.title,
        "artist": line.artist,
        "origin": line.origin,
        "why": line.why,
        "state": line.outcome,
        "note": line.note,
        "over": line.over or None,
        "campaign": line.campaign or None,
        "file": line.file or None,
    }
