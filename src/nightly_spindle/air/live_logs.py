"""Logs as the pump sees them: what is known is answered at once, nothing is looked for."""

from __future__ import annotations

from typing import TYPE_CHECKING

from nightly_spindle.core.station.log_sources import LogReading, ReadingState

if TYPE_CHECKING:
    from nightly_spindle.core.calendar.log_periods import Slot
    from nightly_spindle.core.station.log_sources import LogDrop
    from nightly_spindle.store.logs.log_reader import LogReader


class NoLogs:
    """No log is known: an engine that has only its state file."""

    def reading(self, drop: LogDrop, slot: Slot) -> LogReading:
        """Say that it has not been looked for."""
        return _unknown(drop, slot)


class LiveLogs:
    """Readings that the watcher made. `wanted` are those it was asked for in vain."""

    def __init__(self, reader: LogReader) -> None:
        self._reader = reader
        self.wanted: dict[tuple[int, str], tuple[LogDrop, Slot]] = {}

    def reading(self, drop: LogDrop, slot: Slot) -> LogReading:
        """Return what is known; what is not is looked for by the watcher, and loaded then."""
        known = self._reader.known(drop, slot)
        if known is not None:
            return known
        self.wanted[drop.id, slot.key] = (drop, slot)
        return _unknown(drop, slot)


def _unknown(drop: LogDrop, slot: Slot) -> LogReading:
    name = drop.file_name(slot)
    problem = f"{name} has not been looked for yet"
    return LogReading(drop.id, slot, name, ReadingState.UNREADABLE, problem=problem)
