"""The timed events as a whole: what they do in a week, what is wrong, what they can take from."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING

from nightly_spindle.core.events.event_templates import TemplateStock
from nightly_spindle.core.events.event_values import joined
from nightly_spindle.core.events.steps import PlayItem
from nightly_spindle.core.events.timed_events import TimedEvent
from nightly_spindle.core.playout.event_length_plan import EventContents, holds
from nightly_spindle.core.reports.event_findings import EventFinding, check_events
from nightly_spindle.core.reports.event_week import ComingFiring, Day, next_firings, week_of
from nightly_spindle.store.events.event_sources import read_holdings
from nightly_spindle.store.playout.journal import load_state
from nightly_spindle.store.programme.station_board import StationBoard

if TYPE_CHECKING:
    from collections.abc import Iterable
    from datetime import date

    from nightly_spindle.store.programme.snapshot import Snapshot


_PREVIEW_DAYS = 15


@dataclass(frozen=True, slots=True)
class EventSheet:
    """All that the desk shows of events. `titles` names items by cart, `drops` drops by number."""

    now_us: int
    events: tuple[TimedEvent, ...] = ()
    days: tuple[Day, ...] = ()
    findings: tuple[EventFinding, ...] = ()
    next_us: dict[int, int] = field(default_factory=dict)
    runs_s: dict[int, float] = field(default_factory=dict)
    titles: dict[int, str] = field(default_factory=dict)
    known: TemplateStock = field(default_factory=TemplateStock)
    folders: tuple[str, ...] = ()
    drops: dict[int, str] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class EventPreview:
    """What an event would do as it is typed."""

    sentence: str
    coming: tuple[ComingFiring, ...]
    findings: tuple[EventFinding, ...]
    holds: EventContents


class EventBoard(StationBoard):
    """Reads one station's events again and again."""

    def _read(self) -> Snapshot:
        snapshot, anew = self._fresh()
        if anew:
            snapshot.look_for_files()
        return snapshot

    def sheet(self, now_us: int, monday: date) -> EventSheet:
        """Return the events, the week that begins with a day, and what is wrong."""
        snapshot = self._read()
        programme, connection = snapshot.programme, snapshot.connection
        tz = programme.settings.tz
        state = load_state(connection)
        found = check_events(programme, now_us, unattended=state is None or state.order.unattended)
        following = {}
        for event in programme.events:
            coming = next_firings(event.rule, tz, now_us, 1)
            if coming:
                following[event.id] = coming[0].at_us
        return EventSheet(
            now_us,
            tuple(programme.events),
            tuple(week_of(programme, programme.events, monday)),
            tuple(found),
            following,
            {event.id: holds(programme, event).runs_s for event in programme.events},
            self._titles(snapshot, programme.events),
            TemplateStock(
                [row[0] for row in connection.execute("SELECT name FROM list ORDER BY name")],
                [row[0] for row in connection.execute("SELECT name FROM category ORDER BY name")],
                sorted(programme.drops),
                [pool.name for pool in programme.pools],
                [pattern.name for pattern in programme.spots.patterns.values()],
            ),
            self._folders(snapshot),
            {number: drop.name for number, drop in programme.drops.items()},
        )

    def preview(self, event: TimedEvent, now_us: int) -> EventPreview:
        """Return what an event would do, among the others, as it is typed."""
        snapshot = self._read()
        programme = snapshot.programme
        was = (list(programme.events), programme.drops, programme.event_sources)
        number = event.id or max((one.id for one in was[0]), default=0) + 1
        by_id = {one.id: one for one in was[0]}
        event = joined(replace(event, id=number), by_id)
        others = [one for one in was[0] if one.id != number]
        events = sorted([*others, event], key=lambda one: one.id)
        holdings, carts = read_holdings(snapshot.connection, self._folder, events)
        snapshot.reach(carts)
        programme.set_events(events, programme.drops, holdings)
        try:
            found = check_events(programme, now_us, days=_PREVIEW_DAYS)
            return EventPreview(
                event.sentence(self._titles(snapshot, [event])),
                tuple(next_firings(event.rule, programme.settings.tz, now_us)),
                tuple(one for one in found if one.event_id == number),
                holds(programme, event),
            )
        finally:
            programme.set_events(*was)

    @staticmethod
    def _titles(snapshot: Snapshot, events: Iterable[TimedEvent]) -> dict[int, str]:
        """Return the titles of the items that events name."""
        steps = (step for event in events for step in event.steps)
        carts = {step.cart for step in steps if isinstance(step, PlayItem)}
        items = snapshot.programme.items
        return {cart: items[cart].title for cart in carts if cart in items}

    @staticmethod
    def _folders(snapshot: Snapshot) -> tuple[str, ...]:
        rows = snapshot.connection.execute(
            "SELECT DISTINCT r.path AS root, i.path FROM item i JOIN root r ON r.id = i.root_id"
        )
        found = set()
        for row in rows:
            inner = row["path"].rpartition("/")[0]
            found.add(f"{row['root']}/{inner}" if inner else row["root"])
        return tuple(sorted(found))
