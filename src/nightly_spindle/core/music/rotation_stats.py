"""What rotation comes to: plays of items, categories and artists, how even, what never airs."""

from __future__ import annotations

from collections import defaultdict
from dataclasses import dataclass
from itertools import pairwise
from typing import TYPE_CHECKING

from nightly_spindle.core.library.items import Item, Kind
from nightly_spindle.core.library.song_names import artists_of

if TYPE_CHECKING:
    from collections.abc import Iterable, Mapping, Sequence
    from datetime import date

    from nightly_spindle.core.music.formats import Rotating


@dataclass(frozen=True, slots=True)
class ItemUse:
    """How often an item plays. `apart_s` is the mean time between two plays, None for fewer."""

    item: Item
    category: str
    plays: int
    apart_s: float | None
    least_s: float | None
    never: str = ""


@dataclass(frozen=True, slots=True)
class CategoryUse:
    """How a category is used: plays, its share of all against what its weight gives, how evenly.

    `gini` is Gini's coefficient of the plays of its items: 0 is all alike.
    """

    name: str
    items: int
    plays: int
    share: float
    wanted: float
    gini: float
    never: int


@dataclass(frozen=True, slots=True)
class ArtistUse:
    """How often an artist plays, and the mean and least time between two plays."""

    name: str
    plays: int
    apart_s: float | None
    least_s: float | None


def gini(values: Iterable[float]) -> float:
    """Return Gini's coefficient of values of 0 or more, 0 (all alike) to under 1.

    G = 2 Σ i x_i / (n Σ x) - (n + 1) / n with x ascending, i from 1 (C. Gini, 1912; the formula
    from memory, checked against the mean absolute difference in the tests). 0 of nothing.
    """
    ordered = sorted(values)
    total, many = sum(ordered), len(ordered)
    if not total:
        return 0.0
    ranked = sum(place * value for place, value in enumerate(ordered, 1))
    return 2 * ranked / (many * total) - (many + 1) / many


def _apart(instants: Sequence[float]) -> tuple[float | None, float | None]:
    """Return the mean and the least time between plays, None for fewer than two."""
    if len(instants) < 2:
        return None, None
    ordered = sorted(instants)
    gaps = [b - a for a, b in pairwise(ordered)]
    return (ordered[-1] - ordered[0]) / len(gaps), min(gaps)


def item_uses(
    plays: Iterable[tuple[float, int]],
    items: Mapping[int, Item],
    categories: Mapping[str, Rotating],
    used: frozenset[str],
    today: date,
) -> list[ItemUse]:
    """Return how often the items of categories play, (instant in s, cart) given.

    `used` are the categories that any clock takes from (folded).
    """
    at: dict[int, list[float]] = defaultdict(list)
    for instant, cart in plays:
        at[cart].append(instant)
    found = []
    for name, category in categories.items():
        for cart in category.carts:
            item = items.get(cart)
            if item is None:
                continue
            mean, least = _apart(at[cart])
            never = "" if at[cart] else _why_never(item, name in used, today)
            found.append(ItemUse(item, category.name, len(at[cart]), mean, least, never))
    return found


def _why_never(item: Item, used: bool, today: date) -> str:
    card = item.turn
    why = "its turn has not come, or the rules keep it out"
    if not used:
        why = "no format clock takes from its category"
    elif card.last_day is not None and card.last_day < today:
        why = f"it may air up to {card.last} only"
    elif card.first_day is not None and card.first_day > today:
        why = f"it may air from {card.first} on only"
    elif card.hours.strip():
        why = f"it may air {card.grid.words()}"
    return why


def category_uses(uses: Sequence[ItemUse], weights: Mapping[str, float]) -> list[CategoryUse]:
    """Return how the categories are used; `weights` (folded) are what they should share by."""
    by_name: dict[str, list[ItemUse]] = defaultdict(list)
    for use in uses:
        by_name[use.category].append(use)
    total = sum(use.plays for use in uses)
    weight = sum(weights.values())
    found = []
    for name, inside in by_name.items():
        plays = sum(use.plays for use in inside)
        wanted = weights.get(name.casefold(), 0.0) / weight if weight else 0.0
        found.append(
            CategoryUse(
                name,
                len(inside),
                plays,
                plays / total if total else 0.0,
                wanted,
                gini(use.plays for use in inside),
                sum(not use.plays for use in inside),
            )
        )
    return sorted(found, key=lambda use: (-use.plays, use.name))


def artist_uses(plays: Iterable[tuple[float, int]], items: Mapping[int, Item]) -> list[ArtistUse]:
    """Return how often artists play, guests counted, those most often heard first."""
    at: dict[str, list[float]] = defaultdict(list)
    # who never stands alone is no artist of their own: the halves of a duo
    names = {
        keys[0]: item.artist
        for item in items.values()
        if (keys := artists_of(item.artist, item.title))
    }
    for instant, cart in plays:
        item = items.get(cart)
        if item is None or item.kind is not Kind.SONG:
            continue
        for key in artists_of(item.artist, item.title):
            if key in names:
                at[key].append(instant)
    found = [ArtistUse(names[key], len(when), *_apart(when)) for key, when in at.items()]
    return sorted(found, key=lambda use: (-use.plays, use.name.casefold()))
