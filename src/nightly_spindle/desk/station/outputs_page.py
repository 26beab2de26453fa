"""The page of outputs: where the sound goes, how each does, whether the station is heard."""

from __future__ import annotations

import logging
import threading
from contextlib import closing
from dataclasses import dataclass, replace
from functools import partial
from typing import TYPE_CHECKING, Any
from zoneinfo import ZoneInfo

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout, QLabel

from nightly_spindle.core.base.timebase import short_date
from nightly_spindle.core.outputs.output_health import OutputSight, OutputState, heard_by
from nightly_spindle.core.outputs.outputs import (
    CardOptions,
    Output,
    OutputKind,
    PageOptions,
    RecordingOptions,
    StreamOptions,
    listening_address,
    outputs_sentence,
)
from nightly_spindle.desk.kit.buttons import push_button
from nightly_spindle.desk.kit.kept_page import KeptPage
from nightly_spindle.desk.kit.row_view import RowView
from nightly_spindle.desk.kit.table_layout import Column, TableLayout
from nightly_spindle.desk.station.output_form import OutputDraft, OutputForm
from nightly_spindle.outputs.trying import Tried, try_output
from nightly_spindle.store.base.database import connect
from nightly_spindle.store.outputs.outputs import read_outputs
from nightly_spindle.store.outputs.passwords import forget_password, password_of, set_password
from nightly_spindle.store.station import editors

if TYPE_CHECKING:
    from collections.abc import Callable, Sequence

    from PySide6.QtGui import QUndoStack

    from nightly_spindle.core.station.settings import StationSettings
    from nightly_spindle.desk.kit.library_worker import LibraryWorker
    from nightly_spindle.desk.kit.table_layout import Ink
    from nightly_spindle.desk.kit.theme import Palette
    from nightly_spindle.store.base.transaction import LibraryTransaction

_LOG = logging.getLogger(__name__)
_STATES = {
    OutputState.OFF: "off",
    OutputState.STARTING: "connecting",
    OutputState.UP: "up",
    OutputState.DOWN: "down",
}


@dataclass(frozen=True, slots=True)
class _OutputRow:
    """An output and how it does, None while no engine runs."""

    output: Output
    sight: OutputSight | None
    tz: ZoneInfo


def _state(row: _OutputRow) -> str:
    sight = row.sight
    if not row.output.on:
        return "off"
    if sight is None:
        return "not on air"
    if sight.problem:
        return f"{_STATES[sight.state]} since {short_date(sight.since_us, row.tz)}: {sight.problem}"
    said = f"{_STATES[sight.state]} since {short_date(sight.since_us, row.tz)}"
    return f"{said}, simulated" if sight.simulated else said


def _ink(row: _OutputRow) -> Ink:
    if not row.output.on or row.sight is None:
        return "muted"
    if row.sight.problem:
        return "alarm"
    return "air" if row.sight.heard else "text"


def _sent(row: _OutputRow) -> str:
    sent = row.sight.sent if row.sight is not None else 0
    return f"{sent / 1e6:.1f} MB" if sent else "–"


def _load(row: _OutputRow) -> str:
    load = row.sight.load if row.sight is not None else 0.0
    return f"{100 * load:.1f} %" if load else "–"


def _number(value: int) -> str:
    return str(value) if value else "–"


_OUTPUTS: TableLayout[_OutputRow] = TableLayout(
    "Outputs",
    (
        Column("Output", 170, lambda r: r.output.name, ink=_ink),
        Column("Kind", 90, lambda r: str(r.output.kind), ink=_ink),
        Column("State", 260, _state, wide=True, ink=_ink),
        Column("Sent", 80, _sent, right=True),
        Column("Load", 60, _load, right=True),
        Column("Late", 60, lambda r: _number(r.sight.late if r.sight else 0), right=True),
        Column("Restarts", 70, lambda r: _number(r.sight.again if r.sight else 0), right=True),
    ),
    tip=lambda r: f"{r.sight.problem}. {r.sight.mend}" if r.sight and r.sight.problem else "",
)
_NEW = {
    OutputKind.STREAM: ("New stream", Output(0, "Stream", StreamOptions())),
    OutputKind.CARD: ("New sound card", Output(0, "Sound card", CardOptions())),
    OutputKind.RECORDING: ("New recording", Output(0, "Recording", RecordingOptions())),
    OutputKind.PAGE: ("New web page", Output(0, "Web page", PageOptions())),
}


class OutputsPage(KeptPage):
    """Lists, edits and tries outputs. Signal: `hear` (address, authority) of a stream."""

    noun = "output"
    empty = "Choose an output, or make one."
    hear = Signal(str, str)
    _tried = Signal(object)

    def __init__(
        self,
        shelf: LibraryWorker,
        undo: QUndoStack,
        settings: StationSettings,
        palette: Palette,
    ) -> None:
        table = RowView(_OUTPUTS, palette)
        self.editor = OutputForm()
        super().__init__(shelf, undo, table, self.editor, 360)
        self._settings = settings
        self._drafts: list[OutputDraft] = []
        self._sights: dict[int, OutputSight] | None = None
        self.heard = QLabel("")
        self.heard.setProperty("role", "name")
        self.heard.setWordWrap(True)
        self.heard.setAccessibleName("Whether the station is heard")
        self.result = QLabel("")
        self.result.setWordWrap(True)
        self.result.setAccessibleName("What came of the try")
        self.attempt = push_button(
            "Try it",
            "Connect, sign in and send two seconds of silence; what runs is not disturbed",
            self.try_shown,
        )
        self.listen = push_button(
            "Listen as they hear it",
            "Play the stream here, from the address that its listeners use; again to stop",
            self.listen_to_shown,
        )
        self._tried.connect(self._on_tried)
        tools = QHBoxLayout()
        self.new = {}
        for kind, (text, first) in _NEW.items():
            button = push_button(text, f"Make a {kind}", partial(self.make, first))
            self.new[kind] = button
            tools.addWidget(button)
        tools.addSpacing(10)
        tools.addWidget(self.heard, 1)
        self.frame(tools)
        layout = self.panel.layout()
        assert layout is not None
        layout.addWidget(self.attempt)
        layout.addWidget(self.listen)
        layout.addWidget(self.result)
        shelf.changed.connect(self.refresh)

    def set_palette(self, palette: Palette) -> None:
        """Paint in other colours."""
        self.table.set_palette(palette)

    # -- showing -----------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Read the outputs anew; what is being edited stays."""
        folder, station = self._shelf.folder, self._settings.name

        def read(_: object) -> list[OutputDraft]:
            with closing(connect(folder)) as connection:
                outputs = read_outputs(connection)
            return [
                OutputDraft(
                    one,
                    station,
                    one.kind is OutputKind.STREAM and password_of(folder, one.id) is not None,
                )
                for one in outputs
            ]

        self._shelf.look(read, self._show, "outputs")

    def _show(self, drafts: list[OutputDraft]) -> None:
        self._drafts = drafts
        self._show_rows()
        self.show_things()

    def take(self, sights: Sequence[OutputSight] | None) -> None:
        """Follow the engine; None when it is off."""
        now = None if sights is None else {one.id: one for one in sights}
        if now != self._sights and self.isVisible():
            self._sights = now
            self._show_rows()
        self._sights = now

    def _show_rows(self) -> None:
        sights, tz = self._sights or {}, self._settings.tz
        rows = [_OutputRow(one.output, sights.get(one.id), tz) for one in self._drafts]
        self.table.show_rows(rows)
        self._choose_shown()
        if self._sights is None:
            self.heard.setText(outputs_sentence(one.output for one in self._drafts))
            return
        heard = heard_by(self._sights.values())
        since = f", since {short_date(heard.since_us, tz)}" if heard.since_us else ""
        why = f" ({heard.why})" if heard.why else ""
        self.heard.setText(f"{heard.text[:1].upper()}{heard.text[1:]}{why}{since}.")

    # -- what a page says --------------------------------------------------------------------------

    def kept(self) -> Sequence[OutputDraft]:
        """Return the outputs in the order of the table."""
        return self._drafts

    def show_form(self, thing: OutputDraft) -> None:
        """Show an output in the panel."""
        self.result.setText("")
        self.editor.show_draft(thing)

    def read_form(self) -> OutputDraft:
        """Return the output as it is typed."""
        return self.editor.typed()

    def troubles(self, thing: OutputDraft) -> list[str]:
        """Return what is wrong with an output as it runs."""
        sight = (self._sights or {}).get(thing.id)
        if sight is None or not sight.problem:
            return []
        return [f"{sight.problem[:1].upper()}{sight.problem[1:]}. {sight.mend}"]

    def make(self, first: Output) -> None:
        """Begin a new output."""
        self.begin_new(OutputDraft(first, self._settings.name))
        self.editor.name.setFocus()
        self.editor.name.selectAll()

    def renamed(self, thing: OutputDraft, name: str) -> OutputDraft:
        """Return an output with another name."""
        return replace(thing, output=replace(thing.output, name=name))

    def write(self, thing: OutputDraft) -> tuple[Callable[[Any], Any], Callable[[Any, Any], Any]]:
        """Return the edit that keeps an output; its password is kept apart and cannot be undone."""
        folder = self._shelf.folder

        def do(library: LibraryTransaction) -> Any:
            number, before = editors.outputs.save_output(library, thing.output)
            if thing.password:
                set_password(folder, number, thing.password)
            elif not thing.id:
                forget_password(folder, number)  # of one that had its number before
            return before

        return do, editors.restore_outputs

    def take_out(
        self, thing: OutputDraft
    ) -> tuple[Callable[[Any], Any], Callable[[Any, Any], Any]]:
        """Return the edit that removes an output; its password stays, so that undo is whole."""

        def do(library: LibraryTransaction) -> Any:
            return editors.outputs.remove_output(library, thing.id)

        return do, editors.restore_outputs

    def on_typed(self) -> None:
        """Read back what is typed."""
        super().on_typed()
        if hasattr(self, "attempt"):
            self.attempt.setVisible(self.shown is not None)
            stream = self.shown is not None and self.shown.output.kind is OutputKind.STREAM
            self.listen.setVisible(stream)

    # -- trying, listening -------------------------------------------------------------------------

    def try_shown(self) -> None:
        """Try the output as it is typed, beside."""
        thing = self.typed()
        if thing is None:
            return
        self.attempt.setEnabled(False)
        self.result.setText("Trying …")
        folder, rate = self._shelf.folder, self._settings.rate
        running = (self._sights or {}).get(thing.id) if not self.dirty() else None

        def work() -> None:
            try:
                password = thing.password or password_of(folder, thing.id)
                tried = try_output(thing.output, rate, folder, password, running)
            except Exception as error:  # noqa: BLE001 - the edge of the thread: told
                _LOG.exception("the output could not be tried")
                tried = Tried(False, f"That did not work ({type(error).__name__}: {error}).")
            self._tried.emit(tried)

        threading.Thread(target=work, name="trying", daemon=True).start()

    def listen_to_shown(self) -> None:
        """Play the stream that is shown, as its listeners hear it."""
        thing = self.typed()
        if thing is not None and isinstance(thing.output.options, StreamOptions):
            options = thing.output.options
            self.hear.emit(listening_address(options), options.authority)

    def show_listening(self, *, playing: bool) -> None:
        """Say whether a stream is listened to."""
        self.listen.setText("Stop listening" if playing else "Listen as they hear it")

    def _on_tried(self, tried: Tried) -> None:
        self.attempt.setEnabled(True)
        self.result.setText(f"{tried.text} {tried.mend}".strip())
