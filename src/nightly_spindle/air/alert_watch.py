"""Watches a station's air and has alerts sent: a process of its own beside the engine.

It asks the engine every few seconds, as a desk does, so that a dead engine is seen as well. Each
alert is sent by a thread of its own: a mail server that does not answer holds up no other.
"""

from __future__ import annotations

import logging
import os
import queue
import signal
import sys
import threading
import time
from contextlib import closing
from datetime import datetime, timedelta
from typing import TYPE_CHECKING, Any

from nightly_spindle.air.alerts_place import LOCK
from nightly_spindle.air.client import ask
from nightly_spindle.air.messages import State
from nightly_spindle.air.places import engine_pid, was_told_to_leave
from nightly_spindle.core.alerts.alert_texts import alive_values, morning_values, values
from nightly_spindle.core.alerts.alert_turns import AlertTurns
from nightly_spindle.core.alerts.alerts import WebOptions, report_time
from nightly_spindle.core.alerts.troubles import Heard, troubles_of, with_cause
from nightly_spindle.core.base.errors import EnvironmentFault, LockHeld, NightlySpindleError
from nightly_spindle.core.base.findings import Severity
from nightly_spindle.core.base.timebase import US, local_from
from nightly_spindle.core.reports.morning import CAUSES
from nightly_spindle.core.reports.morning_text import morning_text
from nightly_spindle.outputs.alert_sending import post, send
from nightly_spindle.store.alerts.alerts import read_alerts
from nightly_spindle.store.alerts.alerts_sent import Sent
from nightly_spindle.store.base.database import connect
from nightly_spindle.store.base.lock import Lock
from nightly_spindle.store.base.messages import begin_messages
from nightly_spindle.store.base.station_folder import read_settings
from nightly_spindle.store.outputs.passwords import alert_owner, password_of
from nightly_spindle.store.playout.journal import alarms_between
from nightly_spindle.store.reports.night_past import read_morning, since_the_handover

if TYPE_CHECKING:
    from collections.abc import Sequence
    from pathlib import Path

    from nightly_spindle.core.alerts.alerts import Alert
    from nightly_spindle.core.alerts.troubles import Trouble
    from nightly_spindle.core.station.settings import StationSettings

_LOOK_S = 2.0
_READ_S = 10.0  # until the alerts are read again
_ASK_S = 5.0
_DEAF_S = 60.0  # an engine that does not answer for so long is off the air
_CAUSE_S = 180.0  # an alarm so long before a trouble can be its cause
_AGAIN_S = (15.0, 30.0, 60.0, 120.0, 300.0)  # until what could not be sent is tried again
_REPORT_LATE = timedelta(hours=6)  # a morning's report that is later than that waits for tomorrow
_OLD_S = 12 * 3600.0  # what could not be sent for so long is given up
_log = logging.getLogger(__name__)


class _Sender:
    """Sends the messages of one alert in their order, each again until it is taken."""

    def __init__(self, folder: Path, alert: Alert, sent: Sent) -> None:
        self.alert = alert
        self._folder, self._sent = folder, sent
        self._queue: queue.SimpleQueue[dict[str, Any] | None] = queue.SimpleQueue()
        self._ending = threading.Event()
        threading.Thread(target=self._run, name=f"alert {alert.id}", daemon=True).start()

    def put(self, message: dict[str, Any]) -> None:
        """Have a message sent."""
        self._queue.put(message)

    def end(self) -> None:
        """Send nothing more."""
        self._ending.set()
        self._queue.put(None)

    def _run(self) -> None:
        while (message := self._queue.get()) is not None and not self._ending.is_set():
            begun, tries = time.monotonic(), 0
            while not self._try(message):
                if time.monotonic() - begun > _OLD_S:
                    _log.error("the alert “%s” is given up after 12 h", self.alert.name)
                    break
                if self._ending.wait(_AGAIN_S[min(tries, len(_AGAIN_S) - 1)]):
                    return
                tries += 1

    def _try(self, message: dict[str, Any]) -> bool:
        name = self.alert.name
        try:
            send(self.alert, message, password_of(self._folder, alert_owner(self.alert.id)))
        except NightlySpindleError as error:
            _log.warning("the alert “%s” could not be sent: %s", name, error)
            self._sent.note(self.alert.id, str(message["subject"]), str(error))
            return False
        except Exception as error:  # noqa: BLE001 - the edge of the thread: told, tried again
            _log.exception("the alert “%s” could not be sent", name)
            said = f"that did not work ({type(error).__name__}: {error})"
            self._sent.note(self.alert.id, str(message["subject"]), said)
            return False
        _log.info("the alert “%s” was sent: %s", name, message["subject"])
        self._sent.note(self.alert.id, str(message["subject"]), "")
        return True


class AlertWatch:
    """Looks at one station until it is told to leave."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder
        self._leaving = threading.Event()
        self._sent = Sent(folder)
        self._alerts: dict[int, tuple[Alert, AlertTurns, _Sender]] = {}
        self._settings: StationSettings | None = None
        self._read_at = float("-inf")
        self._unread = ""  # why the alerts could not be read last
        self._answered_at = time.monotonic()
        self._alive_at: dict[int, float] = {}

    def leave(self) -> None:
        """End soon."""
        self._leaving.set()

    def run(self) -> None:
        """Look every few seconds. Blocks."""
        while not self._leaving.wait(_LOOK_S):
            try:
                self._look()
            except (NightlySpindleError, OSError) as error:  # looked at again
                _log.warning("the air could not be looked at: %s", error)
            except Exception:  # noqa: BLE001 - the edge of one look: it goes on
                _log.exception("the air could not be looked at")
        for _, _, sender in self._alerts.values():
            sender.end()

    def _look(self) -> None:
        if time.monotonic() - self._read_at >= _READ_S:
            self._read_at = time.monotonic()
            try:
                self._read()
                self._unread = ""
            except (NightlySpindleError, OSError) as error:  # what was known goes on being sent
                if str(error) != self._unread:
                    _log.warning("the alerts cannot be read again: %s", error)
                self._unread = str(error)
        if not self._alerts or self._settings is None:
            return
        now_us = time.time_ns() // 1000
        found = self._troubles()
        if found is None:
            return
        tz, name = self._settings.tz, self._settings.name
        for alert, turns, sender in self._alerts.values():
            for message in turns.look(now_us, found):
                sender.put(values(name, message, tz))
            self._report(alert, sender, now_us)
            if not any(alert.when.wants(one.kind) for one in found):
                self._tell_alive(alert, alive_values(name, now_us, tz))

    def _report(self, alert: Alert, sender: _Sender, now_us: int) -> None:
        """Give the morning's report out once a day, also some hours late: the machine was off."""
        due, settings = report_time(alert.when), self._settings
        if due is None or settings is None:
            return
        local = local_from(now_us, settings.tz)
        late = local - datetime.combine(local.date(), due)
        day = local.date().isoformat()
        if not timedelta(0) <= late < _REPORT_LATE or self._sent.reported(alert.id) == day:
            return
        self._sent.note_report(alert.id, day)
        begin = since_the_handover(self._folder, now_us, settings.tz)
        found = read_morning(self._folder, begin, now_us)
        text = morning_text(found, settings.tz)
        sender.put(morning_values(settings.name, found.sentence, text, now_us, settings.tz))

    def _read(self) -> None:
        """Read the alerts again; one that was edited begins anew."""
        with closing(connect(self._folder)) as connection:
            known = {one.id: one for one in read_alerts(connection) if one.on}
        self._settings = read_settings(self._folder)
        for number, (alert, _, sender) in list(self._alerts.items()):
            if known.get(number) != alert:
                sender.end()
                del self._alerts[number]
        for number, alert in known.items():
            if number not in self._alerts:
                sender = _Sender(self._folder, alert, self._sent)
                self._alerts[number] = alert, AlertTurns(alert.when), sender

    def _troubles(self) -> Sequence[Trouble] | None:
        """Return what is wrong now; None where that cannot be told, or all is meant to be so."""
        if engine_pid(self._folder) is None:
            if was_told_to_leave(self._folder):
                return []
            return [self._with_cause(one) for one in troubles_of(None)]
        try:
            state = ask(self._folder, State(), _ASK_S)
        except EnvironmentFault:
            if time.monotonic() - self._answered_at < _DEAF_S:
                return None
            return [self._with_cause(one) for one in troubles_of(None)]
        self._answered_at = time.monotonic()
        sight, order = state.sight, state.state.order
        if sight is None:
            return None
        playing = order.playing
        heard = Heard(
            peak_db=max(sight.peak_db),
            playing=None if playing is None else playing.line.origin.source,
            waits=sight.stopped and not sight.unattended,
            outputs=sight.outputs,
            patience_s=0.0 if playing is None else playing.item.patience_s,
        )
        found = troubles_of(heard)
        return [self._with_cause(one) for one in found]

    def _with_cause(self, trouble: Trouble) -> Trouble:
        """Return a trouble with the last alarm that can be why; without where none can be read."""
        now_us = time.time_ns() // 1000
        try:
            with closing(connect(self._folder)) as connection:
                alarms = alarms_between(connection, now_us - int(_CAUSE_S * US), now_us + US)
        except (NightlySpindleError, OSError):
            return trouble
        whys = [one for one in alarms if one.code in CAUSES and one.severity == str(Severity.ALARM)]
        return with_cause(trouble, whys[-1].text, whys[-1].mend) if whys else trouble

    def _tell_alive(self, alert: Alert, message: dict[str, Any]) -> None:
        """Tell a web address that all is well: that it is not told is what the other end sees."""
        options = alert.options
        if not isinstance(options, WebOptions) or not options.alive_min:
            return
        now = time.monotonic()
        if now - self._alive_at.get(alert.id, float("-inf")) < options.alive_min * 60:
            return
        self._alive_at[alert.id] = now

        def tell() -> None:
            try:
                post(options, message)
            except NightlySpindleError as error:
                _log.warning("“%s” could not be told that all is well: %s", alert.name, error)
                self._sent.note(alert.id, "all is well", str(error))

        threading.Thread(target=tell, name="alive", daemon=True).start()


def serve(folder: Path, *, with_parent: bool) -> int:
    """Send a station's alerts as a process; `with_parent` ends it with its standard input."""
    begin_messages(folder, "alerts")
    lock = Lock(folder / LOCK)
    try:
        lock.take()
    except LockHeld as error:
        raise EnvironmentFault(
            f"the alerts of {folder} are sent already (process {error})"
        ) from error
    watch = AlertWatch(folder)
    for number in (signal.SIGTERM, signal.SIGINT):
        signal.signal(number, lambda *_: os._exit(0))  # what waits to be sent is lost
    if with_parent:

        def follow() -> None:
            while os.read(sys.stdin.fileno(), 1024):
                pass
            watch.leave()

        threading.Thread(target=follow, name="parent", daemon=True).start()
    watch.run()
    lock.release()
    return 0
