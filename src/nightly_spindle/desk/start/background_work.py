"""One thing at a time off the interface thread, for windows that have no station yet."""

from __future__ import annotations

import logging
import threading
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QObject, Signal

from nightly_spindle.core.base.errors import NightlySpindleError

if TYPE_CHECKING:
    from collections.abc import Callable

_LOG = logging.getLogger(__name__)


class BackgroundWork(QObject):
    """Runs functions in threads; their answers, or why there is none, come back on this one."""

    _done = Signal(object, object)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._done.connect(lambda then, answer: then(answer))

    def do(
        self,
        what: Callable[[], Any],
        then: Callable[[Any], None],
        failed: Callable[[str], None],
    ) -> None:
        """Run `what`; `then` gets its answer, or `failed` a sentence."""

        def work() -> None:
            try:
                answer, told = what(), then
            except NightlySpindleError as error:
                said = str(error)
                answer, told = f"{said[:1].upper()}{said[1:]}.", failed
            except Exception as error:  # noqa: BLE001 - the edge of the thread: told
                _LOG.exception("it could not be done")
                answer, told = f"That did not work ({type(error).__name__}: {error}).", failed
            try:
                self._done.emit(told, answer)
            except RuntimeError:  # the window was closed meanwhile
                return

        threading.Thread(target=work, name="work", daemon=True).start()
