"""An opened log: its lines beside what they became, settling what is missing, predicted times."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import Signal
from PySide6.QtWidgets import (
    QFileDialog,
    QHBoxLayout,
    QLabel,
    QSizePolicy,
    QStackedWidget,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from nightly_spindle.core.base.plain_files import replace_file
from nightly_spindle.core.base.timebase import length
from nightly_spindle.core.library.intake import FileFate, IntakeOptions
from nightly_spindle.core.logs.log_edits import LogEdit, Op, next_key
from nightly_spindle.core.logs.log_matching import settle_key
from nightly_spindle.core.logs.log_reading import LogFormat
from nightly_spindle.core.logs.log_writers import SUFFIX, write_log
from nightly_spindle.core.reports.log_status import BoardLog, LogState
from nightly_spindle.desk.kit.buttons import push_button
from nightly_spindle.desk.kit.labels import ElidedLabel
from nightly_spindle.desk.kit.library_worker import LibraryEdit, LibraryWorker
from nightly_spindle.desk.library.item_finder import ItemFinder
from nightly_spindle.desk.logs.log_line_panel import LogLinePanel
from nightly_spindle.desk.logs.log_table import LogTable, needs_settling
from nightly_spindle.store.base.transaction import LibraryTransaction
from nightly_spindle.store.logs.log_export import export_entries
from nightly_spindle.store.station import editors

if TYPE_CHECKING:
    from PySide6.QtGui import QUndoStack

    from nightly_spindle.core.station.log_forecast import Forecast
    from nightly_spindle.desk.kit.board_reading import BoardReading
    from nightly_spindle.desk.kit.theme import Palette
    from nightly_spindle.store.reports.log_boards import LogBoard, Lookalikes, OpenedLog

_OVER = frozenset({LogState.LOADED, LogState.AIRED})


class LogPage(QWidget):
    """One opened log. Signals: `said` (str), `closed`, `load_asked` (BoardLog)."""

    said = Signal(str)
    closed = Signal()
    load_asked = Signal(object)

    def __init__(
        self,
        shelf: LibraryWorker,
        reading: BoardReading[LogBoard],
        undo: QUndoStack,
        palette: Palette,
    ) -> None:
        super().__init__()
        self._shelf, self._reading, self._undo = shelf, reading, undo
        self.opened: OpenedLog | None = None
        self.lookalikes: Lookalikes | None = None
        self._edits: list[LogEdit] = []
        self._putting_in = False
        self.title, self.facts, self.change = ElidedLabel(), QLabel(""), QLabel("")
        self.title.setProperty("role", "name")
        self.change.setProperty("role", "warn")
        for label in (self.title, self.facts, self.change):
            label.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        self.table = LogTable(palette)
        self.panel = LogLinePanel()
        self.finder = ItemFinder(shelf, "Choose an item")
        self.finder.setFixedWidth(322)
        self.beside = QStackedWidget()
        self.beside.setFixedWidth(322)
        self.beside.addWidget(self.panel)
        self.beside.addWidget(self.finder)
        self.only = QToolButton()
        self._lay_out()
        self._connect()

    def _lay_out(self) -> None:
        back = push_button("← Board", "Back to the board (Esc)", self.closed.emit)
        self.undo, self.redo = (
            push_button("Undo", "Undo (Ctrl+Z)", self._undo.undo),
            push_button("Redo", "Redo (Ctrl+Shift+Z)", self._undo.redo),
        )
        self.only.setText("Unresolved only")
        self.only.setCheckable(True)
        self.only.setToolTip("Show only the lines that cannot air yet")
        self.next = push_button(
            "Next unresolved", "Go to the next line that cannot air (N)", self.table.next_open
        )
        self.load = push_button("Load …", "Put it into the running order now", self._ask_load)
        self.export = push_button(
            "Export …", "Write the log as it would air to a file", self._export
        )
        head = QHBoxLayout()
        head.setSpacing(6)
        head.addWidget(back)
        head.addWidget(self.title, 1)
        for button in (self.only, self.next, self.undo, self.redo, self.load, self.export):
            head.addWidget(button)
        left = QVBoxLayout()
        left.setContentsMargins(12, 0, 0, 8)
        left.setSpacing(6)
        left.addLayout(head)
        left.addWidget(self.facts)
        left.addWidget(self.change)
        left.addWidget(self.table, 1)
        whole = QHBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(10)
        whole.addLayout(left, 1)
        whole.addWidget(self.beside)

    def _connect(self) -> None:
        self.only.toggled.connect(self.table.show_only_open)
        self.table.line_picked.connect(self._on_picked)
        self.table.move_asked.connect(self.move_line)
        self.table.shifted.connect(self.step_line)
        self.table.removed.connect(self.drop_lines)
        self.table.items_dropped.connect(lambda carts, before: self.put_in(carts, before or ""))
        self.panel.settle_asked.connect(self.settle)
        self.panel.choose_asked.connect(lambda: self.open_find(putting_in=False))
        self.panel.insert_asked.connect(lambda: self.open_find(putting_in=True))
        self.panel.drop_asked.connect(lambda: self.drop_lines(self.table.chosen()))
        self.panel.category_asked.connect(self.from_category)
        self.panel.take_in_asked.connect(self.take_in)
        self.finder.add_asked.connect(self._on_found)
        self.finder.closed.connect(self._close_find)
        self._undo.canUndoChanged.connect(self.undo.setEnabled)
        self._undo.canRedoChanged.connect(self.redo.setEnabled)
        self.undo.setEnabled(False)
        self.redo.setEnabled(False)

    def set_palette(self, palette: Palette) -> None:
        """Paint in other colours."""
        self.table.set_palette(palette)

    # -- showing -----------------------------------------------------------------------------------

    def open(self, log: BoardLog) -> None:
        """Read a log and show it."""
        self.opened, self.lookalikes = None, None
        self.title.setText(f"{log.slot.text}, {log.drop.name}")
        self.title.setToolTip(self.title.text())
        self.facts.setText("Reading …")
        self.change.hide()
        self.beside.setCurrentWidget(self.panel)
        self._shelf.look(
            lambda c: [group.name for group in c.categories()],
            self.panel.set_categories,
            "log categories",
        )
        self._read(log)
        self.table.setFocus()

    def refresh(self) -> None:
        """Read the opened log again."""
        if self.opened is not None:
            self._read(self.opened.log)

    def _read(self, log: BoardLog) -> None:
        drop, slot = log.drop.id, log.slot
        self._reading.look(lambda b, now: b.opened(drop, slot, now), self._show, "opened")

    def _show(self, opened: OpenedLog | None) -> None:
        if opened is None:
            self.said.emit("The log drop of this log is gone.")
            self.closed.emit()
            return
        self.opened, self._edits = opened, list(opened.edits)
        log = opened.log
        self.title.setText(f"{log.slot.text}, {log.drop.name}")
        self.title.setToolTip(self.title.text())
        self.title.setToolTip(f"{log.drop.folder}/{log.reading.file}")
        self.facts.setText(_facts(opened))
        told = _warnings(opened)
        self.change.setText(told)
        self.change.setVisible(bool(told))
        self.table.show_lines(opened.lines, opened.settings.tz)
        self.load.setEnabled(log.reading.usable)
        self.export.setEnabled(log.reading.usable)
        if any(needs_settling(line) for line in opened.lines):
            self._reading.look(lambda b, _: b.lookalikes(opened), self._take_lookalikes, "alike")

    def _take_lookalikes(self, found: Lookalikes) -> None:
        self.lookalikes = found
        self._on_picked(self.table.current())

    @property
    def editable(self) -> bool:
        """Whether the log can still be changed: not once it is in the running order."""
        return self.opened is not None and self.opened.log.state not in _OVER

    def _on_picked(self, line: Forecast | None) -> None:
        self.panel.show_line(line, self.lookalikes, editable=self.editable)

    # -- edits -------------------------------------------------------------------------------------

    def _push(self, text: str, new: Sequence[LogEdit]) -> None:
        """Add edits to those of the log, undoably."""
        if self.opened is None or not new:
            return
        if not self.editable:
            self.said.emit("This log is in the running order already: change it at Air.")
            return
        drop, slot = self.opened.log.drop.id, self.opened.log.slot.key
        edits = self._edits = [*self._edits, *new]

        def do(library: LibraryTransaction) -> Any:
            return editors.set_log_edits(library, drop, slot, edits)

        def back(library: LibraryTransaction, before: Any) -> None:
            editors.set_log_edits(library, drop, slot, before)

        self._undo.push(LibraryEdit(self._shelf, text, do, back))

    def settle(self, cart: int, every: bool) -> None:
        """The chosen line means an item: here, or in every log."""
        line = self.table.current()
        if line is None:
            return
        if not every:
            self._push("settle a line", [LogEdit(Op.SETTLE, line.match.key, cart)])
            return
        wanted = {settle_key(line.match.line): cart}
        self._undo.push(
            LibraryEdit(
                self._shelf,
                "settle a line in every log",
                lambda library: editors.log_source_edits.settle(library, wanted),
                editors.settle_back,
            )
        )

    def drop_lines(self, keys: Sequence[str]) -> None:
        """Leave lines out."""
        self._push(f"drop {len(keys)} lines", [LogEdit(Op.DROP, key) for key in keys])

    def move_line(self, key: str, before: str) -> None:
        """Move a line before another ("": the end)."""
        if key != before:
            self._push("move a line", [LogEdit(Op.MOVE, key, before=before)])

    def step_line(self, key: str, by: int) -> None:
        """Move a line one up or down."""
        keys = [line.match.key for line in self.table.rows]
        at = keys.index(key)
        if 0 <= at + by < len(keys):
            place = at + (2 if by > 0 else -1)
            self.move_line(key, keys[place] if place < len(keys) else "")

    def put_in(self, carts: Sequence[int], before: str) -> None:
        """Put items in before a line."""
        new: list[LogEdit] = []
        for cart in carts:
            new.append(LogEdit(Op.INSERT, next_key([*self._edits, *new]), cart, before))
        self._push(f"put in {len(carts)} items", new)

    def from_category(self, name: str) -> None:
        """Replace the chosen line by the item of a category whose turn it is."""
        line, opened = self.table.current(), self.opened
        if line is None or opened is None:
            return
        key = line.match.key

        def then(found: Any) -> None:
            item, why = found
            if item is None:
                self.said.emit(f"The category “{name}” has nothing to offer: {why}.")
                return
            told = f"from the category {name}: {why}"
            self._push(f"take one from “{name}”", [LogEdit(Op.SETTLE, key, item.cart, why=told)])
            self.said.emit(f"{item.label} takes its place: {why}.")

        self._reading.look(lambda b, _: b.pick(opened, key, name), then)

    def take_in(self) -> None:
        """Have the intake take the chosen line's file in."""
        from nightly_spindle.store.library.intake_reading import Seen

        line, opened = self.table.current(), self.opened
        if line is None or opened is None or not line.match.file:
            return
        path = line.match.file
        kind = opened.log.drop.options.take_in_kind

        def do(library: LibraryTransaction) -> Any:
            stat = Path(path).stat()
            seen = Seen(path, stat.st_size, stat.st_mtime_ns)
            return editors.arrivals.queue(
                library, [seen], IntakeOptions(kind, source=FileFate.LEAVE)
            )

        self._shelf.edit(do, lambda _: self.said.emit(f"{Path(path).name} is being imported."))

    def open_find(self, *, putting_in: bool) -> None:
        """Open the search: to put an item in, or to say what a line means."""
        if not self.editable or self.table.current() is None:
            return
        self._putting_in = putting_in
        line = self.table.current()
        assert line is not None
        said = line.match.line.title or line.match.line.raw
        self.beside.setCurrentWidget(self.finder)
        self.finder.open(
            f"It goes before “{said}”." if putting_in else f"It takes “{said}”'s place."
        )

    def _on_found(self, cart: int, _title: str) -> None:
        line = self.table.current()
        if line is not None and self._putting_in:
            self.put_in([cart], line.match.key)
        elif line is not None:
            self.settle(cart, needs_settling(line) and self.panel.every.isChecked())
        self._close_find()

    def _close_find(self) -> None:
        self.beside.setCurrentWidget(self.panel)
        self.table.setFocus()

    # -- out ---------------------------------------------------------------------------------------

    def _ask_load(self) -> None:
        if self.opened is not None:
            self.load_asked.emit(self.opened.log)

    def _export(self) -> None:
        if self.opened is None:
            return
        reading = self.opened.log.reading
        name = f"{Path(reading.file).stem}{SUFFIX[LogFormat.M3U]}"
        kinds = "Logs (*.m3u8 *.m3u *.xspf *.pls *.csv *.txt)"
        path, _ = QFileDialog.getSaveFileName(self, "Export the log", name, kinds)
        if path:
            self.export_to(Path(path))

    def export_to(self, path: Path) -> None:
        """Write the log as it would air; the name's ending says how."""
        if self.opened is None:
            return
        opened = self.opened
        by_suffix = {suffix: form for form, suffix in SUFFIX.items()} | {".m3u": LogFormat.M3U}
        form = by_suffix.get(path.suffix.lower())
        if form is None:
            self.said.emit(f"{path.name}: the name must end in {', '.join(by_suffix)}.")
            return
        items = {line.item.cart: line.item for line in opened.lines if line.item is not None}

        def work(catalogue: Any) -> str:
            settings, segues = catalogue.rules()
            entries = export_entries(opened.log.reading, items, settings, segues)
            replace_file(path, write_log(entries, form, self.title.text()))
            return f"{len(entries)} lines are written to {path}."

        self._shelf.look(work, self.said.emit)


def _facts(opened: OpenedLog) -> str:
    log = opened.log
    if not log.reading.matches:
        return log.sentence()
    clashes = sum(bool(line.clash) for line in opened.lines)
    parts = [
        log.reading.file,
        f"{log.found} of {log.named} lines found",
        length(log.duration_s),
        log.fits(),
    ]
    breaks = sum(line.match.value for line in opened.lines if line.match.status == "break")
    if breaks:
        parts.append(f"{breaks:.0f} break spots")
    if clashes:
        parts.append(f"{clashes} repeats too soon")
    if opened.edits:
        parts.append(f"{len(opened.edits)} edits")
    if log.state in _OVER:
        parts.append(f"{log.state}: {log.loaded.note}" if log.loaded else str(log.state))
    return "   ·   ".join(parts)


def _warnings(opened: OpenedLog) -> str:
    reading = opened.log.reading
    said = []
    if reading.change is not None:
        said.append(f"The file changed: {reading.change.sentence()}.")
    if reading.unapplied:
        said.append(f"{len(reading.unapplied)} edits no longer apply: {reading.unapplied[0]}.")
    if reading.problem:
        said.append(f"{reading.problem[:1].upper()}{reading.problem[1:]}.")
    if reading.others:
        said.append(f"{', '.join(reading.others)} would fit too; {reading.file} is used.")
    return " ".join(said)
