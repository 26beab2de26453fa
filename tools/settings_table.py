"""The document of all settings, grown from where they are declared.

python tools/settings_table.py > docs/settings.md
"""

from __future__ import annotations

from dataclasses import fields
from typing import TYPE_CHECKING, Any, NamedTuple

from nightly_spindle.core.base.declared import specs
from nightly_spindle.core.calendar.day_plans import DayOptions
from nightly_spindle.core.events.timed_events import EventOptions
from nightly_spindle.core.library.loudness_gain import Levels
from nightly_spindle.core.library.rotation_card import RotationCard
from nightly_spindle.core.music.format_clocks import ClockOptions
from nightly_spindle.core.music.rotation_rules import RotationRule
from nightly_spindle.core.outputs.now_playing import TitleRules
from nightly_spindle.core.outputs.outputs import (
    CardOptions,
    PageOptions,
    RecordingOptions,
    StreamOptions,
)
from nightly_spindle.core.overlays.overlay_pools import PoolOptions
from nightly_spindle.core.segues.ducking import Ducking
from nightly_spindle.core.segues.segue_rules import SegueRule
from nightly_spindle.core.station.log_sources import DropOptions
from nightly_spindle.core.station.settings import (
    PLAIN,
    FormatRules,
    OverlayRules,
    SpotRules,
    StationSettings,
    Trimming,
)
from nightly_spindle.core.traffic.break_patterns import BreakOptions
from nightly_spindle.core.traffic.campaigns import CampaignOptions

if TYPE_CHECKING:
    from dataclasses import Field

HEAD = """# All settings

Every setting with its unit, its default and what it may be. `station settings DIR --set NAME=VALUE`
changes those of the station; the others belong to one event, pool, order and so on, and are set
where that is made: with `--set NAME=VALUE` of its command, or in its form at the desk. An empty
default means that nothing is said.
"""
COLUMNS = ("| setting | default | may be | meaning |", "|---|---|---|---|")


class Table(NamedTuple):
    """A heading, what stands before each name, and the declared settings under it."""

    heading: str
    prefix: str
    group: type[Any]


PLAIN_SENTENCES = {
    "rejoin_s": "An item that was broken off goes on when at least this much of it is left.",
    "separation_s": "In logs, an artist or title again within this is marked; 0 marks none.",
    "seed": "Shuffled turns go by this number: the same number, the same turns.",
    "backup_every_days": "A backup by itself so often; 0 is none.",
    "backup_keep": "So many backups are kept; the oldest go.",
}
TABLES = (
    Table("The station: loudness", "level.", Levels),
    Table("The station: silence at the ends of files", "trim.", Trimming),
    Table(
        "The station: segues, where no rule for a pair of kinds says otherwise", "segue.", SegueRule
    ),
    Table("The station: overlays", "overlay.", OverlayRules),
    Table(
        "The station: under sweepers (`duck-voiceover.` for voiceovers)", "duck-sweeper.", Ducking
    ),
    Table("The station: spots", "spots.", SpotRules),
    Table("The station: formats", "formats.", FormatRules),
    Table("The station: what players show", "titles.", TitleRules),
    Table("An output: a stream", "", StreamOptions),
    Table("An output: a sound card", "", CardOptions),
    Table("An output: a recording", "", RecordingOptions),
    Table("An output: a web page", "", PageOptions),
    Table("A log source", "", DropOptions),
    Table("A timed event", "", EventOptions),
    Table("A pool of overlays", "", PoolOptions),
    Table("A break pattern", "", BreakOptions),
    Table("An advertising order", "", CampaignOptions),
    Table("A format clock", "", ClockOptions),
    Table("A day plan", "", DayOptions),
    Table("A rule of rotation", "", RotationRule),
    Table("A rotation card", "", RotationCard),
)


def _number(value: float) -> str:
    return f"{value:,.10g}".replace(",", " ")


def _row(prefix: str, name: str, spec: Field[Any]) -> str:
    meta: Any = spec.metadata
    default: Any = spec.default
    unit = f" {meta['unit']}" if meta.get("unit") else ""
    if "choices" in meta:
        may_be = "; ".join(map(str, meta["choices"]))
    elif "flag" in meta:
        default, may_be = ("yes" if default else "no"), "yes or no"
    elif "text" in meta:
        may_be = "text"
    else:
        default = _number(default) + unit
        may_be = f"{_number(meta['low'])} to {_number(meta['high'])}{unit}"
    return f"| `{prefix}{name}` | {default} | {may_be} | {meta['sentence']} |".replace(
        "|  |", "| |"
    )


def _plain_rows() -> list[str]:
    """Return the settings that belong to no group."""
    defaults: dict[str, Any] = {spec.name: spec.default for spec in fields(StationSettings)}
    rows = []
    for name, (unit, low, high) in PLAIN.items():
        of = f" {unit}" if unit else ""
        bounds = f"{_number(low)} to {_number(high)}{of}"
        row = (f"`{name}`", _number(defaults[name]) + of, bounds, PLAIN_SENTENCES[name])
        rows.append(f"| {' | '.join(row)} |")
    return rows


def document() -> str:
    """Return the document, as Markdown."""
    parts = [HEAD, "\n".join(["## The station: in general", "", *COLUMNS, *_plain_rows(), ""])]
    for table in TABLES:
        rows = [_row(table.prefix, name, spec) for name, spec in specs(table.group).items()]
        parts.append("\n".join([f"## {table.heading}", "", *COLUMNS, *rows, ""]))
    return "\n".join(parts)


if __name__ == "__main__":
    print(document(), end="")
