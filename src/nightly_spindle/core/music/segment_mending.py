"""Mending an hour whose songs are chosen: what breaks a firm rule where it really airs.

Songs are chosen by the lengths that joins are expected to have. Some seconds more or less may bring
two plays nearer than a firm rule allows, and so may those of what is mended. The judge looks at the
whole hour at once; only where it finds something every song is looked at.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

from nightly_spindle.core.music.segment_fill import Filler

if TYPE_CHECKING:
    from collections.abc import Sequence

    import numpy as np

    from nightly_spindle.core.music.candidate_costs import CandidateCosts
    from nightly_spindle.core.music.hour_judge import Broken, HourJudge
    from nightly_spindle.core.music.making_stock import Stock
    from nightly_spindle.core.music.segment_draft import SegmentDraft

_TIMES = 3  # that a segment is looked at again


def songs_of(drafts: Sequence[SegmentDraft]) -> list[tuple[float, int]]:
    """Return the songs of an hour: instant (s) and row."""
    return [(seat.at_s, seat.row) for draft in drafts for seat in draft.seats if seat.need.music]


def breaks_firm(
    drafts: Sequence[SegmentDraft], judged: Sequence[Sequence[Broken]], choice: CandidateCosts
) -> bool:
    """Whether a song breaks a firm rule; where too few songs are to choose from, none is firm.

    `judged` is what each of `songs_of` breaks.
    """
    seats = [seat for draft in drafts for seat in draft.seats if seat.need.music]
    return any(
        one.firm and seat.need.category not in choice.scarcity
        for seat, broken in zip(seats, judged, strict=True)
        for one in broken
    )


def mend_all(
    drafts: Sequence[SegmentDraft],
    judge: HourJudge,
    choice: CandidateCosts,
    rng: np.random.Generator,
    stock: Stock,
) -> None:
    """Mend the segments of an hour one by one; each begins where the one before ends."""
    for at, draft in enumerate(drafts):
        if at and draft.begin_s != drafts[at - 1].end_s:
            draft.begin_s = drafts[at - 1].end_s
            draft.seat_times()
        _mend(draft, judge, choice, rng, stock)


def _mend(
    draft: SegmentDraft,
    judge: HourJudge,
    choice: CandidateCosts,
    rng: np.random.Generator,
    stock: Stock,
) -> None:
    """Put other songs where a firm rule is broken that another song keeps. `judge` knows those."""
    for _ in range(_TIMES):
        if not _broken(draft, judge, choice) or not Filler(draft, choice, rng, 0.0).mend():
            return
        set_real_lengths(draft, stock)


def set_real_lengths(draft: SegmentDraft, stock: Stock) -> None:
    """Give the seats the lengths of the joins as they will be."""
    places = [at for at, seat in enumerate(draft.seats) if seat.row > 0]
    items = [stock.table.item(draft.seats[at].row) for at in places]
    lengths = [seat.length_s for seat in draft.seats]
    for at, length in zip(places, stock.joined(items), strict=True):
        lengths[at] = length
    draft.bias_s = 0.0
    draft.retime(lengths)


def _broken(draft: SegmentDraft, judge: HourJudge, choice: CandidateCosts) -> bool:
    """Whether a song breaks a firm rule; where too few songs are to choose from, none is firm."""
    seats = [
        draft.seats[at]
        for at in draft.music
        if draft.seats[at].need.category not in choice.scarcity
    ]
    return any(judge.judged(draft.lines, [(seat.at_s, seat.row) for seat in seats]))
