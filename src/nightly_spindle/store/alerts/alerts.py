"""Reading and editing a station's alerts."""

from __future__ import annotations

import json
from dataclasses import replace
from typing import TYPE_CHECKING, Any

from nightly_spindle.core.alerts.alerts import (
    MOST_ALERTS,
    Alert,
    AlertKind,
    alert_from,
    alert_values,
    check_alert,
)
from nightly_spindle.core.base.errors import InputFault, SettingRefused
from nightly_spindle.store.base.named import Before, Row, find, new_number, put_rows

if TYPE_CHECKING:
    import sqlite3
    from collections.abc import Iterable, Mapping, Sequence

    from nightly_spindle.store.base.transaction import LibraryTransaction


def values_of(row: sqlite3.Row | Mapping[str, Any]) -> Row:
    """Return one row of the table as an alert's plain values."""
    plain = {name: row[name] for name in ("id", "name", "kind")}
    return plain | {
        "on": bool(row["enabled"]),
        "options": json.loads(row["options"]),
        "when": json.loads(row["sent_when"]),
    }


def alert_row(alert: Alert, place: int) -> Row:
    """Return an alert as its row in the table."""
    values = alert_values(alert)
    return {
        "id": alert.id,
        "name": alert.name,
        "kind": values["kind"],
        "place": place,
        "enabled": alert.on,
        "options": json.dumps(values["options"], ensure_ascii=False),
        "sent_when": json.dumps(values["when"], ensure_ascii=False),
    }


def read_alerts(connection: sqlite3.Connection) -> tuple[Alert, ...]:
    """Read the alerts in their order."""
    rows = connection.execute("SELECT * FROM alert ORDER BY place, id")
    return tuple(alert_from(values_of(row)) for row in rows)


def save_alert(library: LibraryTransaction, alert: Alert) -> tuple[int, Before]:
    """Write an alert, a new one where its id is 0, behind the others then.

    Returns its number, and what was there, for `restore_alerts`. SettingRefused says what cannot
    be, InputFault when the name is taken.
    """
    from nightly_spindle.store.base import tables as t

    alert = replace(alert, name=" ".join(alert.name.split()))
    check_alert(alert)
    rows = library.rows(t.alert.select())
    if not alert.id and len(rows) >= MOST_ALERTS:
        raise InputFault(f"a station has at most {MOST_ALERTS} alerts; remove one first")
    number = new_number(rows, alert.name, "alert", alert.id)
    places = {row["id"]: row["place"] for row in rows}
    place = places.get(number, max(places.values(), default=0) + 1)
    return number, restore_alerts(library, {number: [alert_row(replace(alert, id=number), place)]})


def remove_alert(library: LibraryTransaction, number: int) -> Before:
    """Take an alert out; returns what was there, for `restore_alerts`."""
    return restore_alerts(library, {number: []})


def restore_alerts(library: LibraryTransaction, wanted: Mapping[int, Sequence[Row]]) -> Before:
    """Make alerts what their rows say, or take them out; returns what was there."""
    from nightly_spindle.store.base import tables as t

    return put_rows(library, t.alert, wanted)


def find_alert(alerts: Iterable[Alert], wanted: str) -> Alert:
    """Return the alert of that number or name; InputFault names those that there are."""
    return find(alerts, wanted, "alert")


def book_entry(values: Row) -> Row:
    """Return an alert as a station book has it, which says that a password is needed."""
    needed = values["kind"] == AlertKind.MAIL and bool(values["options"].get("user"))
    return {**values, "needs_password": needed}


def wrong_alerts(entries: Iterable[Mapping[str, Any]]) -> list[str]:
    """Return what cannot be of the alerts of a station book."""
    wrong = []
    for entry in entries:
        try:
            alert_from(entry)
        except SettingRefused as error:
            wrong.append(f"alerts/{entry['id']}: {error}")
    return wrong
