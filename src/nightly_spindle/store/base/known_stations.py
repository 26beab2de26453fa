"""The stations that were opened on this machine: where they lie, which was the last.

One small JSON file in the user's state folder (XDG base directories), the newest first. It is a
convenience: when it is damaged, the stations themselves are as they were.
"""

from __future__ import annotations

import json
import logging
from dataclasses import asdict, dataclass, replace
from pathlib import Path
from typing import Any

from nightly_spindle.core.base.plain_files import read_plain, replace_file

_log = logging.getLogger(__name__)
_MOST = 50
_FILE = "stations.json"


@dataclass(frozen=True, slots=True)
class KnownStation:
    """A station that was opened here. `step` is where its guided set-up stands, empty for done.

    `opened_us` is when it was opened last (µs since 1970).
    """

    folder: str
    name: str
    opened_us: int
    step: str = ""


def known_stations() -> list[KnownStation]:
    """Return the stations that were opened here, the newest first; none where nothing is known."""
    try:
        rows = json.loads(read_plain(_path()))
        return [_station_from(row) for row in rows][:_MOST]
    except FileNotFoundError:
        return []
    except (OSError, ValueError, TypeError, KeyError) as error:
        _log.warning("%s cannot be read (%s); it is begun anew", _path(), error)
        return []


def remember_station(folder: Path, name: str, now_us: int) -> None:
    """Put a station first; StorageFault when that cannot be written."""
    mark = str(folder.absolute())
    known = known_stations()
    was = next((one for one in known if one.folder == mark), KnownStation(mark, name, now_us))
    first = replace(was, name=name, opened_us=now_us)
    _write([first, *(one for one in known if one.folder != mark)])


def set_step(folder: Path, step: str) -> None:
    """Remember where a station's guided set-up stands; empty when it is through."""
    mark = str(folder.absolute())
    _write([replace(one, step=step) if one.folder == mark else one for one in known_stations()])


def forget_station(folder: str) -> None:
    """Take a station off the list; the station itself stays as it is."""
    _write([one for one in known_stations() if one.folder != folder])


def _station_from(row: Any) -> KnownStation:
    return KnownStation(
        str(row["folder"]), str(row["name"]), int(row["opened_us"]), str(row.get("step", ""))
    )


def _write(stations: list[KnownStation]) -> None:
    path = _path()
    path.parent.mkdir(parents=True, exist_ok=True)
    rows = [asdict(one) for one in stations[:_MOST]]
    replace_file(path, json.dumps(rows, ensure_ascii=False, indent=1) + "\n")


def _path() -> Path:
    import platformdirs

    return Path(platformdirs.user_state_dir("nightly-spindle")) / _FILE
