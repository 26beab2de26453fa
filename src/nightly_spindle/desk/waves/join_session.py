"""One join as it is being edited: what is planned, what was changed, what it sounds like."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

from nightly_spindle.audio.join_level import JoinLevels, assess, join_levels, side_of
from nightly_spindle.core.base.timebase import to_frames
from nightly_spindle.core.library.items import Item
from nightly_spindle.core.library.loudness_gain import Gain, gain
from nightly_spindle.core.library.markers import Marks, Shaping
from nightly_spindle.core.playout.overlay_choice import ducking_of
from nightly_spindle.core.segues.effective_markers import edit_as_markers
from nightly_spindle.core.segues.joins import Join, plan_join, span
from nightly_spindle.core.segues.segue_rules import JoinEdit, Segues
from nightly_spindle.core.station.settings import StationSettings
from nightly_spindle.simulators.listening_orders import HeardOverlay, HeardVoice, PlayJoin

_BEFORE_S, _AFTER_S = 5.0, 6.0  # what is heard around a join


@dataclass(frozen=True, slots=True, eq=False)
class Meeting:
    """Two items that meet, read from the library."""

    out: Item
    into: Item
    settings: StationSettings
    segues: Segues
    stored: dict[int, bytes]  # levels
    overviews: dict[int, bytes]


class JoinSession:
    """Plans the join anew with every change. `begin_s` is where the outgoing item began."""

    def __init__(self, meeting: Meeting, begin_s: float, edit: JoinEdit | None) -> None:
        self.meeting = meeting
        self._begin_s = begin_s
        pair = (meeting.out.cart, meeting.into.cart)
        # an edit of this one join stands before that of the pair
        self.kept = edit or meeting.segues.pairs.get(pair)
        self.edit = self.kept or JoinEdit()
        self.gains: tuple[Gain, Gain] = tuple(  # type: ignore[assignment]
            gain(item, meeting.settings.levels, meeting.settings.kind_levels)
            for item in (meeting.out, meeting.into)
        )
        self._sides = [
            side_of(item, meeting.stored.get(item.cart, b""), meeting.settings)
            for item in (meeting.out, meeting.into)
        ]
        self.measured = all(side.envelope is not None for side in self._sides)
        self.join: Join
        self.levels: JoinLevels
        self._plan()

    @property
    def rate(self) -> int:
        """The station's mix rate, which positions of the join are counted at."""
        return self.meeting.settings.rate

    @property
    def changed(self) -> bool:
        """Whether something was changed that is not kept yet."""
        return self.edit != (self.kept or JoinEdit())

    def _plan(self) -> None:
        meeting = self.meeting
        begin = to_frames(self._begin_s, self.rate)
        # nothing set here is as the rules and the items say, not as the pair says
        segues = replace(meeting.segues, pairs={})
        self.join = plan_join(meeting.out, begin, meeting.into, segues, self.rate, self.edit)
        self.levels = join_levels(self._sides[0], self._sides[1], self.join, self.rate)

    def change(self, **values: Any) -> None:
        """Change values of the edit; None is as planned."""
        for name in ("segue_s", "fade_start_s"):
            if values.get(name) is not None:
                values[name] = round(max(0.0, values[name]), 4)
        for name in ("fade_out_s", "fade_in_s"):
            if values.get(name) is not None:
                values[name] = round(min(20.0, max(0.0, values[name])), 3)
        self.edit = replace(self.edit, out_cart=self.meeting.out.cart, **values)
        if self.edit == JoinEdit(out_cart=self.meeting.out.cart):
            self.edit = JoinEdit()
        self._plan()

    def reset(self) -> None:
        """Let the join be as the rules and the items say."""
        self.edit = JoinEdit()
        self._plan()

    def seconds(self, frames: int) -> float:
        """Return frames at the mix rate as seconds."""
        return frames / self.rate

    @property
    def start_s(self) -> float:
        """Where in the outgoing item the incoming one starts."""
        return self.join.segue / self.rate

    def faults(self) -> tuple[str, ...]:
        """What is wrong with the level through the join."""
        return assess(self.levels).faults if self.measured else ()

    def told(self) -> str:
        """Say the level through the join in one sentence."""
        if not self.measured:
            return "The levels of these items are not measured yet."
        verdict = assess(self.levels)
        if verdict.faults:
            return " ".join(verdict.faults)
        lowest = f"; lowest point {verdict.dip_db:.0f} dB down" if verdict.dip_db >= 0.5 else ""
        return f"The level holds{lowest}; {verdict.step}."

    def why(self) -> tuple[tuple[str, str], ...]:
        """Say for every value how it was found."""
        lifts = [("gain out", self.gains[0].why), ("gain in", self.gains[1].why)]
        return (*self.join.reasons, *lifts)

    def into_items(self) -> dict[int, tuple[Marks | None, Shaping | None]]:
        """Return what the items would say themselves; InputFault when an order cannot be."""
        return edit_as_markers(self.meeting.out, self.meeting.into, self.edit)

    def to_hear(self, over: Sequence[tuple[Item, float]] = ()) -> tuple[PlayJoin, float]:
        """Return the join as the operator hears it alone, and where in the outgoing it begins.

        `over` are overlays, each with the seconds from the start of the incoming item at which
        it begins.
        """
        join, rate = self.join, self.rate
        out, into = self.meeting.out, self.meeting.into
        here, there = span(out, rate), span(into, rate)
        first = min(join.fade_at, join.segue) / rate - _BEFORE_S
        if over:
            first = min(first, join.segue / rate + min(at for _, at in over) - _BEFORE_S / 2)
        first = max(here.cue_in / rate, self._begin_s, first)
        start = join.segue / rate - first
        voices = (
            HeardVoice(
                path=out.path,
                from_s=first,
                to_s=here.cue_out / rate,
                start_s=0.0,
                gain_db=self.gains[0].db,
                fade_at_s=join.fade_at / rate,
                fade_s=join.fade_out / rate,
                out_curve=join.out_curve,
            ),
            HeardVoice(
                path=into.path,
                from_s=there.cue_in / rate,
                to_s=there.cue_out / rate,
                start_s=start,
                gain_db=self.gains[1].db,
                fade_in_s=join.fade_in / rate,
                in_curve=join.in_curve,
            ),
        )
        end = start + max(0.0, join.overlap / rate) + _AFTER_S
        laid = tuple(self._laid(item, start + at) for item, at in over)
        ends = [one.start_s + one.to_s - one.from_s + _AFTER_S / 2 for one in laid]
        return PlayJoin(voices, laid, 0.0, max([end, *ends])), first

    def _laid(self, item: Item, start_s: float) -> HeardOverlay:
        """Return an overlay on the line of the join."""
        settings, here = self.meeting.settings, span(item, self.rate)
        return HeardOverlay(
            path=item.path,
            from_s=here.cue_in / self.rate,
            to_s=here.cue_out / self.rate,
            start_s=start_s,
            gain_db=gain(item, settings.levels, settings.kind_levels).db,
            duck=ducking_of(settings, item),
        )
