"""The station book: everything a station has programmed, as one documented JSON file.

The format is `book.schema.json` (JSON Schema 2020-12), shipped beside this module. What is
measured from sound but not programmed (waveforms, fingerprints) and what happened (as-run log,
arrivals, backups) is not in it.

History: format 1 is the first. Format 2 has markers set by hand, how items want to be played,
segue rules and joins of pairs; one of format 1 is read as if it had none. Format 3 has how log
drops load and what was settled by hand; drops of older ones load by timed events only. Format 4
has timed events of every kind, with a number each; those of older ones are numbered in order.
Format 5 has pools of overlays; older ones have none. Format 6 has break patterns and campaigns;
older ones have none. Format 7 has formats: clocks, day plans, week, calendar, rules of rotation,
what items say of their turns, and the order that categories come round in.
"""

from __future__ import annotations

import json
from collections import Counter
from contextlib import closing
from functools import partial
from pathlib import Path, PurePosixPath
from typing import TYPE_CHECKING, Any

from nightly_spindle.core.book import Book, Change, compare
from nightly_spindle.core.declared import texts_of
from nightly_spindle.core.drops import DropOptions, check_drop
from nightly_spindle.core.errors import InputFault, SettingRefused, clipped
from nightly_spindle.core.event_values import events_from, joined
from nightly_spindle.core.events import check_event
from nightly_spindle.core.formats import Turn
from nightly_spindle.core.intake import options_from, options_values
from nightly_spindle.core.markers import marks_from, shaping_from
from nightly_spindle.core.matching import key, search_words
from nightly_spindle.core.plain_files import read_plain
from nightly_spindle.core.segue_rules import edit_from, edit_values, pair_rule
from nightly_spindle.core.settings import RENAMED, settings_from, texts_from
from nightly_spindle.core.song_names import song_key
from nightly_spindle.core.turn_card import card_from
from nightly_spindle.store import campaigns, format_book, pools
from nightly_spindle.store.database import connect
from nightly_spindle.store.events import row_of, values_of
from nightly_spindle.store.rows import MEASURE, iso_utc, marks_text, shaping_text, turn_text, us_of
from nightly_spindle.store.snapshot import drop_of

if TYPE_CHECKING:
    import sqlite3
    from collections.abc import Callable

    from nightly_spindle.store.library import Library

FORMAT = "nightly-spindle-book-7"
_FORMER = tuple(f"nightly-spindle-book-{number}" for number in range(1, 7))
SCHEMA = Path(__file__).with_name("book.schema.json")
_ITEM = (
    "cart", "kind", "title", "artist", "album", "year", "genre", "path", "encoding", "size",
    "mtime_ns", "waits", "why_waits", "twin",
)  # fmt: skip
# what a measure of the former format does not have
_MEASURE_BLANK = {"intro_end_s": None, "sag_s": None, "sure_cue_in": 0.0, "sure_intro_end": 0.0,
                  "sure_segue": 0.0, "sure_fade_start": 0.0, "sure_cue_out": 0.0}  # fmt: skip


def read_station(folder: Path) -> dict[str, Any]:
    """Return the book of a station."""
    with closing(connect(folder)) as connection:
        settings = {row["name"]: row["value"] for row in _all(connection, "setting", "name")}
        roots = {row["id"]: row["path"] for row in _all(connection, "root", "path")}
        return {
            "format": FORMAT,
            "settings": texts_from(settings_from(settings)),
            "roots": sorted(roots.values()),
            "categories": [
                {"name": row["name"], "weight": row["weight"], "turn": row["turn"]}
                for row in _all(connection, "category", "name")
            ],
            "items": _items(connection, roots),
            "lists": _lists(connection),
            "log_drops": [_drop(row) for row in _all(connection, "log_drop", "id")],
            "log_settled": [
                {"said": row["said"], "cart": row["cart"]}
                for row in _all(connection, "log_settled", "said")
            ],
            "events": [values_of(row) for row in _all(connection, "timed_event", "id")],
            "intake_jobs": [_job(row) for row in _all(connection, "intake_job", "name")],
            "segue_rules": [
                {"out": row["out"], "into": row["into"], "values": json.loads(row["texts"])}
                for row in _all(connection, "segue_rule", '"out", "into"')
            ],
            "join_pairs": [
                {"out": row["out_cart"], "into": row["in_cart"], "edit": json.loads(row["edit"])}
                for row in _all(connection, "join_pair", "out_cart, in_cart")
            ],
            "overlay_pools": [
                pools.values_of(row) for row in _all(connection, "overlay_pool", "place, id")
            ],
            "break_patterns": [
                campaigns.values_of(row) for row in _all(connection, "break_pattern", "place, id")
            ],
            "campaigns": [campaigns.values_of(row) for row in _all(connection, "campaign", "id")],
            **format_book.format_sections(connection),
        }


def write_book(book: Book, path: Path) -> None:
    """Write a book to a file, whole or not at all."""
    from nightly_spindle.store.exchange import replace_file

    replace_file(path, json.dumps(book, ensure_ascii=False, indent=1) + "\n")


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
    settings = book.get("settings")
    if isinstance(settings, dict):
        settings = {RENAMED.get(name, name): text for name, text in settings.items()}
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
    new: dict[str, Any] = {"segue_rules": [], "join_pairs": [], "log_settled": [],
                           "overlay_pools": [], "break_patterns": [], "campaigns": [],
                           **format_book.NONE}  # fmt: skip
    same = {
        "settings": settings,
        "categories": groups,
        "items": items,
        "log_drops": drops,
        "events": events,
    }
    return {**new, **book, **same, "format": FORMAT}


def _wrong(book: Any) -> list[str]:
    """Return what is wrong with a book: its form first, then what the form cannot say."""
    from jsonschema import Draft202012Validator

    validator = Draft202012Validator(json.loads(SCHEMA.read_text(encoding="utf-8")))
    wrong = [
        f"{'/'.join(map(str, error.absolute_path)) or 'the book'}: {error.message[:120]}"
        for error in validator.iter_errors(book)
    ]
    return wrong or [*_wrong_marks(book), *_wrong_values(book)]


_MARKS = {"items": "cart", "categories": "name", "lists": "name", "log_drops": "id", "events": "id",
          "intake_jobs": "name", "overlay_pools": "id", "break_patterns": "id",
          "campaigns": "id", "format_clocks": "id", "day_plans": "id", "week": "hour",
          "calendar": "day", "rotation_rules": "place"}  # fmt: skip


def _wrong_marks(book: Book) -> list[str]:
    """Return entries that are there twice, and files outside the book's roots."""
    wrong = []
    for section, name in _MARKS.items():
        counts = Counter(entry[name] for entry in book[section])
        wrong += [f"{section}: {mark} is there twice" for mark, n in counts.items() if n > 1]
    for item in book["items"]:
        wrong += [
            f"items/{item['cart']}: {place['path']} lies in none of the roots"
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
            check_drop(drop_of(_drop_row(drop), Path("/")))
        except (SettingRefused, ValueError) as error:
            wrong.append(f"log_drops/{drop['id']}: {error}")
    wrong += _wrong_segues(book)
    kinds = {item["cart"]: item["kind"] for item in book["items"]}
    wrong += pools.wrong_pools(book["overlay_pools"], kinds)
    wrong += campaigns.wrong_spots(book["campaigns"], book["break_patterns"], kinds)
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
        (f"segue_rules/{rule['out']} into {rule['into']}",
         partial(pair_rule, rule["out"], rule["into"], rule["values"]))
        for rule in book["segue_rules"]
    ]  # fmt: skip
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


def changes(folder: Path, book: Book) -> list[Change]:
    """Return what applying a book to a station would change."""
    return compare(read_station(folder), book)


def apply_book(library: Library, book: Book) -> None:
    """Make a station what a book says. What is measured of items that stay is kept.

    InputFault when it holds a value that cannot be kept; nothing has changed then.
    """
    try:
        _apply(library, book)
    except (ValueError, OverflowError, TypeError, KeyError, AttributeError) as error:
        # what the schema allows and no table takes: a number without end, a date that is none
        raise InputFault(f"the book holds a value that cannot be: {clipped(error)}") from error


def _apply(library: Library, book: Book) -> None:
    from sqlalchemy.dialects.sqlite import insert

    from nightly_spindle.store import tables as t

    version = library.version()
    library.run(t.setting.delete())
    _fill(library, t.setting, [{"name": n, "value": v} for n, v in book["settings"].items()])
    for path in book["roots"]:
        library.run(insert(t.root).values(path=path).on_conflict_do_nothing())
    roots = {row["path"]: row["id"] for row in library.rows(t.root.select())}
    _apply_items(library, book, roots, version)
    library.run(t.root.delete().where(t.root.c.path.not_in(list(book["roots"]))))
    library.run(t.item_category.delete())
    library.run(t.category.delete())
    _fill(library, t.category, [dict(entry) for entry in book["categories"]])
    ids = {row["name"]: row["id"] for row in library.rows(t.category.select())}
    pairs = [
        {"cart": item["cart"], "category_id": ids[name]}
        for item in book["items"]
        for name in item["categories"]
    ]
    _fill(library, t.item_category, pairs)
    library.run(t.list_line.delete())
    library.run(t.list_.delete())
    for number, entry in enumerate(book["lists"], 1):
        values = {"id": number, "name": entry["name"], "target_s": entry["target_s"]}
        library.run(insert(t.list_).values(**values))
        lines = [{"list_id": number, "place": at, "cart": c} for at, c in enumerate(entry["carts"])]
        _fill(library, t.list_line, lines)
    for table, rows in (
        (t.log_drop, [_drop_row(entry) for entry in book["log_drops"]]),
        (t.log_settled, [{**entry, "at_us": 0} for entry in book["log_settled"]]),
        (t.timed_event, [row_of(entry) for entry in book["events"]]),
        (t.intake_job, [_job_row(entry) for entry in book["intake_jobs"]]),
        (t.segue_rule, [_rule_row(entry) for entry in book["segue_rules"]]),
        (t.join_pair, [_pair_row(entry) for entry in book["join_pairs"]]),
        (t.overlay_pool, [pools.row_of(entry) for entry in book["overlay_pools"]]),
        (t.break_pattern, [campaigns.row_of(entry) for entry in book["break_patterns"]]),
        (t.campaign, [campaigns.row_of(entry) for entry in book["campaigns"]]),
        (t.spot_placed, []),  # it is worked out anew
        (t.placing, []),
        *format_book.format_rows(book),
    ):
        library.run(table.delete())
        _fill(library, table, rows)


def _apply_items(library: Library, book: Book, roots: dict[str, int], version: int) -> None:
    from sqlalchemy import select
    from sqlalchemy.dialects.sqlite import insert

    from nightly_spindle.store import items
    from nightly_spindle.store import tables as t

    there = set(library.run(select(t.item.c.cart)).scalars())
    stay = {item["cart"] for item in book["items"]}
    items.remove(library, sorted(there - stay))
    library.run(t.former_place.delete())
    # two items may swap their files: the places are freed first
    library.run(t.item.update().values(path=t.item.c.cart.op("||")("?")))
    for item in book["items"]:
        row = _item_row(item, roots, version)
        if item["cart"] in there:
            library.run(t.item.update().where(t.item.c.cart == item["cart"]).values(**row))
        else:
            library.run(insert(t.item).values(**row))
            measure = item["measure"]
            sounding = measure["cue_out_s"] - measure["cue_in_s"]
            library.run(
                insert(t.item_sound).values(
                    cart=item["cart"], overview=b"", fingerprint=b"", sounding_s=sounding
                )
            )
        former = [
            {
                "cart": item["cart"],
                "root_id": roots[place["root"]],
                "path": place["path"],
                "name_key": key(PurePosixPath(place["path"]).name),
                "until_us": us_of(place["until"]),
                "ours": place["ours"],
            }
            for place in item["former"]
        ]
        _fill(library, t.former_place, former)


def _fill(library: Library, table: Any, rows: list[dict[str, Any]]) -> None:
    from sqlalchemy.dialects.sqlite import insert

    if rows:
        library.run(insert(table), rows)


# -- rows and entries ------------------------------------------------------------------------------


def _all(connection: sqlite3.Connection, table: str, order: str) -> list[sqlite3.Row]:
    return connection.execute(f"SELECT * FROM {table} ORDER BY {order}").fetchall()


def _items(connection: sqlite3.Connection, roots: dict[int, str]) -> list[dict[str, Any]]:
    names: dict[int, list[str]] = {}
    for row in connection.execute(
        "SELECT x.cart, c.name FROM item_category x JOIN category c ON c.id = x.category_id"
        " ORDER BY c.name"
    ):
        names.setdefault(row["cart"], []).append(row["name"])
    former: dict[int, list[dict[str, Any]]] = {}
    for row in _all(connection, "former_place", "id"):
        place = {"root": roots[row["root_id"]], "path": row["path"], "ours": bool(row["ours"])}
        former.setdefault(row["cart"], []).append(place | {"until": iso_utc(row["until_us"])})
    return [
        {
            **{name: row[name] for name in _ITEM},
            "root": roots[row["root_id"]],
            "added": iso_utc(row["added_us"]),
            "tags": json.loads(row["tags"] or "{}"),
            "measure": {name: row[name] for name in MEASURE}
            | {"fall": json.loads(row["fall"] or "[]")},
            "marks": json.loads(row["marks"] or "{}"),
            "shaping": json.loads(row["shaping"] or "{}"),
            "turn": json.loads(row["turn"] or "{}"),
            "categories": names.get(row["cart"], []),
            "former": former.get(row["cart"], []),
        }
        for row in _all(connection, "item", "cart")
    ]


def _item_row(item: dict[str, Any], roots: dict[str, int], version: int) -> dict[str, Any]:
    return {
        **{name: item[name] for name in _ITEM},
        **_MEASURE_BLANK,
        **item["measure"],
        "fall": _fall(item["measure"]),
        "marks": marks_text(marks_from(item["marks"])),
        "shaping": shaping_text(shaping_from(item["shaping"])),
        "turn": turn_text(card_from(item["turn"])),
        "root_id": roots[item["root"]],
        "name_key": key(PurePosixPath(item["path"]).name),
        "added_us": us_of(item["added"]),
        "tags": json.dumps(item["tags"], ensure_ascii=False),
        "version": version,
        "words": search_words(
            *(item[name] for name in ("artist", "title", "album", "kind")), str(item["cart"])
        ),
        "song_key": song_key(item["artist"], item["title"]),
        **{f"sort_{name}": key(item[name]) for name in ("artist", "title", "album")},
    }


def _lists(connection: sqlite3.Connection) -> list[dict[str, Any]]:
    carts: dict[int, list[int]] = {}
    for row in _all(connection, "list_line", "list_id, place"):
        carts.setdefault(row["list_id"], []).append(row["cart"])
    return [
        {"name": row["name"], "target_s": row["target_s"], "carts": carts.get(row["id"], [])}
        for row in _all(connection, "list", "name")
    ]


_JSON = ("options", "paths", "meanings")


def _drop(row: sqlite3.Row) -> dict[str, Any]:
    """Return a log drop with its options as far as they are not the default."""
    entry = dict(row) | {name: json.loads(row[name]) for name in _JSON}
    plain = texts_of(DropOptions(), "drop")
    options = {n: v for n, v in entry["options"].items() if plain.get(f"drop.{n}") != v}
    return entry | {"options": dict(sorted(options.items()))}


def _drop_row(entry: dict[str, Any]) -> dict[str, Any]:
    texts = {name: json.dumps(entry[name], ensure_ascii=False) for name in _JSON}
    return {**entry, **texts}


def _job(row: sqlite3.Row) -> dict[str, Any]:
    return {
        "name": row["name"],
        "folder": row["folder"],
        "subfolders": bool(row["subfolders"]),
        "enabled": bool(row["enabled"]),
        "options": json.loads(row["options"]),
    }


def _job_row(entry: dict[str, Any]) -> dict[str, Any]:
    options = options_values(options_from(entry["options"]))
    return {**entry, "options": json.dumps(options, ensure_ascii=False)}


def _rule_row(entry: dict[str, Any]) -> dict[str, Any]:
    texts = json.dumps(entry["values"], sort_keys=True)
    return {"out": entry["out"], "into": entry["into"], "texts": texts}


def _pair_row(entry: dict[str, Any]) -> dict[str, Any]:
    edit = json.dumps(edit_values(edit_from(entry["edit"])), sort_keys=True)
    return {"out_cart": entry["out"], "in_cart": entry["into"], "edit": edit}


def _fall(measure: dict[str, Any]) -> str:
    fall = measure.get("fall") or []
    return json.dumps(fall, separators=(",", ":")) if fall else ""
