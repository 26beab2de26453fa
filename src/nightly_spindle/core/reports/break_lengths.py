"""How long a break will last: by what is placed in it, else by what it is taken to."""

from __future__ import annotations

from typing import TYPE_CHECKING

from nightly_spindle.core.base.timebase import US
from nightly_spindle.core.reports.spot_findings import length_us
from nightly_spindle.core.segues.joins import span

if TYPE_CHECKING:
    from nightly_spindle.core.programme.programme import Programme
    from nightly_spindle.core.traffic.break_patterns import BreakPattern


def break_s(programme: Programme, pattern: BreakPattern, at_us: int) -> float:
    """Return how long a break of a pattern lasts that is due at an instant (s).

    Where spots are placed up to then: those that are placed, or one item of what fills it without
    any, between what opens and closes it. Elsewhere what the pattern is taken to last.
    """
    spots, rate = programme.spots, programme.settings.rate
    if not spots.from_us <= at_us < spots.until_us:
        return pattern.expected_s
    placed = spots.by_break.get((pattern.id, at_us), ())
    campaigns = [spots.campaigns[one.campaign] for one in placed if one.campaign in spots.campaigns]
    seconds = sum(length_us(programme, campaign) for campaign in campaigns) / US
    options = pattern.options
    carts = [int(options.opens), int(options.closes)] if campaigns else []
    if not campaigns and options.empty.strip():
        named = options.empty.strip().casefold()
        carts = list(programme.event_sources.categories.get(named, ()))[:1]
    for cart in carts:
        item = programme.item(cart) if cart else None
        if item is not None:
            here = span(item, rate)
            seconds += (here.cue_out - here.cue_in) / rate
    return seconds
