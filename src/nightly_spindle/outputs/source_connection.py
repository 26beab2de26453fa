"""The connection of a source to a streaming server: it signs in and then sends for ever.

HTTP/1.1 PUT with `Expect: 100-continue` (RFC 9110 sections 9.3.4 and 10.1.1) and Basic
authorisation (RFC 7617), or the older request SOURCE, under HTTP/1.0. What cannot be is told as a
`SourceRefused` with a sentence.
"""

from __future__ import annotations

import base64
import fcntl
import socket
import ssl
import struct
import termios
import time
from contextlib import suppress
from typing import TYPE_CHECKING

from nightly_spindle import __version__
from nightly_spindle.core.base.errors import OutputFault, clipped
from nightly_spindle.core.outputs.output_health import Trouble
from nightly_spindle.core.outputs.outputs import SourceMethod, address_parts
from nightly_spindle.core.outputs.stream_codecs import FACTS

if TYPE_CHECKING:
    from collections.abc import Mapping

    from nightly_spindle.core.outputs.outputs import StreamOptions

CONNECT_S = 10.0
ANSWER_S = 10.0
CONTINUES_S = 2.0  # a server that says nothing to the expectation is sent to all the same
TAKES_S = 10.0  # a server that takes no bytes for so long is lost
_SEND_BUFFER = 64 * 1024  # so that what waits in the kernel is seconds, not minutes
_LONGEST_ANSWER = 16 * 1024
STANDIN = "nightly-spindle-standin"  # how our own stand-in names itself


class SourceRefused(OutputFault):
    """The stream cannot be sent: what it is, and a sentence."""

    def __init__(self, trouble: Trouble, said: str) -> None:
        super().__init__(said)
        self.trouble = trouble


def request_head(method: str, target: str, version: str, headers: Mapping[str, str]) -> bytes:
    """Return the head of a request; ValueError where a value could end its line."""
    lines = [f"{method} {target} {version}", *(f"{n}: {value}" for n, value in headers.items())]
    if any("\r" in line or "\n" in line for line in lines):
        raise ValueError("a header holds the end of a line")
    return ("\r\n".join(lines) + "\r\n\r\n").encode("utf-8")


def stream_headers(options: StreamOptions, station: str) -> dict[str, str]:
    """Return what is told of the stream: its type, name, description, bit rate."""
    facts = FACTS[options.codec]
    told = {
        "Content-Type": facts.media_type,
        "Ice-Name": options.title or station,
        "Ice-Public": "1" if options.public else "0",
    }
    if facts.kbps is not None:
        told["Ice-Bitrate"] = f"{options.kbps:.0f}"
    more = {
        "Ice-Description": options.description,
        "Ice-Genre": options.genre,
        "Ice-Url": options.website,
    }
    return told | {name: value for name, value in more.items() if value}


def authorisation(user: str, password: str) -> str:
    """Return the value of the header of that name (RFC 7617, UTF-8)."""
    return "Basic " + base64.b64encode(f"{user}:{password}".encode()).decode("ascii")


def connected(options: StreamOptions, timeout_s: float = CONNECT_S) -> socket.socket:
    """Return a connection to the server of a stream; SourceRefused says why there is none."""
    parts = address_parts(options.address)
    host = parts.hostname or ""
    tls = parts.scheme == "https"
    port = parts.port or (443 if tls else 80)
    where = f"{host}:{port}"
    try:
        plain = socket.create_connection((host, port), timeout_s)
    except socket.gaierror as error:
        raise SourceRefused(
            Trouble.NO_HOST, f"there is no host {host} ({error.strerror})"
        ) from error
    except TimeoutError as error:
        raise SourceRefused(Trouble.NO_ANSWER, f"{where} does not answer") from error
    except OSError as error:
        said = f"{where} cannot be reached: {error.strerror or error}"
        raise SourceRefused(Trouble.NO_ANSWER, said) from error
    plain.setsockopt(socket.SOL_SOCKET, socket.SO_SNDBUF, _SEND_BUFFER)
    plain.setsockopt(socket.IPPROTO_TCP, socket.TCP_USER_TIMEOUT, round(TAKES_S * 1000))
    plain.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
    if not tls:
        return plain
    try:
        context = ssl.create_default_context(cafile=options.authority or None)
    except (OSError, ssl.SSLError) as error:
        plain.close()
        raise SourceRefused(
            Trouble.CERTIFICATE, f"the authority {options.authority} cannot be read: {error}"
        ) from error
    try:
        return context.wrap_socket(plain, server_hostname=host)
    except ssl.SSLCertVerificationError as error:
        plain.close()
        said = f"the certificate of {host} is refused: {error.verify_message}"
        raise SourceRefused(Trouble.CERTIFICATE, said) from error
    except OSError as error:  # ssl.SSLError and time-outs among them
        plain.close()
        said = f"{where} does not speak TLS as it should: {clipped(error)}"
        raise SourceRefused(Trouble.CERTIFICATE, said) from error


class SourceConnection:
    """A source that was taken. `simulated`: by our own stand-in, which nobody listens to."""

    def __init__(self, options: StreamOptions, password: str, station: str) -> None:
        """Connect and sign in; SourceRefused says why not. Waits some seconds at most."""
        self._where = options.address
        self._socket = connected(options)
        self._rest = b""
        self.simulated = False
        self.answer = ""  # what the server said, in a line
        try:
            self._sign_in(options, password, station)
        except BaseException:
            self._socket.close()
            raise
        self._socket.settimeout(TAKES_S)
        self._sent = self._taken = 0
        self._moved = time.monotonic()

    def send(self, data: bytes) -> None:
        """Send bytes; SourceRefused when the server has gone, or takes none for 10 s."""
        self._look_for_goodbye()
        if not self._waiting_bytes():
            self._moved = time.monotonic()
        try:
            self._socket.sendall(data)
        except TimeoutError as error:
            raise SourceRefused(Trouble.TAKES_NOTHING, self._takes_nothing()) from error
        except OSError as error:
            said = f"the connection to {self._where} is lost: {error.strerror or error}"
            raise SourceRefused(Trouble.LOST, said) from error
        self._sent += len(data)
        self._look_whether_it_takes()

    def close(self) -> None:
        """End the stream."""
        with suppress(OSError):
            self._socket.shutdown(socket.SHUT_RDWR)
        self._socket.close()

    def _sign_in(self, options: StreamOptions, password: str, station: str) -> None:
        parts = address_parts(options.address)
        target = parts.path + (f"?{parts.query}" if parts.query else "")
        put = options.method is SourceMethod.PUT
        headers = {
            "Host": parts.netloc,
            "Authorization": authorisation(options.user, password),
            "User-Agent": f"nightly-spindle/{__version__}",
            **stream_headers(options, station),
        }
        if put:
            headers["Expect"] = "100-continue"
        head = request_head(
            "PUT" if put else "SOURCE", target, "HTTP/1.1" if put else "HTTP/1.0", headers
        )
        try:
            self._socket.sendall(head)
            self._take_answer(CONTINUES_S if put else ANSWER_S, may_be_silent=put)
        except OSError as error:
            said = f"{self._where} closed the connection: {error.strerror or error}"
            raise SourceRefused(Trouble.LOST, said) from error

    def _take_answer(self, seconds: float, *, may_be_silent: bool) -> None:
        """Take the server's first answer: go on, or a refusal."""
        self._socket.settimeout(seconds)
        try:
            status, reason, headers = self._read_answer()
        except TimeoutError as error:
            if may_be_silent:
                self.answer = "nothing yet"
                return
            raise SourceRefused(Trouble.NO_ANSWER, f"{self._where} does not answer") from error
        self.answer = f"{status} {reason}".strip()
        self.simulated = STANDIN in headers.get("server", "")
        if status >= 300:
            raise refusal(status, reason, self._where)

    def _read_answer(self) -> tuple[int, str, dict[str, str]]:
        """Read one answer's head; TimeoutError where none comes."""
        got = self._rest
        while b"\r\n\r\n" not in got and b"\n\n" not in got:
            more = self._socket.recv(4096)
            if not more or len(got) > _LONGEST_ANSWER:
                break
            got += more
        if not got:
            said = f"{self._where} closed the connection without an answer"
            raise SourceRefused(Trouble.REFUSED, said)
        lines = got.decode("latin-1").splitlines()
        words = lines[0].split(" ", 2)
        if len(words) < 2 or not words[0].startswith(("HTTP/", "ICY")) or not words[1].isdigit():
            said = f"{self._where} answers with '{clipped(lines[0], 60)}', which is no HTTP"
            raise SourceRefused(Trouble.REFUSED, said)
        pairs = (line.partition(":") for line in lines[1:] if ":" in line)
        headers = {name.strip().casefold(): value.strip() for name, _, value in pairs}
        return int(words[1]), words[2] if len(words) > 2 else "", headers

    def _look_for_goodbye(self) -> None:
        """SourceRefused where the server has said something final, or has gone."""
        self._socket.setblocking(False)
        try:
            got = self._socket.recv(4096)
        except (BlockingIOError, ssl.SSLWantReadError):
            return
        except OSError as error:
            said = f"the connection to {self._where} is lost: {error.strerror or error}"
            raise SourceRefused(Trouble.LOST, said) from error
        finally:
            self._socket.settimeout(TAKES_S)
        if not got:
            said = f"{self._where} ended the connection"
            raise SourceRefused(Trouble.LOST, said)
        self._rest = got
        status, reason, headers = self._read_answer()
        self._rest = b""
        self.simulated = self.simulated or STANDIN in headers.get("server", "")
        if status >= 300:
            raise refusal(status, reason, self._where)
        self.answer = f"{status} {reason}".strip()

    def _look_whether_it_takes(self) -> None:
        """SourceRefused where what waits in the kernel has not become less for so long."""
        now = time.monotonic()
        taken = self._sent - self._waiting_bytes()
        if taken > self._taken:
            self._taken, self._moved = taken, now
        if now - self._moved > TAKES_S:
            raise SourceRefused(Trouble.TAKES_NOTHING, self._takes_nothing())

    def _waiting_bytes(self) -> int:
        """Return how many bytes the far end has not taken yet (Linux: SIOCOUTQ)."""
        return int(struct.unpack("i", fcntl.ioctl(self._socket, termios.TIOCOUTQ, b"\0" * 4))[0])

    def _takes_nothing(self) -> str:
        return f"{self._where} has taken no sound for {TAKES_S:.0f} s"


def refusal(status: int, reason: str, where: str) -> SourceRefused:
    """Return what an answer of the server means, in a sentence."""
    said = clipped(" ".join(reason.split()), 80)
    words = said.casefold()
    if status == 401:
        return SourceRefused(Trouble.WRONG_PASSWORD, f"{where} refuses the name or the password")
    if status == 409 or "in use" in words or "taken" in words:
        return SourceRefused(Trouble.MOUNT_TAKEN, f"{where} has another source already")
    if status in {503, 507} or "too many" in words or "full" in words:
        return SourceRefused(Trouble.FULL, f"{where} has no room for another source")
    if status == 403:
        return SourceRefused(
            Trouble.REFUSED, f"{where} refuses the stream (403{f': {said}' if said else ''})"
        )
    return SourceRefused(Trouble.REFUSED, f"{where} answers {status} {said}".rstrip())
