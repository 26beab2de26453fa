"""What the guided set-up of a new station reads and writes."""

from __future__ import annotations

import json
from contextlib import closing
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

from nightly_spindle.core.calendar.week_grid import HOURS
from nightly_spindle.core.library.items import Kind
from nightly_spindle.core.music.plain_clock import NAME, plain_clock
from nightly_spindle.store.base.database import connect
from nightly_spindle.store.base.transaction import LibraryTransaction

if TYPE_CHECKING:
    from pathlib import Path

    from nightly_spindle.core.music.format_clocks import FormatClock

FIRST_DROP = 1  # the log drop that every new station has


@dataclass(frozen=True, slots=True)
class IntakeProgress:
    """How far the music is: files measured or refused, and those still to come.

    `songs` are in the library, `held` items are in the waiting room.
    """

    done: int = 0
    waiting: int = 0
    refused: int = 0
    songs: int = 0
    held: int = 0


def intake_progress(folder: Path) -> IntakeProgress:
    """Return how far the intake of a station is."""
    with closing(connect(folder)) as connection:
        rows = connection.execute("SELECT state, count(*) FROM arrival GROUP BY state").fetchall()
        songs, held = connection.execute(
            "SELECT coalesce(sum(kind = 'song' AND waits = ''), 0), coalesce(sum(waits <> ''), 0)"
            " FROM item"
        ).fetchone()
    counts = {row[0]: row[1] for row in rows}
    waiting = counts.pop("queued", 0)
    return IntakeProgress(sum(counts.values()), waiting, counts.get("refused", 0), songs, held)


def categories_by_kind(folder: Path) -> dict[str, tuple[Kind, int]]:
    """Return the kind that most items of each category are of, and how many items it holds."""
    with closing(connect(folder)) as connection:
        rows = connection.execute(
            "SELECT c.name, i.kind, count(*) AS many FROM category c"
            " JOIN item_category x ON x.category_id = c.id JOIN item i ON i.cart = x.cart"
            " WHERE i.waits = '' GROUP BY c.id, i.kind ORDER BY c.name, many"
        ).fetchall()
    found: dict[str, tuple[Kind, int]] = {}
    for name, kind, many in rows:
        found[name] = (Kind(kind), many + found.get(name, (kind, 0))[1])
    return found


def make_own_hours(folder: Path) -> FormatClock:
    """Have the station make all its hours itself, by a plain clock; returns the clock.

    The first log drop is switched off: no log is waited for. One that is called so already is
    taken for it and made anew.
    """
    from sqlalchemy import select

    from nightly_spindle.store.base import tables as t
    from nightly_spindle.store.music.formats import paint_week, save_clock

    clock = plain_clock(categories_by_kind(folder))
    with LibraryTransaction(folder) as library:
        there = library.run(
            select(t.format_clock.c.id).where(t.format_clock.c.name == NAME)
        ).scalar()
        number, _ = save_clock(library, replace(clock, id=there or 0))
        paint_week(library, dict.fromkeys(range(HOURS), number))
        _switch_first_drop(library, on=False)
    return replace(clock, id=number)


def _switch_first_drop(library: LibraryTransaction, *, on: bool) -> None:
    from nightly_spindle.store.base import tables as t

    rows = library.rows(t.log_drop.select().where(t.log_drop.c.id == FIRST_DROP))
    if rows:
        options = {**json.loads(rows[0]["options"]), "enabled": str(on)}
        library.run(
            t.log_drop.update()
            .where(t.log_drop.c.id == FIRST_DROP)
            .values(options=json.dumps(options, ensure_ascii=False))
        )
