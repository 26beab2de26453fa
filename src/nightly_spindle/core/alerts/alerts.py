"""How troubles reach somebody who sleeps: by mail, at a web address, by a command.

A station has any number of alerts. What each is and what cannot be is here; when one is sent is
`alert_turns`.
"""

from __future__ import annotations

import shlex
from dataclasses import dataclass, replace
from enum import StrEnum
from typing import TYPE_CHECKING, Any
from urllib.parse import urlsplit

from nightly_spindle.core.alerts.troubles import TroubleKind
from nightly_spindle.core.base.declared import choice, flag, number, text
from nightly_spindle.core.base.errors import SettingRefused
from nightly_spindle.core.base.short_texts import group_of, unusual
from nightly_spindle.core.base.timebase import parse_time_of_day
from nightly_spindle.core.base.wording import listed

if TYPE_CHECKING:
    from collections.abc import Mapping
    from datetime import time

MOST_ALERTS = 32
_MOST_NAME = 80
_MOST_RECEIVERS = 20


class AlertKind(StrEnum):
    """How an alert goes out."""

    MAIL = "mail"
    WEB = "web address"
    COMMAND = "command"


class Security(StrEnum):
    """How the way to a mail server is kept secret."""

    STARTTLS = "starttls"
    TLS = "tls"
    NONE = "none"


@dataclass(frozen=True, slots=True)
class MailOptions:
    """A mail, through a mail server. Its password is kept apart, never here."""

    to: str = text("", "Who gets it; several addresses with commas between.")
    sender: str = text("", "The address that it comes from.")
    server: str = text("", "The mail server: mail.example:587.")
    security: Security = choice(
        Security.STARTTLS, "STARTTLS (RFC 3207), TLS from the start (RFC 8314), or none."
    )
    user: str = text("", "The name to sign in with; empty where none is needed.")


@dataclass(frozen=True, slots=True)
class WebOptions:
    """A request to a web address: POST with JSON."""

    address: str = text("", "Where it goes: https://alerts.example/station.")
    alive_min: float = number(
        0.0, "min", 0.0, 1440.0, "Tells this often that all is well, for one who waits; 0 is never."
    )


@dataclass(frozen=True, slots=True)
class CommandOptions:
    """A program of this machine, run without a shell; it is given the JSON at standard input."""

    program: str = text("", "The program and what is given to it.")


@dataclass(frozen=True, slots=True)
class When:
    """Which troubles are sent, and how soon and how often."""

    off_air: bool = flag(True, "While the station is off the air.")
    silence: bool = flag(True, "While nothing is to be heard.")
    tone: bool = flag(True, "While only the station tone sounds.")
    net: bool = flag(False, "While the safety net fills with music.")
    outputs: bool = flag(True, "While an output that listeners hear is down.")
    after_s: float = number(30.0, "s", 0.0, 3600.0, "Only what has lasted this long.")
    quiet_min: float = number(
        15.0, "min", 0.0, 1440.0, "The same kind is not sent again this soon."
    )
    ends: bool = flag(True, "Tells when it is over, too.")
    morning: str = text("", "The morning's report goes out at this time, 07:00; empty is never.")

    def wants(self, kind: TroubleKind) -> bool:
        """Whether a kind of trouble is sent."""
        return {
            TroubleKind.OFF_AIR: self.off_air,
            TroubleKind.SILENCE: self.silence,
            TroubleKind.TONE: self.tone,
            TroubleKind.NET: self.net,
            TroubleKind.OUTPUT: self.outputs,
        }[kind]


Options = MailOptions | WebOptions | CommandOptions
GROUPS: dict[AlertKind, type[Options]] = {
    AlertKind.MAIL: MailOptions,
    AlertKind.WEB: WebOptions,
    AlertKind.COMMAND: CommandOptions,
}


@dataclass(frozen=True, slots=True)
class Alert:
    """One way to tell somebody of troubles; nothing is sent while it is not `on`."""

    id: int
    name: str
    options: Options
    when: When = When()
    on: bool = True

    @property
    def kind(self) -> AlertKind:
        """How it goes out."""
        return next(kind for kind, group in GROUPS.items() if type(self.options) is group)


def check_alert(alert: Alert) -> None:
    """Raise SettingRefused with all that is wrong with an alert."""
    wrong = []
    if not alert.name.strip():
        wrong.append("it needs a name")
    if len(alert.name) > _MOST_NAME or not alert.name.isprintable():
        wrong.append(f"its name is longer than {_MOST_NAME} characters, or none can be shown")
    options = alert.options
    if isinstance(options, MailOptions):
        wrong += _wrong_mail(options)
    elif isinstance(options, WebOptions):
        wrong += _wrong_web(options)
    else:
        wrong += _wrong_command(options)
    if not any(alert.when.wants(kind) for kind in TroubleKind) and not alert.when.morning:
        wrong.append("it is sent for no kind of trouble; choose one")
    try:
        report_time(alert.when)
    except SettingRefused:
        wrong.append(f"the morning's report at '{alert.when.morning}': give a time such as 07:00")
    if wrong:
        raise SettingRefused(f"alert “{alert.name}”: {'; '.join(wrong)}")


def report_time(when: When) -> time | None:
    """Return when the morning's report goes out, by the station's clock; None for never.

    SettingRefused where that is no time.
    """
    said = when.morning.strip()
    return parse_time_of_day(said.rjust(5, "0")) if said else None


def receivers(options: MailOptions) -> list[str]:
    """Return the addresses that a mail goes to."""
    return [one.strip() for one in options.to.split(",") if one.strip()]


def mail_server(options: MailOptions) -> tuple[str, int]:
    """Return the host and port of a checked mail server; 465 for TLS, else 587, by default.

    Ports: RFC 8314, section 3.3 (465) and RFC 6409, section 3.1 (587).
    """
    parts = urlsplit(f"//{options.server.strip()}")
    usual = 465 if options.security is Security.TLS else 587
    return parts.hostname or "", usual if parts.port is None else parts.port


def _wrong_mail(options: MailOptions) -> list[str]:
    wrong = []
    found = receivers(options)
    if not found:
        wrong.append("it goes to nobody; give an address under “to”")
    if len(found) > _MOST_RECEIVERS:
        wrong.append(f"it goes to more than {_MOST_RECEIVERS} addresses")
    wrong += [f"'{one}' is not a mail address" for one in found if not _is_mail(one)]
    if not _is_mail(options.sender.strip()):
        wrong.append(f"sender '{options.sender}' is not a mail address")
    try:
        host, port = mail_server(options)
    except ValueError:
        host, port = "", 0
    plain = options.server.strip()
    if not host or not 0 < port < 65_536 or not plain.isascii() or set(plain) & set("/ @?#"):
        wrong.append(f"server '{options.server}' is not like mail.example:587")
    if not options.user.isprintable():
        wrong.append("user holds characters that cannot be sent")
    return wrong


def _is_mail(address: str) -> bool:
    """Whether it can be a mail address: of RFC 5321 only what a plain one is."""
    local, at, host = address.rpartition("@")
    odd = set(address) & set(' ,;<>()[]\\"\t')
    return bool(at and local and "." in host.strip(".") and address.isprintable() and not odd)


def _wrong_web(options: WebOptions) -> list[str]:
    like = f"address '{options.address}' is not like https://alerts.example/station"
    try:
        parts = urlsplit(options.address)
        port = parts.port
    except ValueError:
        return [like]
    if parts.scheme not in {"http", "https"} or not parts.hostname or port == 0:
        return [like]
    if not options.address.isascii() or not options.address.isprintable() or " " in options.address:
        return [like]
    if parts.username is not None:
        return ["the address holds a name or password, which would be kept in the open"]
    return []


def program_of(options: CommandOptions) -> list[str]:
    """Return the program and its arguments; ValueError where a quote is left open."""
    return shlex.split(options.program)


def _wrong_command(options: CommandOptions) -> list[str]:
    try:
        words = program_of(options)
    except ValueError:
        return [f"program '{options.program}' leaves a quote open"]
    if not words:
        return ["it names no program"]
    if not options.program.isprintable():
        return ["its program holds characters that cannot be given"]
    return []


def alert_sentence(alert: Alert) -> str:
    """Return what an alert does in one sentence."""
    options = alert.options
    if isinstance(options, MailOptions):
        how = f"Mails {listed(receivers(options)) or 'nobody yet'}"
    elif isinstance(options, WebOptions):
        how = f"Calls {options.address or 'no address yet'}"
    else:
        how = f"Runs {options.program or 'no program yet'}"
    when = alert.when
    kinds = listed([kind.words for kind in TroubleKind if when.wants(kind)], "or")
    said = []
    if kinds:
        lasting = f" for {when.after_s:g} s" if when.after_s else ""
        quiet = f"; at most every {when.quiet_min:g} min" if when.quiet_min else ""
        said.append(f"when {kinds}{lasting}{quiet}{', and when it is over' if when.ends else ''}")
    if when.morning.strip():
        said.append(f"with the morning's report at {when.morning.strip()}")
    text_ = f"{how} {'; '.join(said) or 'for nothing'}."
    return text_ if alert.on else f"Off. {text_}"


def alert_values(alert: Alert) -> dict[str, Any]:
    """Return an alert as plain values."""
    return {
        "id": alert.id,
        "name": alert.name,
        "kind": str(alert.kind),
        "on": alert.on,
        "options": unusual(alert.options),
        "when": unusual(alert.when),
    }


def alert_from(values: Mapping[str, Any]) -> Alert:
    """Return the alert that `alert_values` wrote; SettingRefused says what cannot be."""
    name = str(values.get("name", ""))
    if values.get("kind") not in set(map(str, AlertKind)):
        raise SettingRefused(
            f"alert “{name}” is a '{values.get('kind')}'; that is one of {', '.join(AlertKind)}"
        )
    wrong: list[str] = []
    options = group_of(GROUPS[AlertKind(values["kind"])], values.get("options", {}), wrong)
    when = group_of(When, values.get("when", {}), wrong)
    if wrong:
        raise SettingRefused(f"alert “{name}”: {'; '.join(wrong)}")
    made = Alert(int(values.get("id", 0)), name, options, when, bool(values.get("on", True)))
    check_alert(made)
    return made


def renamed(alert: Alert, name: str) -> Alert:
    """Return an alert with another name."""
    return replace(alert, name=name)
