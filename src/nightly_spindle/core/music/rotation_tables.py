"""What rotation needs of a programme's items: as columns, with the judges of its rules."""

from __future__ import annotations

from dataclasses import dataclass, field

from nightly_spindle.core.calendar.local_hours import LocalHours
from nightly_spindle.core.music.format_clocks import FormatClock
from nightly_spindle.core.music.rotation_columns import RotationColumns
from nightly_spindle.core.music.rotation_rules import RotationRule
from nightly_spindle.core.music.rule_costs import RuleCosts
from nightly_spindle.core.music.scarcity import Scarcity


@dataclass(slots=True)
class RotationTables:
    """Made anew when the programme's `stand` is another. `hour` is the clock known last."""

    stand: tuple[int, int]
    table: RotationColumns
    wall: LocalHours
    judges: dict[tuple[RotationRule, ...], RuleCosts] = field(default_factory=dict)
    scarce: dict[tuple[object, ...], Scarcity] = field(default_factory=dict)
    hour: tuple[int, int, FormatClock | None] = (0, 0, None)
