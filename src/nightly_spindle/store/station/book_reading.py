"""Reading a station book from a file: its form, former formats, and what is wrong with it."""

from __future__ import annotations

import json
from collections import Counter
from functools import partial
from pathlib import Path, PurePosixPath
from typing import TYPE_CHECKING, Any

from nightly_spindle.core.base.errors import InputFault, SettingRefused
from nightly_spindle.core.base.plain_files import read_plain
from nightly_spindle.core.events.event_values import events_from, joined
from nightly_spindle.core.events.timed_events import check_event
from nightly_spindle.core.library.intake import options_from
from nightly_spindle.core.library.markers import marks_from, shaping_from
from nightly_spindle.core.library.rotation_card import card_from
from nightly_spindle.core.music.formats import Turn
from nightly_spindle.core.outputs.outputs import FIRST, NOT_HEARD, output_values
from nightly_spindle.core.segues.segue_rules import edit_from, pair_rule
from nightly_spindle.core.station.log_sources import check_drop
from nightly_spindle.core.station.settings import RENAMED, settings_from
from nightly_spindle.store.alerts.alerts import wrong_alerts
from nightly_spindle.store.music import format_book
from nightly_spindle.store.outputs.outputs import book_entry, wrong_outputs
from nightly_spindle.store.overlays import pools
from nightly_spindle.store.programme.station_parts import drop_of
from nightly_spindle.store.traffic import campaigns

if TYPE_CHECKING:
    from collections.abc import Callable

    from nightly_spindle.core.station.station_book import Book

FORMAT = "nightly-spindle-book-9"
_FORMER = tuple(f"nightly-spindle-book-{number}" for number in range(1, 9))
SCHEMA = Path(__file__).with_name("station_book.schema.json")


def read_json(path: Path) -> Any:
    """Read a JSON file; InputFault says why it cannot be."""
    try:
        return json.loads(read_plain(path))
    except OSError as error:
        raise InputFault(f"{path} cannot be read: {error.strerror}") from error
    except (ValueError, RecursionError) as error:
        raise InputFault(f"{path} is not JSON: {error}") from error


def read_book(path: Path) -> dict[str, Any]:
    """Read a book; InputFault tells all that is wrong with it, each with its place."""
    book = _from_former(read_json(path))
    wrong = _wrong(book)
    if wrong:
        more = f"; and {len(wrong) - 5} more" if len(wrong) > 5 else ""
        raise InputFault(f"{path} is no station book: {'; '.join(wrong[:5])}{more}")
    checked: dict[str, Any] = book
    return checked


def _from_former(book: Any) -> Any:
    """Return a book of a former format as one of this format; any other as it is."""
    if not isinstance(book, dict) or book.get("format") not in _FORMER:
        return book
    settings, outputs = book.get("settings"), []
    if isinstance(settings, dict):
        settings = {RENAMED.get(name, name): text for name, text in settings.items()}
        outputs = _former_outputs(settings)
    items = book.get("items")
    if isinstance(items, list):
        items = [
            {"marks": {}, "shaping": {}, "turn": {}, **item} if isinstance(item, dict) else item
            for item in items
        ]
    groups = book.get("categories")
    if isinstance(groups, list):
        usual = {"turn": str(Turn.OLDEST)}
        groups = [{**usual, **one} if isinstance(one, dict) else one for one in groups]
    drops = book.get("log_drops")
    if isinstance(drops, list):
        blank: dict[str, Any] = {"options": {}, "paths": [], "meanings": []}
        drops = [{**blank, **drop} if isinstance(drop, dict) else drop for drop in drops]
    events = book.get("events")
    if isinstance(events, list):
        events = [
            {"id": number, "rule": {}, "options": {}, **event} if isinstance(event, dict) else event
            for number, event in enumerate(events, 1)
        ]
    new: dict[str, Any] = {
        "segue_rules": [],
        "join_pairs": [],
        "log_settled": [],
        "overlay_pools": [],
        "break_patterns": [],
        "campaigns": [],
        "outputs": outputs,
        "alerts": [],
        **format_book.NONE,
    }
    same = {
        "settings": settings,
        "categories": groups,
        "items": items,
        "log_drops": drops,
        "events": events,
    }
    return {**new, **book, **same, "format": FORMAT}


def _former_outputs(settings: dict[str, Any]) -> list[dict[str, Any]]:
    """Take the two settings out that named a station's one output; returns it."""
    to, device = settings.pop("output.to", "device"), settings.pop("output.device", "")
    (first,) = FIRST if to == "device" else NOT_HEARD
    options = {"device": device} if to == "device" and device else {}
    return [book_entry({**output_values(first), "options": options})]


def _wrong(book: Any) -> list[str]:
    """Return what is wrong with a book: its form first, then what the form cannot say."""
    from jsonschema import Draft202012Validator

    validator = Draft202012Validator(json.loads(SCHEMA.read_text(encoding="utf-8")))
    wrong = [
        f"{'/'.join(map(str, error.absolute_path)) or 'the book'}: {error.message[:120]}"
        for error in validator.iter_errors(book)
    ]
    return wrong or [*_wrong_marks(book), *_wrong_values(book)]


_MARKS = {
    "items": "cart",
    "categories": "name",
    "lists": "name",
    "log_drops": "id",
    "events": "id",
    "intake_jobs": "name",
    "overlay_pools": "id",
    "break_patterns": "id",
    "campaigns": "id",
    "outputs": "id",
    "alerts": "id",
    "format_clocks": "id",
    "day_plans": "id",
    "week": "hour",
    "calendar": "day",
    "rotation_rules": "place",
}


def _wrong_marks(book: Book) -> list[str]:
    """Return entries that are there twice, and files outside the book's roots."""
    wrong = []
    for section, name in _MARKS.items():
        counts = Counter(entry[name] for entry in book[section])
        wrong += [f"{section}: {mark} is there twice" for mark, n in counts.items() if n > 1]
    for item in book["items"]:
        wrong += [
            f"items/{item['cart']}: {place['path']} is in none of the roots"
            for place in [item, *item["former"]]
            if place["root"] not in book["roots"] or ".." in PurePosixPath(place["path"]).parts
        ]
    return wrong


def _wrong_values(book: Book) -> list[str]:
    """Return settings, rules and options that cannot be."""
    wrong = []
    try:
        settings_from(book["settings"])
    except SettingRefused as error:
        wrong.append(f"settings: {error}")
    wrong += _wrong_events(book)
    for drop in book["log_drops"]:
        try:
            check_drop(drop_of(drop_row(drop), Path("/")))
        except (SettingRefused, ValueError) as error:
            wrong.append(f"log_drops/{drop['id']}: {error}")
    wrong += _wrong_segues(book)
    kinds = {item["cart"]: item["kind"] for item in book["items"]}
    wrong += pools.wrong_pools(book["overlay_pools"], kinds)
    wrong += campaigns.wrong_spots(book["campaigns"], book["break_patterns"], kinds)
    wrong += wrong_outputs(book["outputs"])
    wrong += wrong_alerts(book["alerts"])
    wrong += format_book.wrong_formats(book)
    for number, job in enumerate(book["intake_jobs"]):
        try:
            options_from(job["options"])
        except SettingRefused as error:
            wrong.append(f"intake_jobs/{number}: {error}")
    return wrong


def _wrong_events(book: Book) -> list[str]:
    """Return timed events that cannot be."""
    wrong = []
    found = []
    for entry in book["events"]:
        try:
            found += events_from([entry])
        except SettingRefused as error:
            wrong.append(f"events/{entry['id']}: {error}")
    by_id = {event.id: event for event in found}
    for event in found:
        try:
            check_event(joined(event, by_id))
        except SettingRefused as error:
            wrong.append(f"events/{event.id}: {error}")
    return wrong


def _wrong_segues(book: Book) -> list[str]:
    """Return markers, wishes of items, rules and joins that cannot be."""
    wrong = []
    checks: list[tuple[str, Callable[[], object]]] = [
        (
            f"segue_rules/{rule['out']} into {rule['into']}",
            partial(pair_rule, rule["out"], rule["into"], rule["values"]),
        )
        for rule in book["segue_rules"]
    ]
    checks += [
        (f"join_pairs/{pair['out']} into {pair['into']}", partial(edit_from, pair["edit"]))
        for pair in book["join_pairs"]
    ]
    for item in book["items"]:
        checks.append((f"items/{item['cart']}/marks", partial(marks_from, item["marks"])))
        checks.append((f"items/{item['cart']}/shaping", partial(shaping_from, item["shaping"])))
        checks.append((f"items/{item['cart']}/turn", partial(card_from, item["turn"])))
    for place, check in checks:
        try:
            check()
        except InputFault as error:
            wrong.append(f"{place}: {error}")
    return wrong


DROP_JSON = ("options", "paths", "meanings")  # columns of a log drop that hold JSON


def drop_row(entry: dict[str, Any]) -> dict[str, Any]:
    """Return a log drop of a book as a row of its table."""
    texts = {name: json.dumps(entry[name], ensure_ascii=False) for name in DROP_JSON}
    return {**entry, **texts, "made_us": 0}
