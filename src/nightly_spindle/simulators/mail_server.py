"""A simulated mail server: takes mail by SMTP (RFC 5321) and keeps it, or fails as real ones do."""

from __future__ import annotations

import base64
import ssl
import threading
import time
from dataclasses import dataclass, field
from email import message_from_bytes, policy
from email.message import EmailMessage
from enum import StrEnum
from socketserver import StreamRequestHandler, ThreadingTCPServer
from typing import TYPE_CHECKING, cast

if TYPE_CHECKING:
    from collections.abc import Callable
    from pathlib import Path

_LONGEST = 1 << 20
_HANGS_S = 120.0


class MailFault(StrEnum):
    """What the server does wrong."""

    NONE = "none"
    NO_ANSWER = "no answer"
    REFUSES = "refuses"
    NO_SUCH_BOX = "no such box"
    DROPS = "drops"


@dataclass(slots=True)
class MailManner:
    """How the server behaves: who may sign in (nobody has to where no user is named), its fault."""

    user: str = ""
    password: str = ""
    fault: MailFault = MailFault.NONE


@dataclass(slots=True)
class Taken:
    """A mail that was taken: from whom and to whom the server was told, and the mail itself."""

    sender: str
    receivers: list[str] = field(default_factory=list)
    mail: EmailMessage = field(default_factory=EmailMessage)


class MailServer:
    """Takes mail at `address` of this machine; `manner` may be changed while it runs.

    With a certificate (and key, PEM) it offers STARTTLS.
    """

    def __init__(
        self,
        manner: MailManner | None = None,
        port: int = 0,
        certificate: Path | None = None,
        told: Callable[[Taken], None] = lambda _: None,
    ) -> None:
        self.manner = manner or MailManner()
        self.taken: list[Taken] = []
        self.told = told
        self.secure: ssl.SSLContext | None = None
        if certificate is not None:
            self.secure = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
            self.secure.load_cert_chain(certificate)
        self._server = _Server(("127.0.0.1", port), _Session)
        self._server.owner = self

    @property
    def address(self) -> str:
        """Its host and port."""
        return f"127.0.0.1:{self._server.server_address[1]}"

    def start(self) -> MailServer:
        """Serve from a thread."""
        threading.Thread(target=self._server.serve_forever, daemon=True, name="mail").start()
        return self

    def stop(self) -> None:
        """Serve no more."""
        self._server.shutdown()
        self._server.server_close()

    def take(self, taken: Taken) -> None:
        """Keep a mail."""
        self.taken.append(taken)
        self.told(taken)


class _Server(ThreadingTCPServer):
    allow_reuse_address = True
    daemon_threads = True
    owner: MailServer


class _Session(StreamRequestHandler):
    """One client, line by line."""

    def handle(self) -> None:
        """Serve it until it leaves."""
        self.of = cast("_Server", self.server).owner
        manner = self.of.manner
        if manner.fault is MailFault.NO_ANSWER:
            time.sleep(_HANGS_S)
            return
        if manner.fault is MailFault.REFUSES:
            self._say("554 no mail is taken here")
            return
        self.signed_in = not manner.user
        self.taken: Taken | None = None
        self._say("220 mail.example stand-in")
        try:
            while line := self.rfile.readline(_LONGEST):
                if not self._answer(line.decode("utf-8", "replace").strip()):
                    return
        except (ConnectionError, ssl.SSLError):
            return

    def finish(self) -> None:
        """Close what was made secret as well."""
        super().finish()
        self.connection.close()

    def _say(self, text: str) -> None:
        self.wfile.write(text.encode() + b"\r\n")

    def _answer(self, line: str) -> bool:
        """Answer one line; False when the line is to be closed."""
        word = line[:8].upper().split(" ")[0]
        if word in {"EHLO", "HELO"}:
            offers = ["250-mail.example", "250-8BITMIME"]
            if self.of.secure is not None and not isinstance(self.connection, ssl.SSLSocket):
                offers.append("250-STARTTLS")
            self._say("\r\n".join([*offers, "250 AUTH PLAIN"]))
        elif word == "STARTTLS" and self.of.secure is not None:
            self._say("220 go on")
            self.connection = self.of.secure.wrap_socket(self.connection, server_side=True)
            self.rfile = self.connection.makefile("rb")
            self.wfile = self.connection.makefile("wb", 0)
        elif line.upper().startswith("AUTH PLAIN"):
            self._sign_in(line)
        elif word == "MAIL":
            if self.signed_in:
                self.taken = Taken(_address(line))
            self._say("250 ok" if self.signed_in else "530 sign in first")
        elif word == "RCPT" and self.taken is not None:
            self._receiver(_address(line))
        elif word == "DATA" and self.taken is not None:
            return self._mail(self.taken)
        elif word == "QUIT":
            self._say("221 goodbye")
            return False
        else:
            self._say("250 ok" if word in {"RSET", "NOOP"} else "503 not now")
        return True

    def _sign_in(self, line: str) -> None:
        """RFC 4616: nothing, name and password with NUL between, in base64."""
        if len(line) <= len("AUTH PLAIN "):
            self._say("334 ")
            line = f"AUTH PLAIN {self.rfile.readline(_LONGEST).decode('ascii', 'replace').strip()}"
        try:
            _, user, password = base64.b64decode(line.split()[2]).decode().split("\0")
        except (ValueError, IndexError):
            self._say("501 that is not base64 of a name and a password")
            return
        manner = self.of.manner
        self.signed_in = (user, password) == (manner.user, manner.password)
        self._say("235 welcome" if self.signed_in else "535 wrong name or password")

    def _receiver(self, address: str) -> None:
        assert self.taken is not None
        if self.of.manner.fault is MailFault.NO_SUCH_BOX:
            self._say("550 nobody of that name here")
            return
        self.taken.receivers.append(address)
        self._say("250 ok")

    def _mail(self, taken: Taken) -> bool:
        self._say("354 go on, end with a point")
        body = b""
        while (line := self.rfile.readline(_LONGEST)) not in {b".\r\n", b""}:
            body += line[1:] if line.startswith(b"..") else line
        if self.of.manner.fault is MailFault.DROPS:
            return False
        taken.mail = message_from_bytes(body, policy=policy.default)
        self.of.take(taken)
        self.taken = None
        self._say("250 taken")
        return True


def _address(line: str) -> str:
    return line.partition("<")[2].partition(">")[0]
