"""`alerts`: who is told of troubles, and how."""

from __future__ import annotations

import time
from contextlib import closing
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

from nightly_spindle.cli.base.common import answer, print_json
from nightly_spindle.cli.base.passwords import password_from
from nightly_spindle.core.alerts.alert_texts import trial, values
from nightly_spindle.core.alerts.alerts import (
    GROUPS,
    Alert,
    AlertKind,
    When,
    alert_sentence,
    alert_values,
)
from nightly_spindle.core.base.declared import changed_group, specs
from nightly_spindle.core.base.errors import InputFault, OutputFault
from nightly_spindle.core.base.timebase import iso, short_date
from nightly_spindle.outputs.alert_sending import send
from nightly_spindle.store.alerts import alerts as stored
from nightly_spindle.store.alerts.alerts_sent import read_sent
from nightly_spindle.store.base.database import connect
from nightly_spindle.store.base.station_folder import read_settings
from nightly_spindle.store.base.transaction import LibraryTransaction
from nightly_spindle.store.outputs.passwords import (
    alert_owner,
    forget_password,
    password_of,
    set_password,
)

if TYPE_CHECKING:
    import argparse
    from zoneinfo import ZoneInfo


def known(folder: Path) -> tuple[Alert, ...]:
    """Return a station's alerts."""
    with closing(connect(folder)) as connection:
        return stored.read_alerts(connection)


def list_alerts(options: argparse.Namespace) -> int:
    """List the alerts, each with its sentence and what came of it last."""
    folder = Path(options.folder)
    tz, alerts, sent = read_settings(folder).tz, known(folder), read_sent(folder)
    if options.json:
        print_json([_view(folder, one, sent.get(one.id), tz) for one in alerts])
        return 0
    for one in alerts:
        print(f"{one.id}  {one.name} ({one.kind}): {alert_sentence(one)}")
        if last := sent.get(one.id):
            print(f"   {last_sentence(last, tz)}")
    if not any(one.on for one in alerts):
        print("Nobody is told of troubles: no alert is on.")
    return 0


def last_sentence(last: dict[str, Any], tz: ZoneInfo) -> str:
    """Return what came of an alert last, in a sentence."""
    when = short_date(last["at_us"], tz)
    if last["problem"]:
        return f"Not sent at {when}: {last['problem']}. It is tried again."
    return f"Sent at {when}: {last['subject']}."


def _view(folder: Path, alert: Alert, last: dict[str, Any] | None, tz: ZoneInfo) -> dict[str, Any]:
    mail = alert.kind is AlertKind.MAIL
    secret = mail and password_of(folder, alert_owner(alert.id)) is not None
    return {
        **alert_values(alert),
        "sentence": alert_sentence(alert),
        "password_set": secret if mail else None,
        "last": None
        if last is None
        else {
            "at": iso(last["at_us"], tz),
            "subject": last["subject"],
            "problem": last["problem"] or None,
        },
    }


def set_alert(options: argparse.Namespace) -> int:
    """Make an alert, or change the one of that name or number."""
    folder = Path(options.folder)
    secret = password_from(options.password_from) if options.password_from else None
    was = next((one for one in known(folder) if options.name in {one.name, str(one.id)}), None)
    if was is None and not options.kind:
        kinds = ", ".join(GROUPS)
        raise InputFault(f"there is no alert “{options.name}”; a new one needs --kind: {kinds}")
    if was is not None and options.kind and AlertKind(options.kind) is not was.kind:
        raise InputFault(f"the alert “{was.name}” is a {was.kind}; make another one instead")
    made = was or Alert(0, options.name, GROUPS[AlertKind(options.kind)]())
    often = [one for one in options.set if one.partition("=")[0] in specs(When)]
    others = [one for one in options.set if one not in often]
    made = replace(
        made,
        options=changed_group(made.options, "alert", others),
        when=changed_group(made.when, "alert", often),
    )
    if options.rename:
        made = replace(made, name=options.rename)
    if options.on or options.off:
        made = replace(made, on=bool(options.on))
    if secret is not None and made.kind is not AlertKind.MAIL:
        raise InputFault(f"a {made.kind} has no password; only a mail server has one")
    with LibraryTransaction(folder) as library:
        number, _ = stored.save_alert(library, made)
    if was is None and secret is None:
        forget_password(folder, alert_owner(number))  # of one that had its number before
    kept = set_password(folder, alert_owner(number), secret) if secret is not None else ""
    made = replace(made, id=number)
    if options.json:
        print_json(_view(folder, made, None, read_settings(folder).tz))
        return 0
    print(f"{made.id}  {made.name} ({made.kind}): {alert_sentence(made)}")
    if kept:
        print(f"   Its password is kept in {kept}.")
    return 0


def remove_alert(options: argparse.Namespace) -> int:
    """Take an alert out, and forget its password."""
    folder = Path(options.folder)
    found = stored.find_alert(known(folder), options.alert)
    with LibraryTransaction(folder) as library:
        stored.remove_alert(library, found.id)
    forget_password(folder, alert_owner(found.id))
    return answer(
        options,
        {"removed": found.id, "name": found.name},
        f"The alert “{found.name}” is gone, and its password with it.",
    )


def test_alert(options: argparse.Namespace) -> int:
    """Send a trial; exit status 1 when it does not arrive."""
    folder = Path(options.folder)
    found = stored.find_alert(known(folder), options.alert)
    settings = read_settings(folder)
    message = values(settings.name, trial(time.time_ns() // 1000), settings.tz)
    problem = ""
    try:
        send(found, message, password_of(folder, alert_owner(found.id)))
    except OutputFault as error:
        problem = str(error)
    if options.json:
        print_json({"works": not problem, "problem": problem or None})
    else:
        print(f"Not sent: {problem}." if problem else f"“{found.name}” was sent; see that it came.")
    return 1 if problem else 0


def run(options: argparse.Namespace) -> int:
    """Watch the air and send alerts, until told to leave."""
    from nightly_spindle.air.alert_watch import serve

    return serve(Path(options.folder), with_parent=options.with_parent)
