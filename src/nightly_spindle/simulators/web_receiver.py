"""A simulated web address that takes JSON by POST and keeps it, or fails as real ones do."""

from __future__ import annotations

import json
import threading
import time
from enum import StrEnum
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from collections.abc import Callable

_HANGS_S = 120.0
_LONGEST = 1 << 20


class WebFault(StrEnum):
    """What it does wrong."""

    NONE = "none"
    NO_ANSWER = "no answer"
    REFUSES = "refuses"
    LEADS_ELSEWHERE = "leads elsewhere"


class WebReceiver:
    """Takes POST at `url`; `fault` may be changed while it runs."""

    def __init__(
        self,
        fault: WebFault = WebFault.NONE,
        port: int = 0,
        told: Callable[[dict[str, Any]], None] = lambda _: None,
    ) -> None:
        self.fault = fault
        self.taken: list[dict[str, Any]] = []
        self.asked: list[str] = []
        receiver = self

        class Handler(BaseHTTPRequestHandler):
            def do_POST(self) -> None:
                receiver.asked.append(self.path)
                body = self.rfile.read(min(_LONGEST, int(self.headers.get("Content-Length", 0))))
                if receiver.fault is WebFault.NO_ANSWER:
                    time.sleep(_HANGS_S)
                    return
                if receiver.fault is WebFault.LEADS_ELSEWHERE:
                    self.send_response(307)
                    self.send_header("Location", "/elsewhere")
                else:
                    self.send_response(503 if receiver.fault is WebFault.REFUSES else 200)
                    if receiver.fault is WebFault.NONE:
                        receiver.taken.append(json.loads(body))
                        told(receiver.taken[-1])
                self.send_header("Content-Length", "0")
                self.end_headers()

            def log_message(self, *args: Any) -> None:
                """Say nothing: it is a stand-in."""

        self._server = ThreadingHTTPServer(("127.0.0.1", port), Handler)
        self._server.daemon_threads = True

    @property
    def url(self) -> str:
        """Where it takes requests."""
        return f"http://127.0.0.1:{self._server.server_address[1]}/station"

    def start(self) -> WebReceiver:
        """Serve from a thread."""
        threading.Thread(target=self._server.serve_forever, daemon=True, name="web").start()
        return self

    def stop(self) -> None:
        """Serve no more."""
        self._server.shutdown()
        self._server.server_close()
