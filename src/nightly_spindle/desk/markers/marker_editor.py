"""The marker editor: listening to items, and marking them, by keyboard alone if wanted."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QSize, Qt, QTimer, Signal
from PySide6.QtGui import QColor, QKeyEvent
from PySide6.QtWidgets import QHBoxLayout, QLabel, QSizePolicy, QToolButton, QVBoxLayout, QWidget

from nightly_spindle.audio import peaks
from nightly_spindle.core.base.timebase import stamp
from nightly_spindle.core.library.markers import Marker
from nightly_spindle.desk.kit.library_worker import LibraryWorker
from nightly_spindle.desk.kit.theme import Palette, icon
from nightly_spindle.desk.kit.tool_buttons import paint_tools, tool_buttons
from nightly_spindle.desk.markers.item_shaping import ItemShapingForm
from nightly_spindle.desk.markers.marker_file_menu import MarkerFileMenu
from nightly_spindle.desk.markers.marker_list import MarkerList
from nightly_spindle.desk.markers.marker_player import MarkerPlayer
from nightly_spindle.desk.markers.marker_session import MarkerPlace, MarkerSession
from nightly_spindle.desk.markers.marker_signs import CHECKED, KEYS, TOOLS
from nightly_spindle.desk.markers.marker_wave import MarkerOverview, MarkerWave, Sound
from nightly_spindle.desk.waves import wave_painting

if TYPE_CHECKING:
    from collections.abc import Callable, Sequence

    from PySide6.QtGui import QUndoStack

    from nightly_spindle.desk.kit.desk_ear import DeskEar

_AROUND_S = 1.5  # what a loop plays on both sides of a marker
_CLOSE_S = 6.0
_SPECTRUM_ROWS = 160
_CHOOSE = "Choose a marker first: Up and Down, or click its tab."
_HINT = (
    "1 to 9 set a marker at the playhead · Up, Down choose · , and . move it by 10 ms, with Shift "
    "1, with Ctrl 100 · Enter types · Delete clears · Backspace back to measured · F1 all keys"
)


class MarkerEditor(QWidget):
    """Marks one item after the other. Signals: `said` (str), `closed`."""

    said = Signal(str)
    closed = Signal()

    def __init__(
        self, shelf: LibraryWorker, undo: QUndoStack, ear: DeskEar, palette: Palette
    ) -> None:
        super().__init__()
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self._palette, self._ear = palette, ear
        self.session = MarkerSession(shelf, undo, self)
        self.player = MarkerPlayer(ear, self)
        self._sounds = LibraryWorker(shelf.folder, self)
        self.wave = MarkerWave(palette)
        self.whole = MarkerOverview(self.wave)
        self.list = MarkerList(palette)
        self.form = ItemShapingForm()
        self.title = QLabel("")
        self.title.setProperty("role", "title")
        self.under = QLabel("")
        self.under.setProperty("role", "muted")
        self.time = QLabel("0:00.000")
        self.time.setProperty("role", "figure")
        self._fine = QTimer(self)
        self._fine.setSingleShot(True)
        self._fine.setInterval(60)
        self._fine.timeout.connect(self._read_finer)
        self._lay_out()
        self._connect()

    def _lay_out(self) -> None:
        head = QHBoxLayout()
        head.setSpacing(10)
        self.back = QToolButton()
        self.back.setText("Back")
        self.back.setToolTip("Back to the items (Escape)")
        self.back.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        head.addWidget(self.back)
        head.addWidget(self.title)
        head.addWidget(self.under)
        head.addStretch(1)
        head.addWidget(self.time)
        tools = QHBoxLayout()
        tools.setSpacing(4)
        self.files = MarkerFileMenu(self.session)
        self.tools = tool_buttons(TOOLS, self._palette, takes_focus=False)
        for name, button in self.tools.items():
            button.setIconSize(QSize(16, 16))
            button.setCheckable(name in CHECKED)
            if name == "out":
                tools.addWidget(self.files)
                tools.addStretch(1)
            tools.addWidget(button)
        foot = QHBoxLayout()
        foot.setSpacing(22)
        foot.addWidget(_titled("MARKERS", self.list), 3)
        foot.addWidget(_titled("HOW IT PLAYS", self.form), 2)
        self.hint = QLabel(_HINT)
        self.hint.setProperty("role", "muted")
        self.hint.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        box = QVBoxLayout(self)
        box.setContentsMargins(12, 0, 12, 8)
        box.setSpacing(6)
        box.addLayout(head)
        box.addWidget(self.whole)
        box.addWidget(self.wave, 1)
        box.addLayout(tools)
        box.addLayout(foot)
        box.addWidget(self.hint)
        self.set_palette(self._palette)

    def _connect(self) -> None:
        session, wave = self.session, self.wave
        session.opened.connect(self._on_opened)
        session.changed.connect(self._show)
        session.said.connect(self.said)
        self.files.said.connect(self.said)
        session.gone.connect(self.leave)
        self._sounds.failed.connect(self.said)
        self.player.moved.connect(self._move_playhead)
        self.player.started.connect(self._on_started)
        self.player.stopped.connect(self._on_stopped)
        wave.moved.connect(
            lambda marker, was, to: session.put(marker, to, MarkerPlace(marker, was))
        )
        wave.chosen.connect(lambda marker, at: session.choose(MarkerPlace(marker, at)))
        wave.sought.connect(self._on_sought)
        wave.viewed.connect(self._fine.start)
        self.whole.sought.connect(lambda at: self._on_sought(at, True))
        self.whole.shifted.connect(lambda at: wave.view(at, wave.span_s))
        self.list.chosen.connect(self._choose)
        self.list.typed.connect(self._on_typed)
        self.list.refused.connect(self.said)
        self.list.set_asked.connect(self.set_here)
        self.list.clear_asked.connect(self._clear)
        self.list.again_asked.connect(self._measured_again)
        self.form.changed.connect(lambda values: session.shape(**values))
        self.back.clicked.connect(self.leave)
        acts: dict[str, Callable[[], object]] = {
            "previous": lambda: session.step(-1),
            "next": lambda: session.step(1),
            "play": self.play_or_stop,
            "hear": self.hear,
            "loop": self.loop,
            "zero": lambda: self._snap(peaks.zero_crossing, "zero crossing"),
            "onset": lambda: self._snap(peaks.onset, "onset"),
            "out": lambda: wave.zoom(2.0, self._centre()),
            "in": lambda: wave.zoom(0.5, self._centre()),
            "whole": lambda: wave.view(0.0, wave.sound.length_s),
            "spectrum": self._on_spectrum,
        }
        for name, act in acts.items():
            self.tools[name].clicked.connect(lambda _=False, act=act: act())

    def set_palette(self, palette: Palette) -> None:
        """Paint in other colours."""
        self._palette = self.wave.palette_ = palette
        paint_tools(self.tools, TOOLS, palette, 16)
        self.list.set_palette(palette)
        self.whole.refresh()
        self.wave.refresh()

    # -- which item ----------------------------------------------------------------------------

    def open(self, carts: Sequence[int], first: int) -> None:
        """Mark items, beginning with one of them."""
        self._ear.warm()
        self.session.open(carts, first)
        self.setFocus()

    def leave(self) -> None:
        """Write what is not yet written, and go back."""
        self.player.stop()
        self.session.close()
        self.closed.emit()

    def close_down(self) -> None:
        """End what runs beside."""
        self.session.close()
        self._sounds.close()

    def _on_opened(self) -> None:
        item = self.session.item
        assert item is not None
        self.player.load(item.path, item.measure.duration_s)
        self.title.setText(item.title)
        self.under.setText(self.session.told())
        self.tools["loop"].setChecked(False)
        self.tools["spectrum"].setChecked(False)
        sound = Sound(self.session.overview, item.measure.duration_s)
        self.wave.show_item(item, sound)
        self._move_playhead(0.0)
        self.whole.show_markers(item, self.session.rows())
        path, cart = item.path, item.cart

        def stale() -> bool:
            return self.session.item is None or self.session.item.cart != cart

        self._sounds.look(lambda _: peaks.read_peaks(path, stale), self._on_peaks, "peaks")

    def _on_peaks(self, found: Any) -> None:
        if found is not None:
            self.wave.sound.peaks = found
            self.wave.refresh()
            self.whole.refresh()
            self._fine.start()

    def _read_finer(self) -> None:
        """Read single samples where the picture is finer than the columns that are known."""
        wave, item = self.wave, self.session.item
        known = wave.sound.peaks
        if item is None or known is None:
            return
        begin, span, wide = wave.begin_s, wave.span_s, max(1, wave.width())
        if self.tools["spectrum"].isChecked() and wave.spectrum is None:
            self._read_spectrum()
        if span * known.rate / wide < peaks.BASE and not wave.sound.fits(begin, span):
            path = item.path
            self._sounds.look(
                lambda _: peaks.read_samples(path, begin - span, 3 * span),
                self._on_samples,
                "samples",
            )

    def _on_samples(self, found: Any) -> None:
        self.wave.sound.samples = found
        self.wave.refresh()

    def _show(self) -> None:
        item = self.session.item
        if item is None:
            return
        rows, spot = self.session.rows(), self.session.chosen
        self.wave.show_markers(item, rows, spot)
        self.whole.show_markers(item, rows)
        self.list.show_markers(rows, spot)
        self.form.show_item(item, self.session.gain())

    # -- listening -----------------------------------------------------------------------------

    def _centre(self) -> float | None:
        at = self.session.at(self.session.chosen)
        at = self.wave.playhead_s if at is None else at
        inside = at is not None and 0 <= at - self.wave.begin_s <= self.wave.span_s
        return at if inside else None

    def play_or_stop(self) -> None:
        """Listen from the playhead, or stop there."""
        if self.player.playing:
            self.player.stop()
        else:
            self.player.play(self.wave.playhead_s or 0.0, self.session.gain().db)

    def _on_started(self) -> None:
        self.wave.loop = None
        self.tools["play"].setText("Stop")
        self.tools["play"].setIcon(icon("square", self._palette.text, 16))

    def _on_stopped(self) -> None:
        self.wave.loop = None
        self.tools["loop"].setChecked(False)
        self.tools["play"].setText("Listen")
        self.tools["play"].setIcon(icon("play", self._palette.text, 16))
        self.wave.update()

    def here(self) -> float:
        """Return where the playhead is just now, while it moves too."""
        return self.player.here() if self.player.playing else self.wave.playhead_s or 0.0

    def _move_playhead(self, at_s: float) -> None:
        self.wave.set_playhead(at_s, follow=True)
        self.whole.update()
        self.time.setText(stamp(at_s))

    def _on_sought(self, at_s: float, done: bool) -> None:
        """Move the playhead; while it is dragged a grain of the place is heard."""
        if not 0 <= at_s - self.wave.begin_s <= self.wave.span_s:
            self.wave.view(at_s - self.wave.span_s / 2, self.wave.span_s)
        self._goes_on = self._goes_on or (self.player.playing and not self.player.looping)
        lift = self.session.gain().db
        if not done:
            self.player.stop()
            self.player.grain(at_s, lift)
        elif self._goes_on:
            self.player.play(at_s, lift)
        self._move_playhead(at_s)
        self._goes_on = self._goes_on and not done

    _goes_on = False  # it played when the playhead was taken: it plays when it is let go

    def seek(self, by_s: float) -> None:
        """Move the playhead along; what plays goes on from there."""
        at_s = min(max(0.0, self.here() + by_s), self.wave.sound.length_s)
        self._move_playhead(at_s)
        if self.player.playing:
            self.player.play(at_s, self.session.gain().db)

    def _around(self, reach_s: float) -> tuple[float, float] | None:
        """Return a stretch around the chosen marker; says so when none is chosen."""
        at_s = self.session.at(self.session.chosen)
        if at_s is None:
            self.said.emit(_CHOOSE)
            return None
        return max(0.0, at_s - reach_s), min(at_s + reach_s, self.wave.sound.length_s)

    def hear(self) -> None:
        """Listen to the two seconds around the chosen marker."""
        part = self._around(1.0)
        if part is not None:
            self.player.play(part[0], self.session.gain().db, part[1])

    def loop(self) -> None:
        """Play around the chosen marker again and again, or stop doing so."""
        part = None if self.player.looping else self._around(_AROUND_S)
        if part is None:
            self.player.stop()
            self.tools["loop"].setChecked(False)
            return
        self.player.play(part[0], self.session.gain().db, part[1], loop=True)
        self.wave.loop = part
        self.tools["loop"].setChecked(True)
        if self.wave.span_s > 4 * _CLOSE_S:
            self.wave.view((part[0] + part[1] - _CLOSE_S) / 2, _CLOSE_S)

    # -- marking -------------------------------------------------------------------------------

    def set_here(self, marker: Marker) -> None:
        """Set a marker at the playhead."""
        at_s = self.here()
        if self.session.put(marker, at_s):
            self.said.emit(f"The {marker.words} is at {stamp(at_s)}.")

    def _choose(self, marker: Marker) -> None:
        row = next((r for r in self.session.rows() if r.marker is marker), None)
        self.session.choose(MarkerPlace(marker, row.at_s if row else 0.0))

    def _clear(self, marker: Marker) -> None:
        self._choose(marker)
        self.session.clear()

    def _measured_again(self, marker: Marker) -> None:
        self._choose(marker)
        self.session.measured_again()

    def _on_typed(self, marker: Marker, at_s: float) -> None:
        spot = self.session.chosen
        was = spot if spot is not None and spot.marker is marker else None
        self.session.put(marker, at_s, was)
        self.setFocus()

    def _step_choice(self, by: int) -> None:
        rows = [row for row in self.session.rows() if not row.absent]
        spots = [MarkerPlace(row.marker, row.at_s) for row in rows]
        if not spots:
            return
        chosen = self.session.chosen
        same = (i for i, spot in enumerate(spots) if chosen is not None and chosen.means(spot))
        at = next(same, None)
        at = (0 if by > 0 else len(spots) - 1) if at is None else (at + by) % len(spots)
        self.session.choose(spots[at])
        self._bring_in(spots[at].at_s)

    def _bring_in(self, at_s: float) -> None:
        wave = self.wave
        if not wave.begin_s <= at_s <= wave.begin_s + wave.span_s:
            wave.view(at_s - wave.span_s / 2, wave.span_s)

    def _snap(self, find: Callable[[str, float], float], name: str) -> None:
        item, chosen = self.session.item, self.session.chosen
        at_s = self.session.at(chosen)
        if item is None or chosen is None or at_s is None:
            self.said.emit(_CHOOSE)
            return
        path, cart = item.path, item.cart

        def then(found: float) -> None:
            if self.session.item is None or self.session.item.cart != cart:
                return
            if abs(found - at_s) < 1e-6:
                self.said.emit(f"There is no other {name} near {stamp(at_s)}.")
            elif self.session.put(chosen.marker, found, MarkerPlace(chosen.marker, at_s)):
                self.said.emit(f"Moved by {1000 * (found - at_s):+.1f} ms to the {name}.")

        self._sounds.look(lambda _: find(path, at_s), then, "snap")

    def _on_spectrum(self) -> None:
        if self.tools["spectrum"].isChecked():
            self._read_spectrum()
        else:
            self.wave.spectrum = None
            self.wave.update()

    def _read_spectrum(self) -> None:
        item, wave = self.session.item, self.wave
        if item is None:
            return
        path, view = item.path, (wave.begin_s, wave.span_s)
        wide = max(1, wave.width())

        def then(levels: Any) -> None:
            if view == (wave.begin_s, wave.span_s) and self.tools["spectrum"].isChecked():
                low, high = QColor(self._palette.ground), QColor(self._palette.text)
                wave.spectrum = wave_painting.spectrum_image(levels, low, high)
                wave.update()

        self._sounds.look(
            lambda _: peaks.spectrogram(path, *view, wide, _SPECTRUM_ROWS), then, "spectrum"
        )

    # -- keys ----------------------------------------------------------------------------------

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Everything that the editor does has a key."""
        act = self._acts(event)
        if act is None:
            super().keyPressEvent(event)
        else:
            act()
            event.accept()

    def _acts(self, event: QKeyEvent) -> Callable[[], object] | None:
        key, session = event.key(), self.session
        held = event.modifiers()
        shift = bool(held & Qt.KeyboardModifier.ShiftModifier)
        ctrl = bool(held & Qt.KeyboardModifier.ControlModifier)
        sizes = (0.001, 0.01, 0.1)
        size = sizes[0] if shift else sizes[2] if ctrl else sizes[1]
        leap = 0.1 if shift else 5.0 if ctrl else 1.0
        name = {v: k for k, v in _LETTERS.items()}.get(key)
        if name is not None and not ctrl:
            return self.tools[name].click
        if event.text() in KEYS and not ctrl:
            return lambda: self.set_here(KEYS[event.text()])
        plain: dict[int, Callable[[], object]] = {
            Qt.Key.Key_Escape: self.leave,
            Qt.Key.Key_Up: lambda: self._step_choice(-1),
            Qt.Key.Key_Down: lambda: self._step_choice(1),
            Qt.Key.Key_Left: lambda: self.seek(-leap),
            Qt.Key.Key_Right: lambda: self.seek(leap),
            Qt.Key.Key_Comma: lambda: session.nudge(-size),
            Qt.Key.Key_Semicolon: lambda: session.nudge(-size),
            Qt.Key.Key_Less: lambda: session.nudge(-size),
            Qt.Key.Key_Period: lambda: session.nudge(size),
            Qt.Key.Key_Colon: lambda: session.nudge(size),
            Qt.Key.Key_Greater: lambda: session.nudge(size),
            Qt.Key.Key_Delete: session.clear,
            Qt.Key.Key_Backspace: session.measured_again,
            Qt.Key.Key_Return: self._type,
            Qt.Key.Key_Enter: self._type,
            Qt.Key.Key_Home: self._close_up,
        }
        return plain.get(key)

    def _type(self) -> None:
        """Type the position of the chosen marker."""
        chosen = self.session.chosen
        if chosen is None:
            self.said.emit(_CHOOSE)
            return
        field = self.list.fields[chosen.marker]
        field.setFocus()
        field.selectAll()

    def _close_up(self) -> None:
        """Show the chosen marker, or the playhead, from close by."""
        at_s = self.session.at(self.session.chosen)
        at_s = self.here() if at_s is None else at_s
        self.wave.view(at_s - _CLOSE_S / 2, _CLOSE_S)


_LETTERS: dict[str, int] = {
    "previous": Qt.Key.Key_PageUp,
    "next": Qt.Key.Key_PageDown,
    "play": Qt.Key.Key_Space,
    "hear": Qt.Key.Key_H,
    "loop": Qt.Key.Key_L,
    "zero": Qt.Key.Key_Z,
    "onset": Qt.Key.Key_O,
    "out": Qt.Key.Key_Minus,
    "in": Qt.Key.Key_Plus,
    "whole": Qt.Key.Key_0,
    "spectrum": Qt.Key.Key_S,
}


def _titled(text: str, widget: QWidget) -> QWidget:
    holder = QWidget()
    box = QVBoxLayout(holder)
    box.setContentsMargins(0, 0, 0, 0)
    box.setSpacing(3)
    caption = QLabel(text)
    caption.setProperty("role", "caption")
    box.addWidget(caption)
    box.addWidget(widget)
    box.addStretch(1)
    return holder
