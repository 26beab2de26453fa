"""The benchmark of a long-lived station (`big_station`): reading, edits, boards, the night, spots.

python tools/bench_big.py [--scale 0.2]

Each row says what it took and what is wished; those that hold on any machine are ratios of two
times of one run. `make bench` has all of it, `make bench-quick` the ratios of a fifth of it.
"""

from __future__ import annotations

import argparse
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from dataclasses import dataclass, replace
from datetime import timedelta
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from nightly_spindle.core.base.timebase import US, local_from
from nightly_spindle.core.reports.timeline import plan_night
from nightly_spindle.store.base.database import connect
from nightly_spindle.store.base.transaction import LibraryTransaction
from nightly_spindle.store.events.events import save_events
from nightly_spindle.store.library.item_reading import items_by_cart
from nightly_spindle.store.programme.snapshot import open_station
from nightly_spindle.store.reports.campaign_board import CampaignBoard
from nightly_spindle.store.reports.event_board import EventBoard
from nightly_spindle.store.reports.first_steps import first_steps
from nightly_spindle.store.reports.format_board import FormatBoard
from nightly_spindle.store.reports.log_boards import LogBoard
from nightly_spindle.store.reports.overlay_board import OverlayBoard
from nightly_spindle.store.reports.spot_placements import make_placing

if TYPE_CHECKING:
    from nightly_spindle.core.events.timed_events import TimedEvent

Row = Callable[[str, str, str, bool], None]
_SOLD = (1.0, 2.0)  # how much of what is ordered is asked for: about 0.75 and 1.5 of all seats


@dataclass(slots=True)
class _Station:
    """The station that is measured, and its instant."""

    folder: Path
    now_us: int


def taken(what: Callable[[], object]) -> float:
    """Return how long something takes, s of this process's processor time."""
    begun = time.process_time()
    what()
    return time.process_time() - begun


def boards(here: _Station, row: Row) -> None:
    """Print how soon each board knows of an edit."""
    folder, now = here.folder, here.now_us
    today = local_from(now, open_station(folder).programme.settings.tz).date()
    monday = today - timedelta(days=today.weekday())
    hour = now - now % (3600 * US)
    events, logs = EventBoard(folder), LogBoard(folder)
    formats, campaigns, overlays = FormatBoard(folder), CampaignBoard(folder), OverlayBoard(folder)
    looks: dict[str, Callable[[], object]] = {
        "Events": lambda: events.sheet(now, monday),
        "Formats": lambda: formats.sheet(now, hour, hour + 24 * 3600 * US),
        "Campaigns": lambda: campaigns.sheet(now),
        "Overlays": lambda: overlays.sheet(now),
        "Logs": lambda: logs.board(now, 3),
        "first steps": lambda: first_steps(folder, now),
    }
    for look in looks.values():
        look()
    _switch(folder, events.sheet(now, monday).events[0])
    after = {name: taken(look) for name, look in looks.items()}
    for name, seconds in after.items():
        row(f"big: {name} after an edit", f"{seconds:.2f} s", "< 0.15 s", seconds < 0.15)
    whole = min(taken(partial(_read, folder)) for _ in range(3))
    _switch(folder, events.sheet(now, monday).events[0])
    events.sheet(now, monday)  # reads the edit: the next board finds it read
    ratio = taken(looks["Overlays"]) / whole
    row(
        "big: an edit at a second board, to the first reading of it",
        f"{ratio:.2f}",
        "< 0.8",
        ratio < 0.8,
    )
    uses = min(taken(lambda: logs.uses([5001])) for _ in range(3))
    row("big: where an item is used", f"{1000 * uses:.0f} ms", "< 50 ms", uses < 0.05)
    memory = _resident_mb()
    row("big: memory with all boards read", f"{memory:.0f} MB", "< 250 MB", memory < 250)


def _read(folder: Path) -> None:
    open_station(folder).connection.close()


def _switch(folder: Path, event: TimedEvent) -> None:
    with LibraryTransaction(folder) as library:
        save_events(library, [replace(event, enabled=not event.enabled)])


def _resident_mb() -> float:
    status = Path("/proc/self/status").read_text(encoding="ascii")
    return float(status.split("VmHWM:")[1].split()[0]) / 1024


def reading(here: _Station, row: Row) -> None:
    """Print how long the station takes to be read, at first and again."""
    connection = connect(here.folder)
    carts = [cart for (cart,) in connection.execute("SELECT cart FROM item")]

    def items() -> None:
        sum(1 for _ in items_by_cart(connection, here.folder, carts))

    first, again = taken(items), min(taken(items) for _ in range(5))
    connection.close()
    row(
        "big: items asked for again, to the first time",
        f"{again / first:.2f}",
        "< 0.8",
        again / first < 0.8,
    )
    warm = min(taken(partial(_read, here.folder)) for _ in range(3))
    row("big: station read again", f"{warm:.2f} s", "< 0.3 s", warm < 0.3)


def night(here: _Station, row: Row) -> None:
    """Print how long the coming hours take in fast forward."""
    snapshot = open_station(here.folder)
    times = {}
    for hours in (12.0, 24.0):
        until = here.now_us + round(hours * 3600) * US

        def plan(hours: float = hours) -> None:
            plan_night(snapshot.programme, None, here.now_us, hours, live=False)

        snapshot.prepare(here.now_us, until)
        times[hours] = taken(plan), taken(plan)
    first, again = times[24.0]
    row("big: 24 h rehearsed", f"{first:.2f} s, again {again:.2f}", "< 2 s", first < 2)
    first, again = times[12.0]
    row("big: 12 h rehearsed again", f"{again:.2f} s (first {first:.2f})", "< 0.5 s", again < 0.5)
    snapshot.connection.close()


def spots(here: _Station, row: Row) -> None:
    """Print how long placing takes, at different fullness, and after one change."""
    snapshot = open_station(here.folder)
    plan = snapshot.programme.spots
    change = taken(lambda: make_placing(snapshot, here.now_us))
    row("big: spots placed after one change", f"{change:.1f} s", "< 0.3 s", change < 0.3)
    for often in _SOLD:
        orders = {
            number: replace(one, options=replace(one.options, amount=one.options.amount * often))
            for number, one in plan.campaigns.items()
        }
        snapshot.programme.set_spots(replace(plan, campaigns=orders))
        begun = time.process_time()
        wanted, made = make_placing(snapshot, here.now_us, anew=True)
        anew = time.process_time() - begun
        seats = sum(place.spots for place in wanted.calendar.places[wanted.calendar.now :])
        asked = len(made.bookings) + sum(one.missing for one in made.short)
        row(
            f"big: all spots placed anew, {asked / seats:.0%} of the seats asked for",
            f"{anew:.1f} s, {len(made.bookings)} placed",
            "< 3 s",
            anew < 3,
        )
    snapshot.connection.close()


def commands(here: _Station, row: Row) -> None:
    """Print how long commands take."""
    for words, wish in (
        (("--version",), 0.1),
        (("status", str(here.folder)), 0.2),
        (("library", "list", str(here.folder), "piece", "199"), 1.0),
    ):
        command = [sys.executable, "-m", "nightly_spindle", *words]
        times = []
        for _ in range(3):
            begun = time.perf_counter()
            status = subprocess.run(command, capture_output=True, check=False).returncode
            if status == 2:
                raise SystemExit(f"{' '.join(words)} is no command of this program")
            times.append(time.perf_counter() - begun)
        best = min(times)
        row(f"big: command {words[0]}", f"{best:.2f} s", f"< {wish} s", best < wish)


def big(work: Path, row: Row, scale: float = 1.0, *, ratios: bool = False) -> None:
    """Build the station, and print all rows, or those alone that hold on any machine."""
    here = _Station(work / "big", time.time_ns() // 1000)
    begun = time.perf_counter()
    # by a process of its own: what it has read and holds is no part of what is measured
    builder = Path(__file__).with_name("big_station.py")
    command = [sys.executable, str(builder), str(here.folder), "--scale", str(scale)]
    subprocess.run(command, check=True, capture_output=True)
    built = time.perf_counter() - begun

    def kept(what: str, got: str, wanted: str, good: bool) -> None:
        if not ratios or ", to the first" in what:
            row(what, got, wanted, good)

    kept("big: station built", f"{built:.0f} s", "< 60 s", built < 60)
    reading(here, kept)
    boards(here, kept)
    if not ratios:
        night(here, kept)
        spots(here, kept)
        commands(here, kept)


def main() -> int:
    """Print the ratios; returns 1 when one has slipped."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--scale", type=float, default=1.0)
    parser.add_argument("--ratios", action="store_true")
    options = parser.parse_args()
    good = []

    def row(what: str, got: str, wanted: str, well: bool) -> None:
        good.append(well)
        print(f"{'ok  ' if well else 'MISS'} {what:<58} {got:<30} wanted {wanted}", flush=True)

    with tempfile.TemporaryDirectory(prefix="big") as name:
        big(Path(name), row, options.scale, ratios=options.ratios)
    return 0 if all(good) else 1


if __name__ == "__main__":
    sys.exit(main())
