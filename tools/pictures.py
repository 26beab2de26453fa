"""The pictures of the documents, taken of the demo station: `make pictures`.

python tools/pictures.py [NAME ...]     # those alone

Builds the demo station, with the night behind it, puts it on air, opens the desk offscreen and
writes a picture of each main view.
"""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import tempfile
import time
from pathlib import Path
from typing import TYPE_CHECKING

os.environ["QT_QPA_PLATFORM"] = "offscreen"

from PySide6.QtCore import QEventLoop, QSettings, QTimer
from PySide6.QtWidgets import QApplication

from nightly_spindle.desk.kit import theme
from nightly_spindle.desk.shell.window import DeskWindow
from nightly_spindle.desk.start.first_window import FirstWindow
from nightly_spindle.desk.start.music_step import MusicStep
from nightly_spindle.desk.start.name_step import NameStep
from nightly_spindle.simulators.streaming_server import STREAMING_PORT, StreamingServer
from nightly_spindle.store.base.known_stations import remember_station
from nightly_spindle.store.base.station_folder import read_settings

if TYPE_CHECKING:
    from collections.abc import Callable

OUT = Path(__file__).parent.parent / "docs" / "screenshots"
PROGRAM = [sys.executable, "-m", "nightly_spindle"]


def wait(ms: int) -> None:
    """Let the desk go on for a while."""
    loop = QEventLoop()
    QTimer.singleShot(ms, loop.quit)
    loop.exec()


def on_air(folder: Path, *options: str) -> subprocess.Popen[bytes]:
    """Start an engine."""
    return subprocess.Popen(
        [*PROGRAM, "air", str(folder), "--no-supervisor", *options],
        stdout=subprocess.DEVNULL,
        stderr=subprocess.DEVNULL,
    )


def make_hours(folder: Path) -> None:
    """Have the station make the logs of the coming days."""
    subprocess.run(
        [*PROGRAM, "formats", "make", str(folder), "--days", "4"],
        check=True,
        stdout=subprocess.DEVNULL,
    )


class Pictures:
    """Takes the pictures of one window."""

    def __init__(self, window: DeskWindow) -> None:
        self.window = window

    def take(self, name: str, ready: Callable[[], object] = lambda: None, ms: int = 1500) -> None:
        """Take one picture once a view has been prepared."""
        ready()
        wait(ms)
        if sys.argv[1:] and name not in sys.argv[1:]:
            return
        self.window.grab().save(str(OUT / f"{name}.png"))
        print(f"{name}.png", flush=True)

    def all(self) -> None:
        """Take all of them."""
        w = self.window
        self.take("air", ms=6000)
        self.take("segue", w.air.edit_segue, 4000)
        w.air.close_segue()
        self.take("logs", lambda: w.go_to("Logs"), 6000)
        assert w.logs.board is not None
        logs = w.logs.board.logs
        short = [one for one in logs if one.lost and one.reading.matches and one.named < 100]
        log = short[-1] if short else next(one for one in logs if one.reading.matches)
        self.take("log", lambda: w.logs.open_log(log), 3500)
        w.go_to("Events")
        wait(3500)
        assert w.events.sheet is not None
        first = w.events.sheet.events[0].id
        self.take("events", lambda: w.events.choose(first), 3000)
        self.library()
        self.formats()
        self.campaigns()
        self.take("overlays", lambda: w.go_to("Overlays"), 9000)
        self.take("tonight", lambda: w.go_to("Tonight"), 4000)
        self.take("morning", lambda: w.go_to("Morning"), 6000)
        w.go_to("Station")
        wait(2500)
        outputs = w.station.outputs
        self.take("station", lambda: outputs.show_one(outputs.kept()[0]), 1500)

    def library(self) -> None:
        """Take those of the library."""
        w = self.window
        self.take("library", lambda: w.go_to("Library"), 3500)
        w.library.items.table.selectRow(3)
        self.take("library", ms=1500)
        wait(800)
        self.take("markers", w.library.items.mark, 5000)
        w.library.show_page("Items")

    def formats(self) -> None:
        """Take those of the formats."""
        w = self.window
        self.take("clock", lambda: w.go_to("Formats"), 5000)
        place = w.formats
        self.take("format-week", lambda: place.show_page("Week"), 2000)
        place.show_page("Schedule")
        place.made.go(1)
        wait(2500)
        heads = [n for n, row in enumerate(place.made.table.rows) if row.line is None]
        line = place.made.table.cells.index(heads[0] + 5, 1)
        self.take("made", lambda: place.made.table.setCurrentIndex(line), 3000)

    def campaigns(self) -> None:
        """Take those of the campaigns."""
        w = self.window
        self.take("orders", lambda: w.go_to("Campaigns"), 5000)
        place = w.campaigns
        names = [order.campaign.name for order in place.orders.orders]
        place.orders.table.selectRow(names.index("Oyster season"))
        self.take("orders", lambda: place.orders.editor.show_part("When"))
        week = place.week
        place.show_page("Week")
        week.show_campaign("Night ferry")
        shown = [p for p in week.week.breaks if p.day == week.week.first + 3]
        full = max(shown, key=lambda p: week.week.spots_in(p.key))
        self.take("breaks-week", lambda: week.week.choose(full.key))
        w.change_look()
        self.take("report", lambda: place.show_page("Reports"), 3000)
        w.change_look()


def beginning(work: Path, demo: Path) -> None:
    """Take the first window, and the guided run at the step that asks for music."""
    os.environ["XDG_STATE_HOME"] = str(work / "state")
    now_us = time.time_ns() // 1000
    remember_station(work / "gone" / "Sandbar FM", "Sandbar FM", now_us - 2)
    remember_station(demo, read_settings(demo).name, now_us)
    music = work / "Music"
    shutil.copytree(demo / "audio" / "song", music)
    for kind in ("jingle", "sweeper"):
        shutil.copytree(demo / "audio" / kind, music / f"{kind.capitalize()}s")
    first = FirstWindow(theme.DARK)
    first.show()
    wait(1500)
    first.grab().save(str(OUT / "first-window.png"))
    first.begin_new()
    run = first.run
    assert run is not None
    name, step = run.steps["name"], run.steps["music"]
    assert isinstance(name, NameStep)
    assert isinstance(step, MusicStep)
    name.title.setText("Harbour Nights")
    name.folder.setText(str(work / "Harbour Nights"))
    name.zone.setCurrentText("Europe/Lisbon")
    run.next.setEnabled(True)
    run.next.click()
    wait(3000)
    step.look_at(music)
    wait(1500)
    first.grab().save(str(OUT / "new-station.png"))
    first.close()


def main() -> None:
    """Take the pictures of a demo station made for it."""
    app = QApplication([])
    theme.load_fonts()
    with tempfile.TemporaryDirectory(prefix="pictures") as work:
        folder = Path(work) / "station"
        subprocess.run(
            [*PROGRAM, "demo", "--folder", str(folder), "--build-only"],
            check=True,
            stdout=subprocess.DEVNULL,
            stderr=subprocess.DEVNULL,
        )
        beginning(Path(work), folder)
        make_hours(folder)
        server = StreamingServer(port=STREAMING_PORT).start()
        engine = on_air(folder)
        memory = QSettings(str(Path(work) / "desk.ini"), QSettings.Format.IniFormat)
        memory.setValue("look", "dark")
        memory.setValue("told_on_air", True)
        window = DeskWindow(folder, read_settings(folder), memory)
        window.resize(1280, 800)
        window.show()
        window.begin()
        wait(9000)
        try:
            Pictures(window).all()
        finally:
            server.stop()
            window.close()
            engine.terminate()
            engine.wait()
    app.quit()


if __name__ == "__main__":
    main()
