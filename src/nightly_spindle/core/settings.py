"""Settings declared as data: forms, checks and command-line options grow from them."""

from __future__ import annotations

from dataclasses import dataclass, field, fields
from datetime import time
from enum import StrEnum
from typing import TYPE_CHECKING, Any

from nightly_spindle.core.errors import SettingRefused
from nightly_spindle.core.timebase import parse_time_of_day, zone

if TYPE_CHECKING:
    from collections.abc import Mapping
    from zoneinfo import ZoneInfo


class Curve(StrEnum):
    """Shapes of a fade."""

    EQUAL_POWER = "equal-power"
    LINEAR = "linear"
    STRAIGHT = "straight"  # no fade: full level up to the end


def _number(default: float, unit: str, low: float, high: float, sentence: str) -> Any:
    return field(
        default=default, metadata={"unit": unit, "low": low, "high": high, "sentence": sentence}
    )


@dataclass(frozen=True, slots=True)
class SegueRules:
    """How one item passes into the next, station-wide.

    The defaults are common practice, no source: songs start at full level, fade out
    over 3 s all the way to silence, the next starts where the level has fallen 22 dB
    under the item's own loudness, fades stay within 300 ms and 6 s.
    """

    fade_out_s: float = _number(3.0, "s", 0.0, 20.0, "How long an item fades out under the next.")
    fade_in_s: float = _number(0.0, "s", 0.0, 20.0, "How long an item fades in; 0 is full level.")
    shortest_s: float = _number(0.3, "s", 0.0, 5.0, "Fades shorter than this are left out.")
    longest_s: float = _number(6.0, "s", 0.5, 30.0, "No fade and no overlap is longer than this.")
    trigger_db: float = _number(
        -22.0, "dB", -60.0, -3.0, "Where the next item starts, against the item's own loudness."
    )
    cut_fade_s: float = _number(1.0, "s", 0.05, 10.0, "Fade of an item that is cut or skipped.")
    target_lufs: float = _number(
        -16.0, "LUFS", -36.0, -8.0, "Loudness that every item is played at (AES TD1008: -16)."
    )
    most_gain_db: float = _number(24.0, "dB", 0.0, 40.0, "No item is lifted by more than this.")
    curve: Curve = field(
        default=Curve.EQUAL_POWER,
        metadata={"unit": "", "sentence": "Shape of fades."},
    )


@dataclass(frozen=True, slots=True)
class StationSettings:
    """What holds for the whole station.

    `backup_folder` is relative to the station unless absolute; `backup_every_days` 0 makes no
    backups by itself (weekly is common practice, no source). `copy_of` names the station that
    this one is a copy of, for trying things on; a copy is not to be aired.
    """

    name: str
    timezone: str
    day_start: time = time(0, 0)
    rate: int = 44_100
    rejoin_s: float = 20.0
    separation_s: float = 3600.0
    seed: int = 1
    backup_every_days: float = 7.0
    backup_keep: int = 8
    backup_folder: str = "backups"
    copy_of: str = ""
    rules: SegueRules = SegueRules()

    @property
    def tz(self) -> ZoneInfo:
        """The station's time zone."""
        return zone(self.timezone)


RATES = (44_100, 48_000)
_PLAIN = {
    "rejoin_s": ("s", 0.0, 600.0),
    "separation_s": ("s", 0.0, 86_400.0),
    "seed": ("", 0.0, 2**31),
    "backup_every_days": ("days", 0.0, 365.0),
    "backup_keep": ("", 1.0, 1000.0),
}
_WHOLE = {"seed", "backup_keep"}


def settings_from(values: Mapping[str, str]) -> StationSettings:
    """Build the settings from stored texts, reporting all that is wrong together."""
    wrong: list[str] = []
    known: dict[str, Any] = {"name": values.get("name", ""), "timezone": values.get("timezone", "")}
    try:
        zone(known["timezone"])
        if "day_start" in values:
            known["day_start"] = parse_time_of_day(values["day_start"])
    except SettingRefused as error:
        wrong.append(str(error))
    if not known["name"].strip():
        wrong.append("a station needs a name")
    rate = values.get("rate", "44100")
    if rate not in {str(r) for r in RATES}:
        wrong.append(f"mix rate '{rate}' is not one of 44100 and 48000")
    else:
        known["rate"] = int(rate)
    for name, (unit, low, high) in _PLAIN.items():
        if name in values:
            number = _checked(name, values[name], unit, low, high, wrong)
            known[name] = int(number) if name in _WHOLE else number
    known["backup_folder"] = values.get("backup_folder", "").strip() or "backups"
    known["copy_of"] = values.get("copy_of", "")
    known["rules"] = _rules_from(values, wrong)
    if wrong:
        raise SettingRefused("; ".join(wrong))
    return StationSettings(**known)


def _rules_from(values: Mapping[str, str], wrong: list[str]) -> SegueRules:
    chosen: dict[str, Any] = {}
    for spec in fields(SegueRules):
        key = f"segue.{spec.name}"
        if key not in values:
            continue
        if spec.name == "curve":
            if values[key] in {str(curve) for curve in Curve}:
                chosen["curve"] = Curve(values[key])
            else:
                wrong.append(f"fade shape '{values[key]}' is not one of {', '.join(Curve)}")
            continue
        meta = spec.metadata
        chosen[spec.name] = _checked(
            key, values[key], meta["unit"], meta["low"], meta["high"], wrong
        )
    return SegueRules(**chosen)


def _checked(name: str, text: str, unit: str, low: float, high: float, wrong: list[str]) -> float:
    try:
        number = float(text)
    except ValueError:
        number = float("nan")
    if not low <= number <= high:
        wrong.append(f"setting {name} is '{text}'; it must lie within {low:g} and {high:g} {unit}")
        return low
    return number


def texts_from(settings: StationSettings) -> dict[str, str]:
    """Return the settings as the texts that are stored; `settings_from` reads them back."""
    texts = {
        "name": settings.name,
        "timezone": settings.timezone,
        "day_start": settings.day_start.isoformat(),
        "rate": str(settings.rate),
        "rejoin_s": repr(settings.rejoin_s),
        "separation_s": repr(settings.separation_s),
        "seed": str(settings.seed),
        "backup_every_days": repr(settings.backup_every_days),
        "backup_keep": str(settings.backup_keep),
        "backup_folder": settings.backup_folder,
        "copy_of": settings.copy_of,
    }
    for spec in fields(SegueRules):
        texts[f"segue.{spec.name}"] = str(getattr(settings.rules, spec.name))
    return texts
