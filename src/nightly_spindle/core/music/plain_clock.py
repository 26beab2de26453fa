"""A format clock to begin with: music all hour, something of the station's own every quarter."""

from __future__ import annotations

from typing import TYPE_CHECKING

from nightly_spindle.core.library.items import Kind
from nightly_spindle.core.music.format_clocks import ClockSlot, FormatClock, SlotKind

if TYPE_CHECKING:
    from collections.abc import Mapping

NAME = "Every hour"
_QUARTERS_S = (900.0, 1800.0, 2700.0)
# what identifies a station, the most telling first
_OWN = (Kind.ID, Kind.JINGLE, Kind.SWEEPER, Kind.PROMO)


def plain_clock(categories: Mapping[str, tuple[Kind, int]]) -> FormatClock:
    """Return a clock over categories, each given with its kind and how many items it holds.

    Songs come by weights, each category as often as it is large. The hour opens with one of the
    station's own (an ID, else a jingle, a sweeper, a promo), and each further quarter has one.
    """
    songs = {name: count for name, (kind, count) in categories.items() if kind is Kind.SONG}
    weights = tuple((name, float(count)) for name, count in songs.items() if count)
    own = next(
        (
            name
            for wanted in _OWN
            for name, (kind, count) in categories.items()
            if kind is wanted and count
        ),
        "",
    )
    music = ClockSlot(SlotKind.MUSIC)
    if not own:
        return FormatClock(0, NAME, (music,), weights)
    one = ClockSlot(SlotKind.CATEGORY, own)
    slots = [one]
    for quarter in _QUARTERS_S:
        slots += [ClockSlot(SlotKind.MUSIC, at_s=quarter), one]
    return FormatClock(0, NAME, (*slots, music), weights)
