"""What was, and what is going to be, of each spot: when, of which break or show, and why late.

What was comes from the as-run log alone. A spot counts when as much of it was heard as the
station's rule says, within the flight dates of its order. Lengths are what sounded, not what is on
the file.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from math import floor
from typing import TYPE_CHECKING
from zoneinfo import ZoneInfo

from nightly_spindle.core.base.timebase import US
from nightly_spindle.core.playout.spot_heard import counts
from nightly_spindle.core.programme.running_order import Outcome
from nightly_spindle.core.traffic.campaigns import Campaign
from nightly_spindle.core.traffic.order_standing import in_flight

if TYPE_CHECKING:
    from collections.abc import Iterable

    from nightly_spindle.core.reports.as_run import AsRun
    from nightly_spindle.core.traffic.spot_plan import Booking

_BY_LOG = "a log"


@dataclass(frozen=True, slots=True)
class SpotPlaces:
    """What places of spots are called: break patterns by number, and stretches of shows.

    `shows` are stretches (begin, end, name) that timed events hold. `late` says of breaks (pattern,
    instant) that began late by how much and why.
    """

    tz: ZoneInfo
    breaks: Mapping[int, str] = field(default_factory=dict)
    shows: Sequence[tuple[int, int, str]] = ()
    late: Mapping[tuple[int, int], str] = field(default_factory=dict)

    def name(self, at_us: int, pattern: int) -> str:
        """Return the show that holds an instant, else the name of the break; 0 is a log's."""
        show = next((name for begin, end, name in self.shows if begin <= at_us < end), "")
        return show or (self.breaks.get(pattern, "a break that is gone") if pattern else _BY_LOG)


@dataclass(frozen=True, slots=True)
class PlannedSpot:
    """One spot that is going to air: when, of which break, in which show or hour."""

    at_us: int
    campaign: Campaign
    where: str
    fixed: bool = False


@dataclass(frozen=True, slots=True)
class Proof:
    """One spot that aired, or was to: `state` is its outcome in a word, `counts` whether it counts.

    `length_s` is how long it sounded, `whole_s` how long it is. `file` is empty where nothing did.
    `where` is its break or show, `planned_us` when that break was due (0 where a log brought it).
    """

    at_us: int
    campaign: Campaign
    cart: int | None
    title: str
    file: str
    length_s: float
    whole_s: float
    state: str
    counts: bool
    note: str
    where: str = ""
    planned_us: int = 0


def planned(
    bookings: Iterable[Booking],
    given: Mapping[int, Sequence[int]],
    campaigns: Mapping[int, Campaign],
    places: SpotPlaces,
) -> list[PlannedSpot]:
    """Return what is going to air, by time: what is placed, and what logs will bring.

    `given` are the instants of those, by campaign.
    """
    found = [
        PlannedSpot(
            one.at_us,
            campaigns[one.campaign],
            places.name(one.at_us, one.pattern),
            one.fixed,
        )
        for one in bookings
        if one.campaign in campaigns
    ]
    found += [
        PlannedSpot(at, campaigns[number], places.name(at, 0))
        for number, instants in given.items()
        if number in campaigns
        for at in instants
    ]
    return sorted(found, key=lambda one: (one.at_us, one.campaign.id))


def proofs(
    lines: Iterable[AsRun],
    campaigns: Mapping[int, Campaign],
    counts_from: float,
    places: SpotPlaces,
) -> list[Proof]:
    """Return a row for each spot of these campaigns in as-run lines, by time."""
    found = []
    for line in lines:
        campaign = campaigns.get(line.campaign)
        if campaign is None or line.outcome == Outcome.ON_AIR:
            continue
        if not line.break_id and line.end_us <= line.start_us:
            continue  # a log had it, and it did not air: nobody had placed it
        heard = (line.end_us - line.start_us) / US
        flies = bool(in_flight(campaign, [line.start_us], places.tz))
        good = counts(line.share, counts_from) and line.cart is not None
        notes = ["makes good"] if line.good else []
        notes += [line.note] if line.note else []
        if heard and not line.good and (late := places.late.get((line.break_id, line.break_us))):
            notes.append(late)
        if heard and not flies:
            notes.append("outside of its flight dates")
        found.append(
            Proof(
                line.start_us,
                campaign,
                line.cart,
                line.title,
                line.file if heard else "",
                heard,
                line.whole_us / US,
                _state(line, good=good),
                good and flies,
                "; ".join(notes),
                places.name(line.start_us, line.break_id),
                line.break_us,
            )
        )
    return sorted(found, key=lambda one: one.at_us)


def _state(line: AsRun, *, good: bool) -> str:
    if line.end_us <= line.start_us:
        return "did not air"
    percent = floor(line.share * 100)  # never 100 for what was cut
    if good:
        return "aired" if line.share >= 1.0 else f"aired, {percent}%"
    return f"cut, {percent}%"
