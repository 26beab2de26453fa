"""A simulated streaming server: sources send to it, listeners hear it, and it fails on request.

It takes sources by PUT or SOURCE with a password, serves them to any number of listeners with or
without titles in the stream, counts these, and keeps the last seconds so that players start at
once. Nobody outside this machine can reach it: it listens at 127.0.0.1 only.
"""

from __future__ import annotations

import base64
import json
import ssl
import threading
import time
from collections import deque
from contextlib import suppress
from dataclasses import dataclass, field
from enum import StrEnum
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from typing import TYPE_CHECKING, Any
from urllib.parse import parse_qs, urlsplit

from nightly_spindle.outputs.source_connection import STANDIN
from nightly_spindle.simulators.ogg_pages import OggHeads, OggPages

if TYPE_CHECKING:
    from collections.abc import Iterator
    from pathlib import Path

STREAMING_PORT = 8135  # where the stand-in listens unless told otherwise
PASSWORD = "lantern"  # noqa: S105 - the stand-in's own, known to all
_KEPT_S = 15.0
_BURST_S = 2.0  # of the past, sent to a new listener at once
_STAYS_S = 10.0  # listeners are kept so long after their source has gone
_TITLES_EACH = 8192  # bytes of sound between two titles
_AT_ONCE = 4096


class ServerFault(StrEnum):
    """What the server does wrong."""

    NONE = "none"
    NO_ANSWER = "no answer"
    REFUSES = "refuses"
    TAKEN = "taken"
    FULL = "full"
    DROPS = "drops"
    TAKES_NOTHING = "takes nothing"
    SLOW = "slow"


@dataclass(slots=True)
class ServerManner:
    """How the server serves: its fault, and after how many seconds of a source it comes.

    `stays_s`: how long listeners are kept after their source has gone.
    """

    password: str = PASSWORD
    fault: ServerFault = ServerFault.NONE
    after_s: float = 0.0
    stays_s: float = _STAYS_S


@dataclass(frozen=True, slots=True)
class Piece:
    """Some bytes of a source: when they came, the Ogg headers they are under, what number."""

    at: float
    data: bytes
    head: bytes
    number: int


@dataclass(slots=True)
class Mount:
    """A stream under its path."""

    media_type: str
    told: dict[str, str]
    pieces: deque[Piece] = field(default_factory=deque)
    title: str = ""
    titles: list[tuple[float, str]] = field(default_factory=list)
    listeners: int = 0
    taken: int = 0  # bytes
    sources: int = 0  # how often a source came
    live: bool = False
    left: float = 0.0
    came: threading.Condition = field(default_factory=threading.Condition)


class StreamingServer:
    """Serves `http://127.0.0.1:PORT/`; `manner` may be changed while it runs.

    `certificate` is a file with certificate and key, for https.
    """

    def __init__(
        self, manner: ServerManner | None = None, port: int = 0, certificate: Path | None = None
    ) -> None:
        self.manner = manner or ServerManner()
        self.mounts: dict[str, Mount] = {}
        self.leaving = threading.Event()
        self._secure = certificate is not None
        self._http = _Server(("127.0.0.1", port), self)
        if certificate is not None:
            context = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
            context.load_cert_chain(certificate)
            self._http.socket = context.wrap_socket(self._http.socket, server_side=True)
        self._thread = threading.Thread(target=self._http.serve_forever, args=(0.05,), daemon=True)

    @property
    def port(self) -> int:
        """Where it listens."""
        return int(self._http.server_address[1])

    def url(self, path: str = "/live") -> str:
        """Return the address of a stream."""
        return f"http{'s' if self._secure else ''}://127.0.0.1:{self.port}{path}"

    def start(self) -> StreamingServer:
        """Serve from a thread; returns itself."""
        self._thread.start()
        return self

    def stop(self) -> None:
        """End; sources and listeners are cut off."""
        self.leaving.set()
        self._http.shutdown()
        self._http.cut_off()
        self._http.server_close()

    def seen(self) -> dict[str, Any]:
        """Return what there is, as its page says it."""
        return {
            path: {
                "live": mount.live,
                "type": mount.media_type,
                "name": mount.told.get("ice-name", ""),
                "title": mount.title,
                "listeners": mount.listeners,
                "bytes": mount.taken,
                "sources": mount.sources,
            }
            for path, mount in self.mounts.items()
        }

    # -- sources -----------------------------------------------------------------------------------

    def refusal(self, path: str, headers: Any) -> tuple[int, str] | None:
        """Return why a source may not begin, None where it may."""
        fault = self.manner.fault if self.manner.after_s <= 0 else ServerFault.NONE
        if fault is ServerFault.NO_ANSWER:
            self.leaving.wait(60.0)
        if fault is ServerFault.REFUSES:
            return 403, "not welcome"
        if fault is ServerFault.FULL:
            return 503, "too many sources"
        if not self.knows(headers.get("Authorization", "")):
            return 401, "who is that"
        mount = self.mounts.get(path)
        if fault is ServerFault.TAKEN or (mount is not None and mount.live):
            return 409, "in use"
        return None

    def knows(self, said: str) -> bool:
        """Return whether an authorisation holds the password."""
        kind, _, coded = said.partition(" ")
        with suppress(ValueError, UnicodeDecodeError):
            _, _, password = base64.b64decode(coded).decode().partition(":")
            return kind == "Basic" and password == self.manner.password
        return False

    def take_source(self, request: BaseHTTPRequestHandler, path: str) -> None:
        """Take what a source sends until it ends."""
        told = {name.casefold(): value for name, value in request.headers.items()}
        media_type = told.get("content-type", "audio/mpeg")
        mount = self.mounts.setdefault(path, Mount(media_type, told))
        mount.media_type, mount.told = media_type, told
        mount.sources += 1
        mount.live = True
        pages = OggPages() if media_type.endswith("/ogg") else None
        heads = OggHeads()
        begun = time.monotonic()
        try:
            while not self.leaving.is_set() and self._goes_on(begun):
                data = request.rfile.read1(_AT_ONCE)
                if not data:
                    return
                mount.taken += len(data)
                if pages is None:
                    self._put(mount, data, b"")
                    continue
                for page in pages.take(data):
                    heading = heads.follow(page)
                    self._put(mount, page.data, b"" if heading else heads.head)
        except (ConnectionError, ssl.SSLError, TimeoutError, ValueError):
            return  # the source has gone
        finally:
            mount.live, mount.left = False, time.monotonic()
            with mount.came:
                mount.came.notify_all()

    def _goes_on(self, begun: float) -> bool:
        """Do what the fault says; False ends the source."""
        while not self.leaving.is_set():
            fault = self.manner.fault
            if time.monotonic() - begun < self.manner.after_s:
                return True
            if fault is ServerFault.DROPS:
                return False
            if fault is ServerFault.SLOW:
                self.leaving.wait(0.5)
            if fault is not ServerFault.TAKES_NOTHING:
                return True
            self.leaving.wait(0.1)
        return False

    @staticmethod
    def _put(mount: Mount, data: bytes, head: bytes) -> None:
        with mount.came:
            now = time.monotonic()
            number = mount.pieces[-1].number + 1 if mount.pieces else 0
            mount.pieces.append(Piece(now, data, head, number))
            while mount.pieces and mount.pieces[0].at < now - _KEPT_S:
                mount.pieces.popleft()
            mount.came.notify_all()

    def set_title(self, path: str, title: str) -> bool:
        """Have listeners told a title; False where nothing is sent under that path."""
        mount = self.mounts.get(path)
        if mount is None or not mount.live:
            return False
        mount.title = title
        mount.titles.append((time.time(), title))
        return True

    # -- listeners ---------------------------------------------------------------------------------

    def listen(self, mount: Mount) -> Iterator[bytes]:
        """Give a listener the bytes of a stream for as long as there is any."""
        begun = time.monotonic() - _BURST_S
        last = -1
        under: bytes | None = None
        mount.listeners += 1
        try:
            while not self.leaving.is_set():
                with mount.came:
                    ready = [one for one in mount.pieces if one.number > last and one.at >= begun]
                    if not ready:
                        gone = (
                            not mount.live and time.monotonic() - mount.left > self.manner.stays_s
                        )
                        if gone:
                            return
                        mount.came.wait(0.2)
                        continue
                for piece in ready:
                    if under is None and piece.head:
                        yield piece.head  # came in the middle of a chain
                    under = piece.head or b"begun"
                    last = piece.number
                    yield piece.data
        finally:
            mount.listeners -= 1


class _Server(ThreadingHTTPServer):
    daemon_threads = True
    allow_reuse_address = True
    request_queue_size = 64

    def __init__(self, address: tuple[str, int], owner: StreamingServer) -> None:
        self.owner = owner
        self._open: set[Any] = set()
        super().__init__(address, _Handler)

    def process_request(self, request: Any, client_address: Any) -> None:
        self._open.add(request)
        super().process_request(request, client_address)

    def shutdown_request(self, request: Any) -> None:
        self._open.discard(request)
        super().shutdown_request(request)

    def cut_off(self) -> None:
        """Cut whoever is there off."""
        for request in list(self._open):
            with suppress(OSError):
                request.shutdown(2)

    def handle_error(self, request: Any, client_address: Any) -> None:
        """A line that broke is nothing to tell of: that is what it is for."""


class _Handler(BaseHTTPRequestHandler):
    server: _Server
    protocol_version = "HTTP/1.1"
    server_version = STANDIN

    def handle_expect_100(self) -> bool:
        if self._refused():
            return False
        self.send_response_only(100)
        self.send_header("Server", STANDIN)  # so that a source knows at once that nobody hears it
        self.end_headers()
        return True

    def do_PUT(self) -> None:
        if self.headers.get("Expect", "") or not self._refused():
            self.server.owner.take_source(self, self.path)
        self.close_connection = True

    def do_SOURCE(self) -> None:
        self.protocol_version = "HTTP/1.0"
        if not self._refused():
            self.send_response(200)
            self.end_headers()
            self.server.owner.take_source(self, self.path)
        self.close_connection = True

    def do_GET(self) -> None:
        self.close_connection = True
        parts = urlsplit(self.path)
        if parts.path == "/admin/metadata":
            self._set_title(parse_qs(parts.query))
        elif parts.path == "/":
            self._answer(200, json.dumps(self.server.owner.seen()), "application/json")
        else:
            self._listen(parts.path)

    def _refused(self) -> bool:
        why = self.server.owner.refusal(self.path, self.headers)
        if why is None:
            return False
        self.close_connection = True
        self._answer(why[0], why[1])
        return True

    def _answer(self, status: int, said: str, kind: str = "text/plain") -> None:
        body = said.encode()
        self.send_response(status, said if status >= 300 else None)
        if status == 401:
            self.send_header("WWW-Authenticate", 'Basic realm="sources", charset="UTF-8"')
        self.send_header("Content-Type", kind)
        self.send_header("Content-Length", str(len(body)))
        self.send_header("Connection", "close")
        self.end_headers()
        self.wfile.write(body)

    def _set_title(self, query: dict[str, list[str]]) -> None:
        if not self.server.owner.knows(self.headers.get("Authorization", "")):
            self._answer(401, "who is that")
            return
        path, title = query.get("mount", [""])[0], query.get("song", [""])[0]
        done = self.server.owner.set_title(path, title)
        self._answer(200 if done else 404, "told" if done else "nothing is sent there")

    def _listen(self, path: str) -> None:
        mount = self.server.owner.mounts.get(path)
        if mount is None or not (mount.live or mount.pieces):
            self._answer(404, "no such stream")
            return
        ogg = mount.media_type.endswith("/ogg")
        titled = not ogg and self.headers.get("Icy-MetaData", "") == "1"
        self.send_response(200)
        self.send_header("Content-Type", mount.media_type)
        self.send_header("icy-name", mount.told.get("ice-name", ""))
        if titled:
            self.send_header("icy-metaint", str(_TITLES_EACH))
        self.send_header("Connection", "close")
        self.end_headers()
        sound = self.server.owner.listen(mount)
        with suppress(ConnectionError, ssl.SSLError, TimeoutError):
            for data in _with_titles(sound, mount) if titled else sound:
                self.wfile.write(data)

    def log_message(self, *args: Any) -> None:
        """Say nothing: it is a stand-in."""


def _with_titles(sound: Iterator[bytes], mount: Mount) -> Iterator[bytes]:
    """Give the sound with a block of titles after every so many bytes, as players ask for it.

    Common practice, no source: one byte says how many times 16 bytes the block has, 0 where the
    title is as before.
    """
    left, told = _TITLES_EACH, None
    for data in sound:
        rest = data
        while len(rest) >= left:
            yield rest[:left]
            rest, left = rest[left:], _TITLES_EACH
            title = mount.title
            yield b"\0" if title == told else title_block(title)
            told = title
        left -= len(rest)
        if rest:
            yield rest


def title_block(title: str) -> bytes:
    """Return a block that tells a title: at most 255 times 16 bytes, cut between characters."""
    said = title.replace("';", "’;")
    while True:
        text = f"StreamTitle='{said}';".encode()
        if len(text) <= 255 * 16:
            break
        said = said[:-1]
    sixteens = -(-len(text) // 16)
    return bytes([sixteens]) + text.ljust(sixteens * 16, b"\0")
