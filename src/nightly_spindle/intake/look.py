"""Looking at one file: can it be read, what does it say, what is measured. Runs in workers."""

from __future__ import annotations

import contextlib
import logging
import multiprocessing
import os
import threading
import time
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, replace
from pathlib import Path
from typing import TYPE_CHECKING

from nightly_spindle.audio.measure import measure_file
from nightly_spindle.audio.tags import read_tags
from nightly_spindle.core.base.errors import AudioUnreadable, InputFault
from nightly_spindle.core.library.intake import tags_for
from nightly_spindle.core.library.items import Item, Kind
from nightly_spindle.core.segues.segue_rules import SegueRule
from nightly_spindle.core.station.settings import Trimming
from nightly_spindle.store.library.items import Looked
from nightly_spindle.store.library.marker_files import read_beside

if TYPE_CHECKING:
    from collections.abc import Iterator, Sequence

_log = logging.getLogger(__name__)
_HOLD = ["nightly_spindle.intake.look", "scipy.signal", "mutagen"]
_FOLLOW_S = 2.0
_NICE = 10  # measuring gives way to whatever plays
FEW = 2  # files that are measured faster than a worker starts


@dataclass(frozen=True, slots=True)
class Task:
    """A file to look at. `root` is the folder that may become its root."""

    path: str
    root: str
    template: str
    trimming: Trimming


def look(task: Task) -> Looked | str:
    """Look at a file; a text says why it cannot be used."""
    path = Path(task.path)
    try:
        before = path.stat()
        measured = measure_file(task.path, task.trimming)
        own, said = read_tags(path)
        after = path.stat()
    except AudioUnreadable as error:
        return str(error)
    except OSError as error:
        return f"{task.path} cannot be read: {error.strerror or error}"
    except Exception as error:  # the edge of one file: whatever is odd about it, the queue goes on  # noqa: BLE001
        _log.exception("%s could not be measured", task.path)
        return f"{task.path} could not be measured ({type(error).__name__}: {error}); convert it"
    if (before.st_size, before.st_mtime_ns) != (after.st_size, after.st_mtime_ns):
        return f"{task.path} was written to while it was measured; it is looked at again later"
    tags = tags_for(own, task.template, path)
    looked = Looked(path, Path(task.root), tags, said, measured, after.st_size, after.st_mtime_ns)
    return _with_own_markers(looked)


def _with_own_markers(looked: Looked) -> Looked:
    """Add the markers that the file, or a sidecar beside it, says itself."""
    item = Item(0, Kind.SONG, "", "", str(looked.path), looked.measured.measure)
    try:
        found = read_beside(item, SegueRule())
    except InputFault as error:
        return replace(looked, remark=f"its own markers are left out: {error}")
    except Exception as error:  # the edge of one file  # noqa: BLE001
        _log.exception("the markers of %s could not be read", looked.path)
        return replace(looked, remark=f"its own markers are left out ({type(error).__name__})")
    return looked if found is None else replace(looked, marks=found[0], shaping=found[1])


def workers(count: int | None = None) -> ProcessPoolExecutor:
    """Return worker processes that look at files, one for each core, of low priority."""
    context = multiprocessing.get_context("forkserver")
    context.set_forkserver_preload(_HOLD)
    cores = max(1, os.cpu_count() or 1)
    return ProcessPoolExecutor(
        count or cores, mp_context=context, initializer=_begin, initargs=(os.getpid(),)
    )


def give_way() -> None:
    """Let this process give way to whatever plays."""
    with contextlib.suppress(OSError):  # not allowed here: then all are equal
        os.nice(_NICE)


def _begin(parent: int) -> None:
    threading.Thread(target=_follow, args=(parent,), name="parent", daemon=True).start()
    # a forkserver's children have the priority of whoever started it: given way once is enough
    if os.nice(0) < _NICE:
        give_way()
    # the MP3 decoder writes its remarks to standard error, past everything
    os.dup2(os.open(os.devnull, os.O_WRONLY), 2)


def _follow(parent: int) -> None:
    """End with the process that ordered the work: one that was killed cannot say goodbye."""
    while Path(f"/proc/{parent}").exists():
        time.sleep(_FOLLOW_S)
    os._exit(0)


def look_at_all(tasks: Sequence[Task]) -> Iterator[Looked | str]:
    """Look at files, several at a time, giving the answers in their order."""
    if len(tasks) <= FEW:
        yield from map(look, tasks)
        return
    with workers() as pool:
        yield from pool.map(look, tasks)
