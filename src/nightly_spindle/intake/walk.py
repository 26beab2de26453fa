"""Finding audio files below a folder."""

from __future__ import annotations

import os
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

from nightly_spindle.audio.files import NOT_READ, SUFFIXES
from nightly_spindle.core.logs import playlists
from nightly_spindle.store.library.intake_reading import Seen

if TYPE_CHECKING:
    from collections.abc import Collection, Iterator

_PARTIAL = (".part", ".partial", ".crdownload", ".tmp", ".filepart")  # programs still writing


@dataclass(frozen=True, slots=True)
class Unusable:
    """A file that cannot be queued: its name as it can be shown, and why."""

    shown: str
    why: str


def is_audio(name: str) -> bool:
    """Whether a file name is that of audio, readable or not."""
    suffix = os.path.splitext(name)[1].lower()  # noqa: PTH122 - runs for every file of a walk
    hidden = name.startswith(".")
    return not hidden and not name.endswith(_PARTIAL) and (suffix in SUFFIXES or suffix in NOT_READ)


def audio_below(
    folder: str, *, subfolders: bool = True, but: Collection[str] = ()
) -> Iterator[Seen | Unusable]:
    """Yield the audio files in a folder, by name. Links are followed, but no folder twice.

    `but` are folders (real paths) that are left out. Folders that cannot be read, or that
    vanish meanwhile, give nothing; FileNotFoundError when `folder` itself is not there.
    """
    been: set[tuple[int, int]] = set()
    stack = [folder]
    first = True
    while stack:
        here = stack.pop()
        try:
            stat = os.stat(here)  # noqa: PTH116
            if (stat.st_dev, stat.st_ino) in been or os.path.realpath(here) in but:
                continue
            been.add((stat.st_dev, stat.st_ino))
            with os.scandir(here) as listing:
                entries = sorted(listing, key=lambda entry: entry.name)
        except OSError:
            if first:
                raise
            continue
        first = False
        below = []
        for entry in entries:
            try:
                if entry.is_dir():
                    if subfolders and not entry.name.startswith("."):
                        below.append(entry.path)
                elif entry.is_file() and is_audio(entry.name):
                    yield _seen(entry.path, entry.stat())
            except OSError:
                continue  # it went while we looked
        stack += reversed(below)


def files_meant(path: Path, *, but: Collection[str] = ()) -> Iterator[Seen | Unusable]:
    """Yield what somebody means by a path: a folder's audio, what a playlist names, or the file.

    LogUnreadable when a playlist is none; OSError when the path itself cannot be looked at.
    """
    if path.is_dir():
        yield from audio_below(str(path), but=but)
    elif path.suffix.lower() in playlists.SUFFIXES:
        for named in map(Path, playlists.playlist_files(path)):
            try:
                yield seen_at(named)
            except OSError as error:
                why = f"{path} names {named}, which cannot be read: {error.strerror}"
                yield Unusable(str(named), why)
    else:
        yield seen_at(path)


def seen_at(path: Path) -> Seen | Unusable:
    """Return one file as it lies there; OSError when it cannot be looked at."""
    return _seen(os.path.abspath(path), path.stat())  # noqa: PTH100 - links stay as written


def _seen(path: str, stat: os.stat_result) -> Seen | Unusable:
    try:
        path.encode("utf-8")
    except UnicodeEncodeError:
        shown = os.fsencode(path).decode("utf-8", "backslashreplace")
        return Unusable(shown, f"{shown}: the name is not UTF-8; rename the file")
    return Seen(path, stat.st_size, stat.st_mtime_ns)
