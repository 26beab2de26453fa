"""Where the turn of a pool, or of a campaign's copies, stands."""

from __future__ import annotations

from dataclasses import dataclass, field


@dataclass(frozen=True, slots=True)
class PoolTurn:
    """Where the turn of a pool stands.

    `recent` are the members by their last use, the latest last; `left` those of a shuffled round
    that are still to come, `rounds` how many there were; `credit` what weighted members (by
    cart) have saved up. `at` is the station frame at which it was last used.
    """

    recent: tuple[int, ...] = ()
    left: tuple[int, ...] = ()
    rounds: int = 0
    credit: dict[int, float] = field(default_factory=dict)
    at: int | None = None
