"""Alarms as notifications of the desktop (freedesktop.org, Desktop Notifications 1.2).

Sent by a thread of its own: a bus that hangs holds up nothing. Where there is no session bus, or
nobody on it shows notifications, nothing is said.
"""

from __future__ import annotations

import logging
import queue
import threading

from nightly_spindle.desk.session.media_player import session_bus

_log = logging.getLogger(__name__)
_PATIENCE_S = 5.0
_CRITICAL = 2  # of the hint `urgency`: it stays until it is seen
_SERVER_CHOOSES = -1


class Notices:
    """Shows notifications until `close`."""

    def __init__(self, name: str, desktop_entry: str) -> None:
        self._name, self._entry = name, desktop_entry
        self._queue: queue.SimpleQueue[tuple[str, str] | None] = queue.SimpleQueue()
        self._thread: threading.Thread | None = None

    def show(self, summary: str, body: str) -> None:
        """Show one. Returns at once."""
        if not session_bus():
            return
        if self._thread is None:
            self._thread = threading.Thread(target=self._run, name="notices", daemon=True)
            self._thread.start()
        self._queue.put((summary, body))

    def close(self) -> None:
        """Show no more."""
        if self._thread is not None:
            self._queue.put(None)
            self._thread = None

    def _run(self) -> None:
        while (one := self._queue.get()) is not None:
            try:
                self._send(*one)
            except (OSError, KeyError, ValueError) as error:  # a refused sign-in is a ValueError
                _log.info("nobody shows notifications: %s", error)

    def _send(self, summary: str, body: str) -> None:
        from jeepney import DBusAddress, new_method_call
        from jeepney.io.blocking import open_dbus_connection

        server = DBusAddress(
            "/org/freedesktop/Notifications",
            "org.freedesktop.Notifications",
            "org.freedesktop.Notifications",
        )
        hints: dict[str, tuple[str, object]] = {
            "urgency": ("y", _CRITICAL),
            "desktop-entry": ("s", self._entry),
        }
        told: tuple[object, ...] = (
            self._name,
            0,
            self._entry,
            summary,
            body,
            [],
            hints,
            _SERVER_CHOOSES,
        )
        with open_dbus_connection(bus="SESSION") as connection:
            connection.send_and_get_reply(
                new_method_call(server, "Notify", "susssasa{sv}i", told), timeout=_PATIENCE_S
            )
