"""Reading the logs that lie in drops' folders, matched to the library."""

from __future__ import annotations

import json
import os
import time
from collections import Counter
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING

from nightly_spindle.core.base.errors import LogUnreadable
from nightly_spindle.core.calendar.dated_names import FolderEntry, candidates, fitting
from nightly_spindle.core.calendar.near_names import nearest
from nightly_spindle.core.logs.log_edits import applied, edit_from_values
from nightly_spindle.core.logs.log_reading import read_bytes
from nightly_spindle.core.station.log_sources import LogChange, LogDrop, LogReading, ReadingState
from nightly_spindle.core.station.made_hour_source import OWN_DROP
from nightly_spindle.store.base.patience import Hangs, Patience
from nightly_spindle.store.logs.log_lookup import match_log, parse_as
from nightly_spindle.store.music.made_hours import made_reading

if TYPE_CHECKING:
    import sqlite3
    from collections.abc import Iterable

    from nightly_spindle.core.calendar.log_periods import Slot
    from nightly_spindle.core.library.items import Item
    from nightly_spindle.core.logs.log_edits import LogEdit
    from nightly_spindle.core.logs.log_line import Log
    from nightly_spindle.core.logs.log_matching import Match

Signature = tuple[str, int, int]  # name, size, modified (ns)
Place = tuple[int, str]  # drop, slot
_KEPT = 2000  # readings remembered


class LogReader:
    """Reads logs and remembers them. `reading` answers at once what is known.

    A file is read again when its size or time changes (`refresh`). With `settle_s` a
    file is taken only when it has stood unchanged for so long, so that one that is
    still being written is not. What was read stays known while its folder cannot be reached.
    """

    def __init__(
        self,
        folder: Path,
        connection: sqlite3.Connection,
        items: dict[int, Item],
        settle_s: float = 0.0,
        patience: Patience | None = None,
    ) -> None:
        self._folder = folder
        self._patience = patience or Patience()
        self._connection = connection
        self._items = items
        self._settle_s = settle_s
        self._known: dict[Place, LogReading] = {}
        self._signatures: dict[Place, Signature] = {}
        self._looks: dict[str, tuple[Signature, float]] = {}
        self._stale: set[Place] = set()
        self._lists: dict[Place, tuple[str, str, tuple[str, ...]]] = {}

    def use(self, connection: sqlite3.Connection) -> None:
        """Read the library from another connection from here on."""
        self._connection = connection

    def reading(self, drop: LogDrop, slot: Slot) -> LogReading:
        """Return what is known of the log; it is looked for the first time it is asked for."""
        known = self.known(drop, slot)
        return known if known is not None else self.refresh(drop, slot)

    def known(self, drop: LogDrop, slot: Slot) -> LogReading | None:
        """Return what is known of the log without looking, None when nothing is."""
        if drop.id == OWN_DROP:
            return self._known.get((OWN_DROP, f"{slot.start_us}"))
        known = self._known.get((drop.id, slot.key))
        # an hour that comes twice has one log and two slots
        return known if known is None or known.slot == slot else replace(known, slot=slot)

    def refresh(self, drop: LogDrop, slot: Slot) -> LogReading:
        """Look at the file again and read it when it is new or has changed."""
        return self.look([(drop, slot)])[0]

    def look(self, wanted: Iterable[tuple[LogDrop, Slot]]) -> list[LogReading]:
        """Look at several logs again; each folder is listed once."""
        listings: dict[str, list[str] | str] = {}
        found = []
        for drop, slot in wanted:
            if drop.id == OWN_DROP:
                found.append(self._made(slot))
                continue
            if drop.folder not in listings:
                listings[drop.folder] = self._listing(drop.folder)
            found.append(self._look(drop, slot, listings[drop.folder]))
        return found

    def _made(self, slot: Slot) -> LogReading:
        """Return what is known of an hour that the station makes itself."""
        place = (OWN_DROP, f"{slot.start_us}")
        known = self._known.get(place)
        if known is None or place in self._stale:
            known = made_reading(self._connection, slot)
            self._reach(known.matches)
            self._keep(place, known)
        return known

    def _look(self, drop: LogDrop, slot: Slot, listing: list[str] | str) -> LogReading:
        place = (drop.id, slot.key)
        wanted = drop.file_name(slot)
        if isinstance(listing, str):
            return self._unreachable(
                place, LogReading(drop.id, slot, wanted, ReadingState.UNREADABLE, problem=listing)
            )
        there = candidates(wanted, self._entries(drop.folder, fitting(wanted, listing)))
        if not there:
            return self._missing(place, drop, slot, wanted, listing)
        best = there[0]
        signature = (best.name, best.size, best.mtime_ns)
        known = self._known.get(place)
        if known and self._signatures.get(place) == signature and place not in self._stale:
            return known if known.slot == slot else replace(known, slot=slot)
        blank = LogReading(
            drop.id,
            slot,
            best.name,
            ReadingState.GROWING,
            written_us=best.mtime_ns // 1000,
            others=tuple(one.name for one in there[1:]),
        )
        if self._growing(f"{drop.folder}/{best.name}", signature):
            return self._keep(place, blank)
        new = self._read(drop, blank)
        if new.state is ReadingState.UNREADABLE and known and known.usable:
            return self._unreachable(place, new)
        return self._keep(place, _compared(known, new, time.time_ns() // 1000), signature)

    def _missing(
        self, place: Place, drop: LogDrop, slot: Slot, wanted: str, listing: list[str]
    ) -> LogReading:
        """Say that a log is not there; what is close is looked for when the folder has changed."""
        seen = (wanted, drop.pattern, tuple(listing))
        known = self._known.get(place)
        if known and known.state is ReadingState.MISSING and self._lists.get(place) == seen:
            return known
        self._lists[place] = seen
        near = nearest(wanted, listing, slot.local, drop.pattern, drop.options.weekday_names)
        return self._keep(
            place, LogReading(drop.id, slot, wanted, ReadingState.MISSING, nearest=near)
        )

    def forget(self) -> None:
        """Have every log read and matched again at the next look: the station has changed."""
        self._stale = set(self._known)

    def match(
        self, log: Log, folder: str, drop: LogDrop | None = None, edits: Iterable[LogEdit] = ()
    ) -> list[Match]:
        """Match a log that lies in `folder`, bringing what it means into reach."""
        matches, items = match_log(
            self._connection, self._folder, log, drop, folder, self._patience
        )
        for item in items.values():
            self._items.setdefault(item.cart, item)
        return list(applied(matches, list(edits))[0])

    def edits(self, drop: int, slot: str) -> list[LogEdit]:
        """Return the edits of a log."""
        row = self._connection.execute(
            "SELECT edits FROM log_edit WHERE drop_id = ? AND slot = ?", (drop, slot)
        ).fetchone()
        return [edit_from_values(one) for one in json.loads(row["edits"])] if row else []

    def _read(self, drop: LogDrop, blank: LogReading) -> LogReading:
        try:
            path = Path(drop.folder) / blank.file
            data = self._patience.ask(drop.folder, lambda: read_bytes(path))
            log = parse_as(self._connection, data, blank.file, drop)
        except Hangs as error:
            problem = f"{drop.folder}/{blank.file} cannot be read: {error.strerror}"
            return replace(blank, state=ReadingState.UNREADABLE, problem=problem)
        except LogUnreadable as error:
            return replace(blank, state=ReadingState.UNREADABLE, problem=str(error))
        edits = self.edits(drop.id, blank.slot.key)
        matches, lost = applied(self.match(log, drop.folder, drop), edits)
        self._reach(matches)
        state = ReadingState.READ if matches else ReadingState.EMPTY
        return replace(
            blank,
            state=state,
            matches=matches,
            charset=log.charset,
            edited=len(edits),
            unapplied=lost,
        )

    def _reach(self, matches: Iterable[Match]) -> None:
        from nightly_spindle.store.library.item_reading import items_by_cart

        wanted = {m.cart for m in matches if m.cart is not None} - set(self._items)
        for item in items_by_cart(self._connection, self._folder, wanted):
            self._items[item.cart] = item

    def _unreachable(self, place: Place, new: LogReading) -> LogReading:
        """Return what was read before the folder or file could not be reached, or why not."""
        known = self._known.get(place)
        if known is None or not known.usable:
            return self._keep(place, new)
        told = f"{new.problem}; what was read before goes on air"
        self._known[place] = replace(known, problem=told)
        return self._known[place]

    def _listing(self, folder: str) -> list[str] | str:
        """Return the names in a folder, or in words why it cannot be read."""
        try:
            return self._patience.ask(folder, lambda: sorted(os.listdir(folder)))  # noqa: PTH208
        except OSError as error:
            return f"the folder {folder} cannot be read: {error.strerror or error}"

    def _entries(self, folder: str, names: list[str]) -> list[FolderEntry]:
        """Look at the files of those names; what went meanwhile, or hangs, is left out."""

        def look() -> list[FolderEntry]:
            found = []
            for name in names:
                try:
                    stat = os.stat(f"{folder}/{name}")  # noqa: PTH116
                except OSError:
                    continue  # it went away meanwhile, or is a link to nothing
                found.append(FolderEntry(name, stat.st_size, stat.st_mtime_ns))
            return found

        try:
            return self._patience.ask(folder, look) if names else []
        except Hangs:
            return []

    def _growing(self, path: str, signature: Signature) -> bool:
        if not self._settle_s:
            return False
        if time.time() - signature[2] / 1e9 >= self._settle_s:
            return False
        seen, since = self._looks.get(path, (None, 0.0))
        now = time.monotonic()
        if seen != signature:
            self._looks[path] = (signature, now)
            return True
        return now - since < self._settle_s

    def _keep(
        self, place: Place, reading: LogReading, signature: Signature | None = None
    ) -> LogReading:
        self._stale.discard(place)
        self._known[place] = reading
        if signature is None:
            self._signatures.pop(place, None)
        else:
            self._signatures[place] = signature
        while len(self._known) > _KEPT:
            self._known.pop(next(iter(self._known)))
        return reading


def _compared(known: LogReading | None, new: LogReading, at_us: int) -> LogReading:
    """Return a reading with what changed in the file since it was last read."""
    if known is None or known.state is not ReadingState.READ:
        return new
    was = Counter(match.line.raw for match in known.matches if match.line.number)
    now = Counter(match.line.raw for match in new.matches if match.line.number)
    if was == now:
        return replace(new, change=known.change)
    change = LogChange(at_us, tuple((now - was).elements()), tuple((was - now).elements()))
    return replace(new, change=change)
