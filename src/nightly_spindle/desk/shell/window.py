"""The desk's window: rail, status bar, the place, and what holds them together."""

from __future__ import annotations

import time
from functools import partial
from typing import TYPE_CHECKING, cast

from PySide6.QtCore import QSettings, QTimer, Signal
from PySide6.QtGui import QCloseEvent, QGuiApplication, QKeySequence, QShortcut
from PySide6.QtWidgets import (
    QHBoxLayout,
    QMainWindow,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from nightly_spindle.air.messages import HANDS, SetUnattended
from nightly_spindle.core.base.timebase import US
from nightly_spindle.core.outputs.output_health import heard_by
from nightly_spindle.core.reports.tonight import tonight_of
from nightly_spindle.desk.kit import theme
from nightly_spindle.desk.kit.column_memory import ColumnMemory
from nightly_spindle.desk.kit.engine_link import EngineLink
from nightly_spindle.desk.kit.library_worker import LibraryWorker
from nightly_spindle.desk.kit.place import Place
from nightly_spindle.desk.kit.planner import Planner
from nightly_spindle.desk.kit.planning_process import NightPlan
from nightly_spindle.desk.library.library_place import LibraryPlace
from nightly_spindle.desk.logs.logs_place import LogsPlace
from nightly_spindle.desk.playout.air_place import AirPlace
from nightly_spindle.desk.shell.beside import open_beside
from nightly_spindle.desk.shell.engine_signs import EngineSigns
from nightly_spindle.desk.shell.keys import KeysPage
from nightly_spindle.desk.shell.late_places import LatePlaces
from nightly_spindle.desk.shell.leaving import stays_on_air
from nightly_spindle.desk.shell.place_links import begin_step, link_place
from nightly_spindle.desk.shell.rail import PLACES, Rail
from nightly_spindle.desk.shell.status import StatusBar
from nightly_spindle.desk.station.station_place import StationPlace
from nightly_spindle.store.reports.first_steps import first_steps

if TYPE_CHECKING:
    from pathlib import Path

    from nightly_spindle.air.messages import EngineStatus
    from nightly_spindle.core.programme.air_state import AirState
    from nightly_spindle.core.reports.timeline import Block
    from nightly_spindle.core.station.settings import StationSettings
    from nightly_spindle.desk.events.events_place import EventsPlace
    from nightly_spindle.desk.music.formats_place import FormatsPlace
    from nightly_spindle.desk.overlays.overlays_place import OverlaysPlace
    from nightly_spindle.desk.tonight.tonight_place import TonightPlace
    from nightly_spindle.desk.traffic.campaigns_place import CampaignsPlace
    from nightly_spindle.store.reports.first_steps import FirstStep

_REPLAN_MS = 60_000
_STILL_MS = 500  # how often the clock moves while no engine runs
_NOTE_MS = 8000


class DeskWindow(QMainWindow):
    """One station's desk. Signal: `left` once it is closed."""

    left = Signal()

    def __init__(self, folder: Path, settings: StationSettings, memory: QSettings) -> None:
        super().__init__()
        self._folder = folder
        self._settings = settings
        self._memory = memory
        self._state: AirState | None = None
        self._now_us = time.time_ns() // 1000
        self._finding = -1
        self._set_up = False  # whether the station has all that a night needs
        self.palette_ = theme.remembered(memory)
        self.link = EngineLink(folder, self)
        self.planner = Planner(folder, self)
        self.status = StatusBar(settings.name)
        self.shelf = LibraryWorker(folder, self)
        self.air = AirPlace(self.shelf, self.link, self.palette_)
        self.logs = LogsPlace(self.shelf, self.link, settings, self.palette_, self._present)
        self.library = LibraryPlace(
            self.shelf, self.logs.reading, settings, self.palette_, self._blocks
        )
        self._late = LatePlaces(
            self.shelf,
            self.link,
            settings,
            self._present,
            lambda: self._state if self.link.on_air else None,
        )
        self.station = StationPlace(folder, settings, self.palette_)
        self.keys = KeysPage(self)
        self.signs = EngineSigns(self.shelf, settings, self.status, self.air.header)
        self.setWindowTitle(f"{settings.name} – Nightly Spindle")
        self.resize(1280, 800)
        self._lay_out()
        self.columns = ColumnMemory(memory)
        self._connect()
        self._shortcuts()
        self._paint(self.palette_)
        geometry = memory.value("geometry")
        if geometry is not None:
            self.restoreGeometry(geometry)
        self._on_went()

    def _on_settings(self, settings: StationSettings) -> None:
        """Go by other settings, as far as that can be while the desk is open."""
        self._settings = settings
        self.setWindowTitle(f"{settings.name} – Nightly Spindle")
        self.status.set_name(settings.name)
        self.plan()

    @property
    def station_name(self) -> str:
        """What the station is called."""
        return self._settings.name

    # -- making ----------------------------------------------------------------------------

    def _lay_out(self) -> None:
        whole = QWidget()
        whole.setObjectName("window")
        whole.setProperty("copy", bool(self._settings.copy_of))
        box = QVBoxLayout(whole)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(0)
        box.addWidget(self.status)
        row = QHBoxLayout()
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(0)
        self.rail = Rail()
        self.places = self.rail.places
        row.addWidget(self.rail)
        self.stage = QStackedWidget()
        self.stage.addWidget(self.air)
        self.stage.addWidget(self.logs)
        self.stage.addWidget(self.library)
        self.stage.addWidget(self.station)
        row.addWidget(self.stage, 1)
        box.addLayout(row, 1)
        self.setCentralWidget(whole)

    def _connect(self) -> None:
        self.rail.gone_to.connect(self.go_to)
        self.rail.look.clicked.connect(self.change_look)
        self.rail.help.clicked.connect(self.keys.open)
        self.link.came.connect(self._on_came)
        self.link.went.connect(self._on_went)
        self.link.sight.connect(self._on_sight)
        self.link.state.connect(self._on_state)
        self.link.failed.connect(self.say)
        self.link.refused.connect(self._on_refused)
        self.planner.planned.connect(self._on_planned)
        self.planner.failed.connect(self.say)
        self.shelf.failed.connect(self.say)
        self.air.hand.connect(self.hand)
        self.air.said.connect(self.say)
        self.air.first.asked.connect(partial(begin_step, self))
        self.status.finding_asked.connect(self.see_finding)
        self.library.add_asked.connect(self._add_items)
        self.shelf.changed.connect(self.plan)
        self.station.changed.connect(self.plan)
        self.station.kept.connect(self._on_settings)
        self.station.opened.connect(lambda folder: open_beside(str(folder)))
        self.station.another.connect(open_beside)
        self._replan = QTimer(self)
        self._replan.setInterval(_REPLAN_MS)
        self._replan.timeout.connect(self.plan)
        self._still = QTimer(self)
        self._still.setInterval(_STILL_MS)
        self._still.timeout.connect(self._on_still)
        self._note = QTimer(self)
        self._note.setSingleShot(True)
        self._note.setInterval(_NOTE_MS)
        self._note.timeout.connect(lambda: self.air.note.setText(""))
        QGuiApplication.styleHints().colorSchemeChanged.connect(self._on_scheme)

    def _shortcuts(self) -> None:
        for keys, act in (
            ("F1", self.keys.open),
            ("F4", self.next_finding),
            ("F6", self.air.header.mode.click),
            ("F7", self._edit_segue),
            ("F8", lambda: self.hand("skip")),
            ("F9", self._stop_or_go),
            ("Ctrl+N", self._open_add),
            ("Ctrl+F", self._find),
            ("Ctrl+M", self._mark),
            ("Ctrl+Z", self._undo),
            ("Ctrl+Shift+Z", self._redo),
            *(
                (f"Ctrl+{number % 10}", partial(self.go_to, name))
                for number, (name, _, _) in enumerate(PLACES, 1)
            ),
            ("Ctrl+L", self.change_look),
            ("Ctrl+Q", self.close),
        ):
            QShortcut(QKeySequence(keys), self).activated.connect(act)

    # -- look ---------------------------------------------------------------------------------

    def change_look(self) -> None:
        """Dark to light, or back."""
        self._memory.setValue("look", "light" if self.palette_.dark else "dark")
        self._paint(theme.remembered(self._memory))

    def _on_scheme(self, _scheme: object) -> None:
        self._paint(theme.remembered(self._memory))

    def _paint(self, palette: theme.Palette) -> None:
        self.palette_ = palette
        self.setStyleSheet(theme.sheet(palette))
        self.air.set_palette(palette)
        self.library.set_palette(palette)
        self.logs.set_palette(palette)
        for place in self._late.made.values():
            place.set_palette(palette)
        self.station.set_palette(palette)
        self.rail.set_palette(palette)

    # -- the engine ----------------------------------------------------------------------------

    def begin(self) -> None:
        """Look for the engine, and plan without one meanwhile."""
        self.link.open()
        self._replan.start()
        if not self.link.on_air:
            self.plan()

    def hand(self, order: str) -> None:
        """Carry out what a hand asked for."""
        if order in {"attended", "unattended"}:
            self.link.ask(SetUnattended(order == "unattended"))
        elif order == "go" and not self.link.on_air and self._settings.copy_of:
            self.say(
                f"This is a copy of {self._settings.copy_of}, made for trying things on: it does "
                "not go on air."
            )
        elif order == "go" and not self.link.on_air and self.link.other:
            self.say(self.link.other)
        elif order == "go" and not self.link.on_air:
            self.signs.starting()
            if not self.link.start_engine():
                self.signs.went()
                self.say("The engine did not start; see Station › Messages.")
        else:
            self.link.ask(HANDS[order])

    def _stop_or_go(self) -> None:
        stopped = self._state is None or self._state.order.stopped
        self.hand("go" if stopped or not self.link.on_air else "stop")

    # -- places --------------------------------------------------------------------------------

    def go_to(self, name: str) -> None:
        """Go to one of the places."""
        for other, button in self.places.items():
            button.setChecked(other == name)
        there: dict[str, Place] = {
            "Air": self.air,
            "Logs": self.logs,
            "Library": self.library,
            "Station": self.station,
        }
        place = there.get(name) or self._place(name)
        if self.stage.currentWidget() is not place:
            self.stage.setCurrentWidget(place)
            if place is not self.air:
                place.open()

    def _place(self, name: str) -> Place:
        """Return a place that is made when it is first gone to."""
        if name not in self._late.made:
            made = self._late.make(name, self.palette_)
            self.stage.addWidget(made)
            link_place(self, made)
            if self.air.planned is not None:
                made.show_plan(self.air.planned)
        return self._late.made[name]

    @property
    def events(self) -> EventsPlace:
        """The place Events."""
        return cast("EventsPlace", self._place("Events"))

    @property
    def formats(self) -> FormatsPlace:
        """The place Formats."""
        return cast("FormatsPlace", self._place("Formats"))

    @property
    def campaigns(self) -> CampaignsPlace:
        """The place Campaigns."""
        return cast("CampaignsPlace", self._place("Campaigns"))

    @property
    def overlays(self) -> OverlaysPlace:
        """The place Overlays."""
        return cast("OverlaysPlace", self._place("Overlays"))

    def _present(self) -> int:
        """Return the station's instant: the engine's while it runs, else the machine's."""
        return self._now_us

    def _here(self) -> Place:
        """Return the place that is shown."""
        here = self.stage.currentWidget()
        assert isinstance(here, Place)
        return here

    def _undo(self) -> None:
        self._here().undo.undo()

    def _redo(self) -> None:
        self._here().undo.redo()

    def _find(self) -> None:
        self.go_to("Library")
        self.library.show_page("Items")
        self.library.items.field.selectAll()

    def _blocks(self) -> list[Block]:
        """Return the blocks of the coming hours, as they are planned."""
        return [] if self.air.planned is None else self.air.planned.night.blocks

    def _edit_segue(self) -> None:
        self.go_to("Air")
        self.air.edit_segue()

    def _mark(self) -> None:
        self.go_to("Library")
        if self.library.pages.currentWidget() is self.library.items:
            self.library.items.mark()

    def _open_add(self) -> None:
        here = self._here()
        if here is self.station or here in self._late.made.values():
            here.begin_new()
            return
        self.go_to("Air")
        self.air.open_add()

    def _add_items(self, carts: list[int]) -> None:
        if not self.link.on_air:
            self.library.say("The engine is off: go on air first, then add to the running order.")
            return
        self.air.add_items(carts)
        self.library.say(self.air.note.text())

    def say(self, sentence: str) -> None:
        """Say something above the running order, for a while."""
        self.air.note.setText(sentence)
        self.air.note.setToolTip(sentence)
        self._note.start()

    def _on_came(self) -> None:
        self._still.stop()
        self.signs.came()
        self.air.note.setText("")

    def _on_went(self) -> None:
        self._state = None
        self.status.set_heard(None)
        self.station.take(None)
        self.status.set_left(None)
        self.air.forget_item()
        self.air.header.show_modes(on_air=False, unattended=False, stopped=True)
        self.signs.went()
        self._still.start()
        self._on_still()
        if self.link.on_air or self.air.planned is not None:
            self.plan()

    def _on_refused(self, other: str) -> None:
        """An engine is on air that this desk cannot ask anything."""
        self.status.set_mode("on air, of another version")
        self.air.header.show_silence("On air, of another version", other)
        self.say(other)

    def _on_still(self) -> None:
        self._now_us = time.time_ns() // 1000
        self._show_time()
        self.air.set_now(self._now_us)

    def _on_state(self, state: AirState) -> None:
        self._state = state
        self.status.set_on_air(on_air=True, waiting=state.order.playing is None)
        self.status.set_mode("unattended" if state.order.unattended else "attended: waits for you")
        self.air.header.show_modes(
            on_air=True, unattended=state.order.unattended, stopped=state.order.stopped
        )
        if state.order.playing is None and state.order.stopped:
            self.air.forget_item()
            self.air.header.show_silence(
                "Waiting for you", "“Start” plays the next line. Nothing goes out until then."
            )
        self.plan()

    def _on_sight(self, sight: EngineStatus) -> None:
        self._now_us = sight.now_us
        self.status.set_heard(heard_by(sight.outputs))
        self.station.take(sight)
        self._show_time()
        self.air.take(sight)
        if self._state is not None and self._state.order.playing is not None:
            block, after = self.air.on_air()
            self.status.set_left(None if block is None else max(0, after - self._now_us) / US)
        if sight.problem and not self.air.note.text():
            self.say(sight.problem)

    def _show_time(self) -> None:
        tz = self._settings.tz
        self.status.set_time(self._now_us, tz)
        if self.air.planned is not None:
            pin = self.air.planned.night.next_pin(self._now_us)
            self.status.show_fixed(pin, self._now_us, tz)

    # -- the plan --------------------------------------------------------------------------------

    def plan(self) -> None:
        """Work the night out anew."""
        live = self.link.on_air and self._state is not None
        if self.link.on_air and not live:
            return  # the engine's state is on its way
        self.planner.ask(self._state if live else None, self._now_us, live=live)

    def _on_planned(self, planned: NightPlan) -> None:
        if planned.live != self.link.on_air:
            return
        self.air.show_plan(planned)
        for place in self._late.made.values():
            place.show_plan(planned)
        self.library.items.go_by(planned.settings)
        tz = planned.settings.tz
        self.status.show_tonight(tonight_of(planned.night, tz, planned.left), tz)
        self._show_time()
        folder, now_us = self._folder, time.time_ns() // 1000
        if not self._set_up:
            self.shelf.look(
                lambda _: first_steps(folder, now_us), self._on_first, "first steps", news=True
            )

    def _on_first(self, steps: list[FirstStep]) -> None:
        self._set_up = all(one.done for one in steps)
        self.air.show_first(steps)

    def see_finding(self) -> None:
        """Show the next cause of findings at Tonight, where it is mended from."""
        self.go_to("Tonight")
        cast("TonightPlace", self._place("Tonight")).next_cause()

    def next_finding(self) -> None:
        """Show the next finding: at Air its line and sentence, elsewhere its cause."""
        if self._here() is not self.air:
            self.see_finding()
            return
        planned = self.air.planned
        if planned is None or not planned.night.counting():
            self.say("The rehearsal of the coming hours found nothing wrong.")
            return
        marks = planned.night.counting()
        self._finding = (self._finding + 1) % len(marks)
        mark = marks[self._finding]
        self.air.show_finding(mark, self._finding + 1, len(marks))

    # -- leaving ---------------------------------------------------------------------------------

    def closeEvent(self, event: QCloseEvent) -> None:
        """Close the desk; the station stays on air, which is said once."""
        if self.link.on_air and not self._memory.value(
            "told_on_air", defaultValue=False, type=bool
        ):
            self._memory.setValue("told_on_air", True)
            event.ignore()
            self._told = stays_on_air(self, self._settings.name, self._folder)
            self._told.finished.connect(lambda _: self.close())
            self._told.open()
            return
        self._memory.setValue("geometry", self.saveGeometry())
        self._memory.sync()
        for timer in (self._replan, self._still, self._note):
            timer.stop()
        self.signs.close()
        self.air.close_down()
        self.link.close()
        self.planner.close()
        self.library.close_down()
        self.logs.close_down()
        for place in self._late.made.values():
            place.close_down()
        self.station.close_down()
        self.left.emit()
        self.shelf.close()
        event.accept()
