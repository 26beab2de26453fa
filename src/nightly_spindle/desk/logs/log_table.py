"""An opened log line by line: what stands in the file beside what it became."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any
from zoneinfo import ZoneInfo

from PySide6.QtCore import Qt, Signal

from nightly_spindle.core.base.timebase import clock, length
from nightly_spindle.core.logs.log_matching import ITEM_LINES, MatchStatus
from nightly_spindle.core.station.log_forecast import Forecast
from nightly_spindle.desk.kit.line_view import LineView
from nightly_spindle.desk.kit.table_layout import NEEDS_YOU, Column, TableLayout

if TYPE_CHECKING:
    from collections.abc import Callable, Sequence

    from PySide6.QtGui import QKeyEvent

    from nightly_spindle.desk.kit.table_layout import Ink
    from nightly_spindle.desk.kit.theme import Palette

_MIME = "application/x-nightly-spindle-log-line"


def needs_settling(line: Forecast) -> bool:
    """Whether a line should air but cannot."""
    return line.match.status in ITEM_LINES and line.match.status is not MatchStatus.MATCHED


def what_it_is(line: Forecast) -> str:
    """Return what a line became, in a few words."""
    match, item = line.match, line.item
    if item is not None:
        return item.label
    if match.status is MatchStatus.BREAK:
        return f"break of {match.value:.0f} {'spot' if match.value == 1 else 'spots'}"
    if match.status is MatchStatus.MARK:
        if line.off_s is None:
            return "timed mark"
        off = "on time" if abs(line.off_s) < 1 else length(abs(line.off_s))
        way = "" if abs(line.off_s) < 1 else " late" if line.off_s > 0 else " early"
        at = f"{int(match.value) // 3600:02}:{int(match.value) // 60 % 60:02}"
        return f"timed mark {at}, met {off}{way}"
    if match.status in ITEM_LINES:
        named = match.line.label or match.line.title
        return f"{match.status}: {named or match.how}"
    return str(match.status)


def told(line: Forecast) -> str:
    """Return all that is known of a line."""
    clash = f"\nToo soon: {line.clash}." if line.clash else ""
    return f"{line.match.line.raw}\n{what_it_is(line)}. {line.match.how}.{clash}"


def _sign(line: Forecast) -> str:
    return NEEDS_YOU if needs_settling(line) else str(line.item.kind) if line.item else ""


def _quiet(line: Forecast) -> Ink:
    return "muted" if line.item is None else "text"


def _open(otherwise: Callable[[Forecast], Ink]) -> Callable[[Forecast], Ink]:
    return lambda line: "alarm" if needs_settling(line) else otherwise(line)


class LogTable(LineView[Forecast]):
    """The lines of a log, by their keys. Ctrl+Up/Down and dragging move, Delete drops.

    Signals besides: `line_picked` (Forecast or None), `move_asked` (key, before key; "" for the
    end).
    """

    line_picked = Signal(object)
    move_asked = Signal(str, str)

    def __init__(self, palette: Palette) -> None:
        self.tz = ZoneInfo("UTC")
        super().__init__(
            self._described(),
            palette,
            _MIME,
            movable=lambda _line: True,
            told=lambda line: line.match.line.raw,
        )
        self.lines_dropped.connect(lambda keys, before: self.move_asked.emit(keys[0], before or ""))
        self.selectionModel().currentRowChanged.connect(
            lambda *_: self.line_picked.emit(self.current())
        )

    def _described(self) -> TableLayout[Forecast]:
        columns: tuple[Column[Forecast], ...] = (
            Column("Line", 42, lambda f: str(f.match.line.number or "+"), right=True, ink="muted"),
            Column(
                "At",
                74,
                lambda f: "" if f.at_us is None else clock(f.at_us, self.tz),
                right=True,
                ink=_quiet,
            ),
            Column(
                "Length",
                54,
                lambda f: length(f.length_s) if f.item is not None else "",
                right=True,
                ink=_quiet,
            ),
            # the end of a path is its file name
            Column(
                "In the log",
                220,
                lambda f: f.match.line.raw,
                keeps_end=True,
                ink=_open(lambda _f: "muted"),
            ),
            Column(
                "What it is",
                240,
                what_it_is,
                wide=True,
                ink=_open(_quiet),
                sign=_sign,
                mark=lambda f: "ring" if f.clash else "",
            ),
            Column(
                "Found by",
                136,
                ink="muted",
                text=lambda f: f.match.how if f.match.status is MatchStatus.MATCHED else "",
            ),
        )
        return TableLayout(
            "Lines of the log", columns, told, key=lambda f: f.match.key, sortable=False
        )

    def show_lines(self, lines: Sequence[Forecast], tz: ZoneInfo) -> None:
        """Show other lines, keeping the choice and the place; the first is chosen if none was."""
        self.tz = tz
        self._keep_one(lambda: self.show_rows(lines))

    def show_only_open(self, only: bool) -> None:
        """Show all lines, or only those that need settling."""
        self._keep_one(lambda: self.let_through(needs_settling if only else None))

    def _keep_one(self, change: Callable[[], None]) -> None:
        at = self.currentIndex().row()
        change()
        if self.current() is None and self.cells.rowCount():
            self.choose(self.cells.key(min(max(0, at), self.cells.rowCount() - 1)))
        else:
            self.line_picked.emit(self.current())

    def choose(self, key: Any, *, scroll: bool = False) -> None:
        """Choose a line, and say so."""
        super().choose(key, scroll=scroll)
        self.line_picked.emit(self.current())

    def next_open(self) -> None:
        """Go to the next line that needs settling."""
        seen, begin = self.cells.rowCount(), self.currentIndex().row() + 1
        for at in (*range(begin, seen), *range(begin)):
            line = self.cells.row(at)
            if line is not None and needs_settling(line):
                self.selectRow(at)
                self.scrollTo(self.cells.index(at, 0))
                return

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Go on to the next open line; other keys as in all tables."""
        ctrl = bool(event.modifiers() & Qt.KeyboardModifier.ControlModifier)
        if event.key() == Qt.Key.Key_N and not ctrl:
            self.next_open()
        else:
            super().keyPressEvent(event)
