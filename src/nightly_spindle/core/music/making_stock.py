"""What logs are made from: items, clocks, pools, breaks."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field

from nightly_spindle.core.calendar.local_hours import LocalHours
from nightly_spindle.core.library.items import Item
from nightly_spindle.core.music.formats import FormatPlan
from nightly_spindle.core.music.rotation_columns import RotationColumns
from nightly_spindle.core.overlays.overlay_pools import Pool


@dataclass(frozen=True, slots=True)
class Stock:
    """What logs are made from. `breaks` are (pattern number, length in s) by folded name.

    `joined` returns how long each of some items is on air before the next starts, by their real
    joins (s).
    """

    formats: FormatPlan
    table: RotationColumns
    wall: LocalHours
    joined: Callable[[Sequence[Item]], Sequence[float]]
    pools: Mapping[str, Pool] = field(default_factory=dict)
    breaks: Mapping[str, tuple[int, float]] = field(default_factory=dict)
    seed: int = 1
