"""Titles told to the server, for codecs that cannot carry them: the request that servers take.

Common practice, no source: `GET /admin/metadata` with `mode=updinfo`, the stream's path as `mount`
and the text as `song`, in UTF-8, signed in as the source. A thread of its own does it, so that a
server that does not answer holds nothing up; only the newest title waits.
"""

from __future__ import annotations

import http.client
import logging
import queue
import ssl
import threading
from typing import TYPE_CHECKING
from urllib.parse import urlencode

from nightly_spindle import __version__
from nightly_spindle.core.outputs.outputs import address_parts
from nightly_spindle.core.outputs.stream_codecs import FACTS
from nightly_spindle.outputs.source_connection import authorisation

if TYPE_CHECKING:
    from nightly_spindle.core.outputs.outputs import StreamOptions

_ANSWER_S = 5.0
_log = logging.getLogger(__name__)


class TitleRequests:
    """Tells a server what is on; does nothing for streams that carry their titles."""

    def __init__(self, options: StreamOptions, password: str) -> None:
        self._options, self._password = options, password
        self._wanted: queue.Queue[str | None] = queue.Queue()
        self._thread: threading.Thread | None = None
        self.problem = ""
        if options.titles and not FACTS[options.codec].in_band:
            self._thread = threading.Thread(target=self._run, name="titles", daemon=True)
            self._thread.start()

    def tell(self, text: str) -> None:
        """Have players shown this from now on."""
        if self._thread is not None:
            self._wanted.put(text)

    def close(self) -> None:
        """Tell nothing more."""
        if self._thread is not None:
            self._wanted.put(None)

    def _run(self) -> None:
        while True:
            text = self._wanted.get()
            while text is not None and not self._wanted.empty():  # only the newest counts
                text = self._wanted.get()
            if text is None:
                return
            problem = ""
            try:
                self._ask(text)
            except (OSError, http.client.HTTPException, ValueError) as error:
                problem = f"titles are not taken: {error}"
            if problem and problem != self.problem:
                _log.warning("%s: %s", self._options.address, problem)
            self.problem = problem

    def _ask(self, text: str) -> None:
        parts = address_parts(self._options.address)
        secure = parts.scheme == "https"
        if secure:
            context = ssl.create_default_context(cafile=self._options.authority or None)
            made: http.client.HTTPConnection = http.client.HTTPSConnection(
                parts.hostname or "", parts.port or 443, timeout=_ANSWER_S, context=context
            )
        else:
            made = http.client.HTTPConnection(
                parts.hostname or "", parts.port or 80, timeout=_ANSWER_S
            )
        query = {"mode": "updinfo", "mount": parts.path, "charset": "UTF-8", "song": text}
        headers = {
            "Authorization": authorisation(self._options.user, self._password),
            "User-Agent": f"nightly-spindle/{__version__}",
        }
        try:
            made.request("GET", f"/admin/metadata?{urlencode(query)}", headers=headers)
            answer = made.getresponse()
            answer.read(4096)
            if answer.status >= 300:
                raise OSError(f"the server answers {answer.status} {answer.reason}")
        finally:
            made.close()
