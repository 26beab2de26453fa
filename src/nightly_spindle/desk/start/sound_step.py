"""The fourth step: where the sound goes, tried at once."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

from PySide6.QtWidgets import QButtonGroup, QHBoxLayout, QLabel, QLineEdit, QRadioButton, QWidget

from nightly_spindle.core.base.errors import NightlySpindleError
from nightly_spindle.core.outputs.outputs import (
    CardOptions,
    Output,
    SimulatedOptions,
    StreamOptions,
    check_output,
)
from nightly_spindle.desk.kit.buttons import push_button
from nightly_spindle.desk.kit.declared_form import DeclaredForm, typed_group
from nightly_spindle.desk.start.set_up_step import SetUpStep
from nightly_spindle.outputs.trying import Tried, try_output
from nightly_spindle.store.base.transaction import LibraryTransaction
from nightly_spindle.store.outputs.passwords import set_password
from nightly_spindle.store.station import editors

if TYPE_CHECKING:
    from collections.abc import Callable

    from nightly_spindle.desk.start.background_work import BackgroundWork

_FIRST = 1  # the output that every new station has
_FIELDS = {"address": "Address", "user": "User name", "codec": "Codec", "kbps": "Bit rate"}


class SoundStep(SetUpStep):
    """Keeps the station's first output."""

    name = "Sound"
    question = "Where does the sound go?"
    why = (
        "More outputs can be added at Station › Outputs: several streams, recordings, the web page."
    )

    def __init__(self, work: BackgroundWork) -> None:
        super().__init__(work)
        self.choice = QButtonGroup(self)
        self.stream = QRadioButton("A stream: to a streaming server, which gives it to listeners")
        self.card = QRadioButton("A sound card of this computer")
        self.nobody = QRadioButton("Nowhere yet: simulated, nobody hears it")
        for number, button in enumerate((self.stream, self.card, self.nobody)):
            self.choice.addButton(button, number)
            button.toggled.connect(self._on_choice)
        self.form = DeclaredForm(
            StreamOptions, _FIELDS, {"address": "https://radio.example:8000/live"}
        )
        self.form.show_values(StreamOptions())
        self.form.changed.connect(self._on_typed)
        self.password = QLineEdit()
        self.password.setEchoMode(QLineEdit.EchoMode.Password)
        self.password.setPlaceholderText("the source password of the server")
        self.password.setAccessibleName("Password of the stream")
        self.password.textEdited.connect(lambda _: self._on_typed())
        self.secret = QLabel("Password, kept apart where only you can read it")
        self.secret.setProperty("role", "muted")
        self.attempt = push_button(
            "Try it", "Connect, sign in and send two seconds of silence", self.try_it
        )
        self.result = QLabel("")
        self.result.setWordWrap(True)
        self.result.setProperty("role", "sentence")
        self.result.hide()
        for widget in (self.stream, self.form, self.secret, self.password, self.card, self.nobody):
            self.box.addWidget(widget)
        row = QHBoxLayout()
        row.addWidget(self.attempt)
        row.addStretch(1)
        self.box.addLayout(row)
        self.box.addWidget(self.result)
        self.box.addStretch(1)
        self.stream.setChecked(True)

    def first_field(self) -> QWidget:
        """Return the address."""
        return self.form.fields["address"] if self.stream.isChecked() else self.card

    def _on_choice(self) -> None:
        stream = self.stream.isChecked()
        for widget in (self.form, self.secret, self.password):
            widget.setVisible(stream)
        self.attempt.setVisible(not self.nobody.isChecked())
        self._on_typed()

    def _on_typed(self) -> None:
        self.result.hide()
        self.moved.emit()

    def lacks(self) -> str:
        """Return what is missing or cannot be."""
        try:
            check_output(self.output())
        except NightlySpindleError as error:
            return str(error)
        if self.stream.isChecked() and not self.password.text():
            return "a stream needs the password of its server"
        return ""

    def output(self) -> Output:
        """Return the output as it is typed; SettingRefused says what cannot be."""
        if self.card.isChecked():
            return Output(_FIRST, "Sound card", CardOptions())
        if self.nobody.isChecked():
            return Output(_FIRST, "Simulated", SimulatedOptions())
        return Output(_FIRST, "Stream", typed_group(StreamOptions(), self.form.texts()))

    def try_it(self) -> None:
        """Try the output as it is typed."""
        assert self.station is not None
        lacks = self.lacks()
        if lacks:
            self._show(f"{lacks[:1].upper()}{lacks[1:]}.")
            return
        folder, rate, output = self.station.folder, self.station.settings.rate, self.output()
        password = self.password.text()
        self.attempt.setEnabled(False)
        self._show("Trying …")

        def done(tried: Tried) -> None:
            self.attempt.setEnabled(True)
            self._show(f"{tried.text} {tried.mend}".strip())

        def failed(sentence: str) -> None:
            self.attempt.setEnabled(True)
            self._show(sentence)

        self.work.do(lambda: try_output(output, rate, folder, password), done, failed)

    def _show(self, sentence: str) -> None:
        self.result.setText(sentence)
        self.result.show()

    def finish(self, then: Callable[[], None]) -> None:
        """Keep the output, and its password apart."""
        assert self.station is not None
        folder, output, password = self.station.folder, self.output(), self.password.text()

        def keep() -> None:
            with LibraryTransaction(folder) as library:
                number, _ = editors.outputs.save_output(library, replace(output, id=_FIRST))
            if self.stream.isChecked():
                set_password(folder, number, password)

        self.work.do(keep, lambda _: then(), self.wrong.emit)
