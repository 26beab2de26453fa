"""A simulated music scheduler: leaves a log per day in a folder, as outside programs do."""

from __future__ import annotations

import os
import random
from datetime import date, datetime, time
from typing import TYPE_CHECKING

from nightly_spindle.core.items import Item, Kind
from nightly_spindle.core.joins import span
from nightly_spindle.core.logs import write_m3u

if TYPE_CHECKING:
    from collections.abc import Sequence
    from pathlib import Path

_RATE = 1000  # lengths to a millisecond are good enough here
_LINK_EVERY = 3  # songs
_BREAK_EVERY_S = 1500.0


def day_log(items: Sequence[Item], day: date, seed: int, hours: float = 24.2) -> list[Item]:
    """Return a day's items in order: songs in shuffled turns, links, a break now and then.

    A little more than the day is filled, so that the next load cuts or follows cleanly.
    """
    dice = random.Random(f"{seed}/{day.isoformat()}")
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


def leave_log(
    folder: Path, pattern: str, day: date, items: Sequence[Item], *, windows_root: str = ""
) -> Path:
    r"""Write a day's log into the folder, whole at once; returns its path.

    Paths are relative to the folder; with `windows_root` they are spelled as a program on
    a Windows machine does ("M:\\\\music\\\\...").
    """
    lines = []
    for item in items:
        path = os.path.relpath(item.path, folder)
        if windows_root:
            path = windows_root + path.replace("../", "").replace("/", "\\")
        lines.append((path, item.label, item.measure.duration_s))
    name = datetime.combine(day, time()).strftime(pattern)
    part = folder / f".{name}.part"
    part.write_text(write_m3u(lines), encoding="utf-8")
    target = folder / name
    part.replace(target)
    return target
