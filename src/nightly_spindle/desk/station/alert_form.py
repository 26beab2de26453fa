"""The form of one alert: its name, its switch, how it goes out, for what and how often."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QSignalBlocker, Signal
from PySide6.QtWidgets import (
    QCheckBox,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from nightly_spindle.core.alerts.alerts import (
    GROUPS,
    Alert,
    AlertKind,
    MailOptions,
    When,
    alert_sentence,
    check_alert,
)
from nightly_spindle.desk.kit.declared_form import DeclaredForm, typed_group
from nightly_spindle.desk.kit.fields import Field
from nightly_spindle.desk.kit.scrolled import scrolled

if TYPE_CHECKING:
    from collections.abc import Mapping

_NAMES: dict[AlertKind, Mapping[str, str]] = {
    AlertKind.MAIL: {
        "to": "To",
        "sender": "From",
        "server": "Mail server",
        "security": "Security",
        "user": "User name",
    },
    AlertKind.WEB: {"address": "Address", "alive_min": "All is well every"},
    AlertKind.COMMAND: {"program": "Program"},
}
_BLANK = {
    "to": "keeper@radio.example",
    "sender": "station@radio.example",
    "server": "mail.example:587",
    "user": "none needed",
    "address": "https://alerts.example/station",
    "program": "/usr/local/bin/ring --twice",
}
_WHEN = {
    "off_air": "Off the air",
    "silence": "Silence",
    "tone": "Only the station tone",
    "outputs": "An output is down",
    "net": "The safety net plays music",
    "after_s": "Lasting for",
    "quiet_min": "Not again for",
    "ends": "Tell when it is over, too",
    "morning": "Morning's report at",
}


@dataclass(frozen=True, slots=True)
class AlertDraft:
    """An alert as it is kept or typed; `password` is one that was typed and is not kept yet.

    `kept` says whether a password is kept for it.
    """

    alert: Alert
    kept: bool = False
    password: str = ""

    @property
    def id(self) -> int:
        """Its number, 0 while it is new."""
        return self.alert.id

    @property
    def name(self) -> str:
        """Its name."""
        return self.alert.name

    def sentence(self) -> str:
        """Return what it does."""
        options = self.alert.options
        said = alert_sentence(self.alert)
        if (
            isinstance(options, MailOptions)
            and options.user
            and not self.kept | bool(self.password)
        ):
            said += " Its password is not set yet."
        return said


class AlertForm(QWidget):
    """One alert as it is typed. Signal: `changed`."""

    changed = Signal()

    def __init__(self) -> None:
        super().__init__()
        self._draft: AlertDraft | None = None
        self.name = Field()
        self.name.setAccessibleName("Name of the alert")
        self.on = QCheckBox("On")
        self.on.setToolTip("Whether it is sent at all")
        self.password = QLineEdit()
        self.password.setEchoMode(QLineEdit.EchoMode.Password)
        self.password.setAccessibleName("Password of the mail server")
        self.password.setToolTip(
            "Kept in the desktop's secret store, or in a file only you can read"
        )
        self.secret = QLabel("Password")
        self.secret.setProperty("role", "muted")
        self.forms: dict[AlertKind, DeclaredForm] = {}
        self._stack = QStackedWidget()
        for kind, group in GROUPS.items():
            form = DeclaredForm(group, _NAMES[kind], _BLANK)
            form.changed.connect(self.changed)
            self.forms[kind] = form
            self._stack.addWidget(form)
        self.when = DeclaredForm(When, _WHEN, {"morning": "07:00, or never"})
        self.when.changed.connect(self.changed)
        self.name.textEdited.connect(self.changed)
        self.password.textEdited.connect(self.changed)
        self.on.toggled.connect(self.changed)
        sent = QLabel("Sent for")
        sent.setProperty("role", "muted")
        parts = QWidget()
        inner = QVBoxLayout(parts)
        inner.setContentsMargins(0, 0, 0, 0)
        inner.setSpacing(5)
        secret = QHBoxLayout()
        secret.setContentsMargins(0, 0, 4, 0)
        secret.setSpacing(11)
        secret.addWidget(self.secret)
        secret.addWidget(self.password, 1)
        self.secret.setMinimumWidth(
            self.forms[AlertKind.MAIL].captions["server"].sizeHint().width()
        )
        inner.addWidget(self._stack)
        inner.addLayout(secret)
        inner.addWidget(sent)
        inner.addWidget(self.when)
        inner.addStretch(1)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(5)
        box.addWidget(self.name)
        box.addWidget(self.on)
        box.addWidget(scrolled(parts), 1)

    def show_draft(self, draft: AlertDraft) -> None:
        """Show an alert."""
        self._draft = draft
        alert = draft.alert
        with QSignalBlocker(self):
            self.name.setText(alert.name)
            self.on.setChecked(alert.on)
            self.password.setText(draft.password)
            self.password.setPlaceholderText("kept; type to change it" if draft.kept else "not set")
            mail = alert.kind is AlertKind.MAIL
            self.password.setVisible(mail)
            self.secret.setVisible(mail)
            form = self.forms[alert.kind]
            form.show_values(alert.options)
            self.when.show_values(alert.when)
            self._stack.setCurrentWidget(form)
            # a stack is as high as its highest page: the others would push what follows down
            self._stack.setFixedHeight(form.sizeHint().height())

    def typed(self) -> AlertDraft:
        """Return the alert as it is typed; SettingRefused says what cannot be."""
        assert self._draft is not None
        was = self._draft.alert
        options: Any = typed_group(was.options, self.forms[was.kind].texts())
        made = replace(
            was,
            name=" ".join(self.name.text().split()),
            options=options,
            when=typed_group(was.when, self.when.texts()),
            on=self.on.isChecked(),
        )
        check_alert(made)
        return replace(self._draft, alert=made, password=self.password.text())
