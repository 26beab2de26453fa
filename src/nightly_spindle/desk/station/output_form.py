"""The form of one output: its name, its switch, what its kind can be set, its password."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

from PySide6.QtCore import QSignalBlocker, Signal
from PySide6.QtWidgets import QCheckBox, QLabel, QLineEdit, QStackedWidget, QVBoxLayout, QWidget

from nightly_spindle.core.outputs.outputs import (
    GROUPS,
    CardOptions,
    Output,
    OutputKind,
    RecordingOptions,
    StreamOptions,
    check_output,
    output_sentence,
)
from nightly_spindle.core.outputs.stream_codecs import FACTS, Codec
from nightly_spindle.desk.kit.declared_form import DeclaredForm, typed_group
from nightly_spindle.desk.kit.fields import Field
from nightly_spindle.desk.kit.scrolled import scrolled

if TYPE_CHECKING:
    from collections.abc import Mapping

_STREAM = {
    "address": "Address",
    "user": "User name",
    "codec": "Codec",
    "kbps": "Bit rate",
    "bit_rate": "Bit rate is",
    "channels": "Channels",
    "rate": "Sample rate",
    "title": "Stream's name",
    "description": "Description",
    "genre": "Genre",
    "website": "Website",
    "public": "May be listed publicly",
    "titles": "Players are told titles",
    "method": "Request",
    "authority": "Authority (file)",
    "burst_s": "Burst at the start",
    "listen": "Listeners' address",
    "listen_every": "Listened to every",
}
_CARD = {"device": "Device", "buffer_s": "Buffer"}
_RECORDING = {
    "folder": "Folder",
    "coded": "Coded as",
    "keep_days": "Kept for",
    "most_gb": "At most",
    "leave_gb": "Stays free",
}
_NAMES: dict[OutputKind, Mapping[str, str]] = {
    OutputKind.STREAM: _STREAM,
    OutputKind.CARD: _CARD,
    OutputKind.RECORDING: _RECORDING,
    OutputKind.PAGE: {"folder": "Folder", "serve": "Served at"},
    OutputKind.SIMULATED: {},
}
_BLANK = {
    "address": "https://radio.example:8000/live",
    "title": "the station's name",
    "listen": "the address itself",
    "device": "the machine's default",
    "authority": "this machine's own",
}


@dataclass(frozen=True, slots=True)
class OutputDraft:
    """An output as it is kept or typed; `password` is one that was typed and is not kept yet.

    `kept` says whether a password is kept for it.
    """

    output: Output
    station: str
    kept: bool = False
    password: str = ""

    @property
    def id(self) -> int:
        """Its number, 0 while it is new."""
        return self.output.id

    @property
    def name(self) -> str:
        """Its name."""
        return self.output.name

    def sentence(self) -> str:
        """Return what it does."""
        known = self.kept or bool(self.password)
        return output_sentence(self.output, self.station, password=known)


class OutputForm(QWidget):
    """One output as it is typed. Signal: `changed`."""

    changed = Signal()

    def __init__(self) -> None:
        super().__init__()
        self._draft: OutputDraft | None = None
        self.name = Field()
        self.name.setAccessibleName("Name of the output")
        self.on = QCheckBox("On")
        self.on.setToolTip("Whether the sound goes there")
        self.password = QLineEdit()
        self.password.setEchoMode(QLineEdit.EchoMode.Password)
        self.password.setAccessibleName("Password of the stream")
        self.password.setToolTip(
            "Kept in the desktop's secret store, or in a file only you can read"
        )
        self.secret = QLabel("Password")
        self.secret.setProperty("role", "muted")
        self.forms: dict[OutputKind, DeclaredForm] = {}
        self._stack = QStackedWidget()
        for kind, group in GROUPS.items():
            form = DeclaredForm(group, _NAMES[kind], _BLANK)
            form.changed.connect(self._on_changed)
            self.forms[kind] = form
            self._stack.addWidget(form)
        self.name.textEdited.connect(self.changed)
        self.password.textEdited.connect(self.changed)
        self.on.toggled.connect(self.changed)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(5)
        for widget in (self.name, self.on, self.secret, self.password):
            box.addWidget(widget)
        box.addWidget(scrolled(self._stack), 1)

    def show_draft(self, draft: OutputDraft) -> None:
        """Show an output."""
        self._draft = draft
        output = draft.output
        with QSignalBlocker(self):
            self.name.setText(output.name)
            self.on.setChecked(output.on)
            self.password.setText(draft.password)
            self.password.setPlaceholderText("kept; type to change it" if draft.kept else "not set")
            stream = output.kind is OutputKind.STREAM
            self.password.setVisible(stream)
            self.secret.setVisible(stream)
            form = self.forms[output.kind]
            form.show_values(output.options)
            self._stack.setCurrentWidget(form)
            self._show_what_matters()

    def _show_what_matters(self) -> None:
        """Leave out what the chosen codec has no use for."""
        if self._draft is None or not isinstance(self._draft.output.options, StreamOptions):
            return
        form = self.forms[OutputKind.STREAM]
        facts = FACTS[Codec(form.texts()["codec"])]
        for name, there in (
            ("kbps", facts.kbps is not None),
            ("bit_rate", facts.kbps is not None),
            ("rate", len(facts.rates) > 1),
        ):
            form.fields[name].setVisible(there)
            form.captions[name].setVisible(there)

    def _on_changed(self) -> None:
        self._show_what_matters()
        self.changed.emit()

    def typed(self) -> OutputDraft:
        """Return the output as it is typed; SettingRefused says what cannot be."""
        assert self._draft is not None
        was = self._draft.output
        options: CardOptions | RecordingOptions | StreamOptions | object = was.options
        options = typed_group(options, self.forms[was.kind].texts())
        name = " ".join(self.name.text().split())
        made = replace(was, name=name, options=options, on=self.on.isChecked())  # type: ignore[arg-type]
        check_output(made)
        return replace(self._draft, output=made, password=self.password.text())
