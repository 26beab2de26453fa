"""A long-lived station, for measuring: 20,000 items, orders, pools, events, 30 made days, a year.

python tools/big_station.py FOLDER [--scale 0.1]

All of its items are hard links to a few real files. The same seed makes the same station. Names,
lengths and levels are made up; what it is built by is what the desk programs a station with.
"""

from __future__ import annotations

import argparse
import json
import os
import sys
import time
from dataclasses import dataclass, replace
from datetime import date, datetime, timedelta
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np
import soundfile

from nightly_spindle.core.base.timebase import US, local_from, zone
from nightly_spindle.core.calendar.dayparts import Repeat
from nightly_spindle.core.calendar.log_periods import Period
from nightly_spindle.core.calendar.recurrence import TimeRule
from nightly_spindle.core.events.steps import Pick, PlayCategory, PlayItem, PlayList, Step
from nightly_spindle.core.events.timed_events import Entry, EventOptions, TimedEvent
from nightly_spindle.core.library.song_names import song_key
from nightly_spindle.core.logs.log_matching import key, search_words
from nightly_spindle.core.music.format_clocks import ClockOptions, FormatClock, strip_from
from nightly_spindle.core.music.rotation_rules import RotationRule, RuleSubject
from nightly_spindle.core.overlays.overlay_pools import Member, Pool, PoolOptions, PoolUse
from nightly_spindle.core.station.log_sources import DropOptions, Loads, LogDrop
from nightly_spindle.core.traffic.break_patterns import BreakOptions, BreakPattern
from nightly_spindle.core.traffic.campaigns import Campaign, CampaignOptions, Copy
from nightly_spindle.store.base import tables
from nightly_spindle.store.base.database import connect
from nightly_spindle.store.base.station_folder import new_station
from nightly_spindle.store.base.transaction import LibraryTransaction
from nightly_spindle.store.events.events import save_events
from nightly_spindle.store.library.lists import make_list
from nightly_spindle.store.logs.log_source_edits import save_drop
from nightly_spindle.store.music.formats import paint_week, save_clock, set_rules
from nightly_spindle.store.music.made_hours import write_made
from nightly_spindle.store.overlays.pools import save_pool
from nightly_spindle.store.programme.snapshot import open_station
from nightly_spindle.store.reports.log_makings import make_logs
from nightly_spindle.store.reports.spot_placements import place
from nightly_spindle.store.traffic.campaigns import save_break, save_campaigns

if TYPE_CHECKING:
    from collections.abc import Callable, Sequence

    from nightly_spindle.core.music.made_logs import MadeHour

RATE = 44_100
_SEED = 25
_TZ = "Europe/Lisbon"
_FILES = 6
_SHORT = 900_001  # the first number of what is no song
_SHORTS = (("spot", 0.015), ("sweeper", 0.01), ("jingle", 0.005), ("promo", 0.005))
_DAY_US = 86_400 * US


@dataclass(frozen=True, slots=True)
class Size:
    """How much of everything there is, in proportion to the whole."""

    scale: float = 1.0

    def of(self, many: int) -> int:
        """Return how many there are of what the whole station has so many of."""
        return max(2, round(many * self.scale))


def build(folder: Path, now_us: int, size: Size, told: Callable[[str], None] = print) -> None:
    """Build the station in a folder that is not there yet; `told` hears what is being done."""
    dice = np.random.default_rng(_SEED)
    new_station(folder, {"name": "Long Reach", "timezone": _TZ})
    told("audio")
    names = _audio(folder, size)
    told("items")
    songs, shorts = _items(folder, names, now_us, dice)
    told("categories, lists, pools, orders, events, clocks, logs")
    with LibraryTransaction(folder) as library:
        _lists(library, songs, size, dice)
        _pools(library, shorts["sweeper"], size, dice)
        _orders(library, shorts["spot"], size, dice, local_from(now_us, zone(_TZ)).date())
        save_events(library, _events(songs, size, dice))
        _formats(library)
        for number in (1, 2):
            options = DropOptions(period=Period.DAY, loads=Loads.LINES_LEFT)
            where = folder / f"logs {number}"
            save_drop(
                library, LogDrop(0, f"Visitors {number}", str(where), "%Y-%m-%d.m3u", options)
            )
    _logs(folder, names, now_us, size, dice)
    told("what aired")
    _aired(folder, now_us, size, dice)
    told("made hours, spots in their breaks")
    _make(folder, now_us, size)


def _audio(folder: Path, size: Size) -> list[str]:
    """Make a few files and link all the others to them; returns their names, songs first."""
    audio = folder / "audio"
    real = []
    for n in range(_FILES):
        long = 200 + 5 * n
        at = np.arange(long * RATE) / RATE
        wave = 0.2 * np.sin(2 * np.pi * (220 + 40 * n) * at) * np.minimum(1, (long - at) / 4)
        file = folder / "made" / f"{n}.flac"
        file.parent.mkdir(parents=True, exist_ok=True)
        soundfile.write(file, wave, RATE, compression_level=0.0)
        real.append(file)
    many = size.of(20_000)
    names = [f"{n % 40:02}/Act {n % 900} - Piece {n}.flac" for n in range(many)]
    for inner in {name[:2] for name in names}:
        (audio / inner).mkdir(parents=True)
    for n, name in enumerate(names):
        os.link(real[n % _FILES], audio / name)
    return names


def _items(
    folder: Path, names: Sequence[str], now_us: int, dice: np.random.Generator
) -> tuple[list[int], dict[str, list[int]]]:
    """Put the items in; returns the numbers of the songs, and of the others by kind."""
    shorts: dict[str, list[int]] = {kind: [] for kind, _ in _SHORTS}
    rows, songs = [], []
    first = 0
    for kind, share in _SHORTS:
        for n in range(first, first + max(4, round(share * len(names)))):
            shorts[kind].append(_SHORT + n)
            rows.append(_item_row(_SHORT + n, kind, n, names[n], now_us, dice))
        first += len(shorts[kind])
    for n in range(first, len(names)):
        songs.append(1001 + n)
        rows.append(_item_row(1001 + n, "song", n, names[n], now_us, dice))
    with LibraryTransaction(folder) as library:
        version = library.version()
        library.run(tables.root.insert().values(id=1, path="audio"))
        library.run(tables.item.insert(), [row | {"version": version} for row in rows])
    connection = connect(folder)
    with connection:
        connection.executemany(
            "INSERT INTO item_sound (cart, overview, fingerprint, sounding_s) VALUES (?, ?, ?, ?)",
            [(row["cart"], bytes(400), bytes(2000), row["cue_out_s"]) for row in rows],
        )
        connection.executemany(
            "INSERT INTO category (id, name, weight, turn) VALUES (?, ?, ?, 'oldest first')",
            [(n + 1, f"Shelf {n:02}", 1 + n % 5) for n in range(40)],
        )
        # each song stands in one category, the first of them larger than the last
        where = np.minimum(39, dice.exponential(12, len(songs))).astype(int)
        connection.executemany(
            "INSERT INTO item_category VALUES (?, ?)",
            [(cart, int(n) + 1) for cart, n in zip(songs, where, strict=True)],
        )
    connection.close()
    return songs, shorts


def _item_row(
    cart: int, kind: str, n: int, name: str, now_us: int, dice: np.random.Generator
) -> dict[str, Any]:
    """Return the row of an item; one in three says when it may air and how it is."""
    long = 200.0 + 5 * (n % _FILES)
    if kind != "song":
        long = {"spot": 30.0, "sweeper": 4.0, "jingle": 8.0, "promo": 25.0}[kind]
    artist, title = f"Act {n % 900}", f"Piece {n}"
    card = {"traits": f"tempo={('slow', 'mid', 'quick')[n % 3]}"} if n % 2 else {}
    if n % 9 == 0:
        card["rest_h"] = str(6 + n % 5)
    aired = now_us - int(dice.integers(3600, 30 * 86_400)) * US
    return {
        "cart": cart,
        "kind": kind,
        "title": title,
        "artist": artist,
        "album": f"Album {n % 2500}",
        "root_id": 1,
        "path": name,
        "name_key": key(name.rpartition("/")[2]),
        "added_us": now_us - 100 * _DAY_US,
        "last_aired_us": aired if kind == "song" and n % 3 else None,
        "duration_s": long,
        "sample_rate": RATE,
        "channels": 1,
        "integrated_lufs": -14.0 - n % 7,
        "loudness_range_lu": 5.0,
        "true_peak_dbtp": -1.0,
        "cue_in_s": 0.1,
        "cue_out_s": long - 0.2,
        "segue_s": long - 3.5,
        "fade_start_s": long - 6,
        "ending": "fade",
        "sort_artist": key(artist),
        "sort_title": key(title),
        "words": search_words(artist, title, name),
        "song_key": song_key(artist, title),
        "fall": json.dumps([200 * k for k in range(12)]),
        "turn": json.dumps(card) if card else "",
    }


def _lists(
    library: LibraryTransaction, songs: Sequence[int], size: Size, dice: np.random.Generator
) -> None:
    for n in range(size.of(60)):
        make_list(library, f"List {n:02}", [int(one) for one in dice.choice(songs, 25)])


def _pools(
    library: LibraryTransaction, sweepers: Sequence[int], size: Size, dice: np.random.Generator
) -> None:
    for n in range(size.of(25)):
        inside = dice.choice(sweepers, min(6, len(sweepers)), replace=False)
        hours = f"{n % 24:02}:00-{(n + 6) % 24:02}:00"
        members = tuple(Member(int(cart)) for cart in inside)
        save_pool(
            library,
            Pool(0, f"Pool {n:02}", PoolUse.SWEEPERS, members, PoolOptions(hours=hours, every=2.0)),
        )


def _orders(
    library: LibraryTransaction,
    spots: Sequence[int],
    size: Size,
    dice: np.random.Generator,
    today: date,
) -> None:
    """Twelve patterns of breaks, and orders that sell about seven tenths of their seats."""
    for n in range(12):
        minutes = f"{5 * n + 2}"
        hours = ("06-24", "00-24", "07-19")[n % 3]
        save_break(library, BreakPattern(0, f"Break {n:02}", _break(minutes, hours)))
    orders = []
    for n in range(size.of(200)):
        first = today - timedelta(days=int(dice.integers(1, 10)))
        options = CampaignOptions(
            advertiser=f"Firm {n % 120}",
            amount=float(dice.integers(1, 5)),
            first=str(first),
            last=str(first + timedelta(days=int(dice.integers(14, 60)))),
            group=f"trade {n % 30}" if n % 4 == 0 else "",
            apart_s=float(dice.choice([0, 1800, 3600])),
            hours=str(dice.choice(["", "06-12", "12-20", "mon-fri 07-19"])),
        )
        copies = tuple(Copy(int(cart)) for cart in dice.choice(spots, 2, replace=False))
        orders.append(Campaign(0, f"Order {n:03}", copies, options))
    save_campaigns(library, orders)


def _break(minutes: str, hours: str) -> BreakOptions:
    return BreakOptions(minutes=minutes, hours=hours, spots=3.0)


def _events(songs: Sequence[int], size: Size, dice: np.random.Generator) -> list[TimedEvent]:
    found = []
    for n in range(size.of(60)):
        at = datetime.fromisoformat("2026-01-01T00:00:00")
        at += timedelta(minutes=int(dice.integers(0, 1440)))
        rule = TimeRule(at, ("FREQ=DAILY", "FREQ=WEEKLY;BYDAY=MO,WE,FR", "FREQ=MONTHLY")[n % 3])
        if n % 20 == 0:
            rule = TimeRule(at.replace(hour=0), "FREQ=DAILY", repeat=Repeat(3600, at.time()))
        step: Step = PlayItem(int(dice.choice(songs)))
        if n % 3 == 1:
            step = PlayList(f"List {n % size.of(60):02}", Pick.NEXT)
        elif n % 3 == 2:
            step = PlayCategory(f"Shelf {n % 40:02}")
        entry = (Entry.NEXT, Entry.WAIT, Entry.CUT_IN, Entry.LAND)[n % 4]
        options = EventOptions(wait_s=120.0) if entry is Entry.WAIT else EventOptions()
        found.append(TimedEvent(0, f"Event {n:02}", rule, entry, (step,), options=options))
    return found


def _formats(library: LibraryTransaction) -> None:
    """Twelve clocks, a week that is full of them, the rules of rotation."""
    numbers = []
    for n in range(12):
        mark = "mark 30:00 Half past; " if n % 2 else ""
        strip = f"category Shelf {n:02}; music until 30:00; {mark}category Shelf {n + 4:02}; music"
        weights = tuple((f"Shelf {k:02}", float(8 - k)) for k in range(8))
        numbers.append(
            save_clock(
                library,
                FormatClock(0, f"Clock {n:02}", strip_from(strip), weights, (), ClockOptions()),
            )[0]
        )
    paint_week(library, {hour: numbers[hour % len(numbers)] for hour in range(168)})
    rules = (
        RotationRule(RuleSubject.ARTIST, 90),
        RotationRule(RuleSubject.TITLE, 240),
        RotationRule(RuleSubject.ALBUM, 60, firm=False, weight=2),
        RotationRule(RuleSubject.RUN, 2, trait="tempo=slow", firm=False),
        RotationRule(RuleSubject.YESTERDAY, 45, firm=False),
    )
    set_rules(library, rules)


def _logs(
    folder: Path, names: Sequence[str], now_us: int, size: Size, dice: np.random.Generator
) -> None:
    """Leave a log a day in two folders: the days around today."""
    today = local_from(now_us, zone(_TZ)).date()
    for number in (1, 2):
        where = folder / f"logs {number}"
        where.mkdir()
        for ahead in range(-size.of(17), 2):
            lines = [str(folder / "audio" / str(name)) for name in dice.choice(names, 300)]
            file = where / f"{today + timedelta(days=ahead):%Y-%m-%d}.m3u"
            file.write_text("#EXTM3U\n" + "\n".join(lines) + "\n", encoding="utf-8")
            os.utime(file, (10**9, 10**9))


def _aired(folder: Path, now_us: int, size: Size, dice: np.random.Generator) -> None:
    """Write what was on air: 25,900 lines of songs, one after the other, up to now."""
    connection = connect(folder)
    carts = [row[0] for row in connection.execute("SELECT cart FROM item WHERE kind = 'song'")]
    many = size.of(25_900)
    rows = []
    for n, cart in enumerate(dice.choice(carts, many)):
        start = now_us - (many - n) * 205 * US
        place = int(cart) - 1001
        rows.append(
            (
                f"built:{n}",
                start,
                start + 205 * US,
                int(cart),
                "song",
                f"Piece {place}",
                f"Act {place % 900}",
                "rotation",
                "Chosen as the longest unheard.",
                "aired",
                "",
                205 * US,
                1.0,
            )
        )
    with connection:
        connection.executemany(
            "INSERT INTO as_run (key, start_us, end_us, cart, kind, title, artist, origin, why,"
            f" outcome, note, whole_us, share) VALUES ({', '.join('?' * 13)})",
            rows,
        )
    connection.close()


def _make(folder: Path, now_us: int, size: Size) -> None:
    """Make one day of hours, write it down for each of 30 days, and place the spots."""
    snapshot = open_station(folder)
    try:
        begin = now_us - now_us % (3600 * US)
        day = make_logs(snapshot, begin, begin + _DAY_US, now_us).hours
        days = size.of(30)
        whole = [_later(hour, days_on * _DAY_US) for days_on in range(days) for hour in day]
        with LibraryTransaction(folder) as library:
            write_made(library, whole)
        place(snapshot, now_us)
    finally:
        snapshot.connection.close()


def _later(hour: MadeHour, by_us: int) -> MadeHour:
    return replace(hour, start_us=hour.start_us + by_us)


def main() -> int:
    """Build one."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("folder", type=Path)
    parser.add_argument("--scale", type=float, default=1.0, help="of it all, 0.01 to 1")
    options = parser.parse_args()
    begun = time.perf_counter()

    def told(what: str) -> None:
        print(f"{time.perf_counter() - begun:5.1f} s  {what}", flush=True)

    build(options.folder, time.time_ns() // 1000, Size(options.scale), told)
    told("built")
    return 0


if __name__ == "__main__":
    sys.exit(main())
