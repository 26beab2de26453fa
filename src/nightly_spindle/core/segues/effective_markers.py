"""Where an item's markers are in the end: set by hand, else measured, kept in order."""

from __future__ import annotations

from bisect import bisect_left
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

from nightly_spindle.core.base.errors import InputFault
from nightly_spindle.core.base.timebase import stamp
from nightly_spindle.core.library.items import FALL_DB, Item, Kind, Measure
from nightly_spindle.core.library.markers import UNMARKED, Marker, Marks, Shaping

if TYPE_CHECKING:
    from nightly_spindle.core.segues.segue_rules import JoinEdit, SegueRule

_DEPTHS = tuple(-level for level in FALL_DB)
LEAST_S = 0.05  # an item sounds for so long at least
_MOST_MEMOS = 1 << 15


@dataclass(frozen=True, slots=True)
class Cues:
    """Positions in seconds of the file; None where there is no such marker.

    `segue_s` is the one set by hand or None: without one it depends on the rule
    (`natural_segue`).
    """

    cue_in_s: float
    cue_out_s: float
    segue_s: float | None
    fade_start_s: float | None
    intro_end_s: float | None
    hook_start_s: float | None
    hook_end_s: float | None
    sweepers_s: tuple[float, ...]
    vocal_end_s: float | None = None


# Asked again and again for the same item: remembered for the very object, which never changes.
_memo: dict[int, tuple[Item, Cues]] = {}


def cues_of(item: Item) -> Cues:
    """Return where an item's markers are. Measured ones give way to those set by hand."""
    known = _memo.get(id(item))
    if known is not None and known[0] is item:
        return known[1]
    cues = _worked_out(item)
    if len(_memo) >= _MOST_MEMOS:
        _memo.clear()
    _memo[id(item)] = (item, cues)
    return cues


def _worked_out(item: Item) -> Cues:
    measure, marks = item.measure, item.marks
    length = measure.duration_s
    trims = not item.untouched
    if marks is UNMARKED or marks == UNMARKED:  # nearly every item
        return _measured_cues(item, trims)
    cue_in = _set(marks, Marker.CUE_IN, measure.cue_in_s if trims else 0.0, 0.0)
    cue_out = _set(marks, Marker.CUE_OUT, measure.cue_out_s if trims else length, length)
    cue_in = min(max(0.0, cue_in), length)
    cue_out = min(max(cue_in, cue_out), length)
    segue = marks.segue_s
    if segue is None and Marker.SEGUE in marks.absent:
        segue = cue_out
    intro = marks.intro_end_s
    if intro is None and item.kind is Kind.SONG and Marker.INTRO_END not in marks.absent:
        intro = _inside(measure.intro_end_s, cue_in, cue_out)
    return Cues(
        cue_in,
        cue_out,
        None if segue is None else min(max(cue_in, segue), cue_out),
        _inside(marks.fade_start_s, cue_in, cue_out),
        intro,
        marks.hook_start_s,
        marks.hook_end_s,
        marks.sweepers_s,
        _inside(marks.vocal_end_s, cue_in, cue_out),
    )


def _measured_cues(item: Item, trims: bool) -> Cues:
    """Return the markers of an item of which none is set by hand."""
    measure = item.measure
    length = measure.duration_s
    cue_in, cue_out = (measure.cue_in_s, measure.cue_out_s) if trims else (0.0, length)
    cue_in = min(max(0.0, cue_in), length)
    cue_out = min(max(cue_in, cue_out), length)
    intro = measure.intro_end_s if item.kind is Kind.SONG else None
    return Cues(cue_in, cue_out, None, None, _inside(intro, cue_in, cue_out), None, None, ())


def _set(marks: Marks, marker: Marker, measured: float, cleared: float) -> float:
    at = marks.at(marker)
    if at is not None:
        return at
    return cleared if marker in marks.absent else measured


def _inside(at_s: float | None, low: float, high: float) -> float | None:
    return at_s if at_s is not None and low <= at_s <= high else None


def fallen_at(measure: Measure, db: float) -> float | None:
    """Return when the sound had last been `db` under the item's own loudness, None if unknown.

    Between two levels that were measured it is interpolated.
    """
    if len(measure.fall) != len(FALL_DB):
        return None
    wanted = min(max(-db, _DEPTHS[0]), _DEPTHS[-1])
    at = max(1, bisect_left(_DEPTHS, wanted))
    part = (wanted - _DEPTHS[at - 1]) / (_DEPTHS[at] - _DEPTHS[at - 1])
    return measure.fall[at - 1] + part * (measure.fall[at] - measure.fall[at - 1])


@dataclass(frozen=True, slots=True)
class Natural:
    """Where the next item may start by what was measured; `early` when patience was over."""

    at_s: float
    early: bool


def natural_segue(measure: Measure, rule: SegueRule) -> Natural:
    """Return where the end has fallen to the rule's trigger, or patience with it is over."""
    at = fallen_at(measure, rule.trigger_db)
    if at is None or measure.sag_s is None:
        return Natural(measure.segue_s, early=False)
    latest = measure.sag_s + rule.patience_s
    return Natural(min(at, latest), latest < at)


@dataclass(frozen=True, slots=True)
class Placed:
    """One marker as the editor shows it. `sure` is None where it was set by hand."""

    marker: Marker
    at_s: float
    sure: float | None
    absent: bool = False


_SURE = {
    Marker.CUE_IN: "sure_cue_in",
    Marker.INTRO_END: "sure_intro_end",
    Marker.SEGUE: "sure_segue",
    Marker.FADE_START: "sure_fade_start",
    Marker.CUE_OUT: "sure_cue_out",
}


def placed(item: Item, rule: SegueRule) -> list[Placed]:
    """Return every marker that an item has, with how sure each is, in the order of time."""
    cues, marks = cues_of(item), item.marks
    measure = item.measure
    segue = cues.segue_s
    if segue is None:
        natural = natural_segue(measure, rule).at_s
        segue = min(max(cues.cue_in_s, natural), cues.cue_out_s)
    fade = cues.fade_start_s
    if fade is None and Marker.FADE_START not in marks.absent and measure.ending == "fade":
        fade = _inside(measure.fade_start_s, cues.cue_in_s, cues.cue_out_s)
    at = {
        Marker.CUE_IN: cues.cue_in_s,
        Marker.INTRO_END: cues.intro_end_s,
        Marker.HOOK_START: cues.hook_start_s,
        Marker.HOOK_END: cues.hook_end_s,
        Marker.VOCAL_END: cues.vocal_end_s,
        Marker.SEGUE: segue,
        Marker.FADE_START: fade,
        Marker.CUE_OUT: cues.cue_out_s,
    }
    found = [
        Placed(
            marker,
            time,
            None
            if marks.at(marker) is not None or marker in marks.absent
            else _sureness(item, marker),
            marker in marks.absent,
        )
        for marker, time in at.items()
        if time is not None
    ]
    found += [Placed(Marker.SWEEPER, time, None) for time in cues.sweepers_s]
    order = list(Marker)
    return sorted(found, key=lambda one: (one.at_s, order.index(one.marker)))


def _sureness(item: Item, marker: Marker) -> float | None:
    if item.untouched and marker in {Marker.CUE_IN, Marker.CUE_OUT}:
        return None  # not measured: it plays from end to end
    return float(getattr(item.measure, _SURE[marker])) if marker in _SURE else None


def sure_words(sure: float | None) -> str:
    """Say how sure a marker is."""
    if sure is None:
        return "set by hand"
    if sure >= 0.85:
        return "measured, sure"
    return "measured, fairly sure" if sure >= 0.5 else "measured, a guess"


def checked_marks(item: Item, marks: Marks) -> Marks:
    """Return marks for an item; InputFault says in one sentence which order cannot be."""
    length = item.measure.duration_s
    every = [(marker, at) for marker in Marker if (at := marks.at(marker)) is not None]
    every += [(Marker.SWEEPER, at) for at in marks.sweepers_s]
    for marker, at in every:
        if not 0 <= at <= length + 1e-6:
            raise InputFault(
                f"The {marker.words} would be at {stamp(at)}, outside the file, which lasts "
                f"{stamp(length)}."
            )
    own = cues_of(replace(item, marks=replace(marks, segue_s=None)))
    if own.cue_out_s - own.cue_in_s < LEAST_S:
        measured = item.measure.duration_s if item.untouched else item.measure.cue_out_s
        later = marks.cue_out_s if marks.cue_out_s is not None else measured
        begin = marks.cue_in_s if marks.cue_in_s is not None else own.cue_in_s
        raise InputFault(
            f"The cue in at {stamp(begin)} leaves nothing to play before the cue out at "
            f"{stamp(later)}: move one of them first."
        )
    times = {marker: at for marker in Marker if (at := marks.at(marker)) is not None}
    times |= {Marker.CUE_IN: own.cue_in_s, Marker.CUE_OUT: own.cue_out_s}
    for first, second in _ORDER:
        one, other = times.get(first), times.get(second)
        if one is not None and other is not None and one > other + 1e-6:
            raise InputFault(
                f"The {first.words} at {stamp(one)} would come after the {second.words} at "
                f"{stamp(other)}: move one of them first."
            )
    for at in marks.sweepers_s:
        if not own.cue_in_s <= at <= own.cue_out_s:
            raise InputFault(
                f"The sweeper point at {stamp(at)} would be outside what is played "
                f"({stamp(own.cue_in_s)} to {stamp(own.cue_out_s)})."
            )
    return marks


_ORDER = tuple(
    (Marker(first), Marker(second))
    for first, second in (
        ("cue-in", "intro-end"),
        ("cue-in", "hook-start"),
        ("hook-start", "hook-end"),
        ("hook-end", "cue-out"),
        ("cue-in", "segue"),
        ("cue-in", "fade-start"),
        ("intro-end", "segue"),
        ("intro-end", "cue-out"),
        ("segue", "cue-out"),
        ("fade-start", "cue-out"),
        ("hook-start", "cue-out"),
        ("intro-end", "vocal-end"),
        ("vocal-end", "cue-out"),
    )
)


def edit_as_markers(
    out: Item, into: Item, edit: JoinEdit
) -> dict[int, tuple[Marks | None, Shaping | None]]:
    """Return by cart number what two items would say themselves, so that their join is as edited.

    InputFault when an order cannot be, or where the edit is a gap.
    """
    marks, shaping, other = out.marks, out.shaping, into.shaping
    if edit.segue_s is not None:
        if edit.segue_s > cues_of(out).cue_out_s:
            raise InputFault("A gap is not a marker of an item: apply it to this pair instead.")
        marks = marks.with_mark(Marker.SEGUE, edit.segue_s)
    if edit.fade_start_s is not None:
        marks = marks.with_mark(Marker.FADE_START, edit.fade_start_s)
    if edit.fade_out_s is not None:
        shaping = replace(shaping, fade_out_s=edit.fade_out_s)
    if edit.fade_out_curve is not None:
        shaping = replace(shaping, fade_out_curve=edit.fade_out_curve)
    if edit.fade_in_s is not None:
        other = replace(other, fade_in_s=edit.fade_in_s)
    if edit.fade_in_curve is not None:
        other = replace(other, fade_in_curve=edit.fade_in_curve)
    wanted: dict[int, tuple[Marks | None, Shaping | None]] = {
        out.cart: (checked_marks(out, marks), shaping)
    }
    if other != into.shaping:
        wanted[into.cart] = (None, other)
    return wanted


def kept_marks(item: Item, new: Measure) -> Marks:
    """Return the marks that still make sense on other audio: those inside it, if in order."""
    kept = item.marks
    for marker in Marker:
        at = kept.at(marker)
        if marker is Marker.SWEEPER:
            inside = tuple(at for at in kept.sweepers_s if at <= new.duration_s)
            kept = replace(kept, sweepers_s=inside)
        elif at is not None and at > new.duration_s:
            kept = kept.with_mark(marker, None)
    try:
        return checked_marks(replace(item, measure=new), kept)
    except InputFault:
        return Marks()
