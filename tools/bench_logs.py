"""Logs of 10,000 lines against 100,000 items: read, matched, closest names."""

from __future__ import annotations

import random
import time
from collections.abc import Callable, Iterable
from typing import TYPE_CHECKING

from nightly_spindle.core.library.song_names import song_key
from nightly_spindle.core.logs.log_reading import LogFormat, read_bytes
from nightly_spindle.core.station.log_sources import DropOptions, LogDrop
from nightly_spindle.store.base.database import connect
from nightly_spindle.store.base.patience import Patience
from nightly_spindle.store.logs.log_lookup import match_log, parse_as, proposals

if TYPE_CHECKING:
    from pathlib import Path

LINES, ITEMS = 10_000, 100_000
_HEAD = (
    "tidal",
    "harbour",
    "lantern",
    "copper",
    "quiet",
    "northern",
    "paper",
    "velvet",
    "amber",
    "hollow",
    "silver",
    "winter",
    "signal",
    "distant",
    "broken",
    "gentle",
)
_TAIL = (
    "ferry",
    "orchard",
    "parade",
    "engine",
    "mirror",
    "valley",
    "anthem",
    "station",
    "garden",
    "river",
    "cinema",
    "window",
    "meridian",
    "compass",
    "island",
    "carousel",
)

Row = Callable[[str, str, str, bool], None]


def reading(folder: Path, row: Row) -> None:
    """Print how long a long log takes. `folder` holds a station of 100,000 items."""
    dice = random.Random(5)
    named = [
        (
            f"The {dice.choice(_HEAD)} {dice.choice(_TAIL)} {dice.choice(_TAIL)}s",
            f"{dice.choice(_HEAD)} {dice.choice(_TAIL)} {dice.choice(_HEAD)} no {n}",
        )
        for n in range(ITEMS)
    ]
    connection = connect(folder)
    with connection:
        connection.executemany(
            "UPDATE item SET artist = ?, title = ?, song_key = ? WHERE cart = ?",
            [(a, t, song_key(a, t), n + 1) for n, (a, t) in enumerate(named)],
        )
    chosen = dice.sample(range(ITEMS), LINES)
    logs = {
        "by path": ("p.m3u", "\n".join(f"M:\\Radio\\audio\\song {n:06}.wav" for n in chosen)),
        "by artist and title": (
            "t.csv",
            _table((named[n][0].upper(), named[n][1]) for n in chosen),
        ),
        "slips": (
            "s.csv",
            _table((_slip(named[n][0], dice), _slip(named[n][1], dice)) for n in chosen),
        ),
    }
    lost = []
    for what, (name, text) in logs.items():
        (folder / name).write_text(text + "\n", encoding="utf-8")
        begin = time.perf_counter()
        drop = LogDrop(1, "Bench", str(folder), name, DropOptions(format=LogFormat.AUTO))
        log = parse_as(connection, read_bytes(folder / name), name, drop)
        matches, _ = match_log(connection, folder, log, drop, str(folder), Patience())
        taken = time.perf_counter() - begin
        found = sum(match.cart is not None for match in matches)
        row(
            f"a log of {LINES:,} lines {what}, {found:,} found of {ITEMS:,} items",
            f"{taken:.2f} s",
            "< 1 s",
            taken < 1,
        )
        lost = matches
    begin = time.perf_counter()
    near = proposals(connection, lost)
    taken = time.perf_counter() - begin
    right = sum(
        near.get(match.key, [None])[0] is not None and near[match.key][0].cart == n + 1
        for match, n in zip(lost, chosen, strict=True)
        if match.cart is None
    )
    missing = sum(match.cart is None for match in lost)
    row(
        f"closest names of {missing:,} lost lines, {right:,} of them right at once",
        f"{taken:.2f} s",
        "< 5 s",
        taken < 5,
    )
    connection.close()


def _table(rows: Iterable[tuple[str, str]]) -> str:
    return "artist,title\n" + "\n".join(f"{artist},{title}" for artist, title in rows)


def _slip(text: str, dice: random.Random) -> str:
    """Leave a letter out, or double one, as fingers do."""
    at = dice.randrange(1, len(text) - 1)
    return text[:at] + dice.choice(("", text[at] * 2)) + text[at + 1 :]
