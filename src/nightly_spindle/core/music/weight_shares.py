"""What weights share out: plays, or time on the air; and what one comes to in the other.

A category of long songs that has half of the plays has more than half of the time.
"""

from __future__ import annotations

from enum import StrEnum
from typing import TYPE_CHECKING, NamedTuple

if TYPE_CHECKING:
    from collections.abc import Mapping

_SONG_S = 210.0  # what a song of a category without any is taken to last (common practice)


class Shares(StrEnum):
    """What weights are shares of."""

    PLAYS = "plays"
    TIME = "time"


class Share(NamedTuple):
    """The part that a category has of what is shared out, 0 to 1: of plays and of time."""

    name: str
    of_plays: float
    of_time: float


def play_weights(
    weights: Mapping[str, float], song_s: Mapping[str, float], shares: Shares
) -> dict[str, float]:
    """Return weights to go by in plays. `song_s` is how long a song of each category lasts (s)."""
    if shares is Shares.PLAYS:
        return dict(weights)
    return {name: weight / (song_s.get(name) or _SONG_S) for name, weight in weights.items()}


def shares_of(
    weights: Mapping[str, float], song_s: Mapping[str, float], shares: Shares
) -> list[Share]:
    """Return what each category comes to, in the order of the weights; nothing without any."""
    plays = play_weights(weights, song_s, shares)
    time = {name: weight * (song_s.get(name) or _SONG_S) for name, weight in plays.items()}
    all_plays, all_time = sum(plays.values()), sum(time.values())
    if not all_plays:
        return []
    return [Share(name, plays[name] / all_plays, time[name] / all_time) for name in weights]


def shares_text(weights: Mapping[str, float], song_s: Mapping[str, float], shares: Shares) -> str:
    """Say what weights come to: "by plays: Standards 50 % (54 % of the time), ..."."""
    said = []
    for share in shares_of(weights, song_s, shares):
        mine, other, of = share.of_plays, share.of_time, "of the time"
        if shares is Shares.TIME:
            mine, other, of = other, mine, "of the plays"
        said.append(f"{share.name or 'all songs'} {mine:.0%} ({other:.0%} {of})")
    return f"by {shares}: {', '.join(said)}".replace("%", " %") if said else ""
