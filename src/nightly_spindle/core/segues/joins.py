"""The one planner for joins: how an item passes into the next.

Item positions are frames at the mix rate from the start of the file.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple, TypeVar

from nightly_spindle.core.base.timebase import stamp, to_frames
from nightly_spindle.core.library.items import Ending, Item
from nightly_spindle.core.library.markers import Curve, Marker
from nightly_spindle.core.segues.effective_markers import Cues, cues_of, natural_segue
from nightly_spindle.core.segues.hole_fill import MOST_SOONER_S, sooner_s
from nightly_spindle.core.segues.segue_rules import JoinEdit, Overlap, Ruled, Segues

MOST_GAP_S = 2.0  # a longer silence would be dead air
_NONE = JoinEdit()


@dataclass(frozen=True, slots=True)
class Span:
    """The part of an item that is played: `cue_in <= segue <= cue_out`, in frames.

    `segue` is where the next would start by the station's own rule.
    """

    cue_in: int
    segue: int
    cue_out: int


@dataclass(frozen=True, slots=True)
class Join:
    """One planned segue.

    The incoming item starts when the outgoing one is at position `segue` (after `out_end` where
    there is a gap). The outgoing one is faded over `fade_out` frames from position `fade_at` on
    (0: it plays out by itself) and silent at `out_end`. `fade_in` is the incoming item's own.
    `reasons` says for each of "start", "fade-out" and "fade-in" how it was found.
    """

    segue: int
    out_end: int
    fade_at: int
    fade_out: int
    fade_in: int
    out_curve: Curve
    in_curve: Curve
    reasons: tuple[tuple[str, str], ...]

    @property
    def overlap(self) -> int:
        """Frames in which both sound; negative: frames of silence between them."""
        return self.out_end - self.segue

    @property
    def why(self) -> tuple[str, ...]:
        """How each value was found, in sentences."""
        return tuple(text for _, text in self.reasons)


class _Start(NamedTuple):
    at: int
    why: str
    by_hand: bool


class _Fade(NamedTuple):
    at: int
    frames: int
    why: str


def span(item: Item, rate: int, segues: Segues | None = None) -> Span:
    """Return the item's cue in, segue point and cue out, kept inside the decoded audio."""
    by = segues or _PLAIN
    known = _spans.get((id(item), id(by), rate))
    if known is not None and known[0] is item and known[1] is by:
        return known[2]
    found = _span(item, cues_of(item), rate, by)
    _remember(_spans, (item, by, found), rate)
    return found


_PLAIN = Segues()
# Asked again and again for the same item and rules: remembered for the very objects, which never
# change.
_MOST_MEMOS = 1 << 15  # as many as a large library has; those of before an edit pile up
_spans: dict[tuple[int, int, int], tuple[Item, Segues, Span]] = {}
_passes: dict[tuple[int, int, int], tuple[Item, Segues, int]] = {}
_Answer = TypeVar("_Answer")


def _remember(
    memo: dict[tuple[int, int, int], tuple[Item, Segues, _Answer]],
    known: tuple[Item, Segues, _Answer],
    rate: int,
) -> None:
    if len(memo) >= _MOST_MEMOS:
        memo.clear()
    memo[id(known[0]), id(known[1]), rate] = known


def _span(item: Item, cues: Cues, rate: int, segues: Segues) -> Span:
    cue_in, cue_out = to_frames(cues.cue_in_s, rate), to_frames(cues.cue_out_s, rate)
    at = cues.segue_s
    if at is None:
        at = natural_segue(item.measure, segues.station).at_s
    return Span(cue_in, min(max(cue_in, to_frames(at, rate)), cue_out), cue_out)


def played_part(item: Item, rate: int) -> Span:
    """Return the part of an item that is played; its segue point is not asked for."""
    cues = cues_of(item)
    cue_out = to_frames(cues.cue_out_s, rate)
    return Span(to_frames(cues.cue_in_s, rate), cue_out, cue_out)


def soonest_pass(item: Item, segues: Segues, rate: int) -> int:
    """Return a position of the item before which no join out of it does anything.

    It holds whatever comes next, so nothing needs to be lined up behind the item earlier.
    """
    known = _passes.get((id(item), id(segues), rate))
    if known is not None and known[0] is item and known[1] is segues:
        return known[2]
    found = _soonest_pass(item, segues, rate)
    _remember(_passes, (item, segues, found), rate)
    return found


def _soonest_pass(item: Item, segues: Segues, rate: int) -> int:
    cues = cues_of(item)
    at = [cues.cue_out_s]
    for rule in segues.every_rule():
        if rule.overlap is Overlap.FIXED:
            at.append(cues.cue_out_s - rule.fixed_s)
        elif rule.overlap is Overlap.MARKERS:
            natural = natural_segue(item.measure, rule).at_s
            # what comes next may begin softly, and start sooner for it
            at.append(natural - (MOST_SOONER_S if item.measure.soft_s is not None else 0.0))
    if cues.segue_s is not None:
        at.append(cues.segue_s)
    if cues.fade_start_s is not None:
        at.append(cues.fade_start_s)
    for (cart, _), edit in segues.pairs.items():
        if cart == item.cart:
            at += [one for one in (edit.segue_s, edit.fade_start_s) if one is not None]
    # a frame earlier: seconds that were added up before they are rounded may differ by one
    return max(to_frames(cues.cue_in_s, rate), to_frames(min(at), rate) - 1)


def plan_join(
    out: Item, begin: int, incoming: Item, segues: Segues, rate: int, edit: JoinEdit | None = None
) -> Join:
    """Plan the segue from `out` (which started at its position `begin`) to `incoming`.

    Remembered for the very items, rules and edit: a night that is looked at again, and each try to
    land an event, asks for nearly the same.
    """
    key = id(out), begin, id(incoming), id(segues), rate, id(edit)
    known = _joins.get(key)
    if known is not None and (
        known[0] is out and known[1] is incoming and known[2] is segues and known[3] is edit
    ):
        return known[4]
    found = _joined(out, begin, incoming, segues, rate, edit)
    if len(_joins) >= _MOST_JOINS:
        _joins.clear()
    _joins[key] = out, incoming, segues, edit, found
    return found


_MOST_JOINS = 8192
_joins: dict[tuple[int, ...], tuple[Item, Item, Segues, JoinEdit | None, Join]] = {}


def _joined(
    out: Item, begin: int, incoming: Item, segues: Segues, rate: int, edit: JoinEdit | None
) -> Join:
    """Plan the segue.

    What was set for this join (`edit`) holds before what was set for the pair of items, that
    before the outgoing item's own markers and wishes, those before the rules. The overlap
    never exceeds the longest allowed, nor half of the incoming item, so that at most two items
    sound for long.
    """
    if edit is None or edit.out_cart not in {0, out.cart}:
        edit = segues.pairs.get((out.cart, incoming.cart), _NONE)
    ruled = segues.ruled(out.kind, incoming.kind)
    cues = cues_of(out)
    here, there = _span(out, cues, rate, segues), played_part(incoming, rate)
    longest = min(to_frames(ruled.rule.longest_s, rate), (there.cue_out - there.cue_in) // 2)
    start = _start(out, incoming, cues, here, ruled, edit, rate)
    segue = max(start.at, begin)
    fade = _fade(out, cues, here.cue_out, segue, ruled, edit, rate, longest)
    out_end = fade.at + fade.frames if fade.frames else here.cue_out
    why, also = start.why, fade.why
    if out_end - segue > longest:
        kept = f"They overlap for {longest / rate:.1f} s at the most."
        if start.by_hand or fade.frames:
            # its place is the operator's word: what is ending goes sooner
            at = min(fade.at, segue) if fade.frames else segue
            out_end = segue + longest
            fade = _Fade(at, out_end - at, "")
            also = f"Fades out by then. {kept}"
        else:
            segue = max(begin, out_end - longest)
            why = f"{why} {kept}"
    segue = min(segue, out_end + to_frames(MOST_GAP_S, rate))
    fade_in, fade_in_why, in_curve = _fade_in(incoming, there, ruled, edit, rate)
    curve = edit.fade_out_curve or out.shaping.fade_out_curve or ruled.rule.fade_out_curve
    reasons = (("start", why), ("fade-out", also), ("fade-in", fade_in_why))
    return Join(segue, out_end, fade.at, fade.frames, fade_in, curve, in_curve, reasons)


def _start(
    out: Item,
    incoming: Item,
    cues: Cues,
    here: Span,
    ruled: Ruled,
    edit: JoinEdit,
    rate: int,
) -> _Start:
    """Return where in the outgoing item the next one starts."""
    rule, title = ruled.rule, f"“{out.title}”"
    if edit.segue_s is not None:
        at = max(here.cue_in, to_frames(edit.segue_s, rate))
        return _Start(at, f"Set by hand for this join, at {stamp(edit.segue_s)} of {title}.", True)
    shorter = min(here.cue_out - here.cue_in, to_frames(incoming.measure.duration_s, rate))
    if not rule.segue_short and shorter <= to_frames(rule.short_s, rate):
        source = ruled.source("segue_short")
        return _Start(here.cue_out, f"Starts where {title} ends: a short item ({source}).", False)
    if rule.overlap is Overlap.GAP:
        why = f"Starts {rule.gap_s:g} s after {title} ({ruled.source('overlap')})."
        return _Start(here.cue_out + to_frames(rule.gap_s, rate), why, False)
    if cues.segue_s is not None:
        at = to_frames(cues.segue_s, rate)
        if Marker.SEGUE in out.marks.absent:
            why = f"Starts where {title} ends: its segue point was cleared."
        else:
            why = f"The segue point of {title} is set by hand."
        return _Start(at, why, True)
    return _start_by_rule(out, incoming, here, ruled, rate)


def _start_by_rule(out: Item, incoming: Item, here: Span, ruled: Ruled, rate: int) -> _Start:
    rule, title = ruled.rule, f"“{out.title}”"
    if rule.overlap is Overlap.FIXED:
        at = max(here.cue_in, here.cue_out - to_frames(rule.fixed_s, rate))
        why = f"Starts {rule.fixed_s:g} s before {title} ends ({ruled.source('overlap')})."
        return _Start(at, why, False)
    natural = natural_segue(out.measure, rule)
    fade_s, curve = _faded(out, ruled)
    sooner = sooner_s(out, incoming, natural.at_s, fade_s, curve)
    at = min(max(here.cue_in, to_frames(natural.at_s - sooner, rate)), here.cue_out)
    why = _why_natural(out, ruled, early=natural.early)
    if sooner:
        why += f" {sooner:.1f} s sooner, because “{incoming.title}” begins softly: no hole between."
    return _Start(at, why, False)


def _faded(out: Item, ruled: Ruled) -> tuple[float, Curve]:
    """Return over how long and how an item's fader goes down by the rules, 0 s for not at all."""
    curve = out.shaping.fade_out_curve or ruled.rule.fade_out_curve
    own = out.shaping.fade_out_s
    wanted = ruled.rule.fade_out_s if own is None else own
    untouched = out.untouched and own is None
    fade_s = min(wanted, ruled.rule.longest_s)
    return (0.0 if untouched or curve is Curve.STRAIGHT else fade_s), curve


def _why_natural(out: Item, ruled: Ruled, *, early: bool) -> str:
    if out.measure.integrated_lufs is None:
        return f"Starts where “{out.title}” ends."
    how = "ends cold" if out.measure.ending is Ending.COLD else "fades on its own"
    if early:
        lasted = f"{ruled.rule.patience_s:g} s after it fell 6 dB for good"
        return f"“{out.title}” {how}: starts {lasted} ({ruled.source('patience_s')})."
    drop = f"{-ruled.rule.trigger_db:g} dB under its own loudness"
    return f"“{out.title}” {how}: starts once it is {drop} ({ruled.source('trigger_db')})."


def _fade(
    out: Item,
    cues: Cues,
    cue_out: int,
    segue: int,
    ruled: Ruled,
    edit: JoinEdit,
    rate: int,
    longest: int,
) -> _Fade:
    """Return where the fader of the outgoing item goes down, and over how long."""
    rule, own = ruled.rule, out.shaping
    curve = edit.fade_out_curve or own.fade_out_curve or rule.fade_out_curve
    by_hand = edit.fade_start_s if edit.fade_start_s is not None else cues.fade_start_s
    at = segue if by_hand is None else min(to_frames(by_hand, rate), cue_out)
    wanted, whose = rule.fade_out_s, ruled.source("fade_out_s")
    if own.fade_out_s is not None:
        wanted, whose = own.fade_out_s, "its own"
    if edit.fade_out_s is not None:
        wanted, whose = edit.fade_out_s, "set for this join"
    asked = edit.fade_out_s is not None or own.fade_out_s is not None or by_hand is not None
    if out.untouched and not asked:
        return _Fade(at, 0, f"No fade: “{out.title}” carries its own shape.")
    left = cue_out - at
    # a fade that begins before the next starts may be as long as it wants
    most = left if at < segue else min(left, longest)
    shortest = to_frames(rule.shortest_s, rate)
    if not wanted or curve is Curve.STRAIGHT or min(most, to_frames(wanted, rate)) < shortest:
        return _Fade(at, 0, "No fade: it plays out to its cue out.")
    frames = min(to_frames(wanted, rate), most)
    where = "" if by_hand is None else f" from {stamp(by_hand)} on, set by hand,"
    return _Fade(
        at, frames, f"Fades out{where} over {frames / rate:.1f} s to silence, {curve} ({whose})."
    )


def _fade_in(
    incoming: Item, there: Span, ruled: Ruled, edit: JoinEdit, rate: int
) -> tuple[int, str, Curve]:
    rule, own = ruled.rule, incoming.shaping
    curve = edit.fade_in_curve or own.fade_in_curve or rule.fade_in_curve
    wanted, whose = rule.fade_in_s, ruled.source("fade_in_s")
    if incoming.untouched:
        wanted, whose = 0.0, "its own"
    if own.fade_in_s is not None:
        wanted, whose = own.fade_in_s, "its own"
    if edit.fade_in_s is not None:
        wanted, whose = edit.fade_in_s, "set for this join"
    if not wanted or curve is Curve.STRAIGHT:
        return 0, "No fade-in: it starts at full level.", curve
    frames = min(to_frames(wanted, rate), there.cue_out - there.cue_in)
    return frames, f"Fades in over {frames / rate:.1f} s, {curve} ({whose}).", curve
