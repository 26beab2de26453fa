"""Filling a break when it comes next: the spots that are placed there, what is owed, or else.

It is filled when the running order reaches it, so that what was lost a minute ago can be made good
here. What was planned for breaks that never came is owed from then on, and so is every spot that
was lined up and not heard. What is owed goes into breaks that have room, within the campaign's
dates, hours and separation, unless a newer placing has seen to it.
"""

from __future__ import annotations

from dataclasses import dataclass, field, replace

from nightly_spindle.core.base.findings import Finding, Severity
from nightly_spindle.core.base.short_texts import words_of
from nightly_spindle.core.base.timebase import US, clock, length, to_frames
from nightly_spindle.core.base.wording import counted
from nightly_spindle.core.calendar.local_days import day_of, local_day, local_hour
from nightly_spindle.core.library.items import Item
from nightly_spindle.core.overlays.overlay_turns import FRESH, in_turn, taken
from nightly_spindle.core.playout.log_loading import now_us
from nightly_spindle.core.playout.step_sources import from_category
from nightly_spindle.core.programme.air_state import AirState
from nightly_spindle.core.programme.programme import Programme
from nightly_spindle.core.programme.running_order import Line, LineSource, Origin, Outcome
from nightly_spindle.core.programme.sequencer_actions import Action, BreakFilled, Dropped
from nightly_spindle.core.segues.joins import span
from nightly_spindle.core.segues.segue_rules import JoinEdit
from nightly_spindle.core.traffic.break_patterns import BreakPattern, Flow, IfLate
from nightly_spindle.core.traffic.campaigns import Campaign, Key, Terms, shows_of
from nightly_spindle.core.traffic.separation import too_near
from nightly_spindle.core.traffic.spot_order import in_seats, seat_order
from nightly_spindle.core.traffic.spot_state import Booked, LinedUp

REACH_US = 45 * 60 * US  # a line of a log is the planned break that lies nearest, within so much
_KEPT = 400  # breaks that are remembered as filled: more than two days of them


@dataclass(slots=True)
class _Break:
    """One break that is being filled. `at` is the station frame at which it begins."""

    programme: Programme
    state: AirState
    actions: list[Action]
    pattern: BreakPattern
    line: Line
    at: int
    key: Key
    spots: list[tuple[Booked, Campaign, Item]] = field(default_factory=list)

    @property
    def at_us(self) -> int:
        """The instant at which it begins."""
        return self.state.clock.instant_of(self.at)

    @property
    def late_s(self) -> float:
        """By how much it comes after its time."""
        return max(0.0, (self.at_us - self.key[1]) / US)

    def planned(self) -> list[Booked]:
        """Return what is placed in it, of campaigns that there are."""
        plan = self.programme.spots
        return [
            Booked(booking.campaign, *self.key)
            for booking in plan.by_break.get(self.key, ())
            if booking.campaign in plan.campaigns
        ]

    def has_room(self, item: Item) -> bool:
        """Whether there is a seat and time for one more."""
        options, rate = self.pattern.options, self.state.clock.rate
        assert self.line.opens is not None
        most = self.line.opens.spots or int(options.spots) or 1000
        if len(self.spots) >= most:
            return False
        lasts = sum(_lasts(one, rate) for _, _, one in self.spots) + _lasts(item, rate)
        return not options.length_s or lasts <= options.length_s + 0.5


def fill_break(programme: Programme, state: AirState, at: int, actions: list[Action]) -> None:
    """Put what airs in the break at the front in its place; it begins at station frame `at`."""
    line = state.order.upcoming.pop(0)
    state.revision += 1
    assert line.opens is not None
    pattern = programme.spots.patterns.get(line.opens.pattern)
    at_us = state.clock.instant_of(at)
    if pattern is None:
        gone = "its break pattern is not there any more"
        actions.append(Dropped(at, line, Outcome.REMOVED, "Break", gone))
        return
    sweep(programme, state, at_us, actions)
    here = _Break(
        programme, state, actions, pattern, line, at, _key(programme, state, pattern, line, at_us)
    )
    _remember(state, here.key)
    late = here.late_s > pattern.options.late_s
    if late and pattern.options.late is IfLate.LEFT:
        for spot in here.planned():
            _owe(here, spot, "its break came too late")
    else:
        paid_only = late and pattern.options.late is IfLate.PAID
        _fill_planned(here, paid_only=paid_only)
        _fill_owed(here, paid_only=paid_only)
        state.order.upcoming[:0] = _lines(here)
    if here.spots or late or here.planned():
        actions.append(_told(here, late=late))
    if late:
        actions.append(_late(here))


def sweep(programme: Programme, state: AirState, at_us: int, actions: list[Action]) -> None:
    """See what is owed by an instant: spots not heard, and spots of breaks that did not come."""
    spots, plan = state.spots, programme.spots
    there = {line.id for line in state.order.upcoming}
    if state.order.playing is not None:
        there.add(state.order.playing.line.id)
    spots.owed += [one.spot for one in spots.lined if one.line_id not in there]
    spots.lined = [one for one in spots.lined if one.line_id in there]
    if not spots.swept_us:
        spots.swept_us = max(plan.from_us, now_us(state) - REACH_US)
    waiting = {(one.opens.pattern, one.opens.at_us) for one in state.order.upcoming if one.opens}
    until = at_us - REACH_US
    came = {*map(tuple, spots.filled), *waiting}
    for booking in plan.between(spots.swept_us, until):
        if booking.key not in came and booking.campaign in plan.campaigns:
            _missed(programme, state, booking.campaign, booking.key, actions)
    spots.swept_us = max(spots.swept_us, until)
    spots.owed = [one for one in spots.owed if _still_owed(programme, one, at_us)]


def _still_owed(programme: Programme, spot: Booked, at_us: int) -> bool:
    plan = programme.spots
    campaign = plan.campaigns.get(spot.campaign)
    if campaign is None or plan.is_settled(spot):
        return False
    today = day_of(local_day(at_us, programme.settings.tz))
    return campaign.last is None or today <= campaign.last


def _missed(
    programme: Programme, state: AirState, number: int, key: Key, actions: list[Action]
) -> None:
    """A spot's break did not come: it leaves a trace and is owed."""
    spot = Booked(number, *key)
    state.spots.owed.append(spot)
    due = clock(key[1], programme.settings.tz)
    line = _line_of(programme, state, spot, 0, f"Its break at {due} did not come.")
    name = programme.spots.campaigns[number].name
    actions.append(Dropped(state.clock.frame, line, Outcome.MISSED, name, "its break did not come"))


def _key(
    programme: Programme, state: AirState, pattern: BreakPattern, line: Line, at_us: int
) -> Key:
    """Return which planned break a line is: its own, or the nearest that has not come yet."""
    assert line.opens is not None
    if line.opens.at_us:
        return (pattern.id, line.opens.at_us)
    tz = programme.settings.tz
    near = pattern.rule().firings(tz, at_us - REACH_US, at_us + REACH_US)
    came = {tuple(key) for key in state.spots.filled}
    free = [us for us in near if (pattern.id, us) not in came]
    return (pattern.id, min(free, key=lambda us: (abs(us - at_us), us), default=at_us))


def _remember(state: AirState, key: Key) -> None:
    state.spots.filled = [*state.spots.filled[1 - _KEPT :], key]


# -- what goes in ----------------------------------------------------------------------------------


def _fill_planned(here: _Break, *, paid_only: bool) -> None:
    """Put in what is placed in this break."""
    plan = here.programme.spots
    for spot in here.planned():
        campaign = plan.campaigns[spot.campaign]
        if not _flies(here, campaign):
            continue
        if paid_only and campaign.options.terms is Terms.BONUS:
            _owe(here, spot, "its break came late, and it is a bonus")
            continue
        item, why_not = _copy(here, campaign)
        if item is None:
            _no_audio(here, campaign, spot, why_not)
        elif not here.has_room(item):
            _owe(here, spot, "its break was full")
        else:
            _put_in(here, spot, campaign, item)


def _fill_owed(here: _Break, *, paid_only: bool) -> None:
    """Make good for what was not heard, as far as there is room."""
    spots = here.state.spots
    plan = here.programme.spots
    ranked = sorted(
        enumerate(spots.owed),
        key=lambda one: (-plan.campaigns[one[1].campaign].rank, one[1].at_us, one[0]),
    )
    made: set[int] = set()
    for at, spot in ranked:
        campaign = plan.campaigns[spot.campaign]
        if spot.key == here.key or any(one.campaign == spot.campaign for one, _, _ in here.spots):
            continue
        if paid_only and campaign.options.terms is Terms.BONUS:
            continue
        if not (_flies(here, campaign) and _may_be_here(here, campaign)):
            continue
        item, _ = _copy(here, campaign)
        if item is not None and here.has_room(item):
            made.add(at)
            _put_in(here, replace(spot, good=True), campaign, item)
    spots.owed = [spot for at, spot in enumerate(spots.owed) if at not in made]


def _flies(here: _Break, campaign: Campaign) -> bool:
    return campaign.flies_on(day_of(local_day(here.at_us, here.programme.settings.tz)))


def _may_be_here(here: _Break, campaign: Campaign) -> bool:
    """Whether a spot that is owed may air in this break by its hours, break and separation."""
    options = campaign.options
    hour = local_hour(here.key[1], here.programme.settings.tz)
    only = words_of(options.breaks)
    block = here.state.events.holding
    in_show = block is not None and block.event.casefold() in shows_of(options)
    if hour not in campaign.grid and not in_show:
        return False
    if only and here.pattern.name.casefold() not in only:
        return False
    return not (_near_itself(here, campaign) or _near_rivals(here, campaign))


def _near_itself(here: _Break, campaign: Campaign) -> bool:
    apart = campaign.options.apart_s
    last = here.state.spots.last.get(campaign.id)
    if last is not None and too_near(here.at - last, to_frames(apart, here.state.clock.rate)):
        return True
    reach = round(apart * US)
    after = here.programme.spots.of_campaign(campaign.id, here.at_us, here.at_us + reach)
    return any(booking.key != here.key for booking in after)


def _near_rivals(here: _Break, campaign: Campaign) -> bool:
    plan = here.programme.spots
    rivals = plan.rivals.get(campaign.id)
    if rivals is None:
        return False
    inside = {spot.campaign for spot, _, _ in here.spots}
    if any(one.id in inside for one in rivals):
        return True
    apart = max(one.options.rivals_s for one in (campaign, *rivals))
    if not apart:
        return False
    reach = to_frames(apart, here.state.clock.rate)
    last = here.state.spots.last
    return any(
        (one.id in last and too_near(here.at - last[one.id], reach))
        or plan.of_campaign(one.id, here.at_us, here.at_us + round(apart * US))
        for one in rivals
    )


def _copy(here: _Break, campaign: Campaign) -> tuple[Item | None, str]:
    """Return the copy whose turn it is, of those that may air now and can be played."""
    tz, programme = here.programme.settings.tz, here.programme
    day, hour = day_of(local_day(here.at_us, tz)), local_hour(here.at_us, tz)
    serving = campaign.serving(day, hour)
    turn = here.state.spots.turns.get(campaign.id, FRESH)
    why = "it has no audio" if not campaign.members else "none of its copies is for this hour"
    for cart in in_turn(serving, turn, programme.settings.seed):
        item = programme.playable(cart)
        if item is not None:
            return item, ""
        known = programme.item(cart)
        name = f"“{known.title}”" if known else f"item {cart}"
        why = f"{name}: {programme.why_unplayable(cart)}"
    return None, why


def _put_in(here: _Break, spot: Booked, campaign: Campaign, item: Item) -> None:
    spots, number = here.state.spots, campaign.id
    here.spots.append((spot, campaign, item))
    spots.last[number] = here.at
    turn = spots.turns.get(number, FRESH)
    seed = here.programme.settings.seed
    spots.turns[number] = taken(campaign, turn, item.cart, here.at, seed)


def _owe(here: _Break, spot: Booked, why: str) -> None:
    """A spot does not air here: it leaves a trace and is owed."""
    here.state.spots.owed.append(spot)
    line = _line_of(here.programme, here.state, spot, 0, why)
    name = here.programme.spots.campaigns[spot.campaign].name
    here.actions.append(Dropped(here.at, line, Outcome.MISSED, name, why))


def _no_audio(here: _Break, campaign: Campaign, spot: Booked, why: str) -> None:
    _owe(here, spot, why)
    when = clock(here.at_us, here.programme.settings.tz)
    here.actions.append(
        Finding(
            "spot-no-audio",
            Severity.ALARM,
            here.at,
            f"“{campaign.name}” does not air in the break at {when}: {why}.",
            "Import its audio again; it is made good when there is room.",
        )
    )


# -- the lines -------------------------------------------------------------------------------------


def _lines(here: _Break) -> list[Line]:
    """Return the lines of a break, opened and closed, or what airs where no spot does."""
    programme, state, options = here.programme, here.state, here.pattern.options
    if not here.spots:
        return _instead(here)
    here.spots.sort(key=lambda one: seat_order(one[1], here.key[1]))
    order = in_seats([campaign for _, campaign, _ in here.spots], here.pattern.seats)
    here.spots = [here.spots[at] for at in order]
    lines: list[Line] = []
    before: Item | None = None
    for cart in (int(options.opens),):
        lines += _edge(here, cart, "opens")
    for spot, _, item in here.spots:
        line = _line_of(programme, state, spot, item.cart, _why(here, spot))
        if before is not None and options.flow is Flow.WHOLE:
            line = replace(line, join=_whole(before, state.clock.rate))
        lines.append(line)
        state.spots.lined.append(LinedUp(spot, line.id))
        before = item
    closing = _edge(here, int(options.closes), "closes")
    if before is not None and options.flow is Flow.WHOLE:
        closing = [replace(line, join=_whole(before, state.clock.rate)) for line in closing]
    return [*lines, *closing]


def _whole(before: Item, rate: int) -> JoinEdit:
    """Return the join that lets what comes before play to its end."""
    return JoinEdit(before.cart, segue_s=span(before, rate).cue_out / rate, fade_out_s=0.0)


def _edge(here: _Break, cart: int, how: str) -> list[Line]:
    if not cart or here.programme.playable(cart) is None:
        return []
    why = f"It {how} the break “{here.pattern.name}”."
    origin = Origin(LineSource.BREAK, here.pattern.name, why=why)
    return [Line(here.state.take_id(), cart, origin)]


def _instead(here: _Break) -> list[Line]:
    """Return what airs where no spot is due."""
    options = here.pattern.options
    if not options.empty:
        return []
    picked = from_category(here.programme, here.state, options.empty, 1)
    why = f"No spot is due in the break “{here.pattern.name}”."
    origin = Origin(LineSource.BREAK, here.pattern.name, why=why)
    return [Line(here.state.take_id(), cart, origin) for cart, _ in picked]


def _line_of(programme: Programme, state: AirState, spot: Booked, cart: int, why: str) -> Line:
    name = programme.spots.campaigns[spot.campaign].name
    origin = Origin(LineSource.CAMPAIGN, name, why=why)
    return Line(state.take_id(), cart, origin, spot=spot)


def _why(here: _Break, spot: Booked) -> str:
    due = clock(spot.at_us, here.programme.settings.tz)
    if spot.good:
        return f"Makes good for the spot of {due}, which was not heard."
    late = f", {length(here.late_s)} late" if here.late_s >= 60 else ""
    return f"Placed in the break “{here.pattern.name}” of {due}{late}."


def _told(here: _Break, *, late: bool) -> BreakFilled:
    good = sum(spot.good for spot, _, _ in here.spots)
    note = counted(len(here.spots), "spot") if here.spots else "no spot"
    note += f", {good} of them {'makes' if good == 1 else 'make'} good" if good else ""
    if late:
        note += f"; {length(here.late_s)} late: {here.pattern.options.late}"
    return BreakFilled(here.at, here.key, here.pattern.name, note)


def _late(here: _Break) -> Finding:
    due = clock(here.key[1], here.programme.settings.tz)
    late = here.pattern.options.late
    return Finding(
        "break-late",
        Severity.WARNING,
        here.at,
        f"The break “{here.pattern.name}” of {due} comes {length(here.late_s)} late: {late}.",
        "Let it wait less for the item on air, or put shorter items before it.",
    )


def _lasts(item: Item, rate: int) -> float:
    cue = span(item, rate)
    return (cue.cue_out - cue.cue_in) / rate
