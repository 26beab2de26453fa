"""Sending an alert: by mail, to a web address, by a command. Each takes some seconds at most."""

from __future__ import annotations

import base64
import json
import smtplib
import ssl
import subprocess
from email.message import EmailMessage
from email.utils import formatdate, make_msgid
from typing import TYPE_CHECKING, Any, NoReturn
from urllib.error import HTTPError, URLError
from urllib.request import HTTPRedirectHandler, Request, build_opener

from nightly_spindle import __version__
from nightly_spindle.core.alerts.alerts import (
    CommandOptions,
    MailOptions,
    Security,
    WebOptions,
    mail_server,
    program_of,
    receivers,
)
from nightly_spindle.core.base.errors import OutputFault

if TYPE_CHECKING:
    from nightly_spindle.core.alerts.alerts import Alert

_PATIENCE_S = 15.0
_RUNS_S = 30.0
_WELCOME = 235  # RFC 4954, section 6
_SAID = 200  # characters of what a program or server said


def send(alert: Alert, values: dict[str, Any], password: str | None) -> None:
    """Send what is said (`alert_texts.values`); OutputFault says why it could not be."""
    options = alert.options
    if isinstance(options, MailOptions):
        _mail(options, str(values["subject"]), str(values["text"]), password)
    elif isinstance(options, WebOptions):
        post(options, values)
    else:
        _run(options, values)


def mail_of(options: MailOptions, subject: str, text: str) -> EmailMessage:
    """Return the mail (RFC 5322), marked as made by a program (RFC 3834)."""
    mail = EmailMessage()
    mail["Subject"] = " ".join(subject.split())
    mail["From"] = options.sender.strip()
    mail["To"] = ", ".join(receivers(options))
    mail["Date"] = formatdate(localtime=True)
    mail["Message-ID"] = make_msgid(domain=options.sender.strip().rpartition("@")[2])
    mail["Auto-Submitted"] = "auto-generated"
    mail.set_content(text)
    return mail


def _mail(options: MailOptions, subject: str, text: str, password: str | None) -> None:
    host, port = mail_server(options)
    if options.user and password is None:
        raise OutputFault("the password of the mail server is not set; set it at the alert")
    try:
        _hand_in(options, mail_of(options, subject, text), password or "")
    except (smtplib.SMTPException, OSError) as error:
        raise OutputFault(_refusal(host, port, error)) from error


def _hand_in(options: MailOptions, mail: EmailMessage, password: str) -> None:
    host, port = mail_server(options)
    secure = ssl.create_default_context()
    if options.security is Security.TLS:
        server: smtplib.SMTP = smtplib.SMTP_SSL(host, port, timeout=_PATIENCE_S, context=secure)
    else:
        server = smtplib.SMTP(host, port, timeout=_PATIENCE_S)
    with server:
        if options.security is Security.STARTTLS:
            server.starttls(context=secure)
        if options.user:
            _sign_in(server, options.user, password)
        server.send_message(mail)


def _sign_in(server: smtplib.SMTP, user: str, password: str) -> None:
    """Sign in; with more than ASCII only PLAIN can (RFC 4616), which the library does not do."""
    if f"{user}{password}".isascii():
        server.login(user, password)
        return
    server.ehlo_or_helo_if_needed()
    word = base64.b64encode(f"\0{user}\0{password}".encode()).decode()
    code, said = server.docmd("AUTH", f"PLAIN {word}")
    if code != _WELCOME:
        raise smtplib.SMTPAuthenticationError(code, said)


def _refusal(host: str, port: int, error: smtplib.SMTPException | OSError) -> str:
    """Say why a mail could not be handed in."""
    if isinstance(error, smtplib.SMTPException):
        return _turned_down(host, error)
    if isinstance(error, ssl.SSLError):
        return f"{host} gives no way that is secret: {error.reason or error}"
    return f"{host}:{port} cannot be reached: {_why(error)}"


def _turned_down(host: str, error: smtplib.SMTPException) -> str:
    """Say what a mail server that answers did not want."""
    if isinstance(error, smtplib.SMTPAuthenticationError):
        return f"{host} refuses the name or the password ({_said(error.smtp_error)})"
    if isinstance(error, smtplib.SMTPRecipientsRefused):
        return f"{host} takes no mail for {', '.join(error.recipients)}"
    if isinstance(error, smtplib.SMTPNotSupportedError):
        return f"{host} cannot do that: {_said(str(error))}"
    if isinstance(error, smtplib.SMTPServerDisconnected):
        late = "timed out" in str(error)
        return f"{host} {'gives no answer in time' if late else 'broke the line off'}"
    return f"{host} did not take the mail: {_said(str(error))}"


class _NoRedirect(HTTPRedirectHandler):
    """Goes only where the operator said."""

    def redirect_request(self, *_: Any, **__: Any) -> None:
        """Follow nothing: the answer is an error then."""
        return


def post(options: WebOptions, values: dict[str, Any]) -> None:
    """Send plain values as JSON to a web address, and nowhere else; OutputFault when refused."""
    request = Request(  # noqa: S310 - the address was checked: http or https
        options.address,
        data=json.dumps(values, ensure_ascii=False).encode(),
        headers={
            "Content-Type": "application/json; charset=utf-8",
            "User-Agent": f"nightly-spindle/{__version__}",
        },
        method="POST",
    )
    try:
        with build_opener(_NoRedirect).open(request, timeout=_PATIENCE_S) as answer:
            answer.read(1)
    except HTTPError as error:
        with error:
            raise OutputFault(
                f"{options.address} answers {error.code} {error.reason}".rstrip()
            ) from error
    except (URLError, OSError) as error:
        reason = error.reason if isinstance(error, URLError) else error
        raise OutputFault(f"{options.address} cannot be reached: {_why(reason)}") from error
    except ValueError as error:  # what came is no answer of HTTP
        raise OutputFault(f"{options.address} gives no answer that can be read") from error


def _run(options: CommandOptions, values: dict[str, Any]) -> None:
    words = program_of(options)
    try:
        done = subprocess.run(  # the operator's own program, without a shell
            words,
            input=json.dumps(values, ensure_ascii=False).encode() + b"\n",
            stdout=subprocess.PIPE,
            stderr=subprocess.STDOUT,
            timeout=_RUNS_S,
            check=False,
        )
    except subprocess.TimeoutExpired as error:
        raise OutputFault(f"{words[0]} was not done after {_RUNS_S:g} s and was ended") from error
    except OSError as error:
        raise OutputFault(f"{words[0]} cannot be run: {_why(error)}") from error
    if done.returncode:
        said = _said(done.stdout)
        _fail(f"{words[0]} ended with status {done.returncode}" + (f": {said}" if said else ""))


def _fail(text: str) -> NoReturn:
    raise OutputFault(text)


def _said(said: bytes | str) -> str:
    text = said.decode(errors="replace") if isinstance(said, bytes) else said
    return " ".join(text.split())[:_SAID]


def _why(error: object) -> str:
    if isinstance(error, TimeoutError):
        return "no answer in time"
    return str(getattr(error, "strerror", None) or error) or type(error).__name__
