"""The marker editor's part of the benchmark: opening, painting, first sound, measuring anew."""

from __future__ import annotations

import json
import shutil
import sqlite3
import subprocess
import sys
import time
from collections.abc import Callable
from typing import TYPE_CHECKING

from bench_library import OPEN

if TYPE_CHECKING:
    from pathlib import Path

Row = Callable[[str, str, str, bool], None]

EDITOR = (
    OPEN
    + """
w.go_to("Library")
table = w.library.items.table
until(lambda: len(table.items.carts) > 30)
carts = table.items.carts.tolist()
long = int(sys.argv[3])
cues = w.library.cues
w.library.mark(carts, carts[0]); until(lambda: cues.wave.sound.peaks is not None)
opened = []
for _ in range(7):
    cues.session.open(carts, carts[0]); until(lambda: cues.session.item is not None)
    begun = time.perf_counter()
    cues.session.open(carts, long)
    until(lambda: cues.session.item is not None and cues.session.item.cart == long)
    cues.wave.grab(); cues.whole.grab()  # painted
    opened.append(time.perf_counter() - begun)
until(lambda: cues.wave.sound.peaks is not None)
frames = []
wave = cues.wave
for step in range(240):
    span = 240 * 0.965 ** step
    begun = time.perf_counter()
    wave.view(120 - span * 0.4 + (step % 7) * span / 50, span)
    app.processEvents()
    wave.repaint(); cues.whole.repaint()
    frames.append(time.perf_counter() - begun)
heard = []
for place in (10.0, 100.0, 200.0, 60.0, 150.0):
    came = []
    cues._ear.at.connect(lambda path, at: came.append(at))
    begun = time.perf_counter()
    cues.player.play(place, 0.0)
    until(lambda: bool(came))
    heard.append(time.perf_counter() - begun)
    cues.player.stop(); time.sleep(0.3); app.processEvents(); cues._ear.at.disconnect()
    cues._ear.at.connect(cues.player._on_ear)
frames.sort(); opened.sort(); heard.sort()
print(json.dumps([opened[3], frames[len(frames) // 2], frames[len(frames) * 95 // 100], heard[-1]]))
w.close()
"""
)


def marking(work: Path, demo: Path, row: Row) -> None:
    """Opening the editor on four minutes, moving through it, hearing it."""
    with sqlite3.connect(demo / "station.db") as db:
        long = db.execute("SELECT cart FROM item ORDER BY duration_s DESC").fetchone()[0]
    db.close()
    told = subprocess.run(
        [sys.executable, "-c", EDITOR, str(demo), str(work / "cues.ini"), str(long)],
        check=True,
        capture_output=True,
        text=True,
    ).stdout
    opened, frame, slow, heard = json.loads(told)
    row(
        "marker editor: 4 min opened and painted",
        f"{opened * 1000:.0f} ms",
        "< 100 ms",
        opened < 0.1,
    )
    row(
        "marker editor: a frame while panning and zooming",
        f"{frame * 1000:.1f} ms (95 %: {slow * 1000:.1f})",
        "< 16.7 ms",
        slow < 0.0167,
    )
    row(
        "marker editor: first sound after play",
        f"{heard * 1000:.0f} ms at the most",
        "< 150 ms",
        heard < 0.15,
    )


def measuring_anew(work: Path, demo: Path, row: Row) -> None:
    """1,000 items with other thresholds, from stored levels, against decoding one of them."""
    from nightly_spindle.audio.measure import measure_file
    from nightly_spindle.core.station.settings import Trimming
    from nightly_spindle.store.base.transaction import LibraryTransaction
    from nightly_spindle.store.library import marking as store

    folder = work / "anew"
    shutil.copytree(demo, folder, ignore=shutil.ignore_patterns("audio", "logs"))
    with sqlite3.connect(folder / "station.db") as db:
        names = [r[1] for r in db.execute("PRAGMA table_info(item)")]
        rest = ", ".join(n for n in names if n not in {"cart", "path"})
        songs = [r[0] for r in db.execute("SELECT cart FROM item WHERE kind = 'song'")]
        for number in range(1000 - len(songs)):
            cart, like = 10_000 + number, songs[number % len(songs)]
            db.execute(
                f"INSERT INTO item (cart, path, {rest}) SELECT {cart}, '{cart}', {rest}"
                f" FROM item WHERE cart = {like}"
            )
            db.execute(
                "INSERT INTO item_sound (cart, overview, fingerprint, sounding_s, envelope)"
                f" SELECT {cart}, overview, fingerprint, sounding_s, envelope FROM"
                f" item_sound WHERE cart = {like}"
            )
        db.execute(
            "DELETE FROM item_sound WHERE cart < 10000 AND cart NOT IN"
            f" ({','.join(map(str, songs))})"
        )
        path = db.execute("SELECT path FROM item ORDER BY duration_s DESC").fetchone()[0]
    db.close()
    begun = time.perf_counter()
    with LibraryTransaction(folder) as library:
        changed, without = store.measure_anew(library, Trimming(head_db=-30, tail_db=-35))
    took = time.perf_counter() - begun
    assert not without
    begun = time.perf_counter()
    measure_file(str(next((demo / "audio").rglob(path.rsplit("/", 1)[-1]))))
    one = time.perf_counter() - begun
    told = f"{took:.2f} s, {len(changed)} changed; one file {one:.2f} s"
    row("1,000 items measured anew, against one 4-min file", told, "< 2 s", took < 2)
