"""What the place Logs reads: the board, an opened log, what its lost lines may mean.

Made and used in one thread; it keeps what it read, so that looking again is cheap.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import TYPE_CHECKING

from nightly_spindle.core.base.timebase import US, frames_from_us
from nightly_spindle.core.calendar.log_periods import Period, slot_at
from nightly_spindle.core.library.items import Item
from nightly_spindle.core.library.song_names import Proposal
from nightly_spindle.core.logs.log_edits import LogEdit
from nightly_spindle.core.programme.air_state import new_state
from nightly_spindle.core.programme.rotation import pick
from nightly_spindle.core.programme.running_order import HeardPlay, Outcome
from nightly_spindle.core.reports.log_status import BoardLog, LoadedLog, is_waited_for, state_of
from nightly_spindle.core.station.log_forecast import Before, Forecast, forecast, log_length_s
from nightly_spindle.core.station.log_sources import LogDrop
from nightly_spindle.core.station.settings import StationSettings
from nightly_spindle.store.library.item_reading import ITEM, item_from, items_by_cart
from nightly_spindle.store.logs.log_lookup import proposals
from nightly_spindle.store.logs.log_reader import LogReader
from nightly_spindle.store.programme.station_board import StationBoard
from nightly_spindle.store.reports.item_uses import PlaceOfUse, uses_in

if TYPE_CHECKING:
    from collections.abc import Sequence
    from pathlib import Path

    from nightly_spindle.core.calendar.log_periods import Slot
    from nightly_spindle.core.logs.log_matching import Match
    from nightly_spindle.core.programme.programme import Programme
    from nightly_spindle.core.station.log_sources import LogReading
    from nightly_spindle.store.programme.snapshot import Snapshot

_SETTLE_S = 2.0  # as the engine: what changed within it is still being written
_DAY_US = 86_400 * US


@dataclass(frozen=True, slots=True)
class Board:
    """The logs of some days, in order of drop and time."""

    now_us: int
    settings: StationSettings
    drops: tuple[LogDrop, ...]
    logs: tuple[BoardLog, ...]


@dataclass(frozen=True, slots=True)
class OpenedLog:
    """One log line by line, with its edits."""

    log: BoardLog
    lines: tuple[Forecast, ...]
    edits: tuple[LogEdit, ...]
    settings: StationSettings


@dataclass(frozen=True, slots=True)
class Lookalikes:
    """What lost lines may mean: proposals by the lines' keys, and the items proposed."""

    proposed: dict[str, list[Proposal]] = field(default_factory=dict)
    items: dict[int, Item] = field(default_factory=dict)


class LogBoard(StationBoard):
    """Reads the logs of one station."""

    def __init__(self, folder: Path) -> None:
        super().__init__(folder, settle_s=_SETTLE_S)
        self._lengths: dict[tuple[int, str], tuple[tuple[Match, ...], float]] = {}

    def board(self, now_us: int, days: int, back: int = 1) -> Board:
        """Return the logs from some broadcast days back to some ahead."""
        snapshot, _ = self._fresh()
        programme = snapshot.programme
        settings = programme.settings
        tz, start = settings.tz, settings.day_start
        today = slot_at(Period.DAY, tz, start, now_us)
        # half a day aside, so that a day of 23 or 25 hours is not missed
        first = slot_at(Period.DAY, tz, start, today.start_us - back * _DAY_US + _DAY_US // 2)
        last = slot_at(Period.DAY, tz, start, today.start_us + days * _DAY_US - _DAY_US // 2)
        wanted = []
        for drop in programme.drops.values():
            wanted += [
                (drop, slot) for slot in drop.slots(tz, start, first.start_us - 1, last.end_us - 1)
            ]
        readings = snapshot.logs.look(wanted)
        loaded = self._loaded(snapshot, min((s.start_us for _, s in wanted), default=now_us))
        logs = tuple(
            self._log(snapshot, drop, reading, loaded, now_us)
            for (drop, _), reading in zip(wanted, readings, strict=True)
        )
        return Board(now_us, settings, tuple(programme.drops.values()), logs)

    def uses(self, carts: Sequence[int]) -> list[PlaceOfUse]:
        """Return where items are used: most of that is in logs, which are known here."""
        return uses_in(self._fresh()[0], carts)

    def opened(self, drop_id: int, slot: Slot, now_us: int) -> OpenedLog | None:
        """Return one log line by line; None when its drop is gone."""
        snapshot, _ = self._fresh()
        programme = snapshot.programme
        drop = programme.drops.get(drop_id)
        if drop is None:
            return None
        reading = snapshot.logs.refresh(drop, slot)
        loaded = self._loaded(snapshot, slot.start_us - _DAY_US)
        lines = self._forecast(snapshot, drop, reading, now_us)
        edits = tuple(snapshot.logs.edits(drop_id, slot.key))
        log = self._log(snapshot, drop, reading, loaded, now_us)
        return OpenedLog(log, tuple(lines), edits, programme.settings)

    def preview(self, drop: LogDrop, now_us: int) -> list[LogReading]:
        """Return the logs of the coming 24 hours as a drop would find them that is being edited."""
        snapshot, _ = self._fresh()
        reader = LogReader(self._folder, snapshot.connection, snapshot.programme.items, _SETTLE_S)
        coming = snapshot.programme.coming(drop, now_us, now_us + _DAY_US)
        return reader.look([(drop, slot) for slot in coming])

    def lookalikes(self, opened: OpenedLog) -> Lookalikes:
        """Return what the lost lines of a log may mean."""
        snapshot, _ = self._fresh()
        found = proposals(snapshot.connection, [line.match for line in opened.lines])
        carts = {proposal.cart for near in found.values() for proposal in near}
        items = {i.cart: i for i in items_by_cart(snapshot.connection, self._folder, carts)}
        return Lookalikes(found, items)

    def pick(self, opened: OpenedLog, key: str, category: str) -> tuple[Item | None, str]:
        """Return the item of a category whose turn it is at a line of a log, and why."""
        snapshot, _ = self._fresh()
        settings = opened.settings
        rows = snapshot.connection.execute(
            f"{ITEM} JOIN item_category x ON x.cart = i.cart JOIN category c"
            " ON c.id = x.category_id WHERE c.name = ? AND i.waits = ''"
            " ORDER BY i.last_aired_us, i.cart",
            (category,),
        ).fetchall()
        pool = [item_from(row, self._folder) for row in rows]
        heard: list[HeardPlay] = []
        at = opened.log.slot.start_us
        for line in opened.lines:
            if line.match.key == key:
                break
            if line.item is not None and line.at_us is not None:
                item, frame = line.item, frames_from_us(line.at_us, settings.rate)
                heard.append(HeardPlay(item.cart, item.artist, item.title, frame))
                at = line.at_us + round(line.length_s * US)
        programme = snapshot.programme
        for item in pool:
            programme.items.setdefault(item.cart, item)
        frame = frames_from_us(at, settings.rate)
        state = new_state(settings.rate, frame, fired_until_us=at)
        state.history = heard
        found = pick(programme, state, frame, [item.cart for item in pool], of=category)
        return (found[1], found[2]) if found else (None, "nothing is in the category")

    # -- reading -----------------------------------------------------------------------------------

    def _log(
        self,
        snapshot: Snapshot,
        drop: LogDrop,
        reading: LogReading,
        loaded: dict[tuple[int, int], LoadedLog],
        now_us: int,
    ) -> BoardLog:
        programme = snapshot.programme
        settings = programme.settings
        seconds = self._length_s(programme, reading)
        there = loaded.get((drop.id, reading.slot.start_us))
        waited_for = is_waited_for(drop, programme.events)
        state = state_of(drop, reading, there, now_us, settings, waited_for=waited_for)
        return BoardLog(drop, reading.slot, reading, state, seconds, there)

    def _length_s(self, programme: Programme, reading: LogReading) -> float:
        """Return how long a log lasts; worked out once for each reading of its file."""
        place = (reading.drop, reading.slot.key)
        known = self._lengths.get(place)
        if known is None or known[0] is not reading.matches:
            seconds = log_length_s(reading, programme.items, programme.settings, programme.segues)
            known = self._lengths[place] = (reading.matches, seconds)
        return known[1]

    def _forecast(
        self, snapshot: Snapshot, drop: LogDrop, reading: LogReading, now_us: int
    ) -> list[Forecast]:
        programme = snapshot.programme
        settings = programme.settings
        begin = reading.slot.start_us
        since = begin - round(settings.separation_s * US)
        before = self._aired(snapshot, since, begin)
        if begin > now_us:
            earlier = snapshot.logs.reading(drop, programme.slot(drop, begin - 1))
            lines = forecast(earlier, programme.items, settings, programme.segues)
            before += [
                Before(line.at_us, line.item.artist, line.item.title)
                for line in lines
                if line.item is not None and line.at_us is not None and since <= line.at_us < begin
            ]
        return forecast(reading, programme.items, settings, programme.segues, before)

    @staticmethod
    def _aired(snapshot: Snapshot, from_us: int, to_us: int) -> list[Before]:
        rows = snapshot.connection.execute(
            "SELECT start_us, artist, title FROM as_run WHERE start_us >= ? AND start_us < ?"
            " AND kind = 'song' AND cart IS NOT NULL ORDER BY start_us",
            (from_us, to_us),
        )
        return [Before(row["start_us"], row["artist"], row["title"]) for row in rows]

    @staticmethod
    def _loaded(snapshot: Snapshot, since_us: int) -> dict[tuple[int, int], LoadedLog]:
        """Return what the as-run log says of logs, by drop and slot; the newest counts."""
        rows = snapshot.connection.execute(
            "SELECT key, start_us, title, outcome, note FROM as_run WHERE start_us >= ?"
            " AND key LIKE '%/log/%' ORDER BY start_us",
            (since_us,),
        )
        found = {}
        for row in rows:
            drop, slot = row["key"].split("/log/")[1].split("/")[:2]
            ok = row["outcome"] == Outcome.LOADED
            place = (int(drop), int(slot))
            if ok or place not in found:
                file = row["title"].removeprefix("Log ")
                found[place] = LoadedLog(row["start_us"], file, row["note"], ok)
        return found
