"""Bringing audio in: files and folders, tags, measuring in worker processes."""

from __future__ import annotations

import multiprocessing
import os
import time
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from pathlib import Path

import mutagen
import soundfile

from nightly_spindle.audio.files import SUFFIXES
from nightly_spindle.audio.measure import Measured, measure_file
from nightly_spindle.core.errors import AudioUnreadable, InputFault
from nightly_spindle.core.items import Kind
from nightly_spindle.store.database import connect
from nightly_spindle.store.library import Library, Tags

WORKERS_HOLD = ["nightly_spindle.audio.measure", "scipy.signal", "mutagen"]
_FIELDS = ("title", "artist", "album", "date")
_FEW = 3  # files that are measured faster than a worker starts


@dataclass(frozen=True, slots=True)
class Arrival:
    """One file and what became of it: its cart number, or why it was refused."""

    path: str
    cart: int | None
    why_not: str = ""


@dataclass(frozen=True, slots=True)
class _Job:
    path: str
    trigger_db: float


@dataclass(frozen=True, slots=True)
class Intake:
    """Files and folders to take in, and as what."""

    paths: Sequence[Path]
    kind: Kind
    category: str | None = None


def bring_in(
    folder: Path,
    intakes: Sequence[Intake],
    progress: Callable[[int, int], None] = lambda _done, _all: None,
) -> list[Arrival]:
    """Take audio files, and those below folders, into the station's library.

    Files that cannot be used are reported and left where they are. InputFault when a
    path is not there.
    """
    connect(folder).close()  # says so when there is no station
    wanted = [
        (file, root, intake)
        for intake in intakes
        for path in intake.paths
        for file, root in _files(path)
    ]
    trigger = _trigger(folder)
    jobs = [_Job(str(file), trigger) for file, _, _ in wanted]
    arrivals = []
    now_us = time.time_ns() // 1000
    with Library(folder) as library:
        for (file, root, intake), result in zip(wanted, _measured(jobs), strict=True):
            if isinstance(result, str):
                arrivals.append(Arrival(str(file), None, result))
            else:
                tags, measured = result
                cart = library.put(file, root, intake.kind, tags, measured, now_us)
                if intake.category:
                    library.categorise(cart, intake.category)
                arrivals.append(Arrival(str(file), cart))
            progress(len(arrivals), len(wanted))
    return arrivals


def _trigger(folder: Path) -> float:
    connection = connect(folder)
    row = connection.execute("SELECT value FROM setting WHERE name = 'segue.trigger_db'").fetchone()
    connection.close()
    return float(row["value"]) if row else -22.0


def _files(path: Path) -> Iterator[tuple[Path, Path]]:
    """Yield (file, the folder that may become its root)."""
    if path.is_dir():
        for folder, folders, names in os.walk(path):
            folders.sort()
            for name in sorted(names):
                if Path(name).suffix.lower() in SUFFIXES:
                    yield Path(folder) / name, path
    elif path.exists():
        yield path, path.absolute().parent
    else:
        raise InputFault(f"{path} is not there; check the path")


def _measured(jobs: list[_Job]) -> Iterator[tuple[Tags, Measured] | str]:
    if len(jobs) <= _FEW:
        yield from map(_look_at, jobs)
        return
    context = multiprocessing.get_context("forkserver")
    context.set_forkserver_preload(WORKERS_HOLD)
    with ProcessPoolExecutor(max(1, os.cpu_count() or 1), mp_context=context) as pool:
        yield from pool.map(_look_at, jobs)


def _look_at(job: _Job) -> tuple[Tags, Measured] | str:
    try:
        return read_tags(Path(job.path)), measure_file(job.path, job.trigger_db)
    except AudioUnreadable as error:
        return str(error)


def read_tags(path: Path) -> Tags:
    """Read a file's tags; where it has none, its name ("Artist - Title" or a title)."""
    found = {**_strings(path), **_tags(path)}
    if "title" not in found:
        artist, dash, title = path.stem.partition(" - ")
        found["title"] = title.strip() if dash else path.stem
        if dash:
            found.setdefault("artist", artist.strip())
    return Tags(
        found["title"], found.get("artist", ""), found.get("album", ""), found.get("date", "")[:4]
    )


def _tags(path: Path) -> dict[str, str]:
    try:
        tagged = mutagen.File(path, easy=True)
    except (mutagen.MutagenError, OSError, ValueError):
        return {}  # damaged tags are no reason to refuse sound audio
    if tagged is None or tagged.tags is None:
        return {}
    values = {name: tagged.tags.get(name) for name in _FIELDS}
    return {
        name: str(value[0]).strip() for name, value in values.items() if isinstance(value, list)
    }


def _strings(path: Path) -> dict[str, str]:
    """Return what the file's own chunks say: libsndfile reads those of WAV and AIFF."""
    try:
        with soundfile.SoundFile(path) as sound:
            texts = {name: str(getattr(sound, name)).strip() for name in _FIELDS}
    except (soundfile.LibsndfileError, OSError):
        return {}
    return {name: text for name, text in texts.items() if text}
