"""The items of rotation as columns, so that rules look at all of them at once.

Row 0 is nobody: lines that name no item stand there. Times are seconds since 1970.
"""

from __future__ import annotations

from collections import defaultdict
from dataclasses import dataclass
from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np

from nightly_spindle.core.calendar.local_days import day_number
from nightly_spindle.core.library.items import Item, Kind
from nightly_spindle.core.library.rotation_card import ANY_TURN, traits_of
from nightly_spindle.core.library.song_names import artists_of, lead_of, title_of
from nightly_spindle.core.music.rotation_rules import RuleSubject

if TYPE_CHECKING:
    from collections.abc import Iterable, Mapping, Sequence


_MOST_ARTISTS = 6  # of one song; more are not told apart
NEVER = -1e18  # an instant before all others
_NO_DAY = 2**31 - 1


@dataclass(frozen=True, slots=True)
class RotationTrack:
    """One item as rotation sees it: how long it is on air, and when it was last heard (s)."""

    item: Item
    length_s: float
    heard_s: float = NEVER


class RotationColumns:
    """Items as columns. `groups` has for each kind of rule an array (rows, n) of numbers, 0 none.

    Two items with a number in common are alike in that. `traits` has such a column by name;
    `inside` says for a category (folded) which rows are of it.
    """

    def __init__(
        self, tracks: Iterable[RotationTrack], categories: Mapping[str, Iterable[int]] | None = None
    ) -> None:
        known = list(tracks)
        self._made_of = known, dict(categories or {})
        self.items: list[Item | None] = [None, *(track.item for track in known)]
        self.row_of = {track.item.cart: row for row, track in enumerate(known, 1)}
        size = len(self.items)
        self.size = size
        self.carts = np.array([0, *(track.item.cart for track in known)], np.int64)
        self.length_s = np.array([0.0, *(track.length_s for track in known)])
        self.heard_s = np.array([NEVER, *(track.heard_s for track in known)])
        self.music = np.array([False, *(track.item.kind is Kind.SONG for track in known)])
        self.groups = _groups(self.items)
        self.traits = _traits(self.items)
        self._set_cards()
        self.rows: dict[str, np.ndarray] = {}
        self.inside: dict[str, np.ndarray] = {}
        for name, carts in (categories or {}).items():
            rows = sorted({self.row_of[cart] for cart in carts if cart in self.row_of})
            self.rows[name] = np.array(rows, np.int64)
            self.inside[name] = np.zeros(size, bool)
            self.inside[name][self.rows[name]] = True

    def stands_on(
        self, tracks: Sequence[RotationTrack], categories: Mapping[str, Iterable[int]]
    ) -> bool:
        """Whether it was made of just these."""
        return self._made_of == (tracks, categories)

    def _set_cards(self) -> None:
        """Lay out what items say of their own turns."""
        self.most_a_day = np.zeros(self.size)
        self.rest_s = np.zeros(self.size)
        self.yesterday_s = np.zeros(self.size)
        self.weight = np.ones(self.size)
        self.first_day = np.full(self.size, -_NO_DAY, np.int64)
        self.last_day = np.full(self.size, _NO_DAY, np.int64)
        self.closed: dict[int, int] = {}  # row: the hours of the week that it may air in, as bits
        for row, item in enumerate(self.items):
            if item is None or item.turn == ANY_TURN:
                continue
            card = item.turn
            self.most_a_day[row] = card.most_a_day
            self.rest_s[row] = card.rest_h * 3600
            self.yesterday_s[row] = card.yesterday_min * 60
            self.weight[row] = card.weight
            if card.first_day is not None:
                self.first_day[row] = day_number(card.first_day)
            if card.last_day is not None:
                self.last_day[row] = day_number(card.last_day)
            if card.hours.strip():
                self.closed[row] = card.grid.bits
        self.closed_rows = np.array(sorted(self.closed), np.int64)

    @cached_property
    def mean_s(self) -> dict[str, float]:
        """How long an item of each category lasts on average (s); none of an empty one."""
        return {n: float(self.length_s[rows].mean()) for n, rows in self.rows.items() if rows.size}

    def row(self, cart: int) -> int:
        """Return the row of a cart number, 0 where the table does not know it."""
        return self.row_of.get(cart, 0)

    def item(self, row: int) -> Item:
        """Return the item of a row other than 0."""
        found = self.items[row]
        assert found is not None
        return found

    def category_rows(self, name: str) -> np.ndarray:
        """Return the rows of a category (folded name)."""
        return self.rows.get(name, np.zeros(0, np.int64))


def _groups(items: list[Item | None]) -> dict[RuleSubject, np.ndarray]:
    artists: list[tuple[str, ...]] = []
    titles, albums, products = [], [], []
    for item in items:
        song = item is not None and item.kind is Kind.SONG
        artists.append(artists_of(item.artist, item.title)[:_MOST_ARTISTS] if item else ())
        titles.append(title_of(item.title) if song and item else "")
        # albums of one name by different artists are different albums
        albums.append(_album(item) if item and item.album.strip() else "")
        products.append(item.turn.product.strip().casefold() if item else "")
    wide = max((len(names) for names in artists), default=0) or 1
    padded = [(*names, *("",) * (wide - len(names))) for names in artists]
    return {
        RuleSubject.ARTIST: _numbered(padded),
        RuleSubject.TITLE: _numbered([(title,) for title in titles]),
        RuleSubject.ALBUM: _numbered([(album,) for album in albums]),
        RuleSubject.PRODUCT: _numbered([(product,) for product in products]),
        RuleSubject.ITEM: np.arange(len(items), dtype=np.int64).reshape(-1, 1),
    }


def _album(item: Item) -> str:
    return f"{lead_of(item.artist)}|{title_of(item.album)}"


def _numbered(names: list[tuple[str, ...]]) -> np.ndarray:
    """Return names as numbers in an array of the same shape; an empty one is 0."""
    numbers: dict[str, int] = {"": 0}
    return np.array(
        [[numbers.setdefault(name, len(numbers)) for name in row] for row in names], np.int64
    )


def _traits(items: list[Item | None]) -> dict[str, tuple[np.ndarray, dict[str, int]]]:
    """Return for each trait its column, and the number of each value."""
    values: dict[str, dict[str, int]] = defaultdict(lambda: {"": 0})
    found: list[tuple[int, str, int]] = []
    for row, item in enumerate(items):
        for name, value in traits_of(item.turn).items() if item else ():
            numbers = values[name]
            found.append((row, name, numbers.setdefault(value, len(numbers))))
    columns = {name: np.zeros(len(items), np.int64) for name in values}
    for row, name, number in found:
        columns[name][row] = number
    return {name: (column, values[name]) for name, column in columns.items()}
