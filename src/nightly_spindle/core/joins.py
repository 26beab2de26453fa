"""The one planner for joins: how an item passes into the next.

Item positions are frames at the mix rate from the start of the file.
"""

from __future__ import annotations

from dataclasses import dataclass
from math import cos, pi

from nightly_spindle.core.items import UNTOUCHED, Ending, Item
from nightly_spindle.core.settings import Curve, SegueRules
from nightly_spindle.core.timebase import to_frames


@dataclass(frozen=True, slots=True)
class Span:
    """The part of an item that is played: `cue_in <= segue <= cue_out`, in frames."""

    cue_in: int
    segue: int
    cue_out: int


@dataclass(frozen=True, slots=True)
class Join:
    """One planned segue.

    The incoming item starts at position `segue` of the outgoing one, which is faded
    over `fade_out` frames from there (0: it plays out by itself) and silent at
    `out_end`. `fade_in` is the incoming item's own. `why` says how each was found.
    """

    segue: int
    out_end: int
    fade_out: int
    fade_in: int
    curve: Curve
    why: tuple[str, ...]

    @property
    def overlap(self) -> int:
        """Frames in which both sound."""
        return self.out_end - self.segue


def span(item: Item, rate: int) -> Span:
    """Return the item's cue in, segue point and cue out, kept inside the decoded audio."""
    measure = item.measure
    length = to_frames(measure.duration_s, rate)
    if item.kind in UNTOUCHED:
        cue_in, cue_out = 0, length
    else:
        cue_in = min(max(0, to_frames(measure.cue_in_s, rate)), length)
        cue_out = min(max(cue_in, to_frames(measure.cue_out_s, rate)), length)
    segue = min(max(cue_in, to_frames(measure.segue_s, rate)), cue_out)
    return Span(cue_in, segue, cue_out)


def gain_db(item: Item, rules: SegueRules) -> float:
    """Return the gain that brings the item to the station's loudness, 0 where unknown."""
    loudness = item.measure.integrated_lufs
    if loudness is None:
        return 0.0
    return min(rules.target_lufs - loudness, rules.most_gain_db)


def plan_join(out: Item, begin: int, incoming: Item, rules: SegueRules, rate: int) -> Join:
    """Plan the segue from `out` (which started at its position `begin`) to `incoming`.

    The overlap never exceeds the longest allowed, nor half of the incoming item, so
    that at most two items sound for long.
    """
    here = span(out, rate)
    there = span(incoming, rate)
    longest = min(to_frames(rules.longest_s, rate), (there.cue_out - there.cue_in) // 2)
    shortest = to_frames(rules.shortest_s, rate)
    segue = max(here.segue, begin)
    tail = here.cue_out - segue
    why = [_why_segue(out, rules)]
    if out.kind in UNTOUCHED:
        fade, out_end = 0, here.cue_out
        why.append(f"No fade: a {out.kind} carries its own shape.")
    elif min(tail, longest) < shortest or rules.curve is Curve.STRAIGHT or not rules.fade_out_s:
        fade, out_end = 0, here.cue_out
        why.append("No fade: it plays out to its cue out.")
    else:
        fade = max(shortest, min(to_frames(rules.fade_out_s, rate), tail, longest))
        out_end = segue + fade
        why.append(f"Fades out over {fade / rate:.1f} s to silence, {rules.curve}.")
    if out_end - segue > longest:
        segue = max(begin, out_end - longest)
        why.append(f"The overlap is kept to {longest / rate:.1f} s.")
    fade_in = 0
    if rules.fade_in_s and incoming.kind not in UNTOUCHED:
        fade_in = min(to_frames(rules.fade_in_s, rate), there.cue_out - there.cue_in)
        why.append(f"Fades in over {fade_in / rate:.1f} s.")
    else:
        why.append("No fade-in: it starts at full level.")
    return Join(segue, out_end, fade, fade_in, rules.curve, tuple(why))


def _why_segue(out: Item, rules: SegueRules) -> str:
    drop = f"{-rules.trigger_db:.0f} dB under its own loudness"
    if out.measure.integrated_lufs is None:
        return f"Starts where “{out.title}” ends."
    if out.measure.ending is Ending.COLD:
        return f"Starts as “{out.title}” ends cold and has fallen {drop}."
    return f"Starts as the fading end of “{out.title}” has fallen {drop}."


def fade_gain(curve: Curve, part: float) -> float:
    """Return the gain of a fade-out after `part` (0 to 1) of its length.

    Equal power is cos(part * pi / 2): squares of it and of the rising sine add to 1.
    """
    if curve is Curve.EQUAL_POWER:
        return cos(min(max(part, 0.0), 1.0) * pi / 2)
    if curve is Curve.LINEAR:
        return 1.0 - min(max(part, 0.0), 1.0)
    return 1.0 if part < 1.0 else 0.0
