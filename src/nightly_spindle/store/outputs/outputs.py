"""Reading and editing a station's outputs."""

from __future__ import annotations

import json
from dataclasses import replace
from typing import TYPE_CHECKING, Any

from nightly_spindle.core.base.errors import InputFault, SettingRefused
from nightly_spindle.core.outputs.outputs import (
    MOST_OUTPUTS,
    Output,
    OutputKind,
    RecordingOptions,
    check_output,
    output_from,
)
from nightly_spindle.store.base.named import Before, Row, find, new_number, put_rows
from nightly_spindle.store.base.station_folder import output_row

if TYPE_CHECKING:
    import sqlite3
    from collections.abc import Iterable, Mapping, Sequence
    from pathlib import Path

    from nightly_spindle.store.base.transaction import LibraryTransaction


def values_of(row: sqlite3.Row | Mapping[str, Any]) -> Row:
    """Return one row of the table as an output's plain values."""
    plain = {name: row[name] for name in ("id", "name", "kind")}
    return plain | {"on": bool(row["enabled"]), "options": json.loads(row["options"])}


def read_outputs(connection: sqlite3.Connection) -> tuple[Output, ...]:
    """Read the outputs in their order."""
    rows = connection.execute("SELECT * FROM output ORDER BY place, id")
    return tuple(output_from(values_of(row)) for row in rows)


def save_output(library: LibraryTransaction, output: Output) -> tuple[int, Before]:
    """Write an output, a new one where its id is 0, behind the others then.

    Returns its number, and what was there, for `restore_outputs`. SettingRefused says what cannot
    be, InputFault when the name is taken.
    """
    from nightly_spindle.store.base import tables as t

    output = replace(output, name=" ".join(output.name.split()))
    check_output(output)
    rows = library.rows(t.output.select())
    if not output.id and len(rows) >= MOST_OUTPUTS:
        raise InputFault(f"a station has at most {MOST_OUTPUTS} outputs; remove one first")
    number = new_number(rows, output.name, "output", output.id)
    places = {row["id"]: row["place"] for row in rows}
    place = places.get(number, max(places.values(), default=0) + 1)
    output = replace(output, id=number)
    return number, restore_outputs(library, {number: [output_row(output, place)]})


def remove_output(library: LibraryTransaction, number: int) -> Before:
    """Take an output out; returns what was there, for `restore_outputs`."""
    return restore_outputs(library, {number: []})


def restore_outputs(library: LibraryTransaction, wanted: Mapping[int, Sequence[Row]]) -> Before:
    """Make outputs what their rows say, or take them out; returns what was there."""
    from nightly_spindle.store.base import tables as t

    return put_rows(library, t.output, wanted)


def recording_folders(folder: Path, outputs: Iterable[Output]) -> list[Path]:
    """Return the folders that a station records into, or did: also of those that are off now."""
    return [
        folder / one.options.folder for one in outputs if isinstance(one.options, RecordingOptions)
    ]


def find_output(outputs: Iterable[Output], wanted: str) -> Output:
    """Return the output of that number or name; InputFault names those that there are."""
    return find(outputs, wanted, "output")


def book_entry(values: Row) -> Row:
    """Return an output as a station book has it, which says that a password is needed."""
    return {**values, "needs_password": values["kind"] == OutputKind.STREAM}


def wrong_outputs(entries: Iterable[Mapping[str, Any]]) -> list[str]:
    """Return what cannot be of the outputs of a station book."""
    wrong = []
    for entry in entries:
        try:
            output_from(entry)
        except SettingRefused as error:
            wrong.append(f"outputs/{entry['id']}: {error}")
    return wrong
