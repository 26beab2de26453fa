"""The segue rules: how one kind of item passes into another.

One rule holds for the whole station. For a pair of kinds some of its values may be others:
what is said for a pair holds before what is said for anything out of a kind, that before what
is said for anything into a kind, and that before the station's. A single pair of items, and a
single join, may be set by hand (`JoinEdit`), which holds before all of them.
"""

from __future__ import annotations

from dataclasses import dataclass, field, fields, replace
from enum import StrEnum
from functools import lru_cache
from typing import TYPE_CHECKING, Any

from nightly_spindle.core.base.declared import choice, flag, number, specs, value_from
from nightly_spindle.core.base.errors import InputFault, SettingRefused
from nightly_spindle.core.library.items import Kind
from nightly_spindle.core.library.markers import Curve, shaping_from

if TYPE_CHECKING:
    from collections.abc import Mapping

ANY = "any"


class Overlap(StrEnum):
    """Where the next item starts."""

    MARKERS = "markers"
    FIXED = "fixed"
    GAP = "gap"


@dataclass(frozen=True, slots=True)
class SegueRule:
    """How an item passes into the next.

    The defaults are common practice, no source: songs start at full level, fade out over 3 s
    all the way to silence, the next starts where the level has fallen 22 dB under the item's
    own loudness, fades stay within 300 ms and 6 s, short items are segued as well. `patience_s`
    is ours: it keeps a long fade from leaving a hole before the trigger is reached.
    """

    overlap: Overlap = choice(
        Overlap.MARKERS, "Where the next starts: by the markers, a fixed time early, after a gap."
    )
    trigger_db: float = number(
        -22.0,
        "dB",
        -48.0,
        -4.0,
        "The next starts once the end has fallen so far under the item's own loudness.",
    )
    patience_s: float = number(0.3, "s", 0.0, 20.0, "No later than this after a lasting 6 dB drop.")
    fixed_s: float = number(3.0, "s", 0.0, 20.0, "So long before the cue out, where it is fixed.")
    gap_s: float = number(0.5, "s", 0.0, 2.0, "Silence between the two, where there is a gap.")
    fade_out_s: float = number(3.0, "s", 0.0, 20.0, "How long the outgoing item fades out.")
    fade_out_curve: Curve = choice(Curve.EQUAL_POWER, "Shape of the fade-out.")
    fade_in_s: float = number(0.0, "s", 0.0, 20.0, "How long the next fades in; 0 is full level.")
    fade_in_curve: Curve = choice(Curve.EQUAL_POWER, "Shape of the fade-in.")
    shortest_s: float = number(0.3, "s", 0.0, 5.0, "Fades shorter than this are left out.")
    longest_s: float = number(6.0, "s", 0.5, 30.0, "No fade and no overlap is longer than this.")
    segue_short: bool = flag(True, "Short items are segued as well.")
    short_s: float = number(20.0, "s", 0.0, 120.0, "Items up to this length are short.")


def _of(**values: Any) -> SegueRule:
    return SegueRule(**values)


# Of our own making, to begin from.
PRESETS: dict[str, SegueRule] = {
    "tight": _of(trigger_db=-16.0, patience_s=0.2, fade_out_s=2.0, longest_s=4.0),
    "standard": SegueRule(),
    "relaxed": _of(trigger_db=-26.0, patience_s=2.5, fade_out_s=5.0, longest_s=8.0),
    "speech": _of(trigger_db=-36.0, patience_s=1.0, fade_out_s=0.0, longest_s=1.5),
}


@dataclass(frozen=True, slots=True)
class PairRule:
    """What is other from one kind into another; either may be `ANY`."""

    out: str
    into: str
    values: tuple[tuple[str, str], ...]

    @property
    def words(self) -> str:
        """The pair in words."""
        return f"{_kind_words(self.out)} into {_kind_words(self.into)}"


@dataclass(frozen=True, slots=True)
class JoinEdit:
    """What was set by hand for one join; None is as the rules and the items say.

    `segue_s` is the position in the outgoing item at which the next starts; beyond its end
    that is a gap. `out_cart` is the outgoing item that it was made for.
    """

    out_cart: int = 0
    segue_s: float | None = None
    fade_start_s: float | None = None
    fade_out_s: float | None = None
    fade_in_s: float | None = None
    fade_out_curve: Curve | None = None
    fade_in_curve: Curve | None = None


@dataclass(frozen=True, slots=True)
class Ruled:
    """The rule that holds for a pair, and for each value that is not the station's, whose."""

    rule: SegueRule
    by: dict[str, str] = field(hash=False)

    def source(self, name: str) -> str:
        """Say in words whose a value is."""
        return self.by.get(name, "the station's rule")


@dataclass(frozen=True, slots=True)
class Segues:
    """All that a station says of segues. `pairs` maps (outgoing, incoming) cart numbers."""

    station: SegueRule = SegueRule()
    rules: tuple[PairRule, ...] = ()
    pairs: dict[tuple[int, int], JoinEdit] = field(default_factory=dict, hash=False)

    def ruled(self, out: Kind | str, into: Kind | str) -> Ruled:
        """Return the rule from one kind into another; `ANY` stands for all."""
        return _ruled(self.station, self.rules, str(out), str(into))

    def every_rule(self) -> tuple[SegueRule, ...]:
        """Return every rule that can hold for some pair of kinds."""
        return _every(self.station, self.rules)


@lru_cache(maxsize=1024)
def _ruled(station: SegueRule, rules: tuple[PairRule, ...], out: str, into: str) -> Ruled:
    chosen: dict[str, Any] = {}
    by: dict[str, str] = {}
    known = {(pair.out, pair.into): pair for pair in rules}
    for key in ((ANY, into), (out, ANY), (out, into)):
        pair = known.get(key)
        if pair is not None:
            values = rule_values(dict(pair.values))
            chosen |= values
            by |= dict.fromkeys(values, f"the rule {pair.words}")
    return Ruled(replace(station, **chosen), by)


@lru_cache(maxsize=64)
def _every(station: SegueRule, rules: tuple[PairRule, ...]) -> tuple[SegueRule, ...]:
    outs = {pair.out for pair in rules} | {ANY}
    intos = {pair.into for pair in rules} | {ANY}
    found = {_ruled(station, rules, out, into).rule for out in outs for into in intos}
    return tuple(found)


def rule_values(texts: Mapping[str, str]) -> dict[str, Any]:
    """Read values of a rule from texts; SettingRefused names all that are wrong."""
    wrong: list[str] = []
    known = specs(SegueRule)
    found: dict[str, Any] = {}
    for name, text in texts.items():
        if name in known:
            found[name] = value_from(known[name], str(text), name, wrong)
        else:
            wrong.append(f"a segue rule has no value '{name}'")
    if wrong:
        raise SettingRefused("; ".join(wrong))
    return found


def pair_rule(out: str, into: str, texts: Mapping[str, str]) -> PairRule:
    """Make a rule for a pair of kinds, checked."""
    for kind in (out, into):
        if kind != ANY and kind not in set(map(str, Kind)):
            raise InputFault(f"'{kind}' is not a kind; it is {ANY} or one of {', '.join(Kind)}")
    if out == into == ANY:
        raise InputFault("any into any is the station's own rule: change that one")
    values = rule_values(texts)
    return PairRule(out, into, tuple(sorted((name, str(value)) for name, value in values.items())))


def edit_values(edit: JoinEdit) -> dict[str, Any]:
    """Return what is set of a join, as JSON values."""
    return {
        spec.name: value
        for spec in fields(JoinEdit)
        if (value := getattr(edit, spec.name)) not in {None, 0}
        or (value == 0 and spec.name.endswith("_s"))
    }


def edit_from(values: Mapping[str, Any]) -> JoinEdit:
    """Read what was set of a join; InputFault names what cannot be."""
    known = {spec.name for spec in fields(JoinEdit)}
    wrong = set(values) - known
    if wrong:
        raise InputFault(f"a join has no {', '.join(sorted(wrong))}")
    fades = {n: v for n, v in values.items() if n.startswith("fade") and n != "fade_start_s"}
    shaping = shaping_from(fades)
    found: dict[str, Any] = {name: getattr(shaping, name) for name in fades}
    for name in ("segue_s", "fade_start_s"):
        value = values.get(name)
        if value is not None:
            if not isinstance(value, int | float) or not 0 <= value <= 1e6:
                raise InputFault(f"{name} is {value!r}; it is seconds in the outgoing item")
            found[name] = round(float(value), 6)
    return JoinEdit(int(values.get("out_cart", 0)), **found)


# -- sentences ---------------------------------------------------------------------------------


def sentences(rule: SegueRule) -> tuple[str, ...]:
    """Say a rule in plain sentences."""
    told = [_start_sentence(rule), _fade_sentence(rule)]
    if rule.fade_in_s:
        told.append(f"It fades in over {rule.fade_in_s:g} s, {_curve(rule.fade_in_curve)}.")
    else:
        told.append("It starts at full level.")
    if rule.overlap is not Overlap.GAP:
        told.append(f"They overlap for {rule.longest_s:g} s at most.")
    if not rule.segue_short:
        told.append(f"Items up to {rule.short_s:g} s play out first.")
    return tuple(told)


def _start_sentence(rule: SegueRule) -> str:
    if rule.overlap is Overlap.FIXED:
        return f"The next starts {rule.fixed_s:g} s before the cue out, whatever is heard there."
    if rule.overlap is Overlap.GAP:
        return f"The next starts after {rule.gap_s:g} s of silence."
    return (
        f"The next starts at the segue point: where the end has fallen {-rule.trigger_db:g} dB "
        f"under the item's own loudness, no later than {rule.patience_s:g} s after a lasting "
        "6 dB drop."
    )


def fades_out(rule: SegueRule) -> bool:
    """Whether a rule lets the outgoing item fade; before a gap it plays out by itself."""
    wanted = rule.fade_out_s > 0 and rule.fade_out_curve is not Curve.STRAIGHT
    return wanted and rule.overlap is not Overlap.GAP


def _fade_sentence(rule: SegueRule) -> str:
    if not fades_out(rule):
        return "The outgoing item plays out unfaded."
    return (
        f"The outgoing item fades to silence over {rule.fade_out_s:g} s, "
        f"{_curve(rule.fade_out_curve)}; less than {rule.shortest_s:g} s is not faded."
    )


def _curve(curve: Curve) -> str:
    return {
        Curve.EQUAL_POWER: "at equal power",
        Curve.LINEAR: "linearly",
        Curve.STRAIGHT: "without a curve",
    }[curve]


def _kind_words(kind: str) -> str:
    return "anything" if kind == ANY else kind.replace("-", " ")
