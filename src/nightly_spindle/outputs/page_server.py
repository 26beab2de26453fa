"""Serving the station's page: a few files of one folder, to be read and nothing else."""

from __future__ import annotations

import threading
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from typing import TYPE_CHECKING, Any
from urllib.parse import urlsplit

from nightly_spindle.core.base.plain_files import read_plain
from nightly_spindle.core.outputs.web_page import content_policy

if TYPE_CHECKING:
    from pathlib import Path

FILES = {
    "/": ("index.html", "text/html; charset=utf-8"),
    "/index.html": ("index.html", "text/html; charset=utf-8"),
    "/now.json": ("now.json", "application/json"),
    "/now.txt": ("now.txt", "text/plain; charset=utf-8"),
    "/recent.json": ("recent.json", "application/json"),
}
_LONGEST_WAIT_S = 10.0


class PageServer:
    """Serves the files of a folder at an address; OSError where it cannot listen there."""

    def __init__(self, folder: Path, host: str, port: int) -> None:
        self._http = _Server((host, port), folder)
        self._thread = threading.Thread(
            target=self._http.serve_forever, args=(0.2,), name="page-server", daemon=True
        )
        self._thread.start()

    @property
    def port(self) -> int:
        """Where it listens."""
        return int(self._http.server_address[1])

    def stop(self) -> None:
        """End."""
        self._http.shutdown()
        self._http.server_close()


class _Server(ThreadingHTTPServer):
    daemon_threads = True
    allow_reuse_address = True

    def __init__(self, address: tuple[str, int], folder: Path) -> None:
        self.folder = folder
        super().__init__(address, _Handler)

    def handle_error(self, request: Any, client_address: Any) -> None:
        """A reader that went away is nothing to tell of."""


class _Handler(BaseHTTPRequestHandler):
    server: _Server
    timeout = _LONGEST_WAIT_S
    server_version = "page"
    sys_version = ""

    def do_GET(self) -> None:
        self._answer(with_body=True)

    def do_HEAD(self) -> None:
        self._answer(with_body=False)

    def _answer(self, *, with_body: bool) -> None:
        found = FILES.get(urlsplit(self.path).path)
        body = b""
        if found is not None:
            try:
                body = read_plain(self.server.folder / found[0])
            except OSError:
                found = None
        if found is None:
            self.send_error(404, "no such page")
            return
        self.send_response(200)
        self.send_header("Content-Type", found[1])
        self.send_header("Content-Length", str(len(body)))
        self.send_header("Cache-Control", "no-store")
        self.send_header("X-Content-Type-Options", "nosniff")
        self.send_header("Content-Security-Policy", content_policy())
        self.send_header("Access-Control-Allow-Origin", "*")  # now.json is for other pages too
        self.end_headers()
        if with_body:
            self.wfile.write(body)

    def log_message(self, *args: Any) -> None:
        """Say nothing: who reads the page is nobody's business."""
