"""Changing the running order by hand. Each edit names its lines by id."""

from __future__ import annotations

from typing import TYPE_CHECKING

from nightly_spindle.core.errors import InputFault
from nightly_spindle.core.running import Line, Origin, Source

if TYPE_CHECKING:
    from collections.abc import Sequence

    from nightly_spindle.core.running import AirState


class Edits:
    """The part of the sequencer that takes edits of the lines still to come."""

    def __init__(self, state: AirState) -> None:
        self.state = state

    def insert(
        self, index: int, cart: int, origin: Origin | None = None, line_id: int | None = None
    ) -> Line:
        """Put an item before the line that is now at `index` (0 airs next).

        `line_id` brings back a line that was removed, under its old id.
        """
        origin = origin or Origin(Source.HAND, why="Put in by hand.")
        if line_id is None:
            line_id = self.state.take_id()
        elif any(line.id == line_id for line in self.state.upcoming):
            raise InputFault(f"line {line_id} is in the running order already")
        line = Line(line_id, cart, origin)
        at = min(max(0, index), len(self.state.upcoming))
        self.state.upcoming.insert(at, line)
        self.state.revision += 1
        return line

    def remove(self, line_ids: Sequence[int]) -> list[tuple[int, Line]]:
        """Take lines out; returns (index, line) of each, ascending."""
        gone = [(i, line) for i, line in enumerate(self.state.upcoming) if line.id in line_ids]
        self._all_there(line_ids, [line for _, line in gone])
        self.state.upcoming = [line for line in self.state.upcoming if line.id not in line_ids]
        self.state.revision += 1
        return gone

    def move(self, line_id: int, index: int) -> int:
        """Move a line to `index` of the order without it; returns where it was."""
        at = next((i for i, ln in enumerate(self.state.upcoming) if ln.id == line_id), None)
        if at is None:
            self._all_there([line_id], [])
            return 0
        line = self.state.upcoming.pop(at)
        index = min(max(0, index), len(self.state.upcoming))
        self.state.upcoming.insert(index, line)
        self.state.revision += 1
        return at

    @staticmethod
    def _all_there(wanted: Sequence[int], found: Sequence[Line]) -> None:
        lost = set(wanted) - {line.id for line in found}
        if lost:
            raise InputFault(
                f"line {min(lost)} is not in the running order any more: it aired, or was replaced"
            )
