"""A simulated music scheduler: leaves logs in a folder as outside programs do, faults included."""

from __future__ import annotations

import os
import random
from dataclasses import replace
from enum import StrEnum
from pathlib import Path
from typing import TYPE_CHECKING

from nightly_spindle.core.library.items import Item, Kind
from nightly_spindle.core.logs.log_reading import LogFormat
from nightly_spindle.core.logs.log_writers import LogEntry, write_log
from nightly_spindle.core.segues.joins import span

if TYPE_CHECKING:
    from collections.abc import Sequence

    from nightly_spindle.core.calendar.log_periods import Slot
    from nightly_spindle.core.station.log_sources import LogDrop

_RATE = 1000  # lengths to a millisecond are good enough here
_LINK_EVERY = 3  # songs
_BREAK_EVERY_S = 1500.0


class Fault(StrEnum):
    """What can go wrong with a log that another program leaves."""

    WRONG_NAME = "wrong name"  # day and month change places, blanks for dashes
    TRUNCATED = "truncated"  # the second half is not there
    HALF_WRITTEN = "half written"  # breaks off within a line; the rest comes with `finish`
    MISSING_ITEMS = "missing items"  # every tenth line names what nobody has
    UNKNOWN_LINES = "unknown lines"  # every tenth line is text of the scheduler's own
    WINDOWS_PATHS = "windows paths"  # M:\Music\...
    OTHER_CHARSET = "other charset"  # the code page of a Windows machine
    NO_LOG = "no log"


def day_log(items: Sequence[Item], mark: object, seed: int, hours: float = 24.2) -> list[Item]:
    """Return a day's items in order: songs in shuffled turns, links, a break now and then.

    A little more than the time is filled, so that the next load cuts or follows cleanly. `mark`
    (a date, say) makes the order its own.
    """
    dice = random.Random(f"{seed}/{mark}")
    pools: dict[Kind, list[Item]] = {}
    for item in items:
        pools.setdefault(item.kind, []).append(item)
    songs = pools.get(Kind.SONG, [])
    links = pools.get(Kind.ID, []) + pools.get(Kind.JINGLE, [])
    spots = pools.get(Kind.SPOT, []) + pools.get(Kind.PROMO, [])
    chosen: list[Item] = []
    filled = since_break = 0.0
    turn: list[Item] = []
    count = 0
    while songs and filled < hours * 3600:
        if not turn:
            last = [item.title for item in chosen if item.kind is Kind.SONG][-4:]
            turn = dice.sample(songs, len(songs))
            # nobody hears a song again just because a new turn begins
            turn.sort(key=lambda item: item.title in last)
        batch = [turn.pop(0)]
        count += 1
        if links and count % _LINK_EVERY == 0:
            batch.append(dice.choice(links))
        if spots and since_break > _BREAK_EVERY_S:
            batch += dice.sample(spots, min(2, len(spots)))
            since_break = 0.0
        chosen += batch
        spans = [span(item, _RATE) for item in batch]
        length = sum(here.segue - here.cue_in for here in spans) / _RATE
        filled += length
        since_break += length
    return chosen


def entries_of(items: Sequence[Item], folder: str, start_s: float = 0.0) -> list[LogEntry]:
    """Return items as the lines of a log that lies in `folder`, paths relative to it."""
    at_s, entries = start_s, []
    for item in items:
        path = os.path.relpath(item.path, folder)
        entries.append(
            LogEntry(
                path,
                item.artist,
                item.title,
                item.cart,
                item.measure.duration_s,
                at_s,
                str(item.kind),
            )
        )
        here = span(item, _RATE)
        at_s += (here.segue - here.cue_in) / _RATE
    return entries


def leave_log(
    drop: LogDrop,
    slot: Slot,
    entries: Sequence[LogEntry],
    faults: frozenset[Fault] | set[Fault] = frozenset(),
    *,
    charset: str = "utf-8",
) -> Path | None:
    """Write the log of a slot into the drop's folder, whole at once; returns its path.

    None with `Fault.NO_LOG`. The format is the drop's own, M3U when it goes by the name.
    """
    if Fault.NO_LOG in faults:
        return None
    lines = [
        replace(entry, title=f"Lost {number}", cart=9_000_000 + number, path=f"lost/{number}.flac")
        if Fault.MISSING_ITEMS in faults and number % 10 == 5
        else entry
        for number, entry in enumerate(entries)
    ]
    if Fault.WINDOWS_PATHS in faults:
        lines = [replace(entry, path=_windows(entry.path)) for entry in lines]
    if Fault.TRUNCATED in faults:
        lines = lines[: len(lines) // 2]
    form = drop.options.format
    text = write_log(lines, LogFormat.M3U if form is LogFormat.AUTO else form, drop.name)
    if Fault.UNKNOWN_LINES in faults:
        body = text.splitlines(keepends=True)
        text = "".join(
            f"{line}{'Note to the presenter 17' + chr(10) if number % 20 == 2 else ''}"
            for number, line in enumerate(body)
        )
    data = text.encode("cp1252" if Fault.OTHER_CHARSET in faults else charset, errors="replace")
    name = drop.file_name(slot)
    if Fault.WRONG_NAME in faults:
        hour = "_%H" if slot.hourly else ""
        name = slot.local.strftime(f"%d%m%y{hour}") + Path(name).suffix
    target = Path(drop.folder) / name
    if Fault.HALF_WRITTEN in faults:
        # as a program does that writes in place
        target.write_bytes(data[: len(data) // 2 + 7])
        return target
    part = target.with_name(f".{name}.part")
    part.write_bytes(data)
    part.replace(target)
    return target


def _windows(path: str) -> str:
    return "M:\\Music\\" + path.replace("../", "").replace("/", "\\") if path else path
