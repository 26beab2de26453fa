"""What is wrong with overlays: with pools at any hour, and with what lies over a night."""

from __future__ import annotations

from itertools import pairwise
from typing import TYPE_CHECKING

from nightly_spindle.core.base.findings import Finding, Severity
from nightly_spindle.core.base.timebase import clock, to_frames
from nightly_spindle.core.base.wording import counted, listed, span_text
from nightly_spindle.core.library.items import Kind
from nightly_spindle.core.overlays.overlay_pools import PoolUse
from nightly_spindle.core.playout.overlay_choice import ducking_of
from nightly_spindle.core.playout.overlay_playout import serves_song
from nightly_spindle.core.playout.overlay_position import intro_end, talk_until
from nightly_spindle.core.programme.running_order import OverlayPlace
from nightly_spindle.core.segues.effective_markers import cues_of
from nightly_spindle.core.segues.joins import span

if TYPE_CHECKING:
    from collections.abc import Sequence

    from nightly_spindle.core.overlays.overlay_pools import Pool
    from nightly_spindle.core.playout.rehearsal_rows import OverlayRow, Rehearsal, RehearsalRow
    from nightly_spindle.core.programme.air_state import AirState
    from nightly_spindle.core.programme.programme import Programme

_MOST_NAMED = 3


def overlay_findings(
    programme: Programme, state: AirState, night: Rehearsal, begin: int, *, sound: bool = True
) -> list[Finding]:
    """Return what is wrong with the overlays of a night that begins at frame `begin`.

    `sound`: they were switched on at its begin.
    """
    found = [
        one
        for pool in programme.pools
        if _opens(programme, state, night, pool)
        for one in pool_findings(programme, pool, begin)
    ]
    if programme.pools and not sound:
        text = "Overlays are switched off: none plays until they are switched on again."
        mend = "Switch them on in Overlays, or by a timed event."
        found.append(Finding("overlays-off", Severity.WARNING, begin, text, mend))
    found += _short_intros(programme, state, night, begin)
    places = {row.line.id: at for at, row in enumerate(night.sounding())}
    rows = night.sounding()
    told: set[tuple[int, str]] = set()
    for one in night.overlays:
        at = places.get(one.overlay.line_id)
        under = (
            [] if at is None else [row for row in rows[max(0, at - 1) : at + 1] if _meet(row, one)]
        )
        found += _over_vocal(programme, state, one, under)
        found += _too_low(programme, one, told)
    found += _too_near(programme, state, night.overlays)
    found += _too_soon(programme, state, night.overlays)
    return found


def _opens(programme: Programme, state: AirState, night: Rehearsal, pool: Pool) -> bool:
    """Whether a pool is open when any item of the night starts."""
    tz = programme.settings.tz
    return any(pool.open_at(state.clock.instant_of(row.start), tz) for row in night.sounding())


def pool_findings(programme: Programme, pool: Pool, at: int) -> list[Finding]:
    """Return what is wrong with a pool at any hour, as findings at a frame."""
    if not pool.options.enabled:
        return []
    lost = {cart: why for cart in pool.carts if (why := programme.why_unplayable(cart))}
    code, severity = "", Severity.WARNING
    if len(lost) == len(pool.carts):
        code = "pool-empty"
        what = "has no members" if not pool.carts else "has none that can be played"
        instead = programme.item(pool.fallback) if pool.fallback else None
        then = f"its fallback “{instead.title}” serves" if instead else "nothing of it airs"
        text, mend = f"The pool “{pool.name}” {what}: {then}.", "Give it members."
    elif lost:
        code = "overlay-missing"
        cart, why = next(iter(lost.items()))
        item = programme.item(cart)
        title = f"“{item.title}”" if item else f"item {cart}"
        more = f", and {len(lost) - 1} more" if len(lost) > 1 else ""
        text = f"{title} of the pool “{pool.name}” cannot be played: {why}{more}."
        mend = "Import it again, or remove it from the pool."
    found = [Finding(code, severity, at, text, mend)] if code else []
    by_clocks = pool.name.casefold() in programme.formats.link_pools
    if pool.use is PoolUse.LINKS and not pool.events() and not by_clocks:
        text = f"The pool of links “{pool.name}” does not say when: none of it airs."
        mend = "Say after how many songs or minutes, or at which edge of the hour."
        found.append(Finding("pool-never", Severity.NOTE, at, text, mend))
    return found


def too_short(
    programme: Programme, rows: Sequence[RehearsalRow], pool: Pool, rate: int
) -> list[str]:
    """Return the titles of songs whose intros are too short for every voiceover of a pool."""
    playable = [
        item
        for cart in pool.carts
        if not programme.why_unplayable(cart) and (item := programme.item(cart)) is not None
    ]
    if not playable:
        return []
    shortest = min(span(item, rate).cue_out - span(item, rate).cue_in for item in playable)
    settings = programme.settings
    rules = settings.overlay_by(settings.duck_voiceover)
    found = {}
    for row in rows:
        play = row.play
        if play is None or play.joined or play.item.kind is not Kind.SONG:
            continue
        if intro_end(play.item, rules) is None or not serves_song(programme, pool, play):
            continue
        room = talk_until(play.item, play.begin, rate, rules).until - play.begin
        if room < shortest:
            found[play.item.cart] = play.item.title
    return list(found.values())


def _short_intros(
    programme: Programme, state: AirState, night: Rehearsal, begin: int
) -> list[Finding]:
    found = []
    for pool in programme.pools_for(PoolUse.VOICEOVERS):
        if not pool.options.enabled:
            continue
        open_rows = [
            row
            for row in night.sounding()
            if pool.open_at(state.clock.instant_of(row.start), programme.settings.tz)
        ]
        titles = too_short(programme, open_rows, pool, state.clock.rate)
        if titles:
            named = [f"“{title}”" for title in titles[:_MOST_NAMED]]
            more = len(titles) - _MOST_NAMED
            named += [f"{more} more"] if more > 0 else []
            text = (
                f"{counted(len(titles), 'song')} of this stretch have intros too short for every "
                f"voiceover of “{pool.name}”: {listed(named)}."
            )
            mend = "Record a shorter voiceover, if they are to have one."
            found.append(Finding("intro-too-short", Severity.NOTE, begin, text, mend))
    return found


def _meet(row: RehearsalRow, one: OverlayRow) -> bool:
    return one.start < row.end and row.start < one.end


def _over_vocal(
    programme: Programme, state: AirState, one: OverlayRow, under: Sequence[RehearsalRow]
) -> list[Finding]:
    """Say where an overlay that was placed by hand lies over a vocal."""
    if one.overlay.where is OverlayPlace.POINT or not one.overlay.by_hand:
        return []  # what the rules placed keeps clear by itself
    rate, rules = state.clock.rate, programme.settings.overlay
    found = []
    for row in under:
        play = row.play
        if play is None:
            continue
        own = row.line.id == one.overlay.line_id
        into = talk_until(play.item, play.begin, rate, rules).until - play.begin
        vocal_end = cues_of(play.item).vocal_end_s
        over = own and one.end > row.start + into + to_frames(rules.margin_s, rate)
        if not own and vocal_end is not None:
            over = one.start < row.start + to_frames(vocal_end, rate) - play.begin
        if over:
            when = clock(state.clock.instant_of(one.start), programme.settings.tz)
            text = f"“{one.overlay.item.title}” at {when} plays over the vocal of “{row.title}”."
            mend = "Move it, or let the pool place it."
            found.append(
                Finding("overlay-over-vocal", Severity.WARNING, one.start, text, mend, row.line.id)
            )
    return found


def _too_low(programme: Programme, one: OverlayRow, told: set[tuple[int, str]]) -> list[Finding]:
    """Say once of a voice that it does not stand out enough over what it lies on."""
    item, louder = one.overlay.item, one.overlay.over_bed_lu
    ducking = ducking_of(programme.settings, item)
    key = (item.cart, one.overlay.over)
    if louder is None or louder >= ducking.least_lu - 0.05 or key in told:
        return []
    told.add(key)
    text = (
        f"“{item.title}” is only {louder:.1f} LU over the lowered programme on {one.overlay.over}; "
        f"{ducking.least_lu:g} LU are wanted."
    )
    mend = "Lower the programme further, or make the voice louder."
    return [Finding("voice-too-low", Severity.WARNING, one.start, text, mend, one.overlay.line_id)]


def _too_near(
    programme: Programme, state: AirState, overlays: Sequence[OverlayRow]
) -> list[Finding]:
    """Say where two overlays touch."""
    rate, found = state.clock.rate, []
    gap = to_frames(programme.settings.overlay.gap_s, rate)
    in_order = sorted(overlays, key=lambda one: one.start)
    for a, b in pairwise(in_order):
        if b.start < a.end + gap and (a.overlay.by_hand or b.overlay.by_hand):
            text = (
                f"“{a.overlay.item.title}” and “{b.overlay.item.title}” are less than "
                f"{programme.settings.overlay.gap_s:g} s apart on {b.overlay.over}."
            )
            mend = "Move one of them."
            found.append(
                Finding("overlays-touch", Severity.WARNING, b.start, text, mend, b.overlay.line_id)
            )
    return found


def _too_soon(
    programme: Programme, state: AirState, overlays: Sequence[OverlayRow]
) -> list[Finding]:
    """Say once of an overlay that it comes again before its least time is over."""
    rest: dict[int, float] = {}
    for pool in programme.pools:
        for cart in pool.carts:
            rest[cart] = max(rest.get(cart, 0.0), pool.options.least_s)
    last: dict[int, OverlayRow] = {}
    early: dict[int, list[tuple[OverlayRow, int]]] = {}
    for one in sorted(overlays, key=lambda one: one.start):
        cart = one.overlay.item.cart
        before = last.get(cart)
        last[cart] = one
        least = to_frames(rest.get(cart, 0.0), state.clock.rate)
        if before is not None and one.start - before.start < least:
            early.setdefault(cart, []).append((one, one.start - before.start))
    found = []
    for cart, times in early.items():
        one, after = times[0]
        when = clock(state.clock.instant_of(one.start), programme.settings.tz)
        often = f", and {counted(len(times) - 1, 'time')} more" if len(times) > 1 else ""
        text = (
            f"“{one.overlay.item.title}” comes again at {when} after "
            f"{span_text(after / state.clock.rate)} ({one.overlay.origin}); it is to rest for "
            f"{span_text(rest[cart])}{often}."
        )
        mend = "Choose another one there, or let it rest for less."
        found.append(
            Finding(
                "overlay-too-soon", Severity.WARNING, one.start, text, mend, one.overlay.line_id
            )
        )
    return found
