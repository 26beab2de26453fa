"""What is wrong with campaigns and breaks, before anything airs."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass
from datetime import timedelta
from typing import TYPE_CHECKING

from nightly_spindle.core.base.findings import Severity
from nightly_spindle.core.base.short_texts import words_of
from nightly_spindle.core.base.timebase import US, moment_from
from nightly_spindle.core.base.wording import counted, date_text
from nightly_spindle.core.calendar.local_days import day_number, day_of, day_start, local_hour
from nightly_spindle.core.library.items import Kind
from nightly_spindle.core.segues.joins import span
from nightly_spindle.core.traffic.campaigns import Per
from nightly_spindle.core.traffic.coming_breaks import place_of

if TYPE_CHECKING:
    from collections.abc import Iterable, Sequence
    from datetime import date
    from zoneinfo import ZoneInfo

    from nightly_spindle.core.programme.programme import Programme
    from nightly_spindle.core.traffic.break_patterns import BreakPattern
    from nightly_spindle.core.traffic.campaigns import Campaign
    from nightly_spindle.core.traffic.coming_breaks import BreakCalendar
    from nightly_spindle.core.traffic.placement_shortfalls import Shortfall
    from nightly_spindle.core.traffic.spot_plan import Booking

_SOON = timedelta(days=3)
_CHANGES_DAYS = 8  # so far ahead clocks that go back or forward are told


@dataclass(frozen=True, slots=True)
class SpotFinding:
    """One thing that is wrong: with a campaign, or a break (`pattern`, `at_us`), 0 for none."""

    code: str
    severity: Severity
    text: str
    mend: str
    campaign: int = 0
    pattern: int = 0
    at_us: int = 0


def campaign_findings(
    programme: Programme, campaign: Campaign, today: date, owed: int, short: Shortfall | None
) -> list[SpotFinding]:
    """Return what is wrong with one campaign. `owed` are spots that its past has not had."""
    found = _audio(programme, campaign)
    over = campaign.last is not None and campaign.last < today

    def add(code: str, severity: Severity, text: str, mend: str) -> None:
        found.append(SpotFinding(code, severity, text, mend, campaign.id))

    if over and owed:
        ended = date_text(campaign.last) if campaign.last else ""
        add(
            "flight-over-owed",
            Severity.ALARM,
            f"“{campaign.name}” ended on {ended} with {counted(owed, 'spot')} owed.",
            "Agree on a later last day, or on a credit.",
        )
    if over or campaign.options.on_hold:
        return found
    if short is not None:
        mend = (
            "Change its hours, dates, separation or number: no other order stands in its way."
            if short.never
            else "Make room, widen its hours, or give it more importance."
        )
        severity = Severity.ALARM if short.never else Severity.WARNING
        add("never-met" if short.never else "order-short", severity, short.text, mend)
    category = campaign.category
    if category and category not in words_of(programme.settings.spots.categories):
        add(
            "unknown-category",
            Severity.NOTE,
            f"“{campaign.name}” is of the category “{campaign.options.category}”, "
            "which the station does not have.",
            "Choose one of the list, or add it to the list.",
        )
    for day in _changes(programme, campaign, today):
        add("hour-changes", Severity.NOTE, *day)
    if owed and campaign.last is not None and campaign.last - today < _SOON:
        add(
            "ends-owed",
            Severity.WARNING,
            f"“{campaign.name}” ends on {date_text(campaign.last)} and {owed} are owed.",
            "Make room in the days that are left, or agree on a later last day.",
        )
    return found


def _changes(programme: Programme, campaign: Campaign, today: date) -> list[tuple[str, str]]:
    """Return what clocks going back or forward in the coming days mean for an order by hours.

    Each is what is told, and what may be done.
    """
    if campaign.options.per is not Per.HOUR:
        return []
    tz, found = programme.settings.tz, []
    for number in range(day_number(today), day_number(today) + _CHANGES_DAYS):
        day, begin, end = day_of(number), day_start(number, tz), day_start(number + 1, tz)
        hours = Counter(local_hour(at, tz) for at in range(begin, end, 3600 * US))
        first = 24 * day.weekday()
        odd = [hour for hour in range(first, first + 24) if hours[hour] != 1]
        for hour in odd if campaign.flies_on(day) else ():
            if hour not in campaign.grid:
                continue
            name, much = f"“{campaign.name}”", f"{campaign.options.amount:g}"
            at = f"On {date_text(day)} the hour from {hour % 24:02}:00"
            if hours[hour]:
                told = f"{at} comes twice: {name} counts it as one, and gets {much} in the two."
                found.append((told, "Order more for that day if the hour is to count twice."))
            else:
                found.append((f"{at} does not come: {name} gets {much} less.", "Nothing to do."))
    return found


def _audio(programme: Programme, campaign: Campaign) -> list[SpotFinding]:
    if not campaign.carts:
        if campaign.options.folder.strip():
            text = f"No item is in the folder of “{campaign.name}”, {campaign.options.folder}."
        else:
            text = f"“{campaign.name}” has no audio."
        return [
            SpotFinding(
                "audio-missing",
                Severity.ALARM,
                text,
                "Import its audio and choose it.",
                campaign.id,
            )
        ]
    found = []
    bad = [cart for cart in campaign.carts if programme.why_unplayable(cart)]
    if bad:
        item = programme.item(bad[0])
        name = f"“{item.title}”" if item else f"item {bad[0]}"
        all_ = len(bad) == len(campaign.carts)
        more = "nothing of it can air" if all_ else "its other copies air instead"
        found.append(
            SpotFinding(
                "audio-missing",
                Severity.ALARM if all_ else Severity.WARNING,
                f"“{campaign.name}”: {name} cannot be played: {programme.why_unplayable(bad[0])}; "
                f"{more}.",
                "Import the file again.",
                campaign.id,
            )
        )
    kinds = {str(i.kind) for cart in campaign.carts if (i := programme.item(cart)) is not None}
    if strange := sorted(kinds - {str(Kind.SPOT), str(Kind.PROMO), str(Kind.PSA)}):
        found.append(
            SpotFinding(
                "not-a-spot",
                Severity.NOTE,
                f"“{campaign.name}” airs an item that is a {strange[0].replace('-', ' ')}.",
                "Make its kind spot, so that segues and overlays treat it as one.",
                campaign.id,
            )
        )
    return found


def break_findings(programme: Programme, bookings: Iterable[Booking]) -> list[SpotFinding]:
    """Return which breaks hold too much, and where competitors stand side by side."""
    plan, tz = programme.spots, programme.settings.tz
    by_break: dict[tuple[int, int], list[Booking]] = {}
    for booking in bookings:
        by_break.setdefault(booking.key, []).append(booking)
    found = []
    lengths = {number: length_us(programme, one) for number, one in plan.campaigns.items()}
    for (number, at_us), inside in sorted(by_break.items(), key=lambda one: one[0][1]):
        pattern = plan.patterns.get(number)
        campaigns = [c for b in inside if (c := plan.campaigns.get(b.campaign)) is not None]
        if pattern is None:
            when = when_text(at_us, tz)
            found.append(
                SpotFinding(
                    "no-break",
                    Severity.WARNING,
                    f"The break of {when} is of a pattern that is gone.",
                    "Place the spots again.",
                    0,
                    number,
                    at_us,
                )
            )
            continue
        place = place_of(pattern, at_us, tz)
        lasts = sum(lengths[campaign.id] for campaign in campaigns)
        if len(inside) > place.spots or lasts > place.length_us + US // 2:
            what = f"{counted(len(inside), 'spot')} in {counted(place.spots, 'seat')}"
            if len(inside) <= place.spots:
                what = f"{lasts / US:.0f} s of spots in {place.length_us / US:.0f} s"
            found.append(
                SpotFinding(
                    "break-overfull",
                    Severity.WARNING,
                    f"The break of {when_text(at_us, tz)} holds too much: {what}.",
                    "Move a spot that was set by hand.",
                    0,
                    number,
                    at_us,
                )
            )
        if any(campaign.group for campaign in campaigns):
            found += _rivals(campaigns, when_text(at_us, tz), number, at_us)
    return found


def _rivals(campaigns: Sequence[Campaign], when: str, number: int, at_us: int) -> list[SpotFinding]:
    groups: dict[str, list[Campaign]] = {}
    for campaign in campaigns:
        if campaign.group:
            groups.setdefault(campaign.group, []).append(campaign)
    return [
        SpotFinding(
            "competitors",
            Severity.WARNING,
            f"“{rivals[0].name}” and “{rivals[1].name}” compete and share the break of {when}.",
            "Move one of the two.",
            rivals[0].id,
            number,
            at_us,
        )
        for rivals in groups.values()
        if len({campaign.id for campaign in rivals}) > 1
    ]


def length_us(programme: Programme, campaign: Campaign) -> int:
    """Return how long the longest copy of a campaign sounds, µs; 0 where it has none."""
    rate = programme.settings.rate
    items = [item for cart in campaign.carts if (item := programme.item(cart)) is not None]
    frames = [span(item, rate).cue_out - span(item, rate).cue_in for item in items]
    return max(frames, default=0) * US // rate


def lost_pins(programme: Programme, calendar: BreakCalendar) -> list[SpotFinding]:
    """Return which places set by hand are of breaks that do not come any more."""
    last = calendar.places[-1].at_us if calendar.places else 0
    return [
        SpotFinding(
            "place-lost",
            Severity.WARNING,
            f"“{one.name}” has a place by hand on {when_text(key[1], calendar.tz)}, where no break "
            "comes any more.",
            "Give the place up with `campaigns pin --off`, or restore the break.",
            one.id,
        )
        for one in programme.spots.campaigns.values()
        for key in one.pins
        if calendar.now_us <= key[1] <= last and key not in calendar.index
    ]


def _unknown(programme: Programme, pattern: BreakPattern) -> list[SpotFinding]:
    """Return the categories of a pattern that the station does not have, as findings."""
    known = words_of(programme.settings.spots.categories)
    named = dict.fromkeys([*pattern.categories, *pattern.seats])
    return [
        SpotFinding(
            "unknown-category",
            Severity.NOTE,
            f"The break “{pattern.name}” asks for “{name}”, a category which the station does not "
            "have.",
            "Choose one of the list, or add it to the list.",
            0,
            pattern.id,
        )
        for name in named
        if name and name not in known
    ]


def pattern_findings(programme: Programme) -> list[SpotFinding]:
    """Return what is wrong with break patterns themselves."""
    found = []
    for pattern in programme.spots.patterns.values():
        for cart, how in ((pattern.options.opens, "opens"), (pattern.options.closes, "closes")):
            why = programme.why_unplayable(int(cart)) if cart else ""
            if why:
                found.append(
                    SpotFinding(
                        "break-edge-missing",
                        Severity.WARNING,
                        f"What {how} the break “{pattern.name}” cannot be played: {why}.",
                        "Choose another item, or import it again.",
                        0,
                        pattern.id,
                    )
                )
        found += _unknown(programme, pattern)
        empty = pattern.options.empty.strip()
        if empty and not programme.event_sources.categories.get(empty.casefold()):
            found.append(
                SpotFinding(
                    "break-filler-missing",
                    Severity.WARNING,
                    f"The break “{pattern.name}” is to be filled from “{empty}”, which is empty.",
                    "Put items into that category, or choose another.",
                    0,
                    pattern.id,
                )
            )
    return found


def when_text(at_us: int, tz: ZoneInfo) -> str:
    """Return an instant as "Fri 4 Dec, 10:20"."""
    moment = moment_from(at_us, tz)
    return f"{moment:%a} {moment.day} {moment:%b}, {moment:%H:%M}"
