"""Looking at the stations of this machine, off the interface thread: a drive may hang."""

from __future__ import annotations

import threading
from dataclasses import dataclass
from enum import StrEnum
from pathlib import Path

from PySide6.QtCore import QObject, Signal

from nightly_spindle.air.places import engine_pid
from nightly_spindle.core.base.errors import NightlySpindleError
from nightly_spindle.store.base.database import DATABASE
from nightly_spindle.store.base.known_stations import KnownStation, known_stations
from nightly_spindle.store.base.station_folder import read_settings


class Standing(StrEnum):
    """How a known station is found."""

    LOOKING = "looking"
    ON_AIR = "on air"
    OFF = "off the air"
    COPY = "a copy, for trying things"
    GONE = "not there"
    DAMAGED = "cannot be read"


@dataclass(frozen=True, slots=True)
class StationSight:
    """A known station and how it is found; `why` says more where it cannot be opened."""

    station: KnownStation
    standing: Standing = Standing.LOOKING
    why: str = ""

    @property
    def can_open(self) -> bool:
        """Whether it can be opened, as far as is known."""
        return self.standing not in {Standing.GONE, Standing.DAMAGED}


def sight_of(station: KnownStation) -> StationSight:
    """Look at one station. Waits for its drive."""
    folder = Path(station.folder)
    if not (folder / DATABASE).exists():
        return StationSight(
            station, Standing.GONE, f"{folder} holds no station now; is its drive connected?"
        )
    try:
        settings = read_settings(folder, timeout_s=1.0)
    except NightlySpindleError as error:
        return StationSight(station, Standing.DAMAGED, str(error))
    if engine_pid(folder) is not None:
        return StationSight(station, Standing.ON_AIR)
    return StationSight(station, Standing.COPY if settings.copy_of else Standing.OFF)


class StationSights(QObject):
    """Looks at all known stations, each in a thread of its own.

    Signal: `seen` (StationSight), one after the other.
    """

    seen = Signal(object)

    def look(self) -> list[KnownStation]:
        """Begin to look; returns the stations that are looked at, the newest first."""
        found = known_stations()
        for station in found:
            threading.Thread(
                target=self._look_at, args=(station,), name="sight", daemon=True
            ).start()
        return found

    def _look_at(self, station: KnownStation) -> None:
        try:
            sight = sight_of(station)
        except OSError as error:
            sight = StationSight(station, Standing.GONE, error.strerror or str(error))
        try:
            self.seen.emit(sight)
        except RuntimeError:  # the window was closed meanwhile
            return
