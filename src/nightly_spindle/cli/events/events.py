"""`events`: list, expand, add, change, fire, check, export and import timed events."""

from __future__ import annotations

import sys
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

import msgspec

from nightly_spindle.air.client import ask
from nightly_spindle.air.messages import Fire
from nightly_spindle.cli.base.common import instant, now_us, print_json
from nightly_spindle.core.base.declared import changed_group
from nightly_spindle.core.base.errors import InputFault, SettingRefused
from nightly_spindle.core.base.plain_files import read_plain
from nightly_spindle.core.base.timebase import iso
from nightly_spindle.core.events.event_icalendar import from_calendar, to_calendar
from nightly_spindle.core.events.event_values import event_values, events_from
from nightly_spindle.core.events.rule_draft import (
    DraftKind,
    RuleDraft,
    draft_of,
    rule_of,
    unused_at,
)
from nightly_spindle.core.events.step_text import step_from_text
from nightly_spindle.core.events.steps import PlayFolder, PlayItem, Step
from nightly_spindle.core.events.timed_events import Entry, EventOptions, OffsetRule, TimedEvent
from nightly_spindle.core.playout.event_length_plan import holds
from nightly_spindle.core.reports.event_findings import check_events
from nightly_spindle.core.reports.event_week import next_firings
from nightly_spindle.store.base.transaction import LibraryTransaction
from nightly_spindle.store.events.events import find_event, remove_events, save_events
from nightly_spindle.store.playout.journal import load_state
from nightly_spindle.store.programme.snapshot import Snapshot, open_station
from nightly_spindle.store.station.book_reading import read_json

if TYPE_CHECKING:
    import argparse

# options of the command line, and the texts of a draft that they stand for
_TEXTS = {
    "at": "at",
    "days": "days",
    "weeks": "weeks",
    "months": "months",
    "every_weeks": "every",
    "month_days": "month_days",
    "hours": "hours",
    "minutes": "minutes",
    "every": "every_min",
    "until": "until",
    "first": "first",
    "last": "last",
    "not_on": "not_on",
    "times": "most",
}


def list_events(options: argparse.Namespace) -> int:
    """List the timed events, each with its sentence and its next firings."""
    snapshot = open_station(Path(options.folder))
    views = [_view(snapshot, event) for event in snapshot.programme.events]
    if options.json:
        print_json(views)
        return 0
    for view in views:
        print(f"{view['id']}  {view['name']}: {view['sentence']}")
        for firing in view["next"][:2]:
            print(f"    {firing['text']}")
    if not views:
        print("No timed events yet; `nightly-spindle events add --help` says how to make one.")
    return 0


def _view(snapshot: Snapshot, event: TimedEvent) -> dict[str, Any]:
    tz = snapshot.programme.settings.tz
    coming = next_firings(event.rule, tz, now_us()) if event.enabled else []
    held = holds(snapshot.programme, event)
    items = snapshot.programme.items
    named = [step.cart for step in event.steps if isinstance(step, PlayItem)]
    titles = {cart: items[cart].title for cart in named if cart in items}
    return {
        **event_values(event),
        "sentence": event.sentence(titles),
        "next": [{"at": iso(one.at_us, tz), "text": one.text} for one in coming],
        "runs_s": round(held.runs_s, 3),
        "room_s": None if held.room_s is None else round(held.room_s, 3),
    }


def add(options: argparse.Namespace) -> int:
    """Make a timed event, or change the one of that name or number."""
    folder = Path(options.folder)
    snapshot = open_station(folder)
    if options.file:
        entries = _entries(Path(options.file))
        return _save(options, folder, events_from(entries))
    known = list(snapshot.programme.events)
    was = next((e for e in known if options.name in {e.name, str(e.id)}), None)
    return _save(options, folder, [_changed(options, known, was)])


def _entries(path: Path) -> list[dict[str, Any]]:
    found = read_json(path)
    entries = found if isinstance(found, list) else [found]
    usual = {"id": 0, "priority": 0, "grace_s": 900.0, "enabled": True}
    if not all(isinstance(entry, dict) for entry in entries):
        raise InputFault(f"{path} holds no event: one is an object with name, start, steps")
    return [usual | entry for entry in entries]


def _step(text: str) -> Step:
    """Read a step; no shell has put one's own folder in for the "~" amid the text."""
    step = step_from_text(text)
    if isinstance(step, PlayFolder):
        return replace(step, folder=str(Path(step.folder).expanduser()))
    return step


def _save(options: argparse.Namespace, folder: Path, events: list[TimedEvent]) -> int:
    with LibraryTransaction(folder) as library:
        ids, _ = save_events(library, events)
    snapshot = open_station(folder)
    views = [_view(snapshot, event) for event in snapshot.programme.events if event.id in ids]
    if options.json:
        print_json(views)
        return 0
    for view in views:
        print(f"{view['id']}  {view['name']}: {view['sentence']}")
        for firing in view["next"]:
            print(f"    {firing['text']}")
    wrong = [f for f in check_events(snapshot.programme, now_us()) if f.event_id in ids]
    for finding in wrong:
        print(f"{finding.severity}: {finding.text} {finding.mend}")
    return 0


def _changed(
    options: argparse.Namespace, known: list[TimedEvent], was: TimedEvent | None
) -> TimedEvent:
    """Return the event as the command line wants it; SettingRefused says what is wrong."""
    rule = _rule(options, known, was)
    entry = Entry(options.entry) if options.entry else (was.entry if was else Entry.NEXT)
    steps = tuple(map(_step, options.step)) or (was.steps if was else ())
    group = changed_group(was.options if was else EventOptions(), "event", options.set)
    made = was or TimedEvent(0, options.name, rule, entry, steps)
    made = replace(made, rule=rule, entry=entry, steps=steps, options=group)
    if options.rename:
        made = replace(made, name=options.rename)
    if options.priority is not None:
        made = replace(made, priority=options.priority)
    if options.grace is not None:
        made = replace(made, grace_s=options.grace)
    return made


def _rule(options: argparse.Namespace, known: list[TimedEvent], was: TimedEvent | None) -> Any:
    given = {
        field: getattr(options, name)
        for name, field in _TEXTS.items()
        if getattr(options, name) is not None
    }
    for side, sign in ((options.before, -1), (options.after, 1)):
        if side:
            name, _, minutes = side.rpartition(":")
            other = find_event(known, name or side)
            offset = sign * _minutes(minutes if name else "0")
            return OffsetRule(other.id, offset * 60)
    draft = draft_of(was.rule) if was else RuleDraft()
    if options.on:
        given |= {"kind": DraftKind.DATES, "dates": options.on}
    elif options.songs is not None:
        given |= {"kind": DraftKind.SONGS, "songs": options.songs}
    elif options.rule:
        given |= {"kind": DraftKind.RRULE, "rrule": options.rule}
    elif given and draft.kind in {DraftKind.BESIDE, DraftKind.SONGS} and not was:
        given |= {"kind": DraftKind.DAYS}
    if not given and was is not None:
        return was.rule
    if not given:
        raise SettingRefused("say when it fires: --at, --on, --every, --songs, --before or --after")
    draft = replace(draft, **given)
    if options.at is not None and (told := unused_at(draft)):
        print(f"nightly-spindle: {told}", file=sys.stderr)
    return rule_of(draft)


def _minutes(text: str) -> float:
    try:
        return float(text)
    except ValueError as error:
        raise SettingRefused(f"'{text}' is not a number of minutes; write EVENT:5") from error


def remove(options: argparse.Namespace) -> int:
    """Take a timed event out."""
    folder = Path(options.folder)
    event = find_event(open_station(folder).programme.events, options.event)
    with LibraryTransaction(folder) as library:
        remove_events(library, [event.id])
    if options.json:
        print_json({"removed": event.name})
    return 0


def enable(options: argparse.Namespace) -> int:
    """Switch a timed event on, or off."""
    folder = Path(options.folder)
    event = find_event(open_station(folder).programme.events, options.event)
    return _save(options, folder, [replace(event, enabled=not options.off)])


def fire(options: argparse.Namespace) -> int:
    """Have the running engine carry a timed event out now."""
    folder = Path(options.folder)
    event = find_event(open_station(folder).programme.events, options.event)
    answer = ask(folder, Fire(event.id))
    if options.json:
        print_json(msgspec.to_builtins(answer))
        return 0
    print(f"“{event.name}” acts now: {', then '.join(answer.did) or 'it has nothing to air'}.")
    for finding in answer.findings:
        print(f"{finding.severity}: {finding.text}")
    return 0


def check(options: argparse.Namespace) -> int:
    """Say what is wrong with the timed events."""
    snapshot = open_station(Path(options.folder))
    tz = snapshot.programme.settings.tz
    at = instant(options.from_, tz)
    state = load_state(snapshot.connection)
    snapshot.look_for_files()
    found = check_events(snapshot.programme, at, unattended=state is None or state.order.unattended)
    if options.json:
        names = {event.id: event.name for event in snapshot.programme.events}
        print_json(
            [
                {
                    "event": names.get(one.event_id),
                    "code": one.code,
                    "severity": str(one.severity),
                    "at": iso(one.at_us, tz) if one.at_us else None,
                    "text": one.text,
                    "mend": one.mend,
                }
                for one in found
            ]
        )
        return 0
    for one in found:
        print(f"{one.severity}: {one.text} {one.mend}")
    if not found:
        print("Nothing is wrong with the timed events.")
    return 0


def export(options: argparse.Namespace) -> int:
    """Write the timed events to an iCalendar file."""
    from nightly_spindle.core.base.plain_files import replace_file

    programme = open_station(Path(options.folder)).programme
    settings = programme.settings
    data = to_calendar(programme.events, settings.tz, now_us(), settings.name)
    replace_file(Path(options.file), data.decode())
    if options.json:
        print_json({"file": options.file, "events": len(programme.events)})
    return 0


def bring_in(options: argparse.Namespace) -> int:
    """Read timed events from an iCalendar file; those of the same name are changed."""
    folder = Path(options.folder)
    programme = open_station(folder).programme
    try:
        data = read_plain(options.file)
    except OSError as error:
        raise InputFault(f"{options.file} cannot be read: {error.strerror}") from error
    by_name = {event.name: event.id for event in programme.events}
    found = from_calendar(data, programme.settings.tz, now_us())
    names = {event.id: event.name for event in found if event.id}
    renumbered = {number: by_name.get(name, 0) for number, name in names.items()}
    made = [replace(event, id=by_name.get(event.name, 0)) for event in found]
    beside = [event for event in made if isinstance(event.rule, OffsetRule)]
    plain = [event for event in made if not isinstance(event.rule, OffsetRule)]
    with LibraryTransaction(folder) as library:
        ids, _ = save_events(library, plain)
        renumbered |= {
            number: ids[at]
            for at, event in enumerate(plain)
            for number, name in names.items()
            if name == event.name
        }
        follows = [
            replace(
                event,
                rule=replace(
                    event.rule, other_id=renumbered.get(event.rule.other_id, event.rule.other_id)
                ),
            )
            for event in beside
            if isinstance(event.rule, OffsetRule)
        ]
        more, _ = save_events(library, follows)
    snapshot = open_station(folder)
    views = [_view(snapshot, e) for e in snapshot.programme.events if e.id in {*ids, *more}]
    if options.json:
        print_json(views)
        return 0
    for view in views:
        print(f"{view['id']}  {view['name']}: {view['sentence']}")
    return 0
