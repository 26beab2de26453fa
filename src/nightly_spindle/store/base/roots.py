"""Looking whether items' files are there, folder by folder: one that hangs holds up no other."""

from __future__ import annotations

import math
import os
import threading
import time
from dataclasses import dataclass, field
from functools import partial
from typing import TYPE_CHECKING

from nightly_spindle.core.base.plain_files import check_plain
from nightly_spindle.core.programme.away_folders import Away, why_away

if TYPE_CHECKING:
    from collections.abc import Iterable, Mapping, Sequence

    from nightly_spindle.core.library.items import Item
    from nightly_spindle.core.programme.programme import Programme
    from nightly_spindle.store.base.patience import Patience


_LASTS_S = 10.0  # what was found of a file so long ago is looked at again
_AT_ONCE = 200  # files of a slow share that are looked at before it counts as one that hangs


@dataclass(slots=True)
class FilesFound:
    """What a look found: the folders that are away, and what is wrong with single files by cart.

    `there` are the carts whose file is sound; of items in a folder that is away nothing is said.
    """

    away: dict[str, Away] = field(default_factory=dict)
    wrong: dict[int, str] = field(default_factory=dict)
    there: set[int] = field(default_factory=set)


def root_of(path: str, roots: Sequence[str]) -> str:
    """Return the root that a file lies in, the longest that fits; else its own folder."""
    fits = [root for root in roots if path.startswith(f"{root.rstrip('/')}/")]
    return max(fits, key=len) if fits else os.path.dirname(path)  # noqa: PTH120 - a text


def look_at_files(
    patience: Patience,
    roots: Sequence[str],
    items: Iterable[Item],
    now_us: int,
    before: Mapping[str, Away],
) -> FilesFound:
    """Look at every item's file. `before` are the folders that were away already."""
    found = FilesFound()
    below: dict[str, list[Item]] = {root: [] for root in before}
    for item in items:
        below.setdefault(root_of(item.path, roots), []).append(item)
    for root, inside in below.items():
        why = ""
        problems: dict[str, str] = {}
        try:
            for at in range(0, max(1, len(inside)), _AT_ONCE):
                paths = [item.path for item in inside[at : at + _AT_ONCE]]
                problems |= patience.ask(root, partial(_look, root, paths))
        except FileNotFoundError:
            why = "it is not there"
        except OSError as error:
            why = error.strerror or str(error)
        gone = why_away(why, {path: not problem for path, problem in problems.items()})
        if gone:
            known = before.get(root)
            found.away[root] = known or Away(root, now_us, gone)
            continue
        for item in inside:
            if problems[item.path]:
                found.wrong[item.cart] = problems[item.path]
            else:
                found.there.add(item.cart)
    return found


class SharedLooks:
    """What all readers of one process found lately: whoever looks again soon need not.

    Only files that nobody has looked at yet are looked at then.
    """

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._looked_at = -math.inf
        self._paths: set[str] = set()
        self._roots: tuple[str, ...] = ()
        self._found = FilesFound()

    def look(
        self, patience: Patience, roots: tuple[str, ...], items: Iterable[Item], now_us: int
    ) -> FilesFound:
        """Look at every item's file that was not looked at within the last few seconds."""
        with self._lock:
            known, now = self._found, time.monotonic()
            if now - self._looked_at > _LASTS_S or roots != self._roots:
                self._paths, self._roots, self._looked_at = set(), roots, now
                self._found = FilesFound()
            paths = self._paths
            lacking = [item for item in items if item.path not in paths]
            if lacking:
                found = look_at_files(patience, roots, lacking, now_us, known.away)
                # another thread may still go through what it was given
                was = self._found
                self._found = FilesFound(
                    was.away | found.away, was.wrong | found.wrong, was.there | found.there
                )
                paths.update(item.path for item in lacking)
            return self._found


def note_files(programme: Programme, found: FilesFound) -> None:
    """Note in a programme what a look found."""
    programme.away.clear()
    programme.away.update(found.away)
    programme.unplayable.update(found.wrong)
    for cart in found.there:
        if programme.unplayable.get(cart, "").startswith(("the file", "its folder")):
            del programme.unplayable[cart]


def file_problem(path: str) -> str:
    """Return why a file cannot be read, empty when nothing speaks against it."""
    try:
        known = os.stat(path)  # noqa: PTH116 - this runs for every item of a night
        check_plain(known.st_mode)
    except FileNotFoundError:
        return f"the file {path} is not there"
    except OSError as error:
        return f"the file {path} cannot be read: {error.strerror}"
    if known.st_size == 0:
        return f"the file {path} is empty"
    if not os.access(path, os.R_OK):
        return f"the file {path} may not be read"
    return ""


def _look(root: str, paths: Sequence[str]) -> dict[str, str]:
    """Return what is wrong with each file below a folder; OSError when that cannot be listed."""
    with os.scandir(root) as entries:
        next(entries, None)
    return {path: file_problem(path) for path in paths}
