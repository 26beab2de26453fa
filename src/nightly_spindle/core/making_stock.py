"""What logs are made from: items, clocks, pools, breaks."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field

from nightly_spindle.core.formats import FormatPlan
from nightly_spindle.core.items import Item
from nightly_spindle.core.overlay_pools import Pool
from nightly_spindle.core.turn_table import TurnTable
from nightly_spindle.core.wall_hours import WallHours


@dataclass(frozen=True, slots=True)
class Stock:
    """What logs are made from. `breaks` are (pattern number, length in s) by folded name.

    `joined` returns how long each of some items is on air before the next starts, by their real
    joins (s).
    """

    formats: FormatPlan
    table: TurnTable
    wall: WallHours
    joined: Callable[[Sequence[Item]], Sequence[float]]
    pools: Mapping[str, Pool] = field(default_factory=dict)
    breaks: Mapping[str, tuple[int, float]] = field(default_factory=dict)
    seed: int = 1
