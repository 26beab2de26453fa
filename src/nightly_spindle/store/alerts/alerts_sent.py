"""What came of each alert last: a small file that the desk looks at."""

from __future__ import annotations

import json
import logging
import threading
import time
from typing import TYPE_CHECKING, Any

from nightly_spindle.core.base.errors import StorageFault
from nightly_spindle.core.base.plain_files import read_plain, replace_file

if TYPE_CHECKING:
    from pathlib import Path

SENT = "alerts-sent.json"
_log = logging.getLogger(__name__)


class Sent:
    """Notes what was sent; from any thread."""

    def __init__(self, folder: Path) -> None:
        self._path = folder / SENT
        self._lock = threading.Lock()
        self._known = read_sent(folder)

    def note(self, alert: int, subject: str, problem: str) -> None:
        """Note that a message was sent, or why it could not be. A full disk is only logged."""
        with self._lock:
            known = self._known.get(alert, {})
            self._known[alert] = known | {
                "at_us": time.time_ns() // 1000,
                "subject": subject,
                "problem": problem,
            }
            self._write()

    def reported(self, alert: int) -> str:
        """Return the day (ISO) of the last morning's report of an alert, empty for none."""
        return str(self._known.get(alert, {}).get("morning", ""))

    def note_report(self, alert: int, day: str) -> None:
        """Note that the report of a day (ISO) has been given out, so that it is not given twice."""
        with self._lock:
            blank = {"at_us": time.time_ns() // 1000, "subject": "", "problem": ""}
            self._known[alert] = blank | self._known.get(alert, {}) | {"morning": day}
            self._write()

    def _write(self) -> None:
        text = {str(number): one for number, one in self._known.items()}
        try:
            replace_file(self._path, json.dumps(text, ensure_ascii=False))
        except StorageFault as error:
            _log.warning("%s", error)


def read_sent(folder: Path) -> dict[int, dict[str, Any]]:
    """Return what came of each alert last: `at_us`, `subject`, `problem` (empty where sent)."""
    try:
        found = json.loads(read_plain(folder / SENT))
    except FileNotFoundError:
        return {}
    except (OSError, ValueError) as error:
        _log.warning("%s cannot be read: %s", folder / SENT, error)
        return {}
    if not isinstance(found, dict):
        return {}
    wanted = {"at_us": int, "subject": str, "problem": str}
    return {
        int(number): one
        for number, one in found.items()
        if number.isdecimal()
        and isinstance(one, dict)
        and all(isinstance(one.get(name), kind) for name, kind in wanted.items())
    }
