"""The page of alerts: who is told of troubles, how, what came of it last."""

from __future__ import annotations

import logging
import threading
import time
from contextlib import closing
from dataclasses import dataclass, replace
from functools import partial
from typing import TYPE_CHECKING, Any
from zoneinfo import ZoneInfo

from PySide6.QtCore import QTimer, Signal
from PySide6.QtWidgets import QHBoxLayout, QLabel

from nightly_spindle.core.alerts.alert_texts import trial, values
from nightly_spindle.core.alerts.alerts import (
    Alert,
    AlertKind,
    CommandOptions,
    MailOptions,
    WebOptions,
    alert_sentence,
    renamed,
)
from nightly_spindle.core.base.errors import OutputFault
from nightly_spindle.core.base.timebase import short_date
from nightly_spindle.desk.kit.buttons import push_button
from nightly_spindle.desk.kit.kept_page import KeptPage
from nightly_spindle.desk.kit.row_view import RowView
from nightly_spindle.desk.kit.table_layout import Column, TableLayout
from nightly_spindle.desk.station.alert_form import AlertDraft, AlertForm
from nightly_spindle.outputs.alert_sending import send
from nightly_spindle.store.alerts.alerts import read_alerts
from nightly_spindle.store.alerts.alerts_sent import read_sent
from nightly_spindle.store.base.database import connect
from nightly_spindle.store.outputs.passwords import (
    alert_owner,
    forget_password,
    password_of,
    set_password,
)
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
_LOOK_MS = 3000
_NOBODY = "Nobody is told when the station falls silent at night. Make an alert, and try it."


@dataclass(frozen=True, slots=True)
class _AlertRow:
    """An alert and what came of it last."""

    alert: Alert
    last: dict[str, Any] | None
    tz: ZoneInfo


def _last(row: _AlertRow) -> str:
    if row.last is None or not row.last["subject"]:
        return "nothing yet"
    when = short_date(row.last["at_us"], row.tz)
    if row.last["problem"]:
        return f"not sent {when}: {row.last['problem']}"
    return f"sent {when}: {row.last['subject']}"


def _ink(row: _AlertRow) -> Ink:
    if not row.alert.on:
        return "muted"
    return "alarm" if row.last is not None and row.last["problem"] else "text"


_ALERTS: TableLayout[_AlertRow] = TableLayout(
    "Alerts",
    (
        Column("Alert", 150, lambda r: r.alert.name, ink=_ink),
        Column("Kind", 90, lambda r: str(r.alert.kind), ink=_ink),
        Column("Last", 300, _last, wide=True, ink=_ink),
    ),
    tip=lambda r: f"{alert_sentence(r.alert)}\n{_last(r)}",
)
_NEW = {
    AlertKind.MAIL: ("New mail", Alert(0, "Mail", MailOptions())),
    AlertKind.WEB: ("New web address", Alert(0, "Web address", WebOptions())),
    AlertKind.COMMAND: ("New command", Alert(0, "Command", CommandOptions())),
}


class AlertsPage(KeptPage):
    """Lists, edits and tries alerts."""

    noun = "alert"
    empty = "Choose an alert, or make one."
    _tried = Signal(str)

    def __init__(
        self,
        shelf: LibraryWorker,
        undo: QUndoStack,
        settings: StationSettings,
        palette: Palette,
    ) -> None:
        self.editor = AlertForm()
        # made first: the page reads back what is typed as soon as it has a form
        self.attempt = push_button(
            "Try it", "Send a trial to whoever is told, as it is typed here", self.try_shown
        )
        super().__init__(shelf, undo, RowView(_ALERTS, palette), self.editor, 380)
        self._settings = settings
        self._drafts: list[AlertDraft] = []
        self._sent: dict[int, dict[str, Any]] = {}
        self.told = QLabel("")
        self.told.setProperty("role", "name")
        self.told.setWordWrap(True)
        self.told.setAccessibleName("Whether anybody is told of troubles")
        self.result = QLabel("")
        self.result.setWordWrap(True)
        self.result.setAccessibleName("What came of the try")
        self._tried.connect(self._on_tried)
        tools = QHBoxLayout()
        self.new = {}
        for kind, (text, first) in _NEW.items():
            button = push_button(text, f"Tell somebody by {kind}", partial(self.make, first))
            self.new[kind] = button
            tools.addWidget(button)
        tools.addSpacing(10)
        tools.addWidget(self.told, 1)
        self.frame(tools)
        layout = self.panel.layout()
        assert layout is not None
        layout.addWidget(self.attempt)
        layout.addWidget(self.result)
        shelf.changed.connect(self.refresh)
        self._look = QTimer(self)
        self._look.setInterval(_LOOK_MS)
        self._look.timeout.connect(self._look_again)
        self._look.start()

    def set_palette(self, palette: Palette) -> None:
        """Paint in other colours."""
        self.table.set_palette(palette)

    # -- showing -----------------------------------------------------------------------------------

    def _look_again(self) -> None:
        """Look what came of the alerts; only that is read, as secret stores may be slow."""
        if self.isVisible():
            folder = self._shelf.folder
            self._shelf.look(lambda _: read_sent(folder), self._on_sent, "alerts sent")

    def _on_sent(self, sent: dict[int, dict[str, Any]]) -> None:
        if self.told.text():
            self._show((self._drafts, sent))

    def refresh(self) -> None:
        """Read the alerts anew, and what came of them; what is being edited stays."""
        folder = self._shelf.folder

        def read(_: object) -> tuple[list[AlertDraft], dict[int, dict[str, Any]]]:
            with closing(connect(folder)) as connection:
                alerts = read_alerts(connection)
            drafts = [
                AlertDraft(
                    one,
                    one.kind is AlertKind.MAIL
                    and password_of(folder, alert_owner(one.id)) is not None,
                )
                for one in alerts
            ]
            return drafts, read_sent(folder)

        self._shelf.look(read, self._show, "alerts")

    def _show(self, found: tuple[list[AlertDraft], dict[int, dict[str, Any]]]) -> None:
        if found == (self._drafts, self._sent) and self.told.text():
            return
        self._drafts, self._sent = found
        tz = self._settings.tz
        self.table.show_rows(
            [_AlertRow(one.alert, self._sent.get(one.id), tz) for one in self._drafts]
        )
        on = [one.name for one in self._drafts if one.alert.on]
        self.told.setText(f"Told of troubles: {', '.join(on)}." if on else _NOBODY)
        self.show_things()

    # -- what a page says --------------------------------------------------------------------------

    def kept(self) -> Sequence[AlertDraft]:
        """Return the alerts in the order of the table."""
        return self._drafts

    def show_form(self, thing: AlertDraft) -> None:
        """Show an alert in the panel."""
        self._say("")
        self.editor.show_draft(thing)

    def read_form(self) -> AlertDraft:
        """Return the alert as it is typed."""
        return self.editor.typed()

    def troubles(self, thing: AlertDraft) -> list[str]:
        """Return what went wrong with an alert last."""
        last = self._sent.get(thing.id)
        problem = last["problem"] if last else ""
        return [f"It could not be sent: {problem}. It is tried again."] if problem else []

    def make(self, first: Alert) -> None:
        """Begin a new alert."""
        self.begin_new(AlertDraft(first))
        self.editor.name.setFocus()
        self.editor.name.selectAll()

    def renamed(self, thing: AlertDraft, name: str) -> AlertDraft:
        """Return an alert with another name."""
        return replace(thing, alert=renamed(thing.alert, name))

    def write(self, thing: AlertDraft) -> tuple[Callable[[Any], Any], Callable[[Any, Any], Any]]:
        """Return the edit that keeps an alert; its password is kept apart and cannot be undone."""
        folder = self._shelf.folder

        def do(library: LibraryTransaction) -> Any:
            number, before = editors.alerts.save_alert(library, thing.alert)
            if thing.password:
                set_password(folder, alert_owner(number), thing.password)
            elif not thing.id:
                forget_password(folder, alert_owner(number))  # of one that had its number before
            return before

        return do, editors.restore_alerts

    def take_out(self, thing: AlertDraft) -> tuple[Callable[[Any], Any], Callable[[Any, Any], Any]]:
        """Return the edit that removes an alert; its password stays, so that undo is whole."""

        def do(library: LibraryTransaction) -> Any:
            return editors.alerts.remove_alert(library, thing.id)

        return do, editors.restore_alerts

    def on_typed(self) -> None:
        """Read back what is typed."""
        super().on_typed()
        self.attempt.setVisible(self.shown is not None)

    # -- trying ------------------------------------------------------------------------------------

    def try_shown(self) -> None:
        """Send a trial as the alert is typed, beside."""
        thing = self.typed()
        if thing is None:
            return
        self.attempt.setEnabled(False)
        self._say("Sending …")
        folder = self._shelf.folder
        now_us = time.time_ns() // 1000
        message = values(self._settings.name, trial(now_us), self._settings.tz)

        def work() -> None:
            try:
                secret = thing.password or password_of(folder, alert_owner(thing.id))
                send(thing.alert, message, secret)
                said = "Sent. See that it came."
            except OutputFault as error:
                said = f"Not sent: {error}."
            except Exception as error:  # noqa: BLE001 - the edge of the thread: told
                _LOG.exception("the alert could not be tried")
                said = f"That did not work ({type(error).__name__}: {error})."
            self._tried.emit(said)

        threading.Thread(target=work, name="trying", daemon=True).start()

    def _on_tried(self, said: str) -> None:
        self.attempt.setEnabled(True)
        self._say(said)

    def _say(self, said: str) -> None:
        self.result.setText(said)
        self.result.setVisible(bool(said))
