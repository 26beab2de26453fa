"""Mending a segment whose songs are chosen: what breaks a firm rule where it really airs.

Songs are chosen by the lengths that joins are expected to have. Some seconds more or less may bring
two plays nearer than a firm rule allows, and so may those of what is mended. The judge looks at the
whole segment at once; only where it finds something every song is looked at.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

from nightly_spindle.core.music.segment_fill import Filler

if TYPE_CHECKING:
    import numpy as np

    from nightly_spindle.core.music.candidate_costs import CandidateCosts
    from nightly_spindle.core.music.hour_judge import HourJudge
    from nightly_spindle.core.music.making_stock import Stock
    from nightly_spindle.core.music.segment_draft import SegmentDraft

_TIMES = 3  # that a segment is looked at again


def mend(
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
