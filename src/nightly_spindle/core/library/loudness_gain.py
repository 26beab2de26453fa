"""How loud items are played: to the station's loudness, each kind its own, within true peak."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from nightly_spindle.core.base.declared import checked, number
from nightly_spindle.core.library.items import Kind

if TYPE_CHECKING:
    from nightly_spindle.core.library.items import Item

_MOST_OFFSET_DB = 20.0


@dataclass(frozen=True, slots=True)
class Levels:
    """What the station plays items at."""

    target_lufs: float = number(
        -16.0, "LUFS", -36.0, -8.0, "Loudness that every item is played at (AES TD1008: -16)."
    )
    ceiling_dbtp: float = number(
        -1.0, "dBTP", -12.0, 6.0, "No item's true peak is lifted above this (EBU R 128: -1)."
    )
    most_gain_db: float = number(24.0, "dB", 0.0, 40.0, "No item is lifted by more than this.")
    assumed_lufs: float = number(
        -8.0, "LUFS", -24.0, 0.0, "An item that is not measured is taken to be so loud."
    )
    cut_fade_s: float = number(1.0, "s", 0.05, 10.0, "Fade of an item that is cut or skipped.")


Offsets = tuple[tuple[str, float], ...]


def offsets_from(text: str, wrong: list[str]) -> Offsets:
    """Read how much louder or quieter kinds are: "sweeper 1, bed -8" (LU)."""
    found: dict[str, float] = {}
    for part in filter(None, (part.strip() for part in text.split(","))):
        kind, _, amount = part.rpartition(" ")
        if kind not in set(map(str, Kind)):
            wrong.append(f"loudness of '{kind or part}': it is a kind and a number, as 'bed -8'")
            continue
        found[kind] = checked(
            f"loudness of {kind}", amount, "LU", -_MOST_OFFSET_DB, _MOST_OFFSET_DB, wrong
        )
    return tuple(sorted(found.items()))


def offsets_text(offsets: Offsets) -> str:
    """Return the offsets as the text that is stored."""
    return ", ".join(f"{kind} {amount:g}" for kind, amount in offsets)


@dataclass(frozen=True, slots=True)
class Gain:
    """What an item is lifted by, and why."""

    db: float
    why: str


def gain(item: Item, levels: Levels, offsets: Offsets = ()) -> Gain:
    """Return the gain that brings an item to its kind's loudness, its own trim added.

    The true peak after gain stays under the ceiling; the trim is the operator's own word and
    is not held back by it (the limiter on the output catches what is left).
    """
    db, lifted = _lift(item, levels, offsets)
    measure, trim = item.measure, item.shaping.gain_trim_db
    also = f", {trim:+.1f} dB of its own" if trim else ""
    if measure.integrated_lufs is None:
        return Gain(db, f"{lifted:+.1f} dB: its loudness is not known{also}.")
    target = _target(item, levels, offsets)
    wanted = target - measure.integrated_lufs
    why = f"from {measure.integrated_lufs:.1f} LUFS to {target:.1f}"
    if wanted > levels.most_gain_db:
        wanted, why = levels.most_gain_db, f"the most that is lifted; {why} it would be more"
    if lifted < wanted:
        why = f"held by its true peak of {measure.true_peak_dbtp:.1f} dBTP; {why} it would be more"
    return Gain(db, f"{lifted:+.1f} dB, {why}{also}.")


def gain_db(item: Item, levels: Levels, offsets: Offsets = ()) -> float:
    """Return `gain` as a number."""
    return _lift(item, levels, offsets)[0]


def _target(item: Item, levels: Levels, offsets: Offsets) -> float:
    return levels.target_lufs + (dict(offsets).get(str(item.kind), 0.0) if offsets else 0.0)


def _lift(item: Item, levels: Levels, offsets: Offsets) -> tuple[float, float]:
    """Return the gain (dB) with the item's own trim, and without."""
    target = _target(item, levels, offsets)
    measure, trim = item.measure, item.shaping.gain_trim_db
    if measure.integrated_lufs is None:
        lifted = min(0.0, target - levels.assumed_lufs)
        return lifted + trim, lifted
    lifted = min(target - measure.integrated_lufs, levels.most_gain_db)
    peak = measure.true_peak_dbtp
    if peak is not None and lifted > 0 and peak + lifted > levels.ceiling_dbtp:
        lifted = max(0.0, levels.ceiling_dbtp - peak)
    return lifted + trim, lifted
