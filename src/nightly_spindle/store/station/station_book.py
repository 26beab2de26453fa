"""The station book: everything a station has programmed, as one documented JSON file.

The format is `station_book.schema.json` (JSON Schema 2020-12), shipped beside this module. What is
measured from sound but not programmed (waveforms, fingerprints) and what happened (as-run log,
arrivals, backups) is not in it.

History: format 1 is the first. Format 2 has markers set by hand, how items want to be played,
segue rules and joins of pairs; one of format 1 is read as if it had none. Format 3 has how log
drops load and what was settled by hand; drops of older ones load by timed events only. Format 4
has timed events of every kind, with a number each; those of older ones are numbered in order.
Format 5 has pools of overlays; older ones have none. Format 6 has break patterns and campaigns;
older ones have none. Format 7 has formats: clocks, day plans, week, calendar, rules of rotation,
what items say of their turns, and the order that categories come round in. Format 8 has outputs,
without their passwords; those of older ones are as their settings named one. Format 9 has alerts,
without their passwords; older ones have none.
"""

from __future__ import annotations

import json
from contextlib import closing
from pathlib import Path, PurePosixPath
from typing import TYPE_CHECKING, Any

from nightly_spindle.core.alerts.alerts import alert_from
from nightly_spindle.core.base.declared import texts_of
from nightly_spindle.core.base.errors import InputFault, clipped
from nightly_spindle.core.library.intake import options_from, options_values
from nightly_spindle.core.library.markers import marks_from, shaping_from
from nightly_spindle.core.library.rotation_card import card_from
from nightly_spindle.core.library.song_names import song_key
from nightly_spindle.core.logs.log_matching import key, search_words
from nightly_spindle.core.outputs.outputs import output_from
from nightly_spindle.core.segues.segue_rules import edit_from, edit_values
from nightly_spindle.core.station.log_sources import DropOptions
from nightly_spindle.core.station.settings import settings_from, texts_from
from nightly_spindle.core.station.station_book import Book, BookChange, compare
from nightly_spindle.store.alerts import alerts
from nightly_spindle.store.base.database import connect
from nightly_spindle.store.base.station_folder import output_row
from nightly_spindle.store.events.events import row_of, values_of
from nightly_spindle.store.library.item_rows import (
    MEASURE,
    iso_utc,
    marks_text,
    shaping_text,
    turn_text,
    us_of,
)
from nightly_spindle.store.music import format_book
from nightly_spindle.store.outputs import outputs
from nightly_spindle.store.overlays import pools
from nightly_spindle.store.station.book_reading import DROP_JSON, FORMAT, drop_row
from nightly_spindle.store.traffic import campaigns

if TYPE_CHECKING:
    import sqlite3

    from nightly_spindle.store.base.transaction import LibraryTransaction

_ITEM = (
    "cart",
    "kind",
    "title",
    "artist",
    "album",
    "year",
    "genre",
    "path",
    "encoding",
    "size",
    "mtime_ns",
    "waits",
    "why_waits",
    "twin",
)


# what a measure of the former format does not have
_MEASURE_BLANK = {
    "intro_end_s": None,
    "sag_s": None,
    "rise_s": None,
    "soft_s": None,
    "sure_cue_in": 0.0,
    "sure_intro_end": 0.0,
    "sure_segue": 0.0,
    "sure_fade_start": 0.0,
    "sure_cue_out": 0.0,
}


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
            "outputs": [
                outputs.book_entry(outputs.values_of(row))
                for row in _all(connection, "output", "place, id")
            ],
            "alerts": [
                alerts.book_entry(alerts.values_of(row))
                for row in _all(connection, "alert", "place, id")
            ],
            **format_book.format_sections(connection),
        }


def write_book(book: Book, path: Path) -> None:
    """Write a book to a file, whole or not at all."""
    from nightly_spindle.core.base.plain_files import replace_file

    replace_file(path, json.dumps(book, ensure_ascii=False, indent=1) + "\n")


def changes(folder: Path, book: Book) -> list[BookChange]:
    """Return what applying a book to a station would change."""
    return compare(read_station(folder), book)


def apply_book(library: LibraryTransaction, book: Book) -> None:
    """Make a station what a book says. What is measured of items that stay is kept.

    InputFault when it holds a value that cannot be kept; nothing has changed then.
    """
    try:
        _apply(library, book)
    except (ValueError, OverflowError, TypeError, KeyError, AttributeError) as error:
        # what the schema allows and no table takes: a number without end, a date that is none
        raise InputFault(f"the book holds a value that cannot be: {clipped(error)}") from error


def _apply(library: LibraryTransaction, book: Book) -> None:
    from sqlalchemy.dialects.sqlite import insert

    from nightly_spindle.store.base import tables as t

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
        (t.log_drop, [drop_row(entry) for entry in book["log_drops"]]),
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
        (t.output, _output_rows(book)),
        (t.alert, _alert_rows(book)),
        *format_book.format_rows(book),
    ):
        library.run(table.delete())
        _fill(library, table, rows)


def _output_rows(book: Book) -> list[dict[str, Any]]:
    return [output_row(output_from(entry), n) for n, entry in enumerate(book["outputs"], 1)]


def _alert_rows(book: Book) -> list[dict[str, Any]]:
    return [alerts.alert_row(alert_from(entry), n) for n, entry in enumerate(book["alerts"], 1)]


def _apply_items(
    library: LibraryTransaction, book: Book, roots: dict[str, int], version: int
) -> None:
    from sqlalchemy import select
    from sqlalchemy.dialects.sqlite import insert

    from nightly_spindle.store.base import tables as t
    from nightly_spindle.store.library import items

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


def _fill(library: LibraryTransaction, table: Any, rows: list[dict[str, Any]]) -> None:
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


def _drop(row: sqlite3.Row) -> dict[str, Any]:
    """Return a log drop with its options as far as they are not the default."""
    entry = dict(row) | {name: json.loads(row[name]) for name in DROP_JSON}
    plain = texts_of(DropOptions(), "drop")
    options = {n: v for n, v in entry["options"].items() if plain.get(f"drop.{n}") != v}
    del entry["made_us"]  # what happened here is not what is programmed
    return entry | {"options": dict(sorted(options.items()))}


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
