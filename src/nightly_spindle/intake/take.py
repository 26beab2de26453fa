"""Taking one file in that was looked at: what `intake` decides is carried out here."""

from __future__ import annotations

import os
import re
import shutil
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from pathlib import Path
from typing import TYPE_CHECKING

from sqlalchemy import select

from nightly_spindle.core.base.errors import StorageFault
from nightly_spindle.core.base.plain_files import open_plain
from nightly_spindle.core.library.intake import (
    FileFate,
    IntakeOptions,
    IntakeVerdict,
    Numbering,
    State,
    Twin,
    judge,
    number_in_name,
)
from nightly_spindle.store.base import tables as t
from nightly_spindle.store.base.station_folder import absolute
from nightly_spindle.store.base.transaction import now_us
from nightly_spindle.store.library import categories, items

if TYPE_CHECKING:
    from nightly_spindle.store.base.transaction import LibraryTransaction
    from nightly_spindle.store.library.items import Looked

_NUMBERED = "numbered"  # below the station's audio: copies whose audio is replaced again
_KEEP_OLD_US = 24 * 3600 * 1_000_000


@dataclass(frozen=True, slots=True)
class TakeResult:
    """What became of a file. `cart` is None when it was refused; `why` says why, or what is odd."""

    state: State
    cart: int | None
    why: str = ""


def take(library: LibraryTransaction, looked: Looked, options: IntakeOptions) -> TakeResult:
    """Take a file in. The source is not touched; `settle_source` does that after the commit.

    StorageFault when a copy cannot be written; nothing is left of it then.
    """
    library.hold()
    there = items.at_place(library, looked.path)
    if there is not None and options.numbering is Numbering.NEXT:
        if (there["size"], there["mtime_ns"]) == (looked.size, looked.mtime_ns):
            return _put_into(library, options, TakeResult(State.KNOWN, there["cart"]))
        items.replace_audio(library, there["cart"], looked, options.markers, ours=False)
        return _put_into(library, options, TakeResult(State.REPLACED, there["cart"]))
    number = number_in_name("", looked.path.stem)
    by_name = options.numbering is Numbering.NAME
    verdict = judge(
        options,
        looked.path.stem,
        looked.tags,
        items.numbers_taken(library, [number]) if by_name and number else [],
        None if by_name else items.next_free(library, options.first, options.last),
        None if by_name else _twin(library, looked),
    )
    if isinstance(verdict, str):
        return TakeResult(State.REFUSED, None, f"{looked.path}: {verdict}")
    # a file that may be written over at any time is played from a copy
    copied = by_name or options.source is not FileFate.LEAVE
    source = looked
    if copied:
        looked = _copied(library.folder, looked, options, verdict.cart)
    try:
        taken = _put_into(library, options, _carry_out(library, looked, options, verdict, copied))
        if copied:
            items.remember_place(library, verdict.cart, source.path, source.root)
    except BaseException:
        if copied:
            looked.path.unlink(missing_ok=True)
        raise
    return taken


def _twin(library: LibraryTransaction, looked: Looked) -> Twin | None:
    measure = looked.measured.measure
    sounding = measure.cue_out_s - measure.cue_in_s
    return items.find_twin(library, looked.tags, looked.measured.fingerprint, sounding)


def _carry_out(
    library: LibraryTransaction,
    looked: Looked,
    options: IntakeOptions,
    verdict: IntakeVerdict,
    copied: bool,
) -> TakeResult:
    if verdict.replaces:
        items.replace_audio(library, verdict.cart, looked, options.markers, ours=copied)
        clear_away(library, verdict.cart)
    else:
        items.put(
            library, verdict.cart, options.kind, looked, verdict.waits, verdict.why, verdict.twin
        )
    return TakeResult(
        verdict.state, verdict.cart, "; ".join(filter(None, (verdict.why, looked.remark)))
    )


def _put_into(library: LibraryTransaction, options: IntakeOptions, taken: TakeResult) -> TakeResult:
    assert taken.cart is not None
    for name in options.categories:
        categories.add(library, categories.make(library, name), [taken.cart])
    return taken


def settle_source(path: Path, folder: Path, options: IntakeOptions) -> str:
    """Do with the source what the job says, once the library has the item.

    `folder` is the watched folder. Returns why it could not be done, empty when it was.
    """
    if options.source is not FileFate.MOVE:
        return ""
    done = folder / options.done_folder
    try:
        done.mkdir(parents=True, exist_ok=True)
        target = _free_name(done / path.name)
        shutil.move(path, target)
    except OSError as error:
        return f"it is imported, but could not be moved to {done}: {error.strerror or error}"
    return ""


def _copied(folder: Path, looked: Looked, options: IntakeOptions, cart: int) -> Looked:
    """Copy a file into the station's audio, whole or not at all."""
    source = looked.path
    base = folder / "audio"
    if options.numbering is Numbering.NAME:
        stamp = datetime.now(UTC).strftime("%Y%m%dT%H%M%S")
        target = base / _NUMBERED / f"{cart}-{stamp}{source.suffix}"
    else:
        target = base / str(options.kind) / re.sub(r"[/\x00]", "-", source.name)
    beside = None
    try:
        target.parent.mkdir(parents=True, exist_ok=True)
        target = _free_name(target)
        beside = target.with_name(f".{target.name}.part")
        with open_plain(source) as reading, beside.open("wb") as writing:
            shutil.copyfileobj(reading, writing, 1 << 20)
            writing.flush()
            os.fsync(writing.fileno())
        stat = source.stat()
        if (stat.st_size, stat.st_mtime_ns) != (looked.size, looked.mtime_ns):
            raise StorageFault(f"{source} changed while it was copied; it is looked at again")
        shutil.copystat(source, beside)
        beside.rename(target)
    except OSError as error:
        raise StorageFault(
            f"{source} cannot be copied to {target.parent}: {error.strerror or error}"
        ) from error
    finally:
        if beside is not None:
            beside.unlink(missing_ok=True)
    return replace(looked, path=target, root=base)


def _free_name(target: Path) -> Path:
    number = 2
    wanted = target
    while target.exists():
        target = wanted.with_name(f"{wanted.stem} ({number}){wanted.suffix}")
        number += 1
    return target


def clear_away(library: LibraryTransaction, cart: int) -> None:
    """Delete copies of our own that an item has not played from for a day.

    Files that we did not make are never deleted.
    """
    former = t.former_place.c
    old = (former.cart == cart, former.until_us < now_us() - _KEEP_OLD_US)
    query = select(t.former_place, t.root.c.path.label("base")).join(t.root).where(*old)
    for row in library.run(query).all():
        base = Path(absolute(library.folder, row.base))
        file = base / row.path
        if row.ours and file.parent == library.folder.absolute() / "audio" / _NUMBERED:
            file.unlink(missing_ok=True)
            library.run(t.former_place.delete().where(former.id == row.id))
