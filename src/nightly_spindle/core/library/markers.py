"""Cue markers set by hand, and what an item says of how it wants to be played.

What is measured stands in `items.Measure`; `effective_markers` puts the two together. Times are
seconds in the file.
"""

from __future__ import annotations

from dataclasses import dataclass, fields, replace
from enum import StrEnum
from math import isfinite
from typing import TYPE_CHECKING, Any

from nightly_spindle.core.base.errors import InputFault

if TYPE_CHECKING:
    from collections.abc import Mapping


class Marker(StrEnum):
    """The cue markers of an item, in the order in which they mostly come."""

    CUE_IN = "cue-in"
    INTRO_END = "intro-end"
    HOOK_START = "hook-start"
    HOOK_END = "hook-end"
    SWEEPER = "sweeper"
    VOCAL_END = "vocal-end"
    SEGUE = "segue"
    FADE_START = "fade-start"
    CUE_OUT = "cue-out"

    @property
    def field(self) -> str:
        """The name of its field in `Marks`, `Cues` and `Measure`."""
        return self.replace("-", "_") + ("s_s" if self == "sweeper" else "_s")

    @property
    def words(self) -> str:
        """Its name in a sentence."""
        return {
            "fade-start": "fade-out start",
            "sweeper": "sweeper point",
            "segue": "segue point",
        }.get(self, self.replace("-", " "))


class Curve(StrEnum):
    """Shapes of a fade."""

    EQUAL_POWER = "equal-power"
    LINEAR = "linear"
    STRAIGHT = "straight"  # no fade: full level up to the end


MEASURED = frozenset(
    {Marker.CUE_IN, Marker.INTRO_END, Marker.SEGUE, Marker.FADE_START, Marker.CUE_OUT}
)


@dataclass(frozen=True, slots=True)
class Marks:
    """What was set by hand; None is as measured. `absent` names markers that were cleared.

    `fade_start_s` is where the fader begins to go down; without it that is the segue point.
    `vocal_end_s` is where the last word is over: no sweeper begins before it.
    """

    cue_in_s: float | None = None
    intro_end_s: float | None = None
    hook_start_s: float | None = None
    hook_end_s: float | None = None
    sweepers_s: tuple[float, ...] = ()
    segue_s: float | None = None
    fade_start_s: float | None = None
    cue_out_s: float | None = None
    absent: tuple[str, ...] = ()
    vocal_end_s: float | None = None

    def at(self, marker: Marker) -> float | None:
        """Return where a marker was set by hand (sweeper points: the first)."""
        if marker is Marker.SWEEPER:
            return self.sweepers_s[0] if self.sweepers_s else None
        found: float | None = getattr(self, marker.field)
        return found

    def with_mark(self, marker: Marker, at_s: float | None) -> Marks:
        """Return the marks with one set, or as measured again (None)."""
        absent = tuple(name for name in self.absent if name != marker)
        changed: dict[str, Any] = {marker.field: at_s, "absent": absent}
        if marker is Marker.SWEEPER:
            more = () if at_s is None else (at_s,)
            changed[marker.field] = tuple(sorted({*self.sweepers_s, *more})) if more else ()
        return replace(self, **changed)

    def without(self, marker: Marker) -> Marks:
        """Return the marks with one cleared: it is not there, whatever was measured."""
        changed = self.with_mark(marker, None)
        if marker not in MEASURED:
            return changed
        return replace(changed, absent=tuple(sorted({*changed.absent, str(marker)})))


UNMARKED = Marks()


@dataclass(frozen=True, slots=True)
class Shaping:
    """How an item wants to be played; None is as its kind and the segue rules say.

    `own_sweeper` is the cart number of its own: at its sweeper points, or on the segue into it.
    """

    gain_trim_db: float = 0.0
    untouched: bool | None = None
    fade_in_s: float | None = None
    fade_out_s: float | None = None
    fade_in_curve: Curve | None = None
    fade_out_curve: Curve | None = None
    talk_over: bool | None = None
    own_sweeper: int | None = None


AS_USUAL = Shaping()
MOST_TRIM_DB = 24.0
MOST_FADE_S = 20.0
_MOST_SWEEPERS = 64


def marks_values(marks: Marks) -> dict[str, Any]:
    """Return the marks that are set, as JSON values; `marks_from` reads them back."""
    return _values(marks, UNMARKED)


def shaping_values(shaping: Shaping) -> dict[str, Any]:
    """Return what differs from the usual, as JSON values; `shaping_from` reads it back."""
    return _values(shaping, AS_USUAL)


def _values(thing: Any, usual: Any) -> dict[str, Any]:
    found = {}
    for spec in fields(thing):
        value = getattr(thing, spec.name)
        if value != getattr(usual, spec.name):
            found[spec.name] = list(value) if isinstance(value, tuple) else value
    return found


def marks_from(values: Mapping[str, Any]) -> Marks:
    """Read marks; InputFault names what cannot be."""
    known = {spec.name for spec in fields(Marks)}
    wrong = [f"there is no marker '{name}'" for name in values if name not in known]
    found: dict[str, Any] = {}
    for name in known & set(values):
        value = values[name]
        if name == "absent":
            names = [one for one in value if one in MEASURED] if isinstance(value, list) else []
            found[name] = tuple(sorted(names))
        elif name == "sweepers_s":
            many = value if isinstance(value, list) else [value]
            times = [_seconds(name, one, wrong) for one in many[:_MOST_SWEEPERS]]
            found[name] = tuple(sorted({time for time in times if time is not None}))
        else:
            found[name] = None if value is None else _seconds(name, value, wrong)
    if wrong:
        raise InputFault("; ".join(wrong))
    return Marks(**found)


def shaping_from(values: Mapping[str, Any]) -> Shaping:
    """Read how an item wants to be played; InputFault names what cannot be."""
    known = {spec.name for spec in fields(Shaping)}
    wrong = [f"there is no setting '{name}' of an item" for name in values if name not in known]
    found: dict[str, Any] = {}
    for name in known & set(values):
        value = values[name]
        if value is None:
            continue
        if name in {"untouched", "talk_over"}:
            if not isinstance(value, bool):
                wrong.append(f"{name} is {value!r}; it is true or false")
            found[name] = bool(value)
        elif name.endswith("curve"):
            if value in set(map(str, Curve)):
                found[name] = Curve(value)
            else:
                wrong.append(f"{name} is '{value}'; it is one of {', '.join(Curve)}")
        elif name == "own_sweeper":
            number = _within(name, value, 1, 1e9, wrong)
            found[name] = None if number is None else int(number)
        else:
            low, high = (-MOST_TRIM_DB, MOST_TRIM_DB) if name.endswith("db") else (0.0, MOST_FADE_S)
            found[name] = _within(name, value, low, high, wrong)
    if wrong:
        raise InputFault("; ".join(wrong))
    return Shaping(**found)


def _seconds(name: str, value: Any, wrong: list[str]) -> float | None:
    return _within(name, value, 0.0, 1e6, wrong)


def _within(name: str, value: Any, low: float, high: float, wrong: list[str]) -> float | None:
    plain = isinstance(value, int | float) and not isinstance(value, bool)
    if not plain or not isfinite(value) or not low <= value <= high:
        wrong.append(f"{name} is {value!r}; it is a number within {low:g} and {high:g}")
        return None
    return round(float(value), 6)
