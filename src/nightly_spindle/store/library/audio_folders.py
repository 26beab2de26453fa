"""The folders of a station's audio: whether they are there; one that moved is pointed at anew."""

from __future__ import annotations

from contextlib import closing
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

from nightly_spindle.core.base.errors import InputFault
from nightly_spindle.core.base.wording import counted
from nightly_spindle.store.base.database import connect
from nightly_spindle.store.base.station_folder import absolute, stored

if TYPE_CHECKING:
    from collections.abc import Iterable

    from nightly_spindle.store.base.transaction import LibraryTransaction


@dataclass(frozen=True, slots=True)
class AudioFolder:
    """A folder with `items` of the library. `why`: why it cannot be reached, empty if it can."""

    id: int
    path: str
    items: int
    songs: int
    why: str = ""


@dataclass(frozen=True, slots=True)
class MoveProof:
    """What a folder holds of what the station has in another: so many files are `same` (path below
    the folder, and bytes), are `missing`, or are of another length (`other`). `example` names one
    that is not the same.
    """

    same: int
    missing: int
    other: int
    example: str = ""

    @property
    def whole(self) -> bool:
        """Whether every file is there as it was."""
        return self.same > 0 and not self.missing and not self.other

    def sentence(self) -> str:
        """What was found."""
        if self.whole:
            return f"All {counted(self.same, 'file')} are there, each with as many bytes as before."
        parts = [f"{self.same} are the same"] if self.same else []
        parts += [f"{self.missing} are not there"] if self.missing else []
        parts += [f"{self.other} have another length"] if self.other else []
        return f"Of the station's files {', '.join(parts)} (such as {self.example})."


def audio_folders(folder: Path) -> list[AudioFolder]:
    """Return the folders in use, those that hold most first. Waits for their drives."""
    with closing(connect(folder)) as connection:
        rows = connection.execute(
            "SELECT r.id, r.path, count(i.cart) AS items, coalesce(sum(i.kind = 'song'), 0)"
            " FROM root r LEFT JOIN item i ON i.root_id = r.id GROUP BY r.id"
            " ORDER BY items DESC, r.path"
        ).fetchall()
    found = []
    for number, path, items, songs in rows:
        whole = absolute(folder, path)
        found.append(AudioFolder(number, whole, items, songs, _why_away(Path(whole))))
    return found


def _why_away(path: Path) -> str:
    try:
        next(path.iterdir(), None)
    except FileNotFoundError:
        return "not there"
    except OSError as error:
        return error.strerror or str(error)
    return ""


def prove_move(folder: Path, number: int, target: Path) -> MoveProof:
    """Compare a folder with what the station has in one of its own.

    InputFault when that one is not in use any more.
    """
    with closing(connect(folder)) as connection:
        rows = connection.execute(
            "SELECT path, size FROM item WHERE root_id = ? ORDER BY path", (number,)
        ).fetchall()
    if not rows:
        raise InputFault("no item's audio is in that folder any more; look again")
    return _compared(target, ((row[0], row[1]) for row in rows))


def _compared(target: Path, files: Iterable[tuple[str, int]]) -> MoveProof:
    same = missing = other = 0
    example = ""
    for path, size in files:
        try:
            found = (target / path).stat().st_size
        except OSError:
            missing += 1
            example = example or path
            continue
        if size and found != size:
            other += 1
            example = example or path
        else:
            same += 1
    return MoveProof(same, missing, other, example)


def move_folder(library: LibraryTransaction, number: int, target: Path) -> str:
    """Have the items of a folder played from another; returns where it was, for undoing.

    InputFault when the folder is not known, or the other one is in use already.
    """
    from nightly_spindle.store.base import tables as t

    version = library.version()
    rows = library.rows(t.root.select().where(t.root.c.id == number))
    if not rows:
        raise InputFault("that folder is not in use any more; look again")
    text = stored(library.folder, target)
    taken = library.rows(t.root.select().where(t.root.c.path == text, t.root.c.id != number))
    if taken:
        raise InputFault(f"{target} is in use already; its items are found there")
    library.run(t.root.update().where(t.root.c.id == number).values(path=text))
    library.run(t.item.update().where(t.item.c.root_id == number).values(version=version))
    return absolute(library.folder, rows[0]["path"])
