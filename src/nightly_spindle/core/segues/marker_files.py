"""Markers of items as rows of a table and as a sidecar: what is written, what is read back.

A marker that is read and lies where it is measured (to 2 ms) stays measured.

The sidecar of `song.flac` is `song.flac.cues.json` beside it, one JSON object:
`{"format": "nightly-spindle-cues-1", "title", "artist", "duration_s", "markers": {"cue-in":
{"at_s": 0.52, "by": "hand" or "measured", "sure": 0.9}, ..., "sweeper": [...]}, "absent":
["intro-end"], "shaping": {"gain_trim_db": -2.0, ...}}`. Only what is by hand is read back.
History: format 1 is the first.
"""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING, Any

from nightly_spindle.core.base.errors import InputFault
from nightly_spindle.core.base.timebase import parse_stamp
from nightly_spindle.core.library.markers import (
    MEASURED,
    Marker,
    Marks,
    Shaping,
    marks_from,
    shaping_from,
    shaping_values,
)
from nightly_spindle.core.segues.effective_markers import placed

if TYPE_CHECKING:
    from collections.abc import Iterable, Mapping

    from nightly_spindle.core.library.items import Item
    from nightly_spindle.core.segues.segue_rules import SegueRule

FORMAT = "nightly-spindle-cues-1"
SUFFIX = ".cues.json"
SAME_S = 0.002
COLUMNS = (
    "cart",
    "path",
    "artist",
    "title",
    *(f"{marker.field}" for marker in Marker),
    "by_hand",
    "gain_trim_db",
    "untouched",
    "fade_in_s",
    "fade_out_s",
    "talk_over",
    "own_sweeper",
)
_ABSENT = "none"
_SHAPED = ("gain_trim_db", "untouched", "fade_in_s", "fade_out_s", "talk_over", "own_sweeper")


def sidecar(item: Item, rule: SegueRule) -> dict[str, Any]:
    """Return what the sidecar of an item says."""
    markers: dict[str, Any] = {}
    for one in placed(item, rule):
        if one.absent:
            continue
        if one.marker is Marker.SWEEPER:
            markers.setdefault(str(one.marker), []).append({"at_s": one.at_s, "by": "hand"})
            continue
        by_hand = item.marks.at(one.marker) is not None
        told: dict[str, Any] = {"at_s": round(one.at_s, 6), "by": "hand" if by_hand else "measured"}
        markers[str(one.marker)] = told | ({} if one.sure is None else {"sure": one.sure})
    return {
        "format": FORMAT,
        "title": item.title,
        "artist": item.artist,
        "duration_s": item.measure.duration_s,
        "markers": markers,
        "absent": list(item.marks.absent),
        "shaping": shaping_values(item.shaping),
    }


def from_sidecar(body: Any) -> tuple[Marks, Shaping]:
    """Read a sidecar; InputFault says what is wrong with it."""
    if not isinstance(body, dict) or body.get("format") != FORMAT:
        raise InputFault(f"it is no sidecar of markers: its format is not {FORMAT}")
    markers, shaping = body.get("markers", {}), body.get("shaping", {})
    if not isinstance(markers, dict) or not isinstance(shaping, dict):
        raise InputFault("its markers and its shaping must be objects")
    values: dict[str, Any] = {"absent": body.get("absent", [])}
    for name, told in markers.items():
        if name not in set(map(str, Marker)):
            raise InputFault(f"there is no marker '{name}'")
        every = told if isinstance(told, list) else [told]
        if not all(isinstance(one, dict) for one in every):
            raise InputFault(f"{name} must be an object with at_s")
        times = [one.get("at_s") for one in every if one.get("by", "hand") == "hand"]
        if times:
            values[Marker(name).field] = times if name == Marker.SWEEPER else times[0]
    return marks_from(values), shaping_from(shaping)


def marks_at(item: Item, points: Iterable[tuple[Marker, float]], rule: SegueRule) -> Marks:
    """Return marks for positions (seconds) that a file says; those as measured stay so."""
    measured = {one.marker: one.at_s for one in placed(_bare(item), rule)}
    marks = Marks()
    for marker, at_s in points:
        near = measured.get(marker)
        if near is None or abs(near - at_s) > SAME_S:
            marks = marks.with_mark(marker, round(min(at_s, item.measure.duration_s), 6))
    return marks


def _bare(item: Item) -> Item:
    return replace(item, marks=Marks())


def table_row(item: Item, rule: SegueRule) -> dict[str, str]:
    """Return an item's markers as a row of a table; an empty cell is no such marker."""
    cells = dict.fromkeys(COLUMNS, "")
    cells |= {"cart": str(item.cart), "path": item.path}
    cells |= {"artist": item.artist, "title": item.title}
    for one in placed(item, rule):
        if one.marker is not Marker.SWEEPER:
            cells[one.marker.field] = f"{one.at_s:.3f}"
    cells |= {Marker(name).field: _ABSENT for name in item.marks.absent}
    cells[Marker.SWEEPER.field] = "; ".join(f"{at:.3f}" for at in item.marks.sweepers_s)
    by_hand = [str(m) for m in Marker if item.marks.at(m) is not None]
    cells["by_hand"] = "; ".join(by_hand)
    for name, value in shaping_values(item.shaping).items():
        if name in _SHAPED:
            text = {True: "yes", False: "no"}.get(value) if isinstance(value, bool) else None
            cells[name] = f"{value:g}" if text is None else text
    return cells


def from_row(item: Item, row: Mapping[str, str], rule: SegueRule) -> tuple[Marks, Shaping]:
    """Read an item's markers from a row; columns that are absent stay as they are.

    An empty cell is as measured, "none" is no such marker. InputFault says what cannot be read.
    """
    measured = {one.marker: one.at_s for one in placed(_bare(item), rule)}
    was = {one.marker: one.at_s for one in placed(item, rule)}
    marks = item.marks
    by_hand = {name.strip() for name in row.get("by_hand", "").split(";")}
    # those by hand first: what is measured gives way to them, and is written as it then is
    for marker in sorted(Marker, key=lambda marker: marker not in by_hand):
        if marker.field not in row:
            continue
        text = row[marker.field].strip()
        if marker is Marker.SWEEPER:
            times = [parse_stamp(part) for part in text.split(";") if part.strip()]
            marks = replace(marks, sweepers_s=tuple(sorted(set(times))))
        elif text.lower() == _ABSENT and marker in MEASURED:
            marks = marks.without(marker)
        elif not text:
            marks = marks.with_mark(marker, None)
        else:
            if marker not in by_hand:
                now = replace(item, marks=marks.with_mark(marker, None))
                measured = {one.marker: one.at_s for one in placed(now, rule)}
            marks = _one(marks, marker, parse_stamp(text), measured.get(marker), was.get(marker))
    values = shaping_values(item.shaping)
    for name in _SHAPED:
        if name in row:
            values.pop(name, None)
            text = row[name].strip().lower()
            if text:
                values[name] = text == "yes" if text in {"yes", "no"} else _number(name, text)
    return marks, shaping_from(values)


def _one(
    marks: Marks, marker: Marker, at_s: float, measured: float | None, was: float | None
) -> Marks:
    if was is not None and abs(was - at_s) < SAME_S / 2:
        return marks  # a table has whole milliseconds: nothing was changed
    if measured is not None and abs(measured - at_s) <= SAME_S:
        return marks.with_mark(marker, None)
    return marks.with_mark(marker, at_s)


def _number(name: str, text: str) -> float | str:
    try:
        return float(text)
    except ValueError:
        if name in {"untouched", "talk_over"}:
            raise InputFault(f"{name} is '{text}'; it is yes or no") from None
        raise InputFault(f"{name} is '{text}'; it is a number") from None
