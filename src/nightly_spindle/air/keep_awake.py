"""Keeping the computer awake while the station is on air, by an inhibitor of logind.

The inhibitor is a file descriptor: the computer may sleep again when it is closed, by us or because
this process ended (systemd.inhibit interface, org.freedesktop.login1). Where no logind runs nothing
puts the computer to sleep by itself either, as far as can be known.
"""

from __future__ import annotations

import logging
import threading
from typing import TYPE_CHECKING, Any

from nightly_spindle.core.base.findings import Severity

if TYPE_CHECKING:
    from collections.abc import Callable

_log = logging.getLogger(__name__)
_PATIENCE_S = 10.0
_AGAIN_S = 300.0  # after logind refused, or was not to be asked


class Inhibitor:
    """Holds the computer awake from `take` to `release`."""

    def __init__(self, name: str) -> None:
        self._name = name
        self._held: Any = None

    def take(self) -> str:
        """Ask logind; returns why it refused, empty where it holds or where there is none."""
        from jeepney import DBusAddress, HeaderFields, MessageType, new_method_call
        from jeepney.io.blocking import open_dbus_connection

        manager = DBusAddress(
            "/org/freedesktop/login1", "org.freedesktop.login1", "org.freedesktop.login1.Manager"
        )
        asked = ("sleep:idle", "Nightly Spindle", f"{self._name} is on air", "block")
        try:
            with open_dbus_connection(bus="SYSTEM", enable_fds=True) as connection:
                answer = connection.send_and_get_reply(
                    new_method_call(manager, "Inhibit", "ssss", asked), timeout=_PATIENCE_S
                )
        except (OSError, KeyError, ValueError) as error:  # a refused sign-in is a ValueError
            _log.info("nobody keeps the computer awake: %s", error)
            return ""
        if answer.header.message_type is MessageType.error:
            name = str(answer.header.fields.get(HeaderFields.error_name, ""))
            if name.endswith((".ServiceUnknown", ".NameHasNoOwner")):
                return ""
            return str(answer.body[0]) if answer.body else name
        self._held = answer.body[0]
        _log.info("the computer is kept awake while the station is on air")
        return ""

    @property
    def holds(self) -> bool:
        """Whether the computer is held awake."""
        return self._held is not None

    def release(self) -> None:
        """Let the computer sleep again."""
        held, self._held = self._held, None
        if held is not None:
            held.close()


def keep_awake(
    name: str,
    tell: Callable[[str, str, str, Severity], None],
    leaving: threading.Event,
) -> None:
    """Have a thread keep the computer awake until `leaving` is set; a refusal is told once."""

    def run() -> None:
        inhibitor, told = Inhibitor(name), False
        while not leaving.is_set():
            refused = inhibitor.take()
            if inhibitor.holds:
                leaving.wait()
            elif refused and not told:
                told = True
                code = "may-sleep"
                tell(
                    code,
                    f"The computer may go to sleep while the station is on air: {refused}.",
                    "Switch sleeping off in the computer's power settings.",
                    Severity.WARNING,
                )
            leaving.wait(_AGAIN_S)
        inhibitor.release()

    threading.Thread(target=run, name="keep-awake", daemon=True).start()
