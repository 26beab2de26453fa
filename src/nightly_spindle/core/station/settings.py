"""The station's settings, and how they are stored as texts."""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import time
from typing import TYPE_CHECKING, Any

from nightly_spindle.core.base.declared import checked, flag, group_from, number, text, texts_of
from nightly_spindle.core.base.errors import SettingRefused
from nightly_spindle.core.base.short_texts import unreadable
from nightly_spindle.core.base.timebase import parse_time_of_day, zone
from nightly_spindle.core.calendar.day_plans import holidays_from
from nightly_spindle.core.library.loudness_gain import Levels, Offsets, offsets_from, offsets_text
from nightly_spindle.core.outputs.now_playing import TitleRules, check_pattern
from nightly_spindle.core.segues.ducking import Ducking
from nightly_spindle.core.segues.segue_rules import SegueRule

if TYPE_CHECKING:
    from collections.abc import Mapping
    from zoneinfo import ZoneInfo


@dataclass(frozen=True, slots=True)
class Trimming:
    """What counts as silence at the ends of an item, against its own loudness.

    The defaults are common practice, no source: silence is trimmed at about -40 dB, the tail
    at -45 dB, clicks and blips of up to about 20 ms in it are not sound.
    """

    head_db: float = number(-40.0, "dB", -50.0, -10.0, "Sound begins above this.")
    tail_db: float = number(-45.0, "dB", -50.0, -10.0, "Sound has ended below this.")
    blip_s: float = number(0.02, "s", 0.0, 0.2, "A blip in the silence up to this is not sound.")


@dataclass(frozen=True, slots=True)
class OverlayRules:
    """What holds for every overlay, whatever pool it comes from."""

    margin_s: float = number(
        0.2,
        "s",
        0.0,
        5.0,
        "It ends at least this long before the vocal, and the programme is up again then.",
    )
    gap_s: float = number(1.0, "s", 0.0, 30.0, "The least time between two overlays.")
    intro_sure: float = number(
        0.5,
        "",
        0.0,
        1.01,
        "A measured intro end counts when it is so sure (0 to 1); 1.01 leaves "
        "only those set by hand.",
    )


@dataclass(frozen=True, slots=True)
class SpotRules:
    """What holds for all advertising."""

    counts_from: float = number(
        100.0, "%", 1.0, 100.0, "A spot counts when this much of it was heard; less is owed."
    )
    categories: str = text(
        "retail, food, cars, finance, culture, events, travel, health, home, public service",
        "The categories of spots.",
    )
    days_ahead: float = number(30.0, "days", 2.0, 62.0, "Spots are placed so far ahead.")
    signature: str = text(
        "Confirmed for the station:", "What stands at the signature line of a proof of play."
    )


@dataclass(frozen=True, slots=True)
class FormatRules:
    """What holds for the station's own logs."""

    by_itself: bool = flag(True, "The station makes its own logs ahead automatically.")
    days_ahead: float = number(7.0, "days", 1.0, 35.0, "It makes them so far ahead.")
    holidays: str = text("", "Days that are holidays: 2026-12-25, 2026-12-26.")


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
    segue: SegueRule = SegueRule()
    levels: Levels = Levels()
    trimming: Trimming = Trimming()
    kind_levels: Offsets = ()
    overlay: OverlayRules = OverlayRules()
    duck_sweeper: Ducking = Ducking()
    duck_voiceover: Ducking = Ducking()
    spots: SpotRules = SpotRules()
    formats: FormatRules = FormatRules()
    titles: TitleRules = TitleRules()

    @property
    def tz(self) -> ZoneInfo:
        """The station's time zone."""
        return zone(self.timezone)

    def overlay_by(self, ducking: Ducking) -> OverlayRules:
        """Return the rules of overlays that the programme goes down for like this.

        A vocal comes in at its full level: an overlay ends so long before it that the programme is
        up again by then.
        """
        return replace(self.overlay, margin_s=max(self.overlay.margin_s, ducking.up_s))


RATES = (44_100, 48_000)
PLAIN = {
    "rejoin_s": ("s", 0.0, 600.0),
    "separation_s": ("s", 0.0, 86_400.0),
    "seed": ("", 0.0, 2**31),
    "backup_every_days": ("days", 0.0, 365.0),
    "backup_keep": ("", 1.0, 1000.0),
}
_WHOLE = {"seed", "backup_keep"}
# groups of settings: the field here, the prefix of their stored names, what they are
_GROUPS: dict[str, tuple[str, type[Any]]] = {
    "segue": ("segue", SegueRule),
    "levels": ("level", Levels),
    "trimming": ("trim", Trimming),
    "overlay": ("overlay", OverlayRules),
    "duck_sweeper": ("duck-sweeper", Ducking),
    "duck_voiceover": ("duck-voiceover", Ducking),
    "spots": ("spots", SpotRules),
    "formats": ("formats", FormatRules),
    "titles": ("titles", TitleRules),
}


# names that settings had before, and theirs now
RENAMED = {
    "segue.curve": "segue.fade_out_curve",
    "segue.cut_fade_s": "level.cut_fade_s",
    "segue.target_lufs": "level.target_lufs",
    "segue.most_gain_db": "level.most_gain_db",
}


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
    for name, (unit, low, high) in PLAIN.items():
        if name in values:
            number = checked(name, values[name], unit, low, high, wrong)
            known[name] = int(number) if name in _WHOLE else number
    known["backup_folder"] = values.get("backup_folder", "").strip() or "backups"
    known["copy_of"] = values.get("copy_of", "")
    for name, (prefix, group) in _GROUPS.items():
        known[name] = group_from(group, values, prefix, wrong)
    holidays = values.get("formats.holidays", "")
    wrong += [f"holidays: {text}" for text in unreadable((holidays_from, holidays))]
    try:
        check_pattern(known["titles"].pattern)
    except SettingRefused as error:
        wrong.append(str(error))
    known["kind_levels"] = offsets_from(values.get("level.kinds", ""), wrong)
    if wrong:
        raise SettingRefused("; ".join(wrong))
    return StationSettings(**known)


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
    for name, (prefix, _) in _GROUPS.items():
        texts |= texts_of(getattr(settings, name), prefix)
    return texts | {"level.kinds": offsets_text(settings.kind_levels)}
