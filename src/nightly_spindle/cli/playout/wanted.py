"""What the command line asks of an engine, as it is handed from process to process."""

from __future__ import annotations

import time
from dataclasses import dataclass, field
from pathlib import Path

from nightly_spindle.core.base.errors import EnvironmentFault, InputFault, SettingRefused


@dataclass(frozen=True, slots=True)
class Wanted:
    """What the command line asks of an engine, at `begun` (monotonic seconds)."""

    folder: Path
    output: str | None = None
    device: str | None = None
    pace: float | None = None
    clock: str | None = None
    seconds: float | None = None
    capture: Path | None = None
    cold: bool = False
    even_a_copy: bool = False
    resumed: bool = False
    net_alone: bool = False
    log_level: str = "INFO"
    begun: float = field(default_factory=time.monotonic)

    def arguments(self) -> list[str]:
        """Return the command line that asks for the same."""
        told = ["air", str(self.folder), "--log-level", self.log_level]
        for name in ("output", "device", "pace", "clock", "seconds", "capture"):
            value = getattr(self, name)
            if value is not None:
                told += [f"--{name}", str(value)]
        flags = [("--even-a-copy", self.even_a_copy)]
        return told + [name for name, on in flags if on]

    @property
    def simulated(self) -> bool:
        """Whether the clock is the stand-in's."""
        return self.pace is not None or self.clock is not None

    @property
    def says_where(self) -> bool:
        """Whether it says where the sound goes; else that is the station's to say."""
        return bool(self.output or self.device or self.simulated or self.capture is not None)


def refuse_what_cannot_be(wanted: Wanted) -> None:
    """Raise InputFault for what is wrong with the command itself.

    A database that cannot be read now is not: the engine takes the air without it.
    """
    # imported here: meanwhile the process that engines are forked from gets ready
    from nightly_spindle.store.base.database import DATABASE, connect
    from nightly_spindle.store.base.station_folder import read_settings
    from nightly_spindle.store.playout.state_file import read_kept

    kept = read_kept(wanted.folder)
    if kept is None and not (wanted.folder / DATABASE).is_file():
        connect(wanted.folder).close()  # says in a sentence that there is no station
    if kept is not None:
        copy_of = kept.settings.get("copy_of", "")
    else:
        try:
            copy_of = read_settings(wanted.folder, timeout_s=0.5).copy_of
        except (EnvironmentFault, InputFault):
            copy_of = ""
    if copy_of and not wanted.even_a_copy:
        raise SettingRefused(
            f"{wanted.folder} is a copy of {copy_of}, made for trying things on; it is aired with "
            "--even-a-copy only"
        )
