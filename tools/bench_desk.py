"""The desk's part of the benchmark table: start, painting, how long its thread is held."""

from __future__ import annotations

import itertools
import json
import statistics
import subprocess
import sys
import time
from typing import TYPE_CHECKING, Self

if TYPE_CHECKING:
    from collections.abc import Callable
    from pathlib import Path

    Row = Callable[[str, str, str, bool], None]
    Best = Callable[..., float]

STOOD_STILL_S = 0.008
BYSTANDER = """
import json, sys, threading, time
still, ended = [], threading.Event()
threading.Thread(target=lambda: (sys.stdin.read(), ended.set()), daemon=True).start()
last = time.perf_counter()
while not ended.is_set():
    time.sleep(0.002)
    now = time.perf_counter()
    if now - last > float(sys.argv[1]): still.append((last, now))
    last = now
print(json.dumps(still))
"""


class Bystander:
    """A process that does nothing but look at the clock: while it stood still the machine did."""

    def __enter__(self) -> Self:
        """Begin to look."""
        self._process = subprocess.Popen(
            [sys.executable, "-c", BYSTANDER, str(STOOD_STILL_S)],
            stdin=subprocess.PIPE,
            stdout=subprocess.PIPE,
            text=True,
        )
        return self

    def __exit__(self, *_exception: object) -> None:
        """Look no more."""
        told, _nothing = self._process.communicate()
        self._still = [(float(a), float(b)) for a, b in json.loads(told)]

    def stood_still(self, begin: float, end: float) -> bool:
        """Whether it stood still for more than half of a stretch of time."""
        still = sum(max(0.0, min(end, b) - max(begin, a)) for a, b in self._still)
        return still > (end - begin) / 2


EMPTY = """
import sys
from PySide6.QtWidgets import QApplication, QMainWindow
app = QApplication(sys.argv); w = QMainWindow(); w.resize(1280, 800); w.show()
app.processEvents(); w.grab()
"""
DESK = """
import sys
from pathlib import Path
from PySide6.QtCore import QSettings
from nightly_spindle.desk.shell.app import application, open_window
app = application()
w = open_window(Path(sys.argv[1]), QSettings(sys.argv[2], QSettings.Format.IniFormat)); w.show()
app.processEvents(); w.grab()
w.planner.planned.connect(lambda _: app.quit())
if w.air.planned is None: app.exec()
w.grab(); w.close()
"""


def desk(work: Path, demo: Path, row: Row, best: Best) -> None:
    """Start-up beside an empty window, and painting."""
    empty = best([sys.executable, "-c", EMPTY], 3)
    usable = best([sys.executable, "-c", DESK, str(demo), str(work / "desk.ini")], 3)
    more = usable - empty
    row(
        "desk: night planned and shown, beyond an empty window",
        f"{more:.2f} s",
        "< 1.50 s",
        more < 1.5,
    )
    paint(row)
    stall(work, demo, row)


def paint(row: Row) -> None:
    """Paint 2,000 blocks."""
    from PySide6.QtGui import QPainter, QPixmap

    from nightly_spindle.core.library.markers import Curve
    from nightly_spindle.core.reports.timeline import Block, Night
    from nightly_spindle.core.station.settings import StationSettings
    from nightly_spindle.desk.kit import theme
    from nightly_spindle.desk.kit.planning_process import NightPlan
    from nightly_spindle.desk.shell.app import application
    from nightly_spindle.desk.timeline.timeline import Timeline

    application()
    start, second = 1_795_000_000_000_000, 1_000_000
    kinds = ("song", "song", "id", "spot")
    curve = Curve.EQUAL_POWER
    blocks = [
        Block(
            n,
            n,
            kinds[n % 4],
            f"Block {n}",
            "",
            start + n * 21 * second,
            start + (n * 21 + 24) * second,
            0,
            30,
            3,
            curve,
            "3.0 s",
            (),
            "",
            "",
            "",
            "aired",
            net=False,
            movable=True,
            path="",
        )
        for n in range(2000)
    ]
    night = Night(start, start + 12 * 3600 * second, blocks)
    line = Timeline(theme.DARK)
    line.resize(1180, 170)
    line.show_plan(NightPlan(night, StationSettings("B", "UTC"), live=True))
    line.set_now(start, 1)
    for _ in range(8):
        line.zoom(2)  # twelve hours in the window as well: all of them are drawn twice
    picture = QPixmap(line.size())
    taken = []
    for _ in range(40):
        painter = QPainter(picture)
        begun = time.perf_counter()
        line.paint(painter)
        taken.append((time.perf_counter() - begun) * 1000)
        painter.end()
    middle = statistics.median(taken)
    row("night line, 2,000 blocks painted", f"{middle:.1f} ms", "< 8 ms", middle < 8)


def stall(work: Path, demo: Path, row: Row) -> None:
    """Measure the longest time that the interface thread gave no turn while planning."""
    from PySide6.QtCore import QSettings, QTimer

    from nightly_spindle.desk.shell.app import application, open_window

    app = application()
    memory = QSettings(str(work / "stall.ini"), QSettings.Format.IniFormat)
    memory.setValue("told_on_air", True)
    window = open_window(demo, memory)
    window.show()
    turns: list[float] = []
    timer = QTimer()
    timer.setInterval(2)
    timer.timeout.connect(lambda: turns.append(time.perf_counter()))
    again = QTimer()
    again.setInterval(900)
    again.timeout.connect(window.plan)
    QTimer.singleShot(3000, timer.start)
    QTimer.singleShot(3000, again.start)
    QTimer.singleShot(9000, lambda: app.exit(0))  # quitting would close the window first
    with Bystander() as bystander:
        app.exec()
    timer.stop()  # closing waits for the planner to end
    again.stop()
    window.close()
    holds = [(a, b) for a, b in itertools.pairwise(turns) if not bystander.stood_still(a, b)]
    gaps = sorted((b - a) * 1000 for a, b in holds)
    longest, common = gaps[-1], gaps[len(gaps) * 99 // 100]
    told = f"{longest:.0f} ms (99 %: {common:.0f} ms)"
    row("desk: longest the interface thread was held, planning", told, "< 50 ms", longest < 50)
