"""A simulated web stream: a small HTTP server that sends sound at the pace of sound.

It can be told to fail in the ways that real ones do.
"""

from __future__ import annotations

import struct
import threading
import time
from dataclasses import dataclass
from enum import StrEnum
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from typing import TYPE_CHECKING, Any

import numpy as np

if TYPE_CHECKING:
    from numpy.typing import NDArray

_RATE = 44_100
_BLOCK_S = 0.1
_FIRST_S = 2.0  # sent at once, as stream servers do, so that players start without a wait


class StreamFault(StrEnum):
    """What the server does wrong."""

    NONE = "none"
    REFUSED = "refused"
    HANGS = "hangs"
    BREAKS_OFF = "breaks off"
    NO_SOUND = "no sound"


@dataclass(slots=True)
class Manner:
    """How the server serves: its tone (Hz), its fault, and after how many seconds it comes."""

    hz: float = 330.0
    fault: StreamFault = StreamFault.NONE
    after_s: float = 0.0
    pace: float = 1.0


class StreamServer:
    """Serves `http://127.0.0.1:PORT/live.wav`; `manner` may be changed while it runs."""

    def __init__(self, manner: Manner | None = None, port: int = 0) -> None:
        self.manner = manner or Manner()
        self.asked = 0
        server = self

        class Handler(BaseHTTPRequestHandler):
            def do_GET(self) -> None:
                server.asked += 1
                server.serve(self)

            def log_message(self, *args: Any) -> None:
                """Say nothing: it is a stand-in."""

        self._http = ThreadingHTTPServer(("127.0.0.1", port), Handler)
        self._http.daemon_threads = True
        self._leaving = threading.Event()
        self._thread = threading.Thread(target=self._http.serve_forever, daemon=True)

    @property
    def url(self) -> str:
        """Where the stream is."""
        return f"http://127.0.0.1:{self._http.server_address[1]}/live.wav"

    def start(self) -> StreamServer:
        """Serve from a thread; returns itself."""
        self._thread.start()
        return self

    def stop(self) -> None:
        """End; who still listens hears no more."""
        self._leaving.set()
        self._http.shutdown()
        self._http.server_close()

    def serve(self, request: BaseHTTPRequestHandler) -> None:
        """Answer one listener for as long as it listens."""
        manner = self.manner
        if manner.fault is StreamFault.REFUSED:
            request.send_error(503, "no more listeners")
            return
        request.send_response(200)
        request.send_header("Content-Type", "audio/wav")
        request.end_headers()
        try:
            if manner.fault is StreamFault.NO_SOUND:
                request.wfile.write(b"<html>this is no sound</html>" * 100)
                return
            request.wfile.write(_endless_header())
            self._send(request)
        except (BrokenPipeError, ConnectionResetError):
            return  # whoever listened has gone

    def _send(self, request: BaseHTTPRequestHandler) -> None:
        begun = time.monotonic()
        at = 0
        while not self._leaving.is_set():
            sent_s = at / _RATE
            fails = self.manner.fault is not StreamFault.NONE and sent_s >= self.manner.after_s
            if fails and self.manner.fault is StreamFault.BREAKS_OFF:
                return
            if fails and self.manner.fault is StreamFault.HANGS:
                self._leaving.wait(0.05)
                continue
            request.wfile.write(_tone(at, self.manner.hz).tobytes())
            at += round(_BLOCK_S * _RATE)
            ahead = at / _RATE - (time.monotonic() - begun) * self.manner.pace - _FIRST_S
            if ahead > 0:
                self._leaving.wait(ahead / self.manner.pace)


def _tone(at: int, hz: float) -> NDArray[np.int16]:
    """Return a block of the tone, stereo, from a frame on."""
    frames = at + np.arange(round(_BLOCK_S * _RATE))
    wave = 0.2 * np.sin(2 * np.pi * hz * frames / _RATE)
    return np.repeat((wave * 32767).astype("<i2")[:, None], 2, axis=1)


def _endless_header() -> bytes:
    """Return the head of a WAV whose length is not known: 16 bit, stereo."""
    fmt = struct.pack("<HHIIHH", 1, 2, _RATE, _RATE * 4, 4, 16)
    return (
        b"RIFF\xff\xff\xff\xffWAVEfmt "
        + struct.pack("<I", len(fmt))
        + fmt
        + b"data\xff\xff\xff\xff"
    )
