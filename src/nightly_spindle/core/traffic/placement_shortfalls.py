"""Why an order cannot be met in full: how many are short, and which limit binds."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass
from typing import TYPE_CHECKING

from nightly_spindle.core.base.timebase import US
from nightly_spindle.core.base.wording import counted, listed, span_text
from nightly_spindle.core.traffic.placement_room import Room, Seeker, Stops, Unit

if TYPE_CHECKING:
    from nightly_spindle.core.traffic.spot_demand import Demand

_LIMITS = {
    Stops.RIVAL: "competitors",
    Stops.APART: "separation",
    Stops.SAME: "separation",
    Stops.COUNT: "room",
    Stops.LENGTH: "room",
}
_LOOKED_AT = 400  # breaks of the short stretches that are counted through


@dataclass(frozen=True, slots=True)
class Shortfall:
    """An order that is not met: by how many spots in the stretch planned, and why.

    `never` means that no change of other orders would help.
    """

    campaign: int
    missing: int
    wanted: int
    limit: str
    text: str
    never: bool = False


def why_short(order: Demand, seeker: Seeker, lacking: list[Unit], room: Room) -> Shortfall:
    """Say by how many an order falls short, and what binds most."""
    wanted = order.quota.wanted
    missing = len(lacking) + wanted - sum(w.wanted for w in order.quota.windows)
    if not wanted:  # no break is open to it
        wanted = missing = max(1, int(order.campaign.options.amount))
    limit, text, never = _limit(seeker, lacking, room)
    name = order.campaign.name
    said = f"“{name}” is {missing} of {wanted} spots short: {text}"
    return Shortfall(seeker.id, missing, wanted, limit, said, never)


def _limit(seeker: Seeker, lacking: list[Unit], room: Room) -> tuple[str, str, bool]:
    never = _never(seeker, lacking, room)
    if never is not None:
        return (*never, True)
    tally, rivals = _tally(seeker, lacking, room)
    worst = tally.most_common(1)[0][0]
    of = counted(len(_indices(seeker, lacking)), "break")
    first, *others = [_said(stops, many, rivals) for stops, many in tally.most_common()]
    text = f"of the {of} of its hours {first}" + "".join(f", {one}" for one in others)
    if worst in {Stops.COUNT, Stops.LENGTH}:
        higher, fixed = _holders(seeker, lacking, room)
        text += f"; {higher} spots in them weigh as much or more" if higher else ""
        text += f", {fixed} are fixed by hand" if fixed else ""
    return _LIMITS[worst], f"{text}.", False


def _said(stops: Stops, many: int, rivals: Counter[str]) -> str:
    """Say what keeps it out of so many breaks."""
    are, have = ("is", "has") if many == 1 else ("are", "have")
    if stops is Stops.RIVAL:
        names = listed([f"“{name}”" for name, _ in rivals.most_common(3)])
        return f"{many} {are} too close to its competitors{f' {names}' if names else ''}"
    if stops in {Stops.APART, Stops.SAME}:
        return f"{many} {are} too close to spots of its own"
    return f"{many} {have} no {'seats' if stops is Stops.COUNT else 'time'} left"


def _never(seeker: Seeker, lacking: list[Unit], room: Room) -> tuple[str, str] | None:
    """Return the limit that no change of other orders would lift, None when there is none."""
    if not seeker.open:
        return "no breaks", "there is no break in its hours between its dates."
    for unit in lacking:
        window = unit.window
        if window.wanted > window.end - window.begin:
            many = counted(window.end - window.begin, "break")
            return "few breaks", f"its hours have {many}, it needs {window.wanted}."
    most = _most_by_separation(seeker, lacking, room)
    if most is not None:
        apart = span_text(seeker.apart_us / US)
        return "separation", f"no more than {most} fit with {apart} between two of it."
    if not _tally(seeker, lacking, room)[0]:
        return "no breaks", "no break is left in its hours before its last day."
    return None


def _most_by_separation(seeker: Seeker, units: list[Unit], room: Room) -> int | None:
    """Return how many fit into a short window by separation alone, None when enough would."""
    for unit in units:
        last, count = -(10**18), 0
        for at in range(unit.window.begin, unit.window.end):
            at_us = room.places[seeker.open[at]].at_us
            if at_us - last >= max(1, seeker.apart_us):
                last, count = at_us, count + 1
        if count < unit.window.wanted and not unit.window.soon:
            return count
    return None


def _indices(seeker: Seeker, units: list[Unit]) -> list[int]:
    found: dict[int, None] = {}
    for unit in units:
        for at in range(unit.window.begin, unit.window.end):
            found[seeker.open[at]] = None
            if len(found) >= _LOOKED_AT:
                return list(found)
    return list(found)


def _tally(seeker: Seeker, units: list[Unit], room: Room) -> tuple[Counter[Stops], Counter[str]]:
    """Return what keeps it out of how many breaks, and which competitors stand there."""
    tally: Counter[Stops] = Counter()
    rivals: Counter[str] = Counter()
    for index in _indices(seeker, units):
        stops = room.stops(seeker, index)
        if stops is None:
            continue
        # in a break of its own and too close to one are told together
        tally[Stops.APART if stops is Stops.SAME else stops] += 1
        if stops is Stops.RIVAL:
            rivals.update({other.campaign.name for other in room.rivals(seeker, index)})
    return tally, rivals


def _holders(seeker: Seeker, units: list[Unit], room: Room) -> tuple[int, int]:
    """Return how many spots in its breaks weigh as much or more, and how many are fixed."""
    inside = [unit for index in _indices(seeker, units) for unit in room.inside[index]]
    others = [unit for unit in inside if unit.seeker is not seeker]
    return (
        sum(unit.seeker.rank >= seeker.rank for unit in others),
        sum(unit.fixed for unit in others),
    )
