"""The place Air: what is on and what follows."""

from __future__ import annotations

from bisect import bisect_right
from typing import TYPE_CHECKING

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QUndoStack
from PySide6.QtWidgets import (
    QHBoxLayout,
    QLabel,
    QSizePolicy,
    QSplitter,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from nightly_spindle.desk.kit.place import Place
from nightly_spindle.desk.kit.running_order_undo import AddLine, MoveLine, RemoveLines
from nightly_spindle.desk.kit.theme import Palette
from nightly_spindle.desk.kit.tool_buttons import paint_tools, tool_buttons
from nightly_spindle.desk.library.item_finder import ItemFinder
from nightly_spindle.desk.playout.first_steps_view import FirstStepsView
from nightly_spindle.desk.playout.line_details import LineDetails
from nightly_spindle.desk.playout.on_air_header import OnAirHeader
from nightly_spindle.desk.playout.running_order_table import RunningOrderTable
from nightly_spindle.desk.timeline.timeline import Timeline

if TYPE_CHECKING:
    from collections.abc import Sequence

    from nightly_spindle.air.messages import EngineStatus
    from nightly_spindle.core.reports.timeline import Block, Mark
    from nightly_spindle.desk.kit.engine_link import EngineLink
    from nightly_spindle.desk.kit.library_worker import LibraryWorker
    from nightly_spindle.desk.kit.planning_process import NightPlan
    from nightly_spindle.desk.segues.segue_editor import SegueEditor
    from nightly_spindle.store.reports.first_steps import FirstStep

_TOOLS = (
    ("add", "plus", "Add", "Put an item in before the chosen line (Ctrl+N)"),
    ("remove", "trash-2", "Remove", "Remove the chosen lines (Delete)"),
    ("undo", "undo-2", "Undo", "Undo the last edit (Ctrl+Z)"),
    ("redo", "redo-2", "Redo", "Redo what was undone (Ctrl+Shift+Z)"),
    ("out", "zoom-out", "", "Show more of the night (-)"),
    ("in", "zoom-in", "", "Show less of the night, closer (+)"),
    ("now", "crosshair", "Now", "Back to what is on air (Home)"),
)


class AirPlace(Place):
    """Header, night line, running order, and the details beside them.

    Signals: `hand` (str), an order for the engine; `said` (str), a sentence for the foot.
    """

    hand = Signal(str)
    said = Signal(str)

    def __init__(self, shelf: LibraryWorker, link: EngineLink, palette: Palette) -> None:
        super().__init__()
        self.setObjectName("place")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._link = link
        self._palette = palette
        self.planned: NightPlan | None = None
        self._starts: list[int] = []
        self._now_us = 0
        self._shown = -1
        self.undo = QUndoStack(self)
        self.header = OnAirHeader(palette)
        self.night = Timeline(palette)
        self.table = RunningOrderTable(palette)
        self.details = LineDetails(palette)
        self.first = FirstStepsView()
        self._passed = False
        self.add = ItemFinder(shelf)
        self._shelf = shelf
        self._segue: SegueEditor | None = None
        self.note = QLabel("")
        self.note.setProperty("role", "muted")
        # a long sentence must not widen the window; its tool tip has all of it
        self.note.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        self.note.setWordWrap(True)
        self._lay_out()
        self._connect()

    def _lay_out(self) -> None:
        lower = QWidget()
        under = QVBoxLayout(lower)
        under.setContentsMargins(0, 0, 0, 0)
        under.setSpacing(4)
        under.addLayout(self._tool_row())
        under.addWidget(self.table, 1)
        split = QSplitter(Qt.Orientation.Vertical)
        split.setChildrenCollapsible(False)
        split.addWidget(self.night)
        split.addWidget(lower)
        split.setStretchFactor(1, 1)
        split.setSizes([160, 400])
        left = QVBoxLayout()
        left.setContentsMargins(16, 10, 12, 6)
        left.setSpacing(6)
        left.addWidget(self.header)
        self.stage = QStackedWidget()
        self.stage.addWidget(split)
        self.stage.addWidget(self.first)
        left.addWidget(self.stage, 1)
        self.beside = QStackedWidget()
        self.beside.setFixedWidth(300)
        self.beside.addWidget(self.details)
        self.beside.addWidget(self.add)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(0)
        row.addLayout(left, 1)
        row.addWidget(self.beside)

    def _tool_row(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(4)
        self.tools = tool_buttons(_TOOLS, self._palette)
        for name, button in self.tools.items():
            if name == "out":
                row.addWidget(self.note, 1)
            row.addWidget(button)
        return row

    def _connect(self) -> None:
        self.header.asked.connect(self.hand)
        self.night.picked.connect(self.pick)
        self.table.picked.connect(self.pick)
        self.table.move_asked.connect(self.move_line)
        self.table.removed.connect(self.remove_lines)
        self.table.items_dropped.connect(lambda carts, at: self.add_items(carts, at or 0))
        self.table.shifted.connect(self.step_line)
        self.details.step_asked.connect(self.step_line)
        self.details.remove_asked.connect(self.remove_lines)
        self.details.segue_asked.connect(self.edit_segue)
        self.add.add_asked.connect(self._add)
        self.add.closed.connect(self.close_add)
        self.first.passed.connect(self._pass_first)
        tools = self.tools
        tools["add"].clicked.connect(self.open_add)
        tools["remove"].clicked.connect(lambda: self.remove_lines(self.table.chosen()))
        tools["undo"].clicked.connect(self.undo.undo)
        tools["redo"].clicked.connect(self.undo.redo)
        tools["out"].clicked.connect(lambda: self.night.zoom(2.0))
        tools["in"].clicked.connect(lambda: self.night.zoom(0.5))
        tools["now"].clicked.connect(self.night.go_to_now)
        self.undo.canUndoChanged.connect(tools["undo"].setEnabled)
        self.undo.canRedoChanged.connect(tools["redo"].setEnabled)
        tools["undo"].setEnabled(False)
        tools["redo"].setEnabled(False)

    def set_palette(self, palette: Palette) -> None:
        """Paint in other colours."""
        self._palette = palette
        self.header.set_palette(palette)
        self.night.set_palette(palette)
        self.table.set_palette(palette)
        self.details.join.palette_ = palette
        if self._segue is not None:
            self._segue.set_palette(palette)
        paint_tools(self.tools, _TOOLS, palette)
        self.update()

    # -- what is shown -----------------------------------------------------------------------

    def show_plan(self, planned: NightPlan) -> None:
        """Show a new plan."""
        self.planned = planned
        blocks = planned.night.blocks
        self._starts = [block.start_us for block in blocks]
        marked = {mark.line_id for mark in planned.night.counting() if mark.line_id}
        self.night.show_plan(planned)
        pins = [pin.at_us - 1000 for pin in planned.night.pins]
        self.table.show_blocks(blocks, marked, pins, planned.settings.tz)
        self._shown = -1
        chosen = self.table.chosen()
        if chosen:
            self.details.show_line(planned, chosen[0])
        for name in ("add", "remove"):
            self.tools[name].setEnabled(planned.live)
        if self._segue is not None and self.stage.currentWidget() is self._segue:
            self._segue.show_plan(planned)
        self._follow()

    def show_first(self, steps: Sequence[FirstStep]) -> None:
        """Show what the station still needs, where there would be an empty night else."""
        lacking = not all(one.done for one in steps) and not self._passed
        self.first.show_steps(steps)
        if lacking and self.stage.currentIndex() == 0:
            self.stage.setCurrentWidget(self.first)
        elif not lacking and self.stage.currentWidget() is self.first:
            self.stage.setCurrentIndex(0)

    def _pass_first(self) -> None:
        self._passed = True
        self.stage.setCurrentIndex(0)

    def set_now(self, now_us: int) -> None:
        """Move the present instant."""
        self._now_us = now_us
        self._follow()

    def take(self, sight: EngineStatus) -> None:
        """Follow the engine."""
        self.set_now(sight.now_us)
        self.header.take(sight)

    def on_air(self) -> tuple[Block | None, int]:
        """Return the block that sounds now, and when the next one starts (µs)."""
        if self.planned is None or not self._link.on_air or not self._starts:
            return None, 0
        blocks = self.planned.night.blocks
        at = max(0, bisect_right(self._starts, self._now_us) - 1)
        after = blocks[at + 1].start_us if at + 1 < len(blocks) else blocks[at].end_us
        return blocks[at], after

    def _follow(self) -> None:
        block, after = self.on_air()
        line = block.line_id if block is not None else 0
        self.night.set_now(self._now_us, line)
        self.table.set_on_air(line)
        if block is not None and self.planned is not None and self._shown != line:
            self._shown = line
            self.header.show_item(block, self.planned.waves.get(block.cart, b""), after)

    def show_finding(self, mark: Mark, number: int, count: int) -> None:
        """Show a finding: at its line where it has one, in the details in any case."""
        assert self.planned is not None
        self.beside.setCurrentWidget(self.details)
        self.table.clearSelection()
        self.details.show_finding(mark, number, count, self.planned.settings.tz)
        self.night.show_instant(mark.at_us)
        if self.table.cells.seen_at(mark.line_id) >= 0:
            self.pick(mark.line_id)

    def forget_item(self) -> None:
        """What the header shows is no longer on air."""
        self._shown = -1

    # -- edits ---------------------------------------------------------------------------------

    def pick(self, line_id: int) -> None:
        """Choose a line everywhere."""
        if self.planned is None:
            return
        if self.table.chosen()[:1] != [line_id] and len(self.table.chosen()) < 2:
            self.table.choose(line_id, scroll=True)
        self.night.select(line_id)
        self.details.show_line(self.planned, line_id)
        self.add.where.setText(self._where())

    def move_line(self, line_id: int, before: int) -> None:
        """Move a line before another, undoably."""
        block = self._movable(line_id)
        if block is not None:
            self.undo.push(MoveLine(self._link, block.title, line_id, before))

    def step_line(self, line_id: int, by: int) -> None:
        """Move a line one up or down."""
        block = self._movable(line_id)
        if block is None or self.planned is None:
            return
        order = [b.line_id for b in self.planned.night.blocks if b.movable]
        at = order.index(line_id)
        if not 0 <= at + by < len(order):
            self.said.emit("It cannot move further: the lines there are not lined up yet.")
            return
        target = at + (2 if by > 0 else -1)
        self.move_line(line_id, order[target] if target < len(order) else 0)

    def remove_lines(self, lines: list[int]) -> None:
        """Take lines out, undoably."""
        movable = [line for line in lines if self._movable(line) is not None]
        if movable:
            self.undo.push(RemoveLines(self._link, movable))

    def _movable(self, line_id: int) -> Block | None:
        if self.planned is None:
            return None
        found = (b for b in self.planned.night.blocks if b.line_id == line_id)
        block = next(found, None)
        if block is None or not block.movable or not self._link.on_air:
            self.said.emit(
                "Only lines that are lined up can be changed: not what is on air, what the "
                "safety net will choose, or what a later log brings."
            )
            return None
        return block

    @property
    def segue(self) -> SegueEditor:
        """The segue editor, made when it is first asked for: the desk opens sooner."""
        if self._segue is None:
            from nightly_spindle.desk.segues.segue_editor import SegueEditor

            self._segue = SegueEditor(self._shelf, self._link, self.undo, self._palette)
            self._segue.said.connect(self.said)
            self._segue.closed.connect(self.close_segue)
            self.stage.addWidget(self._segue)
            self.beside.addWidget(self._segue.panel)
        return self._segue

    def close_down(self) -> None:
        """End what runs beside."""
        if self._segue is not None:
            self._segue.close_down()

    def edit_segue(self, line_id: int = 0) -> None:
        """Open the segue editor on the join into a line: the one given, the chosen, the next."""
        if self.planned is None:
            return
        block, _ = self.on_air()
        blocks = self.planned.night.blocks
        after = [b.line_id for b in blocks if block is None or b.start_us > block.start_us]
        wanted = line_id or next(iter([*self.table.chosen(), *after[:1]]), 0)
        if self.segue.open(self.planned, wanted):
            self.stage.setCurrentWidget(self.segue)
            self.beside.setCurrentWidget(self.segue.panel)
            self.segue.setFocus()

    def close_segue(self) -> None:
        """Back to the running order."""
        self.stage.setCurrentIndex(0)
        self.beside.setCurrentWidget(self.details)
        self.table.setFocus()

    def open_add(self) -> None:
        """Open the search beside the list."""
        self.beside.setCurrentWidget(self.add)
        self.add.open(self._where())

    def close_add(self) -> None:
        """Back to the details."""
        self.beside.setCurrentWidget(self.details)
        self.table.setFocus()

    def _target(self) -> Block | None:
        """Return the block that an added item goes before: the chosen one, else the next."""
        if self.planned is None:
            return None
        chosen = set(self.table.chosen())
        movable = [b for b in self.planned.night.blocks if b.movable]
        return next((b for b in movable if b.line_id in chosen), movable[0] if movable else None)

    def _where(self) -> str:
        target = self._target()
        return f"It goes before “{target.title}”." if target else "It goes to the end."

    def add_items(self, carts: list[int], before: int | None = None) -> None:
        """Put items in before a line (None: the chosen one, else the next), undoably."""
        if not self._link.on_air:
            self.said.emit("The engine is off: go on air first, then add to the running order.")
            return
        target = self._target()
        place = before if before is not None else (target.line_id if target else 0)
        self.undo.beginMacro(f"add {len(carts)} items")
        for cart in carts:
            self.undo.push(AddLine(self._link, f"cart {cart}", cart, place))
        self.undo.endMacro()
        self.said.emit(f"{len(carts)} added to the running order. {self._where()}")

    def _add(self, cart: int, title: str) -> None:
        target = self._target()
        self.undo.push(AddLine(self._link, title, cart, target.line_id if target else 0))
        self.said.emit(f"“{title}” is added. {self._where()}")
