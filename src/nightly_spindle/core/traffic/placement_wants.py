"""What a campaign's order comes to as units: where each lies best, which of them stand already."""

from __future__ import annotations

from bisect import bisect_left
from math import inf
from typing import TYPE_CHECKING

from nightly_spindle.core.base.timebase import US
from nightly_spindle.core.traffic.order_quotas import QuotaWindow
from nightly_spindle.core.traffic.placement_room import Unit

if TYPE_CHECKING:
    from collections.abc import Sequence

    from nightly_spindle.core.traffic.coming_breaks import BreakCalendar
    from nightly_spindle.core.traffic.order_quotas import Quota
    from nightly_spindle.core.traffic.placement_room import Seeker

_GOLDEN = 0.618_033_988_749_895  # the fractional parts of its multiples spread evenly (Weyl)
_GOOD_US = 7 * 86_400 * US  # what is owed is made good within so long, where there is room


def ideals(seeker: Seeker, window: QuotaWindow, calendar: BreakCalendar) -> list[float]:
    """Return where the units of a window lie best, in places of the seeker's `open`.

    The balanced rhythm: unit k of n over m places at (k + phase) * m / n. Where more are wanted
    than there are places the rest lies in the middle.
    """
    m, n = _reach(seeker, window, calendar), window.wanted
    day = calendar.places[seeker.open[window.begin]].day
    phase = (_GOLDEN * (7 * seeker.id + day)) % 1.0
    return [window.begin + (k + phase) * m / n for k in range(n)]


def spacing(seeker: Seeker, window: QuotaWindow, calendar: BreakCalendar) -> float:
    """Return how far the units of a window lie apart, in places of the seeker's `open`."""
    return max(1.0, _reach(seeker, window, calendar) / max(1, window.wanted))


def _reach(seeker: Seeker, window: QuotaWindow, calendar: BreakCalendar) -> int:
    """Return over how many places a window's units spread."""
    m = window.end - window.begin
    if not window.soon:
        return m
    places, until = calendar.places, calendar.now_us + _GOOD_US
    near = bisect_left(seeker.open, until, key=lambda index: places[index].at_us)
    return max(1, min(m, near))


def standing(
    quota: Quota, seeker: Seeker, calendar: BreakCalendar, stood: set[int], pins: Sequence[int]
) -> list[tuple[Unit, int]]:
    """Return the units that stand already and may stay, each with its place in `open`.

    `stood` are the breaks in which spots of the campaign stand, `pins` those set by hand. Where
    more stand than are wanted those go that stand closest to others.
    """
    fixed = {at for index in pins if (at := seeker.where(index)) >= 0}
    spare = {at for index in stood if (at := seeker.where(index)) >= 0} | fixed
    found: list[tuple[Unit, int]] = []
    order = sorted(spare)
    for window in quota.windows:
        if window.soon:
            order = sorted(spare)
        inside = _within(order, window)
        while len(inside) > window.wanted and any(at not in fixed for at in inside):
            inside.remove(_crowded(inside, fixed))
        spare.difference_update(inside)
        free, apart = ideals(seeker, window, calendar), spacing(seeker, window, calendar)
        for at, near in zip(inside, _matched(inside, free), strict=True):
            found.append((Unit(seeker, window, near, apart, fixed=at in fixed), at))
    left = spare & fixed
    found += [(_own_place(seeker, at), at) for at in sorted(left)]
    return found


def _matched(inside: Sequence[int], free: list[float]) -> list[float]:
    """Return which ideal each of the places that stand serves: in order where all are served."""
    if len(inside) == len(free):
        return free
    left, found = list(free), []
    for at in inside:
        near = min(left, key=lambda ideal: abs(ideal - at - 0.5), default=at + 0.5)
        if left:
            left.remove(near)
        found.append(near)
    return found


def _within(order: Sequence[int], window: QuotaWindow) -> list[int]:
    """Return the places of an ascending list that lie in a window."""
    return list(order[bisect_left(order, window.begin) : bisect_left(order, window.end)])


def _own_place(seeker: Seeker, at: int) -> Unit:
    """Return a unit beyond what is ordered, in the place that was set by hand for it."""
    return Unit(seeker, QuotaWindow(at, at + 1, 1), at + 0.5, 1.0, fixed=True)


def _crowded(inside: Sequence[int], fixed: set[int]) -> int:
    """Return the place that lies closest to its neighbours, of those not set by hand."""

    def gap(at: int) -> float:
        place = inside.index(at)
        beside = (*inside[max(0, place - 1) : place], *inside[place + 1 : place + 2])
        return min((abs(at - other) for other in beside), default=inf)

    return min((at for at in inside if at not in fixed), key=gap)


def missing(all_: list[float], there: Sequence[Unit]) -> list[float]:
    """Return the ideals that no unit of a window has."""
    left = list(all_)
    for unit in there:
        if left:
            left.remove(min(left, key=lambda ideal: abs(ideal - unit.ideal)))
    return left


def covers(seeker: Seeker, window: QuotaWindow, calendar: BreakCalendar, instant: int) -> bool:
    """Whether an instant lies in the stretch of a window."""
    first = calendar.places[seeker.open[window.begin]].at_us
    last = calendar.places[seeker.open[window.end - 1]].at_us
    half_hour = 1800 * US
    return first - half_hour <= instant <= last + half_hour
