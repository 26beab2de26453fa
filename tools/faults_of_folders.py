"""Folders and files: away, hung, cut, broken, strange."""

from __future__ import annotations

import contextlib
import os
import random
import shutil
import sqlite3
import time
from typing import TYPE_CHECKING

import numpy as np
import soundfile
from fault_station import RATE, SONG_S

if TYPE_CHECKING:
    from collections.abc import Callable
    from pathlib import Path

    from fault_station import Station

    Harm = Callable[[Station], Callable[[], object] | None]


from fault_table import fault


def set_aside(at: Station, gone: Path, every: int = 1) -> Callable[[], object]:
    """Move each so-manieth file of the share into a new folder; returns what moves them back."""
    gone.mkdir()
    for path in sorted(at.music.iterdir())[::every]:
        path.rename(gone / path.name)

    def back() -> None:
        for path in list(gone.iterdir()):
            path.rename(at.music / path.name)

    return back


@fault("share away (renamed) and back", "is away", lasts_s=30)
def _(at: Station) -> Callable[[], object]:
    at.music.rename(at.music.with_name("gone"))
    return lambda: at.music.with_name("gone").rename(at.music) and None


@fault("share away before the start", "is away", before=True, lasts_s=20)
def _(at: Station) -> Callable[[], object]:
    at.music.rename(at.music.with_name("gone"))
    at.air()
    return lambda: at.music.with_name("gone").rename(at.music) and None


@fault("mount point empty", "is away", lasts_s=25)
def _(at: Station) -> Callable[[], object]:
    return set_aside(at, at.music.with_name("gone"))


@fault("all folders away", "is away", lasts_s=25)
def _(at: Station) -> Callable[[], object]:
    places = [at.music, at.folder / "audio/song"]
    for place in places:
        place.rename(place.with_name("gone"))

    def back() -> None:
        for place in places:
            place.with_name("gone").rename(place)

    return back


@fault("share hangs (FUSE) and answers again", "has not answered", lasts_s=35, share=True)
def _(at: Station) -> Callable[[], object]:
    at.flag.touch()
    return at.flag.unlink


@fault(
    "share hangs before the start", "is away", share=True, before=True, lasts_s=20, complete=False
)
def _(at: Station) -> Callable[[], object]:
    at.flag.touch()
    at.air()
    return at.flag.unlink


@fault("half of the files gone", "cannot be played when", lasts_s=35)
def _(at: Station) -> Callable[[], object]:
    return set_aside(at, at.base / "gone", every=2)


@fault("the item on air deleted and its folder emptied", "is away", lasts_s=25)
def _(at: Station) -> Callable[[], object]:
    gone = at.base / "gone"
    shutil.copytree(at.music, gone)
    for path in at.music.iterdir():
        path.unlink()

    def back() -> None:
        for path in gone.iterdir():
            shutil.copy(path, at.music / path.name)

    return back


@fault("files cut short while on air", "breaks off", lasts_s=35)
def _(at: Station) -> None:
    for path in at.music.iterdir():
        os.truncate(path, round(path.stat().st_size * 0.4))


@fault("30 broken files in a row", "cannot be played when", lasts_s=40)
def _(at: Station) -> None:
    for n, path in enumerate(sorted(at.music.iterdir())):
        path.write_bytes([b"", b"no audio", os.urandom(50_000)][n % 3])


@fault("pipes in place of songs", "cannot be played when", lasts_s=30)
def _(at: Station) -> None:
    for path in sorted(at.music.iterdir())[:-1]:
        path.unlink()
        os.mkfifo(path)


@fault("songs of NaN and 1e30", lasts_s=35)
def _(at: Station) -> None:
    for n, path in enumerate(sorted(at.music.iterdir())[::2]):
        sound = np.full((round(SONG_S * RATE), 2), 0.2, np.float32)
        sound[RATE : 2 * RATE] = (np.nan, np.inf, 1e30)[n % 3]
        path.unlink()
        soundfile.write(path, sound, RATE, "FLOAT")


@fault("wrong headers", lasts_s=35)
def _(at: Station) -> None:
    dice = random.Random(3)
    for path in sorted(at.music.iterdir())[::2]:
        data = bytearray(path.read_bytes())
        data[40:44] = dice.randbytes(4)  # how long it says it is
        data[4:8] = dice.randbytes(4)
        beside = path.with_suffix(".part")
        beside.write_bytes(data)
        beside.replace(path)


@fault("log folder hangs (FUSE)", "has not answered", share=True, lasts_s=20, before=True)
def _(at: Station) -> Callable[[], object]:
    with contextlib.closing(sqlite3.connect(at.folder / "station.db")) as db, db:
        db.execute(
            "INSERT INTO log_drop (id, name, folder, pattern, options) VALUES"
            " (7, 'Share', ?, '%Y-%m-%d-x.m3u', '{\"loads\": \"at its time\"}')",
            (str(at.music.parent),),
        )
    at.air()
    time.sleep(4)
    at.mark()
    at.flag.touch()
    return at.flag.unlink


@fault("log is a pipe", "neither a line nor a log", lasts_s=12, before=True, complete=False)
def _(at: Station) -> None:
    at.mark()
    for path in (at.folder / "logs").iterdir():
        path.unlink()
        os.mkfifo(path)
    at.air()


@fault("10,000 strange files in the log folder", lasts_s=15)
def _(at: Station) -> None:
    for n in range(10_000):
        (at.folder / "logs" / f"strange {n} file of no log.txt").touch()
