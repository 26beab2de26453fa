"""Choosing the next song when nothing is lined up: the safety net's rotation."""

from __future__ import annotations

from hashlib import blake2s
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from collections.abc import Iterable, Sequence

    from nightly_spindle.core.items import Item
    from nightly_spindle.core.running import Heard


def turn_order(items: Iterable[tuple[int | None, Item]], seed: int) -> list[Item]:
    """Return the items in the order of their turn: longest unheard first.

    Each comes with the instant (µs) it was last heard, None for never; those never
    heard are shuffled by the seed, so that a night can be replayed.
    """

    def rank(entry: tuple[int | None, Item]) -> tuple[int, bytes]:
        heard, item = entry
        mixed = blake2s(f"{seed}/{item.cart}".encode(), digest_size=8).digest()
        return (-1 if heard is None else heard, mixed)

    return [item for _, item in sorted(items, key=rank)]


def choose(
    pool: Sequence[Item], history: Sequence[Heard], at: int, separation: int
) -> tuple[Item | None, str]:
    """Return the item whose turn it is at frame `at`, and why; None from an empty pool.

    First the longest unheard whose artist and title were not heard within `separation`
    frames; when there is none, the artist's rule is dropped, then the title's.
    """
    last = {heard.cart: heard.at for heard in history}
    recent = [heard for heard in history if at - heard.at < separation]
    artists = {heard.artist.casefold() for heard in recent if heard.artist}
    titles = {heard.title.casefold() for heard in recent}
    in_turn = [item for item in pool if item.cart not in last]
    if len(in_turn) < len(pool):
        in_turn += sorted(
            (item for item in pool if item.cart in last), key=lambda item: last[item.cart]
        )
    for item in in_turn:
        if item.artist.casefold() not in artists and item.title.casefold() not in titles:
            return item, "longest unheard, artist and title not heard in the last hour"
    for item in in_turn:
        if item.title.casefold() not in titles:
            return item, "longest unheard; no artist was free of the last hour"
    if in_turn:
        return in_turn[0], "longest unheard; every title was heard in the last hour"
    return None, "no song is in the library"
