"""The segue editor: one join of the coming hours, seen, heard and changed."""

from __future__ import annotations

import time
from collections.abc import Callable
from itertools import pairwise
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtWidgets import QHBoxLayout, QLabel, QSizePolicy, QVBoxLayout, QWidget

from nightly_spindle.audio import peaks
from nightly_spindle.core.base.errors import InputFault
from nightly_spindle.core.base.timebase import moment_from
from nightly_spindle.core.reports.timeline import cut_short
from nightly_spindle.desk.kit.desk_ear import JOIN, DeskEar
from nightly_spindle.desk.kit.library_worker import LibraryEdit, LibraryWorker
from nightly_spindle.desk.kit.running_order_undo import SetJoin
from nightly_spindle.desk.kit.theme import Palette
from nightly_spindle.desk.kit.tool_buttons import paint_tools, tool_buttons
from nightly_spindle.desk.markers.marker_wave import Sound
from nightly_spindle.desk.segues.join_lanes import JoinLanes
from nightly_spindle.desk.segues.join_panel import JoinPanel
from nightly_spindle.desk.waves.join_session import JoinSession, Meeting
from nightly_spindle.store.station import editors

if TYPE_CHECKING:
    from PySide6.QtGui import QKeyEvent, QUndoStack

    from nightly_spindle.core.reports.timeline import Block
    from nightly_spindle.desk.kit.engine_link import EngineLink
    from nightly_spindle.desk.kit.planning_process import NightPlan
    from nightly_spindle.store.library.catalogue import Catalogue

_FRAME_MS = 16
_TOOLS = (
    ("back", "", "Back", "Back to the running order (Escape)"),
    ("previous", "arrow-left", "", "The join before (Page Up)"),
    ("next", "arrow-right", "", "The next join (Page Down)"),
    ("play", "headphones", "Listen", "Listen to the join alone, or stop (Space)"),
    ("out", "zoom-out", "", "Further (-)"),
    ("in", "zoom-in", "", "Closer (+)"),
)
_HINT = (
    "Drag the lower item, or move it by , and . (10 ms; Shift 1, Ctrl 100) · Space hears it · "
    "F2, F3, F5 keep it · F1 all keys"
)


class SegueEditor(QWidget):
    """Signals: `said` (str), `closed`. `panel` is to stand beside it."""

    said = Signal(str)
    closed = Signal()

    def __init__(
        self, shelf: LibraryWorker, link: EngineLink, undo: QUndoStack, palette: Palette
    ) -> None:
        super().__init__()
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self._shelf, self._link, self._undo = shelf, link, undo
        self._palette = palette
        self._sounds = LibraryWorker(shelf.folder, self)
        self.ear = DeskEar(self)
        self.lanes = JoinLanes(palette)
        self.panel = JoinPanel()
        self.title = QLabel("")
        self.title.setProperty("role", "name")
        self.session: JoinSession | None = None
        self._planned: NightPlan | None = None
        self._line_id = 0
        self._heard: tuple[float, float, float] | None = None
        self._frame = QTimer(self)
        self._frame.setInterval(_FRAME_MS)
        self._frame.timeout.connect(self._on_frame)
        self._lay_out()
        self._connect()

    def _lay_out(self) -> None:
        row = QHBoxLayout()
        row.setSpacing(5)
        self.tools = tool_buttons(_TOOLS, self._palette, takes_focus=False)
        for name, button in self.tools.items():
            if name == "play":
                row.addWidget(self.title, 1)
            row.addWidget(button)
        hint = QLabel(_HINT)
        hint.setProperty("role", "muted")
        hint.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(6)
        box.addLayout(row)
        box.addWidget(self.lanes, 1)
        box.addWidget(hint)

    def _connect(self) -> None:
        lanes, panel = self.lanes, self.panel
        lanes.start_moved.connect(lambda at: self._change(segue_s=at))
        lanes.fade_moved.connect(self._move_fade)
        lanes.fade_end_moved.connect(self._move_fade_end)
        lanes.fade_in_moved.connect(lambda long: self._change(fade_in_s=long))
        panel.changed.connect(lambda values: self._change(**values))
        panel.keep_asked.connect(self.keep)
        panel.reset_asked.connect(self.reset)
        panel.refused.connect(self.said)
        self.ear.at.connect(self._on_ear)
        self.ear.ended.connect(self._on_ended)
        self.ear.failed.connect(self.said)
        self._sounds.failed.connect(self.said)
        acts: dict[str, Callable[[], object]] = {
            "back": self.leave,
            "previous": lambda: self.step(-1),
            "next": lambda: self.step(1),
            "play": self.hear_or_stop,
            "out": lambda: lanes.zoom(1.6),
            "in": lambda: lanes.zoom(0.6),
        }
        for name, act in acts.items():
            self.tools[name].clicked.connect(lambda _=False, act=act: act())

    def set_palette(self, palette: Palette) -> None:
        """Paint in other colours."""
        self._palette = self.lanes.palette_ = palette
        paint_tools(self.tools, _TOOLS, palette)
        self.lanes.update()

    def close_down(self) -> None:
        """End what runs beside."""
        self.ear.close()
        self._sounds.close()

    # -- which join ----------------------------------------------------------------------------

    def open(self, planned: NightPlan, line_id: int) -> bool:
        """Show the join that leads into a line; False when there is none."""
        self._planned = planned
        pairs = self._pairs()
        if not any(into.line_id == line_id for _, into in pairs):
            self.said.emit(
                "That line does not start with a segue: there is nothing before it, or "
                "what is before it is cut."
            )
            return False
        self.ear.warm()
        self._line_id, self.session = line_id, None
        self._read()
        self.setFocus()
        return True

    def show_plan(self, planned: NightPlan) -> None:
        """Take a new plan; what is being changed stays."""
        self._planned = planned
        if self._line_id and (self.session is None or not self.session.changed):
            self._read()

    def _pairs(self) -> list[tuple[Block, Block]]:
        if self._planned is None:
            return []
        blocks = self._planned.night.blocks
        return [
            (one, other)
            for one, other in pairwise(blocks)
            if other.how and one.path and other.path and not cut_short(one)
        ]

    def _blocks(self) -> tuple[Block, Block] | None:
        return next((pair for pair in self._pairs() if pair[1].line_id == self._line_id), None)

    def step(self, by: int) -> None:
        """Go to another join of the coming hours."""
        pairs = self._pairs()
        lines = [into.line_id for _, into in pairs]
        at = lines.index(self._line_id) + by if self._line_id in lines else 0
        if not 0 <= at < len(pairs):
            self.said.emit("There is no other join in the coming hours.")
            return
        self.ear.stop()
        self._line_id, self.session = lines[at], None
        self._read()

    def _read(self) -> None:
        found = self._blocks()
        if found is None:
            return
        out, into = found
        carts = [out.cart, into.cart]
        line = self._line_id

        def look(catalogue: Catalogue) -> Meeting | None:
            items = catalogue.items(carts)
            settings, segues = catalogue.rules()
            details = [catalogue.detail(cart) for cart in carts]
            waves = {d.row.cart: d.overview for d in details if d is not None}
            if any(cart not in items for cart in carts):
                return None
            stored = catalogue.envelopes(carts)
            return Meeting(items[carts[0]], items[carts[1]], settings, segues, stored, waves)

        def then(meeting: Meeting | None) -> None:
            if meeting is not None and line == self._line_id:
                self._take(meeting, out, into)

        self._shelf.look(look, then, "meeting")

    def _take(self, meeting: Meeting, out: Block, into: Block) -> None:
        another = self.session is None
        self.session = JoinSession(meeting, out.from_s, into.edit)
        if another:
            sounds = tuple(
                Sound(meeting.overviews.get(i.cart, b""), i.measure.duration_s)
                for i in (meeting.out, meeting.into)
            )
            assert len(sounds) == 2
            self.lanes.show_session(self.session, sounds)
            for item, sound in zip((meeting.out, meeting.into), sounds, strict=True):
                self._read_peaks(item.path, sound)
        else:
            self.lanes.session = self.session
        self._show()

    def _read_peaks(self, path: str, sound: Sound) -> None:
        def then(found: Any) -> None:
            if found is not None and sound in self.lanes.sounds:
                sound.peaks = found
                self.lanes.update()

        line = self._line_id
        self._sounds.look(lambda _: peaks.read_peaks(path, lambda: line != self._line_id), then)

    def _show(self) -> None:
        session, found = self.session, self._blocks()
        if session is None:
            return
        if found is not None and self._planned is not None:
            at = moment_from(found[1].start_us, self._planned.settings.tz)
            together = session.join.overlap / session.rate
            how = f"{together:.2f} s overlap" if together >= 0 else f"{-together:.2f} s of silence"
            kept = ", set by hand" if session.kept is not None and not session.changed else ""
            changed = ", changed" if session.changed else ""
            self.title.setText(f"{at:%H:%M:%S}  {how}{kept}{changed}")
        self.panel.show_join(session, once=self._why_not_once(found))
        self.lanes.update()

    def _why_not_once(self, found: tuple[Block, Block] | None) -> str:
        if not self._link.on_air:
            return "The engine is off: only what it has lined up can be set for this time alone"
        if found is None or not found[1].movable:
            return "This line is not lined up yet: keep it for the pair instead"
        return ""

    # -- changing ------------------------------------------------------------------------------

    def _change(self, **values: Any) -> None:
        if self.session is not None:
            self.session.change(**values)
            self._show()

    def _move_fade(self, at_s: float) -> None:
        """Move where the fade begins; where it ends stays."""
        if self.session is None:
            return
        join, rate = self.session.join, self.session.rate
        end = join.out_end / rate
        long = end - at_s if join.fade_out else self.session.meeting.settings.segue.fade_out_s
        self._change(fade_start_s=min(at_s, end - 0.05), fade_out_s=max(0.05, long))

    def _move_fade_end(self, at_s: float) -> None:
        """Move where the fade ends; where it begins stays."""
        if self.session is not None:
            begins = self.session.join.fade_at / self.session.rate
            self._change(fade_start_s=begins, fade_out_s=max(0.05, at_s - begins))

    def nudge(self, by_s: float) -> None:
        """Move the start of the incoming item."""
        if self.session is not None:
            self._change(segue_s=self.session.start_s + by_s)

    def reset(self) -> None:
        """Forget what was set by hand: what was changed here, and what is kept."""
        session, found = self.session, self._blocks()
        if session is None:
            return
        was_kept = session.kept is not None
        session.reset()
        once = found is not None and found[1].edit is not None
        if found is not None and once and not self._why_not_once(found):
            self._undo.push(SetJoin(self._link, found[1].title, self._line_id, None))
        pair = (session.meeting.out.cart, session.meeting.into.cart)
        if pair in session.meeting.segues.pairs or (was_kept and not once):
            self._push(
                "forget how two items meet",
                lambda lib: editors.segues.set_pair(lib, *pair, None),
                lambda lib, was: editors.segues.restore_pair(lib, *pair, was),
            )
        session.kept = None
        self._show()

    def keep(self, where: str) -> None:
        """Keep the join: for this time ("once"), the "pair", or in the "items" themselves."""
        session, found = self.session, self._blocks()
        if session is None or found is None or not session.changed:
            return
        edit, out, into = session.edit, session.meeting.out, session.meeting.into
        if where == "once":
            why = self._why_not_once(found)
            if why:
                self.said.emit(f"{why}.")
                return
            self._undo.push(SetJoin(self._link, into.title, self._line_id, edit))
        elif where == "pair":
            self._push(
                f"how “{out.title}” meets “{into.title}”",
                lambda lib: editors.segues.set_pair(lib, out.cart, into.cart, edit),
                lambda lib, was: editors.segues.restore_pair(lib, out.cart, into.cart, was),
            )
        else:
            try:
                wanted = session.into_items()
            except InputFault as error:
                self.said.emit(str(error))
                return
            self._push(
                f"markers of “{out.title}”",
                lambda lib: editors.marking.set_by_hand(lib, wanted),
                editors.put_marks_back,
            )
        session.kept = edit
        told = {
            "once": "this time",
            "pair": "whenever these two meet",
            "items": "the items themselves",
        }
        self.said.emit(f"The join is kept for {told[where]}. Ctrl+Z undoes it.")
        self._show()

    def _push(self, text: str, do: Callable[[Any], Any], undo: Callable[[Any, Any], Any]) -> None:
        self._undo.push(LibraryEdit(self._shelf, text, do, undo))

    # -- listening -----------------------------------------------------------------------------

    def hear_or_stop(self) -> None:
        """Listen to the join alone, or stop."""
        if self.ear.playing:
            self.ear.stop()
        elif self.session is not None:
            order, first = self.session.to_hear()
            self.ear.play_join(order)
            self._heard = (first, 0.0, time.monotonic())
            self.tools["play"].setText("Stop")
            self._frame.start()

    def _on_ear(self, path: str, at_s: float) -> None:
        if path == JOIN and self._heard is not None:
            self._heard = (self._heard[0], at_s, time.monotonic())

    def _on_frame(self) -> None:
        if self._heard is not None:
            first, at_s, told = self._heard
            self.lanes.playhead_s = first + at_s + min(0.3, time.monotonic() - told)
            self.lanes.update()

    def _on_ended(self) -> None:
        self._frame.stop()
        self._heard = self.lanes.playhead_s = None
        self.tools["play"].setText("Listen")
        self.lanes.update()

    def leave(self) -> None:
        """Go back to the running order; what was not kept is dropped."""
        self.ear.stop()
        if self.session is not None and self.session.changed:
            self.said.emit("The join is as it was: nothing was kept.")
        self._line_id, self.session = 0, None
        self.closed.emit()

    # -- keys ----------------------------------------------------------------------------------

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Everything that the editor does has a key."""
        held = event.modifiers()
        shift = bool(held & Qt.KeyboardModifier.ShiftModifier)
        ctrl = bool(held & Qt.KeyboardModifier.ControlModifier)
        size = 0.001 if shift else 0.1 if ctrl else 0.01
        acts: dict[int, Callable[[], object]] = {
            Qt.Key.Key_Escape: self.leave,
            Qt.Key.Key_Space: self.hear_or_stop,
            Qt.Key.Key_PageUp: lambda: self.step(-1),
            Qt.Key.Key_PageDown: lambda: self.step(1),
            Qt.Key.Key_Plus: lambda: self.lanes.zoom(0.6),
            Qt.Key.Key_Minus: lambda: self.lanes.zoom(1.6),
            Qt.Key.Key_F2: lambda: self.keep("once"),
            Qt.Key.Key_F3: lambda: self.keep("pair"),
            Qt.Key.Key_F5: lambda: self.keep("items"),
        }
        acts |= dict.fromkeys(
            (Qt.Key.Key_Comma, Qt.Key.Key_Semicolon, Qt.Key.Key_Less), lambda: self.nudge(-size)
        )
        acts |= dict.fromkeys(
            (Qt.Key.Key_Period, Qt.Key.Key_Colon, Qt.Key.Key_Greater), lambda: self.nudge(size)
        )
        act = acts.get(event.key())
        if act is None:
            super().keyPressEvent(event)
        else:
            act()
            event.accept()
