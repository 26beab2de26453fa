"""What the library knows of the names in a log, fetched in a few queries."""

from __future__ import annotations

import contextlib
import os
from dataclasses import replace
from functools import partial
from typing import TYPE_CHECKING

from nightly_spindle.core.base.errors import LogUnreadable
from nightly_spindle.core.library.song_names import Likeness, Proposal, song_key
from nightly_spindle.core.logs.log_matching import (
    LibraryNames,
    LogPlace,
    Match,
    MatchCandidate,
    MatchStatus,
    match_line,
    name_key,
    settle_key,
)
from nightly_spindle.core.logs.log_meanings import meant
from nightly_spindle.core.logs.log_reading import parse_log
from nightly_spindle.core.logs.log_text import likely_charsets
from nightly_spindle.store.base.patience import Hangs, Patience
from nightly_spindle.store.base.station_folder import absolute
from nightly_spindle.store.library.item_reading import items_by_cart, items_by_name

if TYPE_CHECKING:
    import sqlite3
    from collections.abc import Iterable, Iterator, Sequence
    from pathlib import Path

    from nightly_spindle.core.library.items import Item
    from nightly_spindle.core.logs.log_line import Log, LogLine
    from nightly_spindle.core.station.log_sources import LogDrop

_CHUNK = 500  # SQLite takes 999 parameters or more


def match_log(
    connection: sqlite3.Connection,
    station: Path,
    log: Log,
    drop: LogDrop | None,
    folder: str,
    patience: Patience,
) -> tuple[list[Match], dict[int, Item]]:
    """Match a log that lies in `folder`, read as the drop says; returns the items it means too."""
    table = drop.meanings if drop else ()
    given = [meant(line, table) for line in log.lines]
    open_ = [line for line, match in zip(log.lines, given, strict=True) if match is None]
    known, items = _known(connection, station, open_)
    where = LogPlace(folder, _roots(connection, station), drop.paths if drop else ())
    matches = [
        match if match is not None else match_line(line, where, known)
        for line, match in zip(log.lines, given, strict=True)
    ]
    wanted = {match.cart for match in matches if match.cart is not None}
    for item in items_by_cart(connection, station, wanted - set(items)):
        items[item.cart] = item
    lost = {match.file for match in matches if match.file and match.status is MatchStatus.MISSING}
    lying = _lying_there(lost, patience)
    return [_there(match, items, lying) for match in matches], items


def _lying_there(paths: set[str], patience: Patience) -> set[str]:
    """Return those of some files that are there; of a folder that hangs none is."""
    below: dict[str, list[str]] = {}
    for path in paths:
        below.setdefault(os.path.dirname(path), []).append(path)  # noqa: PTH120 - a text
    found: set[str] = set()
    for folder, files in below.items():
        with contextlib.suppress(Hangs):
            found |= patience.ask(folder, partial(_files_of, files))
    return found


def _files_of(paths: Sequence[str]) -> set[str]:
    return {path for path in paths if os.path.isfile(path)}  # noqa: PTH113


def _there(match: Match, items: dict[int, Item], lying: set[str]) -> Match:
    """Return a match as it is; missing when its item has gone, or where its audio lies."""
    if match.cart is not None and match.cart not in items:
        why = f"cart {match.cart} ({match.how}) is not in the library any more"
        return replace(match, status=MatchStatus.MISSING, how=why, cart=None)
    if match.file and match.status is MatchStatus.MISSING:
        if match.file in lying:
            return replace(match, how="its file is there but is not in the library")
        return replace(match, file="")
    return match


def _roots(connection: sqlite3.Connection, station: Path) -> list[str]:
    return [absolute(station, row["path"]) for row in connection.execute("SELECT path FROM root")]


def _known(
    connection: sqlite3.Connection, station: Path, lines: Sequence[LogLine]
) -> tuple[LibraryNames, dict[int, Item]]:
    items: dict[int, Item] = {}
    names: dict[str, list[MatchCandidate]] = {}
    keys = (name_key(line.path) for line in lines if line.path)
    for key, path, item in items_by_name(connection, station, keys):
        names.setdefault(key, []).append(MatchCandidate(item.cart, path))
        items[item.cart] = item
    numbers = {line.cart for line in lines if line.cart is not None}
    stems = {name_key(line.path).partition(".")[0] for line in lines if line.path}
    numbers |= {int(stem) for stem in stems if stem.isdecimal() and len(stem) < 10}
    carts = {row["cart"] for row in _within(connection, "SELECT cart FROM item", "cart", numbers)}
    songs: dict[str, list[tuple[int, str, str]]] = {}
    said = {song_key(line.artist, line.title) for line in lines if line.artist and line.title}
    # what still waits to be settled would only make others ambiguous
    query = "SELECT cart, artist, title, song_key FROM item"
    for row in _within(connection, query, "waits = '' AND song_key", said):
        named = (row["cart"], row["artist"], row["title"])
        songs.setdefault(row["song_key"], []).append(named)
    settled = {
        row["said"]: row["cart"]
        for row in _within(
            connection, "SELECT said, cart FROM log_settled", "said", map(settle_key, lines)
        )
    }
    return LibraryNames(names, frozenset(carts), songs, settled), items


def _within(
    connection: sqlite3.Connection, query: str, column: str, values: Iterable[int | str]
) -> Iterator[sqlite3.Row]:
    wanted = [value for value in dict.fromkeys(values) if value != ""]
    for start in range(0, len(wanted), _CHUNK):
        part = wanted[start : start + _CHUNK]
        marks = ",".join("?" * len(part))
        yield from connection.execute(f"{query} WHERE {column} IN ({marks})", part)


def parse_as(connection: sqlite3.Connection, data: bytes, name: str, drop: LogDrop) -> Log:
    """Parse a log as its drop says; of the character sets it may be in, that which finds most."""
    options = drop.options
    if options.charset != "auto":
        return parse_log(data, name, options.format, options.charset, options.template)
    best: tuple[int, Log] | None = None
    for charset in likely_charsets(data)[:4]:
        try:
            log = parse_log(data, name, options.format, charset, options.template)
        except LogUnreadable:
            continue
        if log.charset == "utf-8" or log.charset.startswith("utf-16"):
            return log
        found = _found(connection, log)
        if best is None or found > best[0]:
            best = (found, log)
    if best is None:
        return parse_log(data, name, options.format, "auto", options.template)
    return best[1]


def _found(connection: sqlite3.Connection, log: Log) -> int:
    """Return how many names of a log with other than plain letters the library has."""
    odd = [line for line in log.lines if not (line.raw + line.label).isascii()]
    keys = {name_key(line.path) for line in odd if line.path}
    songs = {song_key(line.artist, line.title) for line in odd if line.title}
    rows = [*_within(connection, "SELECT cart FROM item", "name_key", keys)]
    rows += [*_within(connection, "SELECT cart FROM item", "song_key", songs)]
    return len(rows)


def proposals(
    connection: sqlite3.Connection, matches: Sequence[Match], most: int = 3
) -> dict[str, list[Proposal]]:
    """Return the items that lines may mean that were not found, by the lines' keys."""
    lost = [m for m in matches if m.status in {MatchStatus.MISSING, MatchStatus.AMBIGUOUS}]
    said = {match.key: _said(match) for match in lost}
    if not any(said.values()):
        return {}
    rows = connection.execute("SELECT cart, song_key FROM item WHERE song_key != '' AND waits = ''")
    likeness = Likeness([(row["cart"], row["song_key"]) for row in rows])
    found = {key: likeness.closest(name, most) for key, name in said.items() if name}
    return {key: near for key, near in found.items() if near}


def _said(match: Match) -> str:
    """Return artist and title that a line says; of a path, what its file name says."""
    line = match.line
    if line.title:
        return song_key(line.artist, line.title)
    stem = name_key(line.path or line.raw).rpartition(".")[0] or name_key(line.path or line.raw)
    artist, dash, title = stem.replace("_", " ").partition(" - ")
    return song_key(artist, title) if dash else song_key("", artist)
