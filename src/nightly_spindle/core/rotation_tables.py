"""What rotation needs of a programme's items: as columns, with the judges of its rules."""

from __future__ import annotations

from dataclasses import dataclass, field

from nightly_spindle.core.format_clocks import FormatClock
from nightly_spindle.core.rotation_rules import Rule
from nightly_spindle.core.rule_costs import RuleCosts
from nightly_spindle.core.turn_table import TurnTable
from nightly_spindle.core.wall_hours import WallHours


@dataclass(slots=True)
class RotationTables:
    """Made anew when the programme's `stand` is another. `hour` is the clock known last."""

    stand: tuple[int, int]
    table: TurnTable
    wall: WallHours
    judges: dict[tuple[Rule, ...], RuleCosts] = field(default_factory=dict)
    hour: tuple[int, int, FormatClock | None] = (0, 0, None)
