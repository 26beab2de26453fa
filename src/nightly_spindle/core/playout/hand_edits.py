"""Changing the running order by hand, and what is to be loaded into it.

Lines are named by id, places by the line that comes after (`before`), so that an edit
still means the same when lines have aired meanwhile: before a line that is gone is the
front, before 0 is the end.
"""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING, Any

from nightly_spindle.core.base.errors import InputFault
from nightly_spindle.core.playout.log_loading import now_us
from nightly_spindle.core.programme.running_order import Line, LineSource, Origin
from nightly_spindle.core.traffic.spot_state import LinedUp

if TYPE_CHECKING:
    from collections.abc import Sequence

    from nightly_spindle.core.programme.air_state import AirState
    from nightly_spindle.core.programme.running_order import Awaited, LoadOrder, OverlayWish
    from nightly_spindle.core.segues.segue_rules import JoinEdit


class HandEdits:
    """The part of the sequencer that takes edits of the lines still to come."""

    def __init__(self, state: AirState) -> None:
        self.state = state

    def insert(
        self, before: int, cart: int, origin: Origin | None = None, line_id: int | None = None
    ) -> Line:
        """Put an item before a line, under a number of its own unless one is given."""
        origin = origin or Origin(LineSource.HAND, why="Put in by hand.")
        number = self.state.take_id() if line_id is None else line_id
        return self.bring_back(before, Line(number, cart, origin))

    def bring_back(self, before: int, line: Line) -> Line:
        """Put a line that was removed back before another, with all that was set for it."""
        if any(one.id == line.id for one in self.state.order.upcoming):
            raise InputFault(f"line {line.id} is in the running order already")
        self.state.order.upcoming.insert(self._place(before), line)
        self.state.revision += 1
        spots = self.state.spots
        if line.spot is not None and line.spot in spots.owed:
            # it was owed since it was taken out
            spots.owed.remove(line.spot)
            spots.lined.append(LinedUp(line.spot, line.id))
        return line

    def remove(self, line_ids: Sequence[int]) -> list[tuple[int, Line]]:
        """Take lines out; returns (the line that came after, the line) of each, last first.

        Put back in that order, each finds its place.
        """
        lost = set(line_ids) - {line.id for line in self.state.order.upcoming}
        if lost:
            raise _gone(min(lost))
        order = self.state.order.upcoming
        after = [*(line.id for line in order[1:]), 0]
        taken = [
            (follower, line)
            for line, follower in zip(order, after, strict=True)
            if line.id in line_ids
        ]
        self.state.order.upcoming = [line for line in order if line.id not in line_ids]
        self.state.revision += 1
        return taken[::-1]

    def move(self, line_id: int, before: int) -> int:
        """Move a line before another; returns the line that it stood before (0: the end)."""
        order = self.state.order.upcoming
        at = next((i for i, line in enumerate(order) if line.id == line_id), None)
        if at is None:
            raise _gone(line_id)
        follower = order[at + 1].id if at + 1 < len(order) else 0
        if before == line_id:
            return follower
        line = order.pop(at)
        order.insert(self._place(before), line)
        self.state.revision += 1
        return follower

    def set_join(self, line_id: int, edit: JoinEdit | None) -> JoinEdit | None:
        """Set by hand how a line starts (None: as planned); returns what was set before."""
        was = self._line(line_id).join
        self._change(line_id, join=edit)
        return was

    def set_overlays(self, *, on: bool) -> None:
        """Let overlays sound from here on, or not; one that sounds is not broken off."""
        self.state.overlays.on = on
        self.state.revision += 1

    def set_overlay(self, line_id: int, wish: OverlayWish | None) -> OverlayWish | None:
        """Set by hand what lies over a line (None: as the pools say); returns what was set."""
        was = self._line(line_id).overlay
        self._change(line_id, overlay=wish)
        return was

    def set_tag(self, line_id: int, tag: str) -> str:
        """Set the word of a line that pools can go by; returns what it was."""
        was = self._line(line_id).tag
        self._change(line_id, tag=" ".join(tag.split()))
        return was

    def _line(self, line_id: int) -> Line:
        found = next((line for line in self.state.order.upcoming if line.id == line_id), None)
        if found is None:
            raise _gone(line_id)
        return found

    def _change(self, line_id: int, **values: Any) -> None:
        order = self.state.order.upcoming
        self.state.order.upcoming = [
            replace(line, **values) if line.id == line_id else line for line in order
        ]
        self.state.revision += 1

    def load_by_hand(self, order: LoadOrder) -> LoadOrder:
        """Have a log loaded at an instant, or at once when that is over; returns it numbered."""
        state = self.state
        soonest = max(state.clock.fired_until_us + 1, now_us(state))
        taken = replace(order, id=state.take_id(), at_us=max(order.at_us, soonest))
        state.logs.orders = sorted([*state.logs.orders, taken], key=lambda one: (one.at_us, one.id))
        state.revision += 1
        return taken

    def forget_order(self, order_id: int) -> LoadOrder:
        """Do not load by hand what was told to load later; InputFault when there is none such."""
        order = next((one for one in self.state.logs.orders if one.id == order_id), None)
        if order is None:
            raise InputFault(f"there is no load numbered {order_id}: it has happened, or never was")
        self.state.logs.orders.remove(order)
        self.state.revision += 1
        return order

    def give_up(self, awaited: Awaited) -> None:
        """A log that was due did not come in its time."""
        if awaited in self.state.logs.awaited:
            self.state.logs.awaited.remove(awaited)
            self.state.revision += 1

    def _place(self, before: int) -> int:
        if before == 0:
            return len(self.state.order.upcoming)
        places = (i for i, line in enumerate(self.state.order.upcoming) if line.id == before)
        return next(places, 0)


def _gone(line_id: int) -> InputFault:
    return InputFault(
        f"line {line_id} is not in the running order any more: it aired, or was replaced"
    )
