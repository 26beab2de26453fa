"""The safety net as it stands now: what each level would play, and for how long.

The levels and their order are those of `core/playout/safety_net.py`.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from nightly_spindle.core.base.wording import counted, span_text
from nightly_spindle.core.library.items import Kind
from nightly_spindle.core.station.log_sources import ReadingState, WhenShort
from nightly_spindle.store.programme.snapshot import open_station

if TYPE_CHECKING:
    from pathlib import Path

    from nightly_spindle.core.station.log_sources import LogDrop
    from nightly_spindle.store.programme.snapshot import Snapshot

# a rotation shorter than that is heard to repeat (common practice, no source)
LITTLE_S = 2 * 3600.0


@dataclass(frozen=True, slots=True)
class NetLevel:
    """One level of the net. `lasts_s` is 0 where it has nothing, None where it never ends."""

    name: str
    what: str
    lasts_s: float | None


def net_levels(folder: Path, now_us: int) -> list[NetLevel]:
    """Return the levels of a station's net in their order, as an engine would find them now."""
    snapshot = open_station(folder)
    try:
        return levels_of(snapshot, now_us)
    finally:
        snapshot.connection.close()


def levels_of(snapshot: Snapshot, now_us: int) -> list[NetLevel]:
    """Return the levels of the net of a station that is read already."""
    return [
        _log_again(snapshot, now_us),
        _rotation(snapshot),
        NetLevel(
            "Station tone",
            "A quiet tone that the program makes itself, so that the stream stays up. "
            "Listeners hear it as a fault.",
            None,
        ),
    ]


def net_is_thin(levels: list[NetLevel]) -> bool:
    """Whether music from the net would soon repeat, or there is none."""
    return not any(one.lasts_s is not None and one.lasts_s >= LITTLE_S for one in levels)


def _log_again(snapshot: Snapshot, now_us: int) -> NetLevel:
    name = "The log again"
    programme = snapshot.programme
    drops = [d for d in programme.drops.values() if d.options.enabled]
    if not drops:
        return NetLevel(name, "No logs are loaded, so there is none to play again.", 0.0)
    for drop in drops:
        if drop.options.short is not WhenShort.ROTATION:
            found = _lines(snapshot, drop, now_us)
            if found is not None:
                return found
    if all(drop.options.short is WhenShort.ROTATION for drop in drops):
        return NetLevel(name, "Your log drops say: rotation follows at once.", 0.0)
    return NetLevel(name, "There is no log for this hour, so there is none to play again.", 0.0)


def _lines(snapshot: Snapshot, drop: LogDrop, now_us: int) -> NetLevel | None:
    programme = snapshot.programme
    settings = programme.settings
    reading = snapshot.logs.refresh(drop, drop.slot_at(settings.tz, settings.day_start, now_us))
    if reading.state is not ReadingState.READ or not reading.usable:
        return None
    snapshot.reach(reading.carts)
    items = [item for cart in reading.carts if (item := programme.items.get(cart)) is not None]
    lasts = sum(item.measure.cue_out_s - item.measure.cue_in_s for item in items)
    said = f"{reading.file} of “{drop.name}”: {counted(len(items), 'line')}, {span_text(lasts)}"
    return NetLevel("The log again", f"{said}.", lasts)


def _rotation(snapshot: Snapshot) -> NetLevel:
    count, lasts = snapshot.connection.execute(
        "SELECT count(*), coalesce(sum(cue_out_s - cue_in_s), 0) FROM item"
        " WHERE kind = ? AND waits = ''",
        (str(Kind.SONG),),
    ).fetchone()
    if not count:
        return NetLevel("Rotation", "There are no songs yet, so there is nothing to rotate.", 0.0)
    said = f"All {counted(count, 'song')} take turns: {span_text(lasts)} until one comes again."
    return NetLevel("Rotation", said, float(lasts))
