"""The place Logs: the board of the coming days, an opened log, the log drops."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from PySide6.QtCore import Qt, QTimer
from PySide6.QtGui import QKeySequence, QShortcut, QUndoStack
from PySide6.QtWidgets import (
    QFileDialog,
    QFrame,
    QHBoxLayout,
    QMessageBox,
    QScrollArea,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from nightly_spindle.air.messages import Load, LoadTaken
from nightly_spindle.core.base.timebase import US
from nightly_spindle.core.base.wording import counted
from nightly_spindle.core.events.timed_events import Entry
from nightly_spindle.core.reports.log_status import ALARMS, WARNINGS, BoardLog, LogState
from nightly_spindle.desk.kit.board_reading import BoardReading
from nightly_spindle.desk.kit.labels import ElidedLabel, NoteLabel
from nightly_spindle.desk.kit.place import Place
from nightly_spindle.desk.kit.tabs import Tabs
from nightly_spindle.desk.logs.log_board_view import LogBoardView
from nightly_spindle.desk.logs.log_details import LogDetails
from nightly_spindle.store.reports.log_boards import LogBoard

if TYPE_CHECKING:
    from collections.abc import Callable

    from nightly_spindle.core.station.settings import StationSettings
    from nightly_spindle.desk.kit.engine_link import EngineLink
    from nightly_spindle.desk.kit.library_worker import LibraryWorker
    from nightly_spindle.desk.kit.theme import Palette
    from nightly_spindle.desk.logs.log_page import LogPage
    from nightly_spindle.desk.logs.log_sources_page import LogSourcesPage
    from nightly_spindle.store.reports.log_boards import Board

_PAGES = {
    "Board": "Which logs are there, which are still to come",
    "Drops": "Where logs arrive, what they are called, when they load",
}
_DAYS = 7
_LOOK_MS = 5000
_SOON_US = 36 * 3600 * US  # what is wrong so soon is told at the top


_WORDS = {LogState.OVERDUE: "is not here yet", LogState.MISSED: "did not come"}


class LogsPlace(Place):
    """`now_us` gives the station's present instant: the engine's while it runs."""

    def __init__(
        self,
        shelf: LibraryWorker,
        link: EngineLink,
        settings: StationSettings,
        palette: Palette,
        now_us: Callable[[], int],
    ) -> None:
        super().__init__()
        self.setObjectName("place")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._shelf, self._link, self._settings = shelf, link, settings
        self.undo = QUndoStack(self)
        self.reading = BoardReading(shelf.folder, self, LogBoard, now_us)
        self.board: Board | None = None
        self.asking: Any = None
        self.view = LogBoardView(palette)
        self.details = LogDetails(settings)
        self._palette = palette
        self._page: LogPage | None = None
        self._drops: LogSourcesPage | None = None
        self.worst, self.note = ElidedLabel(), NoteLabel()
        self.worst.setProperty("role", "name")
        self._timer = QTimer(self)
        self._timer.setInterval(_LOOK_MS)
        self._timer.timeout.connect(self.refresh)
        self._lay_out()
        self._connect()

    def _lay_out(self) -> None:
        self.stage = QStackedWidget()
        scroll = QScrollArea()
        scroll.setFrameShape(QFrame.Shape.NoFrame)
        scroll.setWidgetResizable(True)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        scroll.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        scroll.setWidget(self.view)
        self.scroller = scroll
        first = QWidget()
        row = QHBoxLayout(first)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(6)
        left = QVBoxLayout()
        left.setContentsMargins(14, 0, 0, 0)
        left.setSpacing(6)
        left.addWidget(self.worst)
        left.addWidget(scroll, 1)
        row.addLayout(left, 1)
        row.addWidget(self.details)
        self.stage.addWidget(first)
        self._tabs = Tabs(_PAGES)
        self._tabs.chosen.connect(self.show_page)
        self.tabs = self._tabs.buttons
        bar = QHBoxLayout()
        bar.setContentsMargins(12, 8, 12, 0)
        bar.setSpacing(4)
        bar.addWidget(self._tabs)
        bar.addSpacing(16)
        bar.addWidget(self.note, 1)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(8)
        box.addLayout(bar)
        box.addWidget(self.stage, 1)
        self._tabs.show_page("Board")

    def _connect(self) -> None:
        self.view.picked.connect(self._on_picked)
        self.view.opened.connect(self.open_log)
        self.details.open_asked.connect(self.open_log)
        self.details.load_asked.connect(self.load)
        self.details.file_asked.connect(self._ask_file)
        self.details.near_asked.connect(
            lambda log, name: self.load(log, file=f"{log.drop.folder}/{name}")
        )
        self.reading.shelf.failed.connect(self.say)
        self._shelf.changed.connect(self._on_changed)
        self._shelf.failed.connect(self.say)

    @property
    def page(self) -> LogPage:
        """The opened log, made when the first one is opened: the desk opens sooner."""
        if self._page is None:
            from nightly_spindle.desk.logs.log_page import LogPage

            self._page = LogPage(self._shelf, self.reading, self.undo, self._palette)
            self._page.load_asked.connect(self._ask_load)
            self._page.closed.connect(lambda: self.show_page("Board"))
            self._page.said.connect(self.say)
            leave = QShortcut(QKeySequence(Qt.Key.Key_Escape), self._page)
            leave.setContext(Qt.ShortcutContext.WidgetWithChildrenShortcut)
            leave.activated.connect(self._page.closed)
            self.stage.addWidget(self._page)
        return self._page

    @property
    def drops(self) -> LogSourcesPage:
        """The log drops, made when they are first looked at."""
        if self._drops is None:
            from nightly_spindle.desk.logs.log_sources_page import LogSourcesPage

            self._drops = LogSourcesPage(self._shelf, self.reading, self.undo, self._settings)
            self._drops.said.connect(self.say)
            self.stage.addWidget(self._drops)
            if self.board is not None:
                self._drops.show_board(self.board)
        return self._drops

    def set_palette(self, palette: Palette) -> None:
        """Paint in other colours."""
        self._palette = self.view.palette_ = palette
        if self._page is not None:
            self._page.set_palette(palette)
        self.view.update()

    # -- showing -----------------------------------------------------------------------------------

    def open(self) -> None:
        """Look at the logs, and go on looking."""
        self._timer.start()
        self.refresh()
        self.view.setFocus()

    def close_down(self) -> None:
        """Finish what is under way."""
        self._timer.stop()
        self.note.stop()
        self.reading.close()

    def say(self, sentence: str) -> None:
        """Say something at the top, for a while."""
        self.note.say(sentence)

    def refresh(self) -> None:
        """Read the board again, where it can be seen."""
        if self.isVisible():
            self.reading.look(lambda b, now: b.board(now, _DAYS), self._show, "board", news=True)

    def _on_changed(self) -> None:
        self.refresh()
        if self._page is not None and self.stage.currentWidget() is self._page:
            self._page.refresh()

    def _show(self, board: Board) -> None:
        drops_changed = self.board is None or self.board.drops != board.drops
        self.board = board
        self.view.show_board(board)
        self._on_picked(self.view.chosen())
        self._show_worst(board)
        if drops_changed and self._drops is not None:
            self._drops.show_board(board)

    def _show_worst(self, board: Board) -> None:
        """Say the gravest thing of the coming day and a half in one line."""
        soon = [
            log
            for log in board.logs
            if log.slot.end_us > board.now_us and log.slot.start_us < board.now_us + _SOON_US
        ]
        alarms = [log for log in soon if log.state in ALARMS]
        gaps = [log for log in soon if log.state in WARNINGS]
        if alarms:
            more = f"  ({len(alarms) - 1} more)" if len(alarms) > 1 else ""
            text = f"{alarms[0].slot.text}: {_brief(alarms[0])}{more}"
        elif gaps:
            lost = sum(log.lost for log in gaps)
            logs = "the coming log" if len(gaps) == 1 else f"{len(gaps)} coming logs"
            text = f"{counted(lost, 'line')} of {logs} cannot air yet: open it and settle that."
        elif not board.drops:
            text = "There is no log drop yet. “Drops” is where to say where logs arrive."
        else:
            here = sum(log.reading.usable for log in soon)
            text = (
                f"{here} of the {len(soon)} logs of the coming day and a half are here and whole."
            )
        self.worst.setText(text)
        self.worst.setToolTip(text)
        self.worst.setProperty("role", "worst" if alarms else "name")
        self.worst.style().unpolish(self.worst)
        self.worst.style().polish(self.worst)

    def _on_picked(self, log: BoardLog | None) -> None:
        self.details.show_log(log, on_air=self._link.on_air)
        if log is not None:
            box = self.view.tile_of(log.drop.id, log.slot.key)
            if box is not None and self.view.hasFocus():
                self.scroller.ensureVisible(
                    round(box.center().x()), round(box.center().y()), 40, 60
                )

    def show_page(self, name: str) -> None:
        """Show the board or the drops."""
        self._tabs.show_page(name)
        if name == "Board":
            self.stage.setCurrentIndex(0)
        else:
            self.stage.setCurrentWidget(self.drops)
        self.refresh()
        if name == "Board":
            self.view.setFocus()

    def open_log(self, log: BoardLog) -> None:
        """Open a log line by line."""
        if log is None or not log.reading.matches:
            self.say("There is nothing to open: the log is not there, or names nothing.")
            return
        for tab in self.tabs.values():
            tab.setChecked(False)
        self.stage.setCurrentWidget(self.page)
        self.page.open(log)

    # -- loading by hand ---------------------------------------------------------------------------

    def load(self, log: BoardLog, *, file: str = "", at_us: int | None = None) -> None:
        """Have the engine load a log now; one that takes its place loads at its time."""
        soonest = max(log.slot.start_us, self.reading.now_us()) if file else 0
        when = soonest if at_us is None else at_us

        def then(answer: LoadTaken) -> None:
            told = "at its time" if when > self.reading.now_us() + US else "now"
            self.say(
                f"{answer.file} loads {told}: {answer.matched} lines, {answer.lost} not found."
            )
            self.refresh()

        self._link.ask(Load(log.drop.id, file, log.slot.start_us, when, str(Entry.NEXT), ""), then)

    def _ask_load(self, log: BoardLog) -> None:
        """Ask before a log goes into the running order out of its time."""
        box = QMessageBox(self)
        box.setWindowTitle("Load the log")
        box.setText(f"Load {log.reading.file} now?")
        box.setInformativeText(
            f"{log.found} lines go into the running order after the item on air, as “"
            f"{log.drop.name}” says. What an earlier log left over may be dropped."
        )
        now = box.addButton("Load it now", QMessageBox.ButtonRole.AcceptRole)
        later = None
        if log.slot.start_us > self.reading.now_us():
            later = box.addButton("At its time", QMessageBox.ButtonRole.ActionRole)
        box.addButton("Leave it", QMessageBox.ButtonRole.RejectRole)

        def done() -> None:
            if box.clickedButton() is now:
                self.load(log)
            elif later is not None and box.clickedButton() is later:
                self.load(log, at_us=log.slot.start_us)

        box.finished.connect(lambda _: done())
        self.asking = box
        box.open()

    def _ask_file(self, log: BoardLog) -> None:
        path, _ = QFileDialog.getOpenFileName(self, "A log to load instead", log.drop.folder)
        if path:
            self.load(log, file=path)


def _brief(log: BoardLog) -> str:
    """Return what is wrong with a log in a few words."""
    close = log.reading.close
    near = f"; {close.name} is close" if close else ""
    return f"{log.reading.file} {_WORDS.get(log.state, str(log.state))}{near}"
