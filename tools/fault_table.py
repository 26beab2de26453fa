"""The faults: what is done to a station on air, and in which sentence it must be told.

Each is a function that gets a `Station`, does its harm and returns what puts things right again
(None where nothing is to be). Those that harm a station before it takes the air put it there.
"""

from __future__ import annotations

import contextlib
import os
import signal
from dataclasses import dataclass
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from collections.abc import Callable

    from fault_station import Station

    Harm = Callable[[Station], Callable[[], object] | None]


@dataclass(frozen=True)
class Fault:
    """One fault. `told` is part of the sentence, empty where nothing needs to be told.

    `before`: the harm is done before the engine starts, which the harm itself does. `down` allows
    the silence of a process that is killed and comes back. `lasts_s` is how long it stays. `alone`:
    how soon it sounds is measured, so no other station is beside it.
    """

    name: str
    harm: Harm
    told: str = ""
    lasts_s: float = 12.0
    before: bool = False
    down: bool = False
    share: bool = False
    complete: bool = True  # whether the as-run log must have no hole
    within_s: float = 15.0
    alone: bool = False


FAULTS: list[Fault] = []


def fault(name: str, told: str = "", **options: object) -> Callable[[Harm], Harm]:
    """Put a fault into the table."""

    def taken(harm: Harm) -> Harm:
        FAULTS.append(Fault(name, harm, told, **options))  # type: ignore[arg-type]
        return harm

    return taken


def kill(pid: int, number: int = signal.SIGKILL) -> None:
    """Send a process a signal; one that is gone is no matter."""
    with contextlib.suppress(ProcessLookupError):
        os.kill(pid, number)


def supervisors(at: Station) -> list[int]:
    """Return the supervisors of a station's engine."""
    return [pid for pid in at.pids("air") if pid != at.engine_pid()]
