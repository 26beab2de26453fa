"""Where an overlay may lie, and where in that it is placed.

All in station frames. A window is what is free of vocals, of other overlays and of what may not be
talked over; an overlay lies in it as its pool wishes, or as near to that as it fits.
"""

from __future__ import annotations

from typing import TYPE_CHECKING, NamedTuple

from nightly_spindle.core.base.timebase import length, to_frames
from nightly_spindle.core.library.items import Kind
from nightly_spindle.core.library.markers import Marker
from nightly_spindle.core.overlays.overlay_pools import Lies
from nightly_spindle.core.segues.effective_markers import cues_of
from nightly_spindle.core.segues.joins import span

if TYPE_CHECKING:
    from nightly_spindle.core.library.items import Item
    from nightly_spindle.core.overlays.overlay_pools import PoolOptions
    from nightly_spindle.core.programme.running_order import Play
    from nightly_spindle.core.station.settings import OverlayRules


class OverlayWindow(NamedTuple):
    """From frame `low` up to `high` an overlay may sound; `why` says what ends it."""

    low: int
    high: int
    why: str = ""

    def holds(self, frames: int) -> bool:
        """Whether something so long fits."""
        return self.low + frames <= self.high


class OverlayPosition(NamedTuple):
    """Where an overlay begins (frame), and why there."""

    at: int
    why: str


class Talk(NamedTuple):
    """Up to which position (frames) an item may be talked over from its start, and why."""

    until: int
    why: str


def intro_end(item: Item, rules: OverlayRules) -> float | None:
    """Return the intro end (s) that overlays keep to, None where none is sure enough."""
    by_hand = item.marks.at(Marker.INTRO_END) is not None
    if not by_hand and item.measure.sure_intro_end < rules.intro_sure:
        return None
    return cues_of(item).intro_end_s


def talk_until(item: Item, begin: int, rate: int, rules: OverlayRules) -> Talk:
    """Return how far an item may be talked over when it starts from its position `begin`."""
    if not item.talked_over:
        return Talk(begin, f"“{item.title}” is not to be talked over")
    intro = intro_end(item, rules)
    if intro is not None:
        until = to_frames(intro, rate) - to_frames(rules.margin_s, rate)
        return Talk(max(begin, until), f"the vocal of “{item.title}” comes in at {length(intro)}")
    if item.shaping.talk_over:
        return Talk(span(item, rate).cue_out, f"“{item.title}” may be talked over")
    return Talk(begin, f"the intro end of “{item.title}” is not marked")


def last_word(play: Play, rate: int) -> int:
    """Return the station frame of an item's last word, 0 where that is not marked."""
    vocal = cues_of(play.item).vocal_end_s
    return 0 if vocal is None else play.start + to_frames(vocal, rate) - play.begin


def segue_window(
    out: Play, into: Item, into_begin: int, starts: int, free: int, rate: int, rules: OverlayRules
) -> OverlayWindow:
    """Return where a sweeper may sound on the segue that lets `into` start at frame `starts`.

    Not before frame `free`, not over the outgoing item's last word where that is marked, not
    over what cannot be talked over.
    """
    low = max(free, out.start)
    if not out.item.talked_over:
        low = max(low, starts)
    low = max(low, last_word(out, rate))
    talk = talk_until(into, into_begin, rate, rules)
    return OverlayWindow(low, starts + talk.until - into_begin, talk.why)


def intro_window(
    play: Play, free: int, gives_way: int, rate: int, rules: OverlayRules
) -> OverlayWindow:
    """Return where a voiceover may sound over the start of the item on air.

    Not before frame `free`. `gives_way` is the position of the item from which on the next may
    start: a short item may do so before its vocal would come in.
    """
    talk = talk_until(play.item, play.begin, rate, rules)
    until, why = talk.until, talk.why
    if gives_way < until:
        until, why = gives_way, "the next item may start then"
    return OverlayWindow(max(free, play.start), play.start + until - play.begin, why)


def trial_s(overlay: Item, into: Item, rate: int, rules: OverlayRules) -> float:
    """Return where an overlay would begin if it were tried on a join.

    Seconds from the start of the incoming item: a voiceover ends at the post where it fits, all
    else ends as the item starts.
    """
    frames = span(overlay, rate).cue_out - span(overlay, rate).cue_in
    begin = span(into, rate).cue_in
    room = talk_until(into, begin, rate, rules).until - begin
    fits = overlay.kind is Kind.VOICEOVER and room >= frames
    return (room - frames if fits else -frames) / rate


def place_sweeper(
    window: OverlayWindow, frames: int, starts: int, options: PoolOptions, rate: int
) -> OverlayPosition | None:
    """Return where a sweeper of that length lies on a segue, None when it does not fit."""
    if not window.holds(frames):
        return None
    offset = to_frames(options.offset_s, rate)
    wanted = (
        offset
        + {
            Lies.ENDS: starts - frames,
            Lies.STARTS: starts,
            Lies.CENTRED: starts - frames // 2,
        }[options.lies]
    )
    at = min(max(wanted, window.low), window.high - frames)
    lies = {
        Lies.ENDS: "Ends as the next starts",
        Lies.STARTS: "Starts with the next",
        Lies.CENTRED: "Lies around the start of the next",
    }[options.lies]
    if offset:
        lies += f", {abs(options.offset_s):g} s {'later' if offset > 0 else 'sooner'}"
    moved = (at - wanted) / rate
    if moved < -0.005:
        return OverlayPosition(at, f"{lies}; {-moved:.1f} s sooner, because {window.why}.")
    if moved > 0.005:
        return OverlayPosition(at, f"{lies}; {moved:.1f} s later, where it is free.")
    return OverlayPosition(at, f"{lies}.")


def place_voiceover(
    window: OverlayWindow, frames: int, begun: int, options: PoolOptions, rate: int
) -> OverlayPosition | None:
    """Return where a voiceover of that length lies over an intro that began at frame `begun`."""
    if not window.holds(frames):
        return None
    if options.at_post:
        return OverlayPosition(window.high - frames, f"Ends at the post: {window.why}.")
    wanted = begun + to_frames(options.after_s, rate)
    at = min(max(wanted, window.low), window.high - frames)
    why = f"Starts {(at - begun) / rate:.1f} s after the song"
    moved = f", not {options.after_s:g} s, so that it ends before the vocal" if at < wanted else ""
    return OverlayPosition(at, f"{why}{moved}.")
