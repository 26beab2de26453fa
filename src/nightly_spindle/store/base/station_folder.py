"""Making a station, and where things lie in its folder."""

from __future__ import annotations

import json
from contextlib import closing
from pathlib import Path
from typing import TYPE_CHECKING, Any

from nightly_spindle.core.base.errors import InputFault, StorageFault
from nightly_spindle.core.outputs.outputs import FIRST, output_values
from nightly_spindle.core.station.log_sources import Loads
from nightly_spindle.core.station.settings import StationSettings, settings_from, texts_from
from nightly_spindle.store.base.database import DATABASE, DatabaseRefused, connect

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

    from nightly_spindle.core.outputs.outputs import Output
    from nightly_spindle.store.base.transaction import LibraryTransaction

DEFAULT_PATTERN = "%Y-%m-%d.m3u"


def new_station(
    folder: Path, values: Mapping[str, str], outputs: Sequence[Output] = FIRST
) -> StationSettings:
    """Make an empty station with a log drop on its own `logs` folder that loads each day's log.

    `values` are settings as texts; SettingRefused names all that are wrong. Nothing is
    left behind when it fails.
    """
    settings = settings_from(values)
    path = folder / DATABASE
    if path.exists():
        raise InputFault(f"{folder} holds a station already; choose another folder")
    from nightly_spindle.store.base.schema import migrate

    try:
        for name in ("logs", "captures", "backups"):
            (folder / name).mkdir(parents=True, exist_ok=True)
        migrate(path)
        connection = connect(folder)
        with connection:
            connection.executemany(
                "INSERT INTO setting (name, value) VALUES (?, ?)", texts_from(settings).items()
            )
            connection.execute(
                "INSERT INTO log_drop (id, name, folder, pattern, options)"
                " VALUES (1, ?, 'logs', ?, ?)",
                ("Day log", DEFAULT_PATTERN, json.dumps({"loads": str(Loads.AT_TIME)})),
            )
            for place, output in enumerate(outputs, 1):
                row = output_row(output, place)
                connection.execute(
                    f"INSERT INTO output ({', '.join(row)}) VALUES ({', '.join('?' * len(row))})",
                    tuple(row.values()),
                )
        connection.close()
    except OSError as error:
        raise StorageFault(f"{folder} cannot be written: {error.strerror or error}") from error
    except (StorageFault, InputFault):
        path.unlink(missing_ok=True)
        raise
    return settings


def output_row(output: Output, place: int) -> dict[str, Any]:
    """Return an output as a row of its table; `place` is where it stands among the others."""
    plain = output_values(output)
    return {
        **{name: plain[name] for name in ("id", "name", "kind")},
        "place": place,
        "enabled": plain["on"],
        "options": json.dumps(plain["options"], ensure_ascii=False),
    }


def absolute(folder: Path, text: str) -> str:
    """Return a stored path (relative to the station, or absolute) as an absolute one."""
    path = Path(text)
    return str(path if path.is_absolute() else (folder / path).absolute())


def stored(folder: Path, path: Path) -> str:
    """Return a path as it is stored: relative where it lies inside the station folder."""
    whole, base = path.absolute(), folder.absolute()
    return str(whole.relative_to(base)) if whole.is_relative_to(base) else str(whole)


def read_settings(folder: Path, *, timeout_s: float = 5.0) -> StationSettings:
    """Return a station's settings; SettingRefused when stored ones make no sense.

    `timeout_s` is how long a database that is locked is waited for; StorageFault then.
    """
    with closing(connect(folder, timeout_s=timeout_s)) as connection:
        try:
            rows = connection.execute("SELECT name, value FROM setting").fetchall()
        except DatabaseRefused as error:
            raise StorageFault(f"{folder / DATABASE} cannot be read: {error}") from error
    return settings_from({row["name"]: row["value"] for row in rows})


def update_settings(library: LibraryTransaction, values: Mapping[str, str]) -> dict[str, str]:
    """Change settings as a part of an edit; returns what they were.

    SettingRefused names all that are wrong, and then none changes.
    """
    from sqlalchemy.dialects.sqlite import insert

    from nightly_spindle.store.base import tables as t

    library.version()
    now = texts_from(
        settings_from({row["name"]: row["value"] for row in library.rows(t.setting.select())})
    )
    new = texts_from(settings_from(now | dict(values)))
    rows = [{"name": name, "value": value} for name, value in new.items()]
    put = insert(t.setting)
    library.run(
        put.on_conflict_do_update(index_elements=["name"], set_={"value": put.excluded.value}), rows
    )
    return {name: now[name] for name in values if name in now}


def set_settings(folder: Path, values: Mapping[str, str]) -> StationSettings:
    """Change settings of a station; SettingRefused names all that are wrong, and none changes."""
    connection = connect(folder)
    try:
        with connection:
            rows = connection.execute("SELECT name, value FROM setting").fetchall()
            settings = settings_from({row["name"]: row["value"] for row in rows} | dict(values))
            connection.executemany(
                "INSERT INTO setting (name, value) VALUES (?, ?)"
                " ON CONFLICT (name) DO UPDATE SET value = excluded.value",
                texts_from(settings).items(),
            )
            connection.execute("UPDATE change SET count = count + 1")
    finally:
        connection.close()
    return settings
