"""How long a fixed list of items runs, plainly and as it would air."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from nightly_spindle.core.segues.joins import plan_join, span

if TYPE_CHECKING:
    from collections.abc import Sequence

    from nightly_spindle.core.library.items import Item
    from nightly_spindle.core.segues.segue_rules import Segues


@dataclass(frozen=True, slots=True)
class ListLength:
    """`plain_s` adds up what of each item is played; `aired_s` has the segues in it.

    `starts_s` says for each item when it starts, from the start of the first; `next_s` when an
    item after the last would, by the last one's own segue point.
    """

    plain_s: float
    aired_s: float
    starts_s: tuple[float, ...]
    next_s: float = 0.0

    def short_by_s(self, target_s: float) -> float:
        """Return how long is still to fill; negative when it runs over."""
        return target_s - self.aired_s


def running_time(items: Sequence[Item], segues: Segues, rate: int) -> ListLength:
    """Return how long items run one after the other, joined as the sequencer would."""
    starts: list[float] = []
    plain = at = end = follows = 0
    for item, after in zip(items, [*items[1:], None][: len(items)], strict=True):
        here = span(item, rate)
        starts.append(at / rate)
        plain += here.cue_out - here.cue_in
        end = max(end, at + here.cue_out - here.cue_in)
        if after is not None:
            join = plan_join(item, here.cue_in, after, segues, rate)
            end = max(end if join.fade_out == 0 else 0, at + join.out_end - here.cue_in)
            at += join.segue - here.cue_in
        else:
            follows = at + span(item, rate, segues).segue - here.cue_in
    return ListLength(plain / rate, end / rate, tuple(starts), follows / rate)
