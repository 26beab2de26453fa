"""Bringing audio in at once: files and folders, as the command line does."""

from __future__ import annotations

import logging
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

from nightly_spindle.core.base.errors import InputFault, StorageFault
from nightly_spindle.core.library.intake import IntakeOptions, State
from nightly_spindle.intake.look import Task, look_at_all
from nightly_spindle.intake.take import TakeResult, settle_source, take
from nightly_spindle.intake.walk import Unusable, files_meant
from nightly_spindle.store.base.database import connect
from nightly_spindle.store.base.station_folder import read_settings
from nightly_spindle.store.base.transaction import LibraryTransaction
from nightly_spindle.store.library.intake_reading import Seen

if TYPE_CHECKING:
    from nightly_spindle.store.library.items import Looked


_log = logging.getLogger(__name__)


@dataclass(frozen=True, slots=True)
class Intake:
    """Files and folders to take in, and how."""

    paths: Sequence[Path]
    options: IntakeOptions


@dataclass(frozen=True, slots=True)
class Brought:
    """One file and what became of it."""

    path: str
    state: State
    cart: int | None
    why: str = ""


def bring_in(
    folder: Path,
    intakes: Sequence[Intake],
    progress: Callable[[int, int], None] = lambda _done, _all: None,
) -> list[Brought]:
    """Take audio files, and those below folders, into the station's library.

    Files that cannot be used are reported and left where they are. InputFault when a
    path is not there.
    """
    connect(folder).close()  # says so when there is no station
    trimming = read_settings(folder).trimming
    wanted: list[tuple[Task, Intake, Path]] = []
    brought: list[Brought] = []
    for intake in intakes:
        for found, root in _files(intake):
            if isinstance(found, Unusable):
                brought.append(Brought(found.shown, State.REFUSED, None, found.why))
            else:
                task = Task(found.path, str(root), intake.options.template, trimming)
                wanted.append((task, intake, root))
    results = look_at_all([task for task, _, _ in wanted])
    for done, ((task, intake, root), looked) in enumerate(zip(wanted, results, strict=True), 1):
        path = Path(task.path)
        if isinstance(looked, str):
            taken = TakeResult(State.REFUSED, None, looked)
        else:
            taken = _take_whatever(folder, looked, intake.options, root)
        brought.append(Brought(str(path), taken.state, taken.cart, taken.why))
        progress(done, len(wanted))
    return brought


def _take_whatever(folder: Path, looked: Looked, options: IntakeOptions, home: Path) -> TakeResult:
    """Take one file in; whatever is wrong with it refuses it alone."""
    try:
        return take_one(folder, looked, options, home)
    except Exception as error:  # the edge of one file  # noqa: BLE001
        _log.exception("%s could not be imported", looked.path)
        return TakeResult(State.REFUSED, None, refused_for(looked.path, error))


def refused_for(path: Path, error: Exception) -> str:
    """Return why a file was refused for which no sentence had been written."""
    return f"{path} could not be imported ({type(error).__name__}: {error})"


def take_one(folder: Path, looked: Looked, options: IntakeOptions, home: Path) -> TakeResult:
    """Take one file in with a transaction of its own, then settle its source.

    `home` is the folder that a relative done folder lies in.
    """
    try:
        with LibraryTransaction(folder) as library:
            taken = take(library, looked, options)
    except StorageFault as error:
        return TakeResult(State.REFUSED, None, str(error))
    if taken.cart is not None:
        odd = settle_source(looked.path, home, options)
        if odd:
            return TakeResult(taken.state, taken.cart, odd)
    return taken


def _files(intake: Intake) -> Iterator[tuple[Seen | Unusable, Path]]:
    """Yield (what lies there, the folder that may become its root)."""
    for path in intake.paths:
        if not path.exists():
            raise InputFault(f"{path} is not there; check the path")
        done = str((path / intake.options.done_folder).resolve())
        for found in files_meant(path.absolute(), but={done}):
            file = found.path if isinstance(found, Seen) else found.shown
            yield found, path if path.is_dir() else Path(file).absolute().parent
