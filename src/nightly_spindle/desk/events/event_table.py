"""The list of timed events."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QAbstractTableModel, QModelIndex, QSortFilterProxyModel, Qt, Signal
from PySide6.QtGui import QColor, QKeySequence
from PySide6.QtWidgets import QHeaderView, QTableView

from nightly_spindle.core.base.timebase import moment_from
from nightly_spindle.core.base.wording import part_of_day
from nightly_spindle.core.reports.event_week import does
from nightly_spindle.desk.kit.tables import Index, copy_rows, dress, sides

if TYPE_CHECKING:
    from zoneinfo import ZoneInfo

    from PySide6.QtGui import QKeyEvent

    from nightly_spindle.core.events.timed_events import TimedEvent
    from nightly_spindle.desk.kit.theme import Palette
    from nightly_spindle.store.reports.event_board import EventSheet

_HEADS = ("", "Name", "Next", "When", "Takes the air", "Does", "Finding")
_WIDTHS = (24, 142, 194, 180, 98, 60, 50)
_SIDES = sides(len(_HEADS), ())
_NEVER = 2**62
_SORT = Qt.ItemDataRole.UserRole


class EventModel(QAbstractTableModel):
    """A thin view of the events of a sheet."""

    def __init__(self, palette: Palette, tz: ZoneInfo) -> None:
        super().__init__()
        self.palette_, self._tz = palette, tz
        self.sheet: EventSheet | None = None
        self._wrong: dict[int, str] = {}

    def show_sheet(self, sheet: EventSheet) -> None:
        """Show other events."""
        same = self.sheet is not None and len(self.sheet.events) == len(sheet.events)
        self._wrong = {}
        for finding in sheet.findings:
            self._wrong.setdefault(finding.event_id, finding.text)
        if not same:
            self.beginResetModel()
        self.sheet = sheet
        if same:
            last = self.index(len(sheet.events) - 1, len(_HEADS) - 1)
            self.dataChanged.emit(self.index(0, 0), last)
        else:
            self.endResetModel()

    def event_at(self, row: int) -> TimedEvent:
        """Return the event of a row."""
        assert self.sheet is not None
        return self.sheet.events[row]

    def rowCount(self, parent: Index = QModelIndex()) -> int:  # noqa: B008 - Qt's signature
        """Return how many events there are."""
        return 0 if parent.isValid() or self.sheet is None else len(self.sheet.events)

    def columnCount(self, parent: Index = QModelIndex()) -> int:  # noqa: B008 - Qt's signature
        """Return how many columns there are."""
        return 0 if parent.isValid() else len(_HEADS)

    def headerData(
        self, section: int, way: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole
    ) -> Any:
        """Return the heads."""
        if way is Qt.Orientation.Horizontal and role == Qt.ItemDataRole.DisplayRole:
            return _HEADS[section]
        return None

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        """Return a cell."""
        event, column = self.event_at(index.row()), index.column()
        found: Callable[[], Any] | None = {
            int(Qt.ItemDataRole.DisplayRole): lambda: self.text(event, column),
            int(Qt.ItemDataRole.TextAlignmentRole): lambda: _SIDES[column],
            int(_SORT): lambda: (
                self._next(event) if column == 2 else self.text(event, column).casefold()
            ),
            int(Qt.ItemDataRole.ToolTipRole): lambda: self._tip(event),
            int(Qt.ItemDataRole.ForegroundRole): lambda: self._ink(event, column),
        }.get(int(role))
        return None if found is None else found()

    def _tip(self, event: TimedEvent) -> str:
        assert self.sheet is not None
        told = event.sentence(self.sheet.titles)
        wrong = self._wrong.get(event.id)
        return f"{wrong}\n{told}" if wrong else told

    def _ink(self, event: TimedEvent, column: int) -> QColor | None:
        if column == 6:
            return QColor(self.palette_.alarm)
        return None if event.enabled else QColor(self.palette_.muted)

    def _next(self, event: TimedEvent) -> int:
        assert self.sheet is not None
        return self.sheet.next_us.get(event.id, _NEVER) if event.enabled else _NEVER

    def text(self, event: TimedEvent, column: int) -> str:
        """Return a cell's text."""
        makers = (
            lambda: "●" if event.enabled else "○",
            lambda: event.name,
            lambda: self._next_words(event),
            event.rule.sentence,
            lambda: str(event.entry) if event.line_steps else "",
            lambda: str(does(event, self.sheet.runs_s.get(event.id, 0.0) if self.sheet else 0.0)),
            lambda: "!" if event.id in self._wrong else "",
        )
        return makers[column]()

    def _next_words(self, event: TimedEvent) -> str:
        at = self._next(event)
        if at == _NEVER:
            return "" if event.enabled else "switched off"
        moment = moment_from(at, self._tz)
        part = part_of_day(moment.hour)
        return f"{moment:%a} {moment.day} {moment:%b %H:%M}{f' {part}' if part else ''}"


class EventTable(QTableView):
    """Signals: `picked` (event id), `opened`, `switched` and `removed` (event id)."""

    picked = Signal(int)
    opened = Signal(int)
    switched = Signal(int)
    removed = Signal(int)

    def __init__(self, palette: Palette, tz: ZoneInfo) -> None:
        super().__init__()
        self.rows = EventModel(palette, tz)
        self._sorted = QSortFilterProxyModel()
        self._sorted.setSourceModel(self.rows)
        self._sorted.setSortRole(_SORT)
        self._sorted.setFilterKeyColumn(-1)
        self._sorted.setFilterCaseSensitivity(Qt.CaseSensitivity.CaseInsensitive)
        self.setModel(self._sorted)
        dress(self, "Timed events", _WIDTHS)
        self.setSortingEnabled(True)
        self.sortByColumn(2, Qt.SortOrder.AscendingOrder)
        self.horizontalHeader().setSectionResizeMode(3, QHeaderView.ResizeMode.Stretch)
        self.horizontalHeader().setSectionsMovable(True)
        self.horizontalHeader().setDefaultAlignment(
            Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
        )
        self.doubleClicked.connect(lambda index: self.opened.emit(self._id(index)))
        self.selectionModel().currentRowChanged.connect(self._on_row)

    def filter(self, words: str) -> None:
        """Show only events that have these words anywhere."""
        self._sorted.setFilterFixedString(words)

    def _id(self, index: Index) -> int:
        return self.rows.event_at(self._sorted.mapToSource(index).row()).id

    def _on_row(self, index: Index) -> None:
        if index.isValid():
            self.picked.emit(self._id(index))

    def choose(self, event_id: int) -> None:
        """Choose the row of an event without saying so."""
        for row in range(self._sorted.rowCount()):
            index = self._sorted.index(row, 1)
            if self._id(index) == event_id and self.currentIndex().row() != row:
                self.selectionModel().blockSignals(True)
                self.setCurrentIndex(index)
                self.selectRow(row)
                self.selectionModel().blockSignals(False)
                self.viewport().update()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Return edits, Space switches, Delete removes; Ctrl+C copies."""
        index = self.currentIndex()
        keys = {Qt.Key.Key_Return: self.opened, Qt.Key.Key_Enter: self.opened,
                Qt.Key.Key_Space: self.switched, Qt.Key.Key_Delete: self.removed}  # fmt: skip
        if event.matches(QKeySequence.StandardKey.Copy):
            copy_rows(self, lambda row, column: str(self._sorted.index(row, column).data() or ""))
        elif index.isValid() and event.key() in keys:
            keys[Qt.Key(event.key())].emit(self._id(index))
        else:
            super().keyPressEvent(event)
