"""A log as it would air, as the lines of a file."""

from __future__ import annotations

from typing import TYPE_CHECKING

from nightly_spindle.core.base.timebase import local_from
from nightly_spindle.core.logs.log_matching import MatchStatus
from nightly_spindle.core.logs.log_writers import LogEntry
from nightly_spindle.core.station.log_forecast import forecast

if TYPE_CHECKING:
    from collections.abc import Mapping

    from nightly_spindle.core.library.items import Item
    from nightly_spindle.core.segues.segue_rules import Segues
    from nightly_spindle.core.station.log_sources import LogReading
    from nightly_spindle.core.station.settings import StationSettings

_KEPT = {MatchStatus.BREAK: "break", MatchStatus.MARK: "mark", MatchStatus.COMMENT: "comment"}


def export_entries(
    reading: LogReading, items: Mapping[int, Item], settings: StationSettings, segues: Segues
) -> list[LogEntry]:
    """Return the lines that air, with absolute paths, and the breaks, marks and comments.

    What was not found goes along as a comment, so that nothing is lost on the way.
    """
    entries = []
    for line in forecast(reading, items, settings, segues):
        match, item = line.match, line.item
        if item is not None and line.at_us is not None:
            local = local_from(line.at_us, settings.tz)
            at_s = local.hour * 3600 + local.minute * 60 + local.second
            entries.append(
                LogEntry(
                    item.path,
                    item.artist,
                    item.title,
                    item.cart,
                    line.length_s,
                    float(at_s),
                    str(item.kind),
                )
            )
        elif match.status is MatchStatus.MARK:
            entries.append(LogEntry(type="mark", comment=match.line.raw, at_s=match.value))
        elif match.status is not MatchStatus.IGNORED:
            kind = _KEPT.get(match.status, "comment")
            entries.append(LogEntry(type=kind, comment=match.line.raw))
    return entries
