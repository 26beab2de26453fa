"""Logs written as tables: CSV (RFC 4180) and lines of fixed columns.

A template says what the columns are. For CSV it is the fields in order, commas between, "-" for
a column to be left out: `time,type,cart,-,artist,title`. An empty one goes by the header. For
fixed columns it is each field with its first and last column, counted from 1:
`time 1-8, type 10-14, cart 16-21, title 23-60`.

Fields: time (of day), type, cart, artist, title, label ("Artist - Title"), length (3:07, 187 or
1:02:03), path, comment.
"""

from __future__ import annotations

import csv
import io
import re
from collections import Counter
from itertools import pairwise
from typing import TYPE_CHECKING

from nightly_spindle.core.base.errors import LogUnreadable, SettingRefused
from nightly_spindle.core.logs.log_line import (
    LONGEST_LINE,
    MOST_LINES,
    Keys,
    LogLine,
    bare_cart,
    too_long,
)
from nightly_spindle.core.logs.log_text import split_label, time_of_day

if TYPE_CHECKING:
    from collections.abc import Callable, Mapping, Sequence

FIELDS = ("time", "type", "cart", "artist", "title", "label", "length", "path", "comment")
_HEADERS = {
    "time": {"time", "start", "start time", "at", "clock"},
    "type": {"type", "kind", "element"},
    "cart": {"cart", "cart number", "cart no", "number", "no", "id"},
    "artist": {"artist", "performer", "creator"},
    "title": {"title", "song", "name"},
    "label": {"label", "description"},
    "length": {"length", "duration", "duration s", "runtime", "len"},
    "path": {"path", "file", "file name", "filename", "location"},
    "comment": {"comment", "comments", "note", "notes", "remark"},
}
_SPAN = re.compile(r"([a-z]+)\s+(\d{1,4})\s*-\s*(\d{1,4})")
_TIME = re.compile(r"\d{1,2}:\d\d:\d\d")
_MARKS = ",;\t|"
_MANY = 30  # lines


def check_template(template: str, *, columns: bool) -> None:
    """SettingRefused when a template cannot be read."""
    if columns:
        spans_of(template)
    elif template.strip():
        _fields_of(template)


def _fields_of(template: str) -> list[str]:
    fields = [field.strip().lower() for field in template.split(",")]
    wrong = [field for field in fields if field not in {*FIELDS, "-", ""}]
    if wrong or not _names_something(fields):
        what = f"'{wrong[0]}' is not a valid field" if wrong else "no field names an item"
        raise SettingRefused(
            f"template “{template}”: {what}; the fields are {', '.join(FIELDS)}, and - for none"
        )
    return fields


def spans_of(template: str) -> list[tuple[str, int, int]]:
    """Return (field, begin, end) of a template of fixed columns, as slices."""
    found = []
    for part in filter(None, map(str.strip, template.split(","))):
        span = _SPAN.fullmatch(part.lower())
        if span is None or span[1] not in FIELDS or not 1 <= int(span[2]) <= int(span[3]):
            raise SettingRefused(
                f"template “{template}”: '{part}' is not like “title 23-60”; the fields are "
                f"{', '.join(FIELDS)}"
            )
        found.append((span[1], int(span[2]) - 1, int(span[3])))
    if not _names_something([field for field, _, _ in found]):
        raise SettingRefused(f"template “{template}”: no field names an item (cart, path, title)")
    return found


def _names_something(fields: Sequence[str]) -> bool:
    return bool({"cart", "path", "title", "label"} & set(fields))


# -- reading ---------------------------------------------------------------------------------------


def parse_csv(text: str, name: str, template: str = "") -> list[LogLine]:
    """Return the lines of a CSV log; LogUnreadable when it is none or its columns are unknown."""
    rows = _rows(text, name)
    if not rows:
        return []
    header = _header(rows[0][1])
    if template.strip():
        fields = _fields_of(template)
    elif header:
        fields = header
    else:
        fields = _guessed([row for _, row in rows[:200]])
    if not _names_something(fields):
        raise LogUnreadable(
            f"{name}: neither its first line nor its columns say where the items are named; give "
            "the drop a template"
        )
    body = rows[1:] if header else rows
    keys = Keys()
    return [
        _line(number, _raw(row), dict(_paired(fields, row)), keys)
        for number, row in body
        if any(cell.strip() for cell in row)
    ]


def _rows(text: str, name: str) -> list[tuple[int, list[str]]]:
    head = [line for line in text[:20_000].splitlines()[:50] if line.strip()]
    mark = max(_MARKS, key=lambda m: (sum(m in line for line in head), -_MARKS.index(m)))
    rows: list[tuple[int, list[str]]] = []
    try:
        reader = csv.reader(io.StringIO(text, newline=""), delimiter=mark)
        for row in reader:
            if len(rows) > MOST_LINES:
                raise LogUnreadable(f"{name} has more than {MOST_LINES:,} lines")
            if row:
                rows.append((reader.line_num, row))
    except csv.Error as error:
        raise LogUnreadable(f"{name}, line {reader.line_num}: no CSV table: {error}") from error
    return rows


def _header(row: list[str]) -> list[str]:
    """Return the fields that a first row names, empty when it is no header."""
    said = [" ".join(cell.replace("_", " ").split()).casefold() for cell in row]
    fields = [
        next((field for field, names in _HEADERS.items() if cell in names), "-") for cell in said
    ]
    fields = [f if fields.index(f) == at else "-" for at, f in enumerate(fields)]
    known = [field for field in fields if field != "-"]
    return fields if len(known) >= 2 or known in (["path"], ["cart"]) else []


def _paired(fields: Sequence[str], row: Sequence[str]) -> list[tuple[str, str]]:
    return [
        (field, cell.strip()) for field, cell in zip(fields, row, strict=False) if field in FIELDS
    ]


def _raw(row: Sequence[str]) -> str:
    return " | ".join(" ".join(cell.split()) for cell in row if cell.strip())[:LONGEST_LINE]


def parse_columns(numbered: list[tuple[int, str]], template: str = "") -> list[LogLine]:
    """Return the lines of a log of fixed columns; without a template it is worked out."""
    spans = spans_of(template or propose_columns([text for _, text in numbered]))
    lines, keys = [], Keys()
    for number, text in numbered:
        wide = text.expandtabs(8)
        cells = {field: wide[begin:end].strip() for field, begin, end in spans}
        lines.append(_line(number, " ".join(wide.split())[:LONGEST_LINE], cells, keys))
    return lines


def _line(number: int, raw: str, cells: Mapping[str, str], keys: Keys) -> LogLine:
    label = cells.get("label", "")
    artist, title = cells.get("artist", ""), cells.get("title", "")
    if label and not title:
        artist, title = split_label(label)
    path = cells.get("path", "")
    cart = bare_cart(cells.get("cart", ""))
    remark = raw.lstrip().startswith(("#", ";"))
    both = f"{artist} - {title}" if artist and title else title
    return LogLine(
        number,
        raw,
        label or both,
        too_long(raw) or too_long(path),
        path,
        cart or bare_cart(path),
        artist,
        title,
        length_of(cells.get("length", "")),
        time_of_day(cells.get("time", "")),
        cells.get("type", ""),
        cells.get("comment", ""),
        remark,
        keys.key(raw),
    )


def length_of(text: str) -> float | None:
    """Return a length in seconds; None for none, and for one that is not above zero."""
    parts = text.strip().replace(",", ".").split(":")
    if len(parts) > 3 or not all(re.fullmatch(r"\d{1,6}(\.\d+)?", part) for part in parts):
        return None
    total = 0.0
    for part in parts:
        total = total * 60 + float(part)
    return total if 0 < total < 1e6 else None


# -- working a template out from a sample ----------------------------------------------------------


def propose_csv(text: str, name: str) -> str:
    """Return the template that a CSV sample's columns seem to follow; empty with a header."""
    rows = [row for _, row in _rows(text, name)[:400]]
    if not rows or _header(rows[0]):
        return ""
    return ",".join(_guessed(rows))


def propose_columns(lines: Sequence[str]) -> str:
    """Return the template that lines of fixed columns seem to follow, empty when none shows."""
    wide = [line.expandtabs(8) for line in lines[:400] if not line.lstrip().startswith(("#", ";"))]
    if not wide:
        return ""
    width = max(map(len, wide))
    # a column is blank where hardly a line has anything
    filled = [sum(at < len(line) and line[at] != " " for line in wide) for at in range(width)]
    blank = [count <= len(wide) * 0.02 for count in filled]
    # in few lines the blanks between words may stand below each other by chance
    gap = 1 if len(wide) >= _MANY else 2
    spans: list[tuple[int, int]] = []
    at = 0
    while at < width:
        if blank[at]:
            at += 1
            continue
        begin = at
        while at < width and not all(blank[at : at + gap]):
            at += 1
        spans.append((begin, at))
    cells = [[line[b:e].strip() for line in wide] for b, e in spans]
    fields = _fields_by_look(cells)
    named = [(f, b, e) for f, (b, e) in zip(fields, spans, strict=True) if f != "-"]
    if not named:
        return ""
    # text runs on to where the next column begins
    ends = [*(b - 1 for _, b, _ in named[1:]), max(width, 200)]
    return ", ".join(
        f"{f} {b + 1}-{max(e, end) if f in {'title', 'artist', 'label', 'path', 'comment'} else e}"
        for (f, b, e), end in zip(named, ends, strict=True)
    )


def _guessed(rows: Sequence[Sequence[str]]) -> list[str]:
    width = max(map(len, rows))
    cells = [[row[at].strip() if at < len(row) else "" for row in rows] for at in range(width)]
    return _fields_by_look(cells)


def _fields_by_look(columns: Sequence[Sequence[str]]) -> list[str]:
    """Return the field that each column seems to be, by what stands in it; "-" for none."""
    looks = [_look(column) for column in columns]
    fields = ["-"] * len(looks)
    for wanted in ("path", "time", "length", "cart", "type"):
        for at, look in enumerate(looks):
            if look == wanted and wanted not in fields:
                fields[at] = wanted
    words = [at for at, look in enumerate(looks) if look == "words"]
    if len(words) == 1:
        dashed = sum(" - " in cell for cell in columns[words[0]]) * 2 > len(columns[words[0]])
        fields[words[0]] = "label" if dashed else "title"
    else:
        for at, name in zip(words, ("artist", "title", "comment"), strict=False):
            fields[at] = name
    return fields


def _look(column: Sequence[str]) -> str:
    """Return what a column seems to hold: a field, "words", or "-" for nothing of use."""
    said = [cell for cell in column if cell]
    if not said:
        return "-"
    for look, fits in _LOOKS:
        if sum(map(fits, said)) * 10 >= len(said) * 8:
            return look(said) if callable(look) else look
    short = sum(len(c) <= 8 and " " not in c for c in said) * 10 >= len(said) * 8
    few = len(Counter(said)) <= max(8, len(said) // 10)
    return "type" if short and few and len(said) > 3 else "words"


def _rising(values: Sequence[float]) -> bool:
    """Whether numbers mostly grow, as times of day do and lengths do not."""
    up = sum(a <= b for a, b in pairwise(values))
    return up * 10 >= (len(values) - 1) * 8


def _time_or_length(said: Sequence[str]) -> str:
    values = [time_of_day(c) or 0.0 for c in said]
    return "time" if _rising(values) and values[-1] > 900 else "length"


def _minutes_or_clock(said: Sequence[str]) -> str:
    values = [length_of(c) or 0.0 for c in said]
    grows = all(a <= b for a, b in pairwise(values))
    return "time" if len(values) > 3 and grows else "length"


def _number(said: Sequence[str]) -> str:
    many = len(set(said)) * 2 > len(said) or max(map(len, said)) > 3
    return "cart" if many else "-"


_PATH = re.compile(r".*([\\/].*\.\w{2,4}|\.(flac|mp3|wav|ogg|opus))", re.IGNORECASE)
# what most cells of a column look like, and what it then is
_LOOKS: tuple[tuple[str | Callable[[Sequence[str]], str], Callable[[str], bool]], ...] = (
    ("path", lambda c: bool(_PATH.fullmatch(c))),
    (_time_or_length, lambda c: bool(_TIME.fullmatch(c))),
    (_minutes_or_clock, lambda c: bool(re.fullmatch(r"\d{1,3}:\d\d", c))),
    (_number, str.isdecimal),
)
