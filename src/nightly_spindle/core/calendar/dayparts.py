"""Dayparts: from a time of day until another, and again and again within it."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import time

from nightly_spindle.core.calendar.day_rules import DAY_S


@dataclass(frozen=True, slots=True)
class Repeat:
    """Again and again within a daypart: from the rule's time of day until another, exclusive.

    `every_s` 0 means that it does not repeat: the daypart alone is meant. An end at or before
    the start lies on the next day. The clock on the wall counts: an hour that comes twice has
    its firings twice, one that is left out has none.
    """

    every_s: int
    until: time

    def length_s(self, start: time) -> int:
        """Return how long the daypart is by the clock on the wall."""
        lasts = (seconds_of(self.until) - seconds_of(start)) % DAY_S
        return lasts or DAY_S


def seconds_of(at: time) -> int:
    """Return a time of day as seconds since midnight by the clock on the wall."""
    return at.hour * 3600 + at.minute * 60 + at.second
