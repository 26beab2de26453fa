"""The whole library for looking through: filter, sort, count, page by page.

What is needed of every item (number, kind, length, categories, the words to find it by) is
held in arrays; a filter marks places in them, and sorting is a permutation kept for each
column. Texts are read for the rows that are looked at only. So 100,000 items cost some tens
of megabytes, and an answer some milliseconds: a full-text index (SQLite FTS5) was ten times
slower for the first letters, which nearly every item has. One thread uses one catalogue.
"""

from __future__ import annotations

import json
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray

from nightly_spindle.core.base.errors import InputFault
from nightly_spindle.core.library.items import Item, Kind
from nightly_spindle.core.logs.log_matching import key, search_words
from nightly_spindle.core.segues.effective_markers import Placed, placed
from nightly_spindle.store.base.changes import change_count
from nightly_spindle.store.base.database import connect
from nightly_spindle.store.library.item_reading import item_from, items_by_cart
from nightly_spindle.store.library.word_index import WordIndex
from nightly_spindle.store.segues.rules_reading import read_rules

if TYPE_CHECKING:
    import sqlite3
    from collections.abc import Iterable, Sequence
    from pathlib import Path

    from nightly_spindle.core.segues.segue_rules import Segues
    from nightly_spindle.core.station.settings import StationSettings


# column: how it is sorted; the first part alone decides which way round
SORTS = {
    "artist": "sort_artist {way}, sort_title, cart",
    "title": "sort_title {way}, sort_artist, cart",
    "album": "sort_album {way}, sort_artist, sort_title, cart",
    "year": "year {way}, sort_artist, sort_title, cart",
    "kind": "kind {way}, sort_artist, sort_title, cart",
    "cart": "cart {way}",
    "length": "duration_s {way}, cart",
    "loudness": "integrated_lufs {way}, cart",
    "aired": "last_aired_us {way}, cart",
    "added": "added_us {way}, cart",
}
_KINDS = [str(kind) for kind in Kind]
_PART = 500
_ANSWERS = 100  # sets of words whose answers are kept
_MOST_PATCHED = 5000  # items whose edits are followed one by one


@dataclass(frozen=True, slots=True)
class Query:
    """What is looked for. Empty fields do not narrow; `words` begin words of the item.

    `category` 0 means items in no category; `list_id` gives the list's own order.
    """

    words: str = ""
    kinds: tuple[str, ...] = ()
    category: int | None = None
    list_id: int | None = None
    artist: str | None = None
    album: str | None = None
    waiting: bool = False
    sort: str = "artist"
    descending: bool = False


@dataclass(frozen=True, slots=True)
class CatalogueRow:
    """An item as a list shows it."""

    cart: int
    kind: str
    title: str
    artist: str
    album: str
    year: str
    genre: str
    duration_s: float
    lufs: float | None
    aired_us: int | None
    added_us: int
    waits: str
    categories: str


@dataclass(frozen=True, slots=True)
class Group:
    """A kind, a category, an artist or an album, and how many items found are in it."""

    id: int
    name: str
    count: int
    weight: float = 1.0


@dataclass(frozen=True, slots=True)
class Found:
    """The answer to a query: cart numbers in order, counts, and the first rows' texts.

    `loose` counts items in no category; `kinds` and `categories` count what the query finds
    when it is not narrowed to one of them, so that one can be changed for another.
    """

    query: Query
    carts: NDArray[np.int64]
    first: tuple[CatalogueRow, ...]
    kinds: tuple[Group, ...]
    categories: tuple[Group, ...]
    loose: int
    all_items: int
    total_s: float


@dataclass(frozen=True, slots=True)
class Detail:
    """All that is known of one item."""

    item: Item
    row: CatalogueRow
    said: dict[str, str]
    overview: bytes
    encoding: str
    size: int
    why_waits: str
    twin: int | None
    category_names: tuple[str, ...] = ()
    lists: tuple[str, ...] = ()
    placed: tuple[Placed, ...] = ()


@dataclass(slots=True)
class _Arrays:
    """The library as arrays over its items by cart number."""

    carts: NDArray[np.int64]
    kinds: NDArray[np.uint8]
    lengths: NDArray[np.float64]
    waits: NDArray[np.bool_]
    words: list[str]  # core.matching.search_words of each
    members: NDArray[np.int64]  # places, one for each category that an item is in, and …
    inside: NDArray[np.int64]  # … the id of that category
    names: dict[int, tuple[str, float]]
    orders: dict[tuple[str, bool], NDArray[np.int64]] = field(default_factory=dict)
    answers: dict[str, NDArray[np.bool_]] = field(default_factory=dict)  # words: who has them
    index: WordIndex | None = None  # of the words, made when they are first looked through

    def beginning_with(self, word: str) -> NDArray[np.bool_]:
        """Mark the items of which a word, or a word of a category's name, begins so."""
        if self.index is None:
            self.index = WordIndex(self.words)
        found = self.index.beginning_with(word)
        ids = [i for i, (name, _) in self.names.items() if f" {word}" in search_words(name)]
        if ids:
            found[self.members[np.isin(self.inside, ids)]] = True
        return found


class Catalogue:
    """One look at a station's library. `changed` tells when there is something new."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self._connection = connect(folder)
        self._arrays: _Arrays | None = None
        self._count = -1

    def close(self) -> None:
        """Close the database."""
        self._connection.close()

    def changed(self) -> bool:
        """Whether the library was edited since the last answer."""
        return change_count(self._connection) != self._count

    def first_rows(self, limit: int = 60) -> list[CatalogueRow]:
        """Return the first items by artist at once, before anything else is read."""
        query = f"{_ROW} ORDER BY i.sort_artist, i.sort_title, i.cart LIMIT ?"
        return [_row(row) for row in self._connection.execute(query, (limit,))]

    def find(self, query: Query, first: int = 40) -> Found:
        """Answer a query; InputFault when its sort is unknown."""
        if query.sort not in SORTS:
            raise InputFault(f"items cannot be sorted by '{query.sort}': {', '.join(SORTS)}")
        arrays = self._read()
        base = self._base(arrays, query)
        kinds = (
            np.isin(arrays.kinds, [_KINDS.index(k) for k in query.kinds]) if query.kinds else None
        )
        inside = _in_category(arrays, query.category)
        shown = _all(base, kinds, inside)
        places = self._order(arrays, query)
        if not shown.all():
            places = places[shown[places]]
        carts = arrays.carts[places]
        return Found(
            query,
            carts,
            tuple(self.rows(carts[:first].tolist())),
            _count_kinds(arrays, _all(base, inside)),
            _count_categories(arrays, _all(base, kinds)),
            int(_all(base, kinds, _in_category(arrays, 0)).sum()),
            len(arrays.carts),
            float(arrays.lengths[places].sum()),
        )

    def rows(self, carts: Sequence[int]) -> list[CatalogueRow]:
        """Return rows in the order asked for; numbers that are gone are left out."""
        found = {}
        for at in range(0, len(carts), _PART):
            part = carts[at : at + _PART]
            marks = ",".join("?" * len(part))
            for row in self._connection.execute(f"{_ROW} WHERE i.cart IN ({marks})", part):
                found[row["cart"]] = _row(row)
        return [found[cart] for cart in carts if cart in found]

    def items(self, carts: Iterable[int]) -> dict[int, Item]:
        """Return items by cart number."""
        found = items_by_cart(self._connection, self.folder, carts)
        return {item.cart: item for item in found}

    def rules(self) -> tuple[StationSettings, Segues]:
        """Return the station's settings, and all that it says of segues."""
        return read_rules(self._connection)

    def envelopes(self, carts: Iterable[int]) -> dict[int, bytes]:
        """Return the stored levels of items (`audio.envelope`, packed)."""
        found = {}
        for cart in carts:
            row = self._connection.execute(
                "SELECT envelope FROM item_sound WHERE cart = ?", (cart,)
            ).fetchone()
            found[cart] = b"" if row is None else bytes(row["envelope"])
        return found

    def detail(self, cart: int) -> Detail | None:
        """Return all about an item, None when it is gone."""
        row = self._connection.execute(
            "SELECT i.*, r.path AS root, s.overview FROM item i JOIN root r ON r.id = i.root_id"
            " LEFT JOIN item_sound s ON s.cart = i.cart WHERE i.cart = ?",
            (cart,),
        ).fetchone()
        if row is None:
            return None
        item = item_from(row, self.folder)
        return Detail(
            item,
            self.rows([cart])[0],
            json.loads(row["tags"] or "{}"),
            row["overview"] or b"",
            row["encoding"],
            row["size"],
            row["why_waits"],
            row["twin"],
            self._names(
                "SELECT c.name FROM item_category x JOIN category c"
                " ON c.id = x.category_id WHERE x.cart = ? ORDER BY c.name",
                cart,
            ),
            self._names(
                "SELECT DISTINCT l.name FROM list_line x JOIN list l"
                " ON l.id = x.list_id WHERE x.cart = ? ORDER BY l.name",
                cart,
            ),
            tuple(placed(item, self.rules()[1].station)),
        )

    def artists(self) -> list[Group]:
        """Return the artists by name, with how many items each has."""
        rows = self._connection.execute(
            "SELECT artist, count(*) AS n FROM item WHERE artist != '' GROUP BY sort_artist"
            " ORDER BY sort_artist"
        )
        return [Group(at, row["artist"], row["n"]) for at, row in enumerate(rows)]

    def albums(self, artist: str) -> list[Group]:
        """Return an artist's albums; items without one come under an empty name."""
        rows = self._connection.execute(
            "SELECT album, count(*) AS n FROM item WHERE sort_artist = ? GROUP BY sort_album"
            " ORDER BY min(nullif(year, '')), sort_album",
            (key(artist),),
        )
        return [Group(at, row["album"], row["n"]) for at, row in enumerate(rows)]

    def categories(self) -> list[Group]:
        """Return all categories by name, with how many items each has."""
        rows = self._connection.execute(
            "SELECT c.id, c.name, c.weight, (SELECT count(*) FROM item_category x"
            " WHERE x.category_id = c.id) AS n FROM category c ORDER BY c.name"
        )
        return [Group(row["id"], row["name"], row["n"], row["weight"]) for row in rows]

    # -- within --------------------------------------------------------------------------------

    def _names(self, query: str, cart: int) -> tuple[str, ...]:
        return tuple(row[0] for row in self._connection.execute(query, (cart,)))

    def _read(self) -> _Arrays:
        count = change_count(self._connection)
        if self._arrays is not None and count != self._count:
            self._arrays = _patched(self._connection, self._arrays, self._count)
        if self._arrays is None:
            self._arrays = _arrays(self._connection)
            self._arrays.index = WordIndex(self._arrays.words)  # before the first letter is typed
        self._count = count
        return self._arrays

    def _base(self, arrays: _Arrays, query: Query) -> NDArray[np.bool_]:
        """Mark what a query finds, kinds and category left aside."""
        shown = self._with_words(arrays, search_words(query.words)).copy()
        if query.artist is not None:
            where, values = "sort_artist = ?", [key(query.artist)]
            if query.album is not None:
                where, values = where + " AND sort_album = ?", [*values, key(query.album)]
            shown &= self._marked(arrays, f"SELECT cart FROM item WHERE {where}", values)
        if query.list_id is not None:
            asked = "SELECT cart FROM list_line WHERE list_id = ?"
            shown &= self._marked(arrays, asked, (query.list_id,))
        if query.waiting:
            shown &= arrays.waits
        return shown

    def _with_words(self, arrays: _Arrays, words: str) -> NDArray[np.bool_]:
        """Mark the items that have all the words. The newest answers are kept: people type on
        and take back.
        """
        found = np.ones(len(arrays.carts), dtype=bool)
        asked = ""
        for word in words.split():
            asked += f" {word}"
            if asked not in arrays.answers:
                arrays.answers[asked] = found & arrays.beginning_with(word)
                while len(arrays.answers) > _ANSWERS:
                    arrays.answers.pop(next(iter(arrays.answers)))
            found = arrays.answers[asked]
        return found

    def _marked(self, arrays: _Arrays, query: str, values: Sequence[Any]) -> NDArray[np.bool_]:
        carts = _column(self._connection, query, values)
        marked = np.zeros(len(arrays.carts), dtype=bool)
        marked[_places(arrays.carts, carts)] = True
        return marked

    def _order(self, arrays: _Arrays, query: Query) -> NDArray[np.int64]:
        asked = (query.sort, query.descending)
        if asked not in arrays.orders:
            order = SORTS[query.sort].format(way="DESC" if query.descending else "ASC")
            carts = _column(self._connection, f"SELECT cart FROM item ORDER BY {order}")
            arrays.orders[asked] = _places(arrays.carts, carts)
        return arrays.orders[asked]


_ROW = (
    "SELECT i.cart, i.kind, i.title, i.artist, i.album, i.year, i.genre, i.duration_s,"
    " i.integrated_lufs AS lufs, i.last_aired_us AS aired_us, i.added_us, i.waits,"
    " coalesce((SELECT group_concat(name, ', ') FROM (SELECT c.name FROM item_category x"
    " JOIN category c ON c.id = x.category_id WHERE x.cart = i.cart ORDER BY c.name)), '')"
    " AS categories FROM item i"
)


def _row(row: Any) -> CatalogueRow:
    return CatalogueRow(*row)


def _arrays(connection: sqlite3.Connection) -> _Arrays:
    cursor = _plain(connection)
    query = "SELECT cart, kind, duration_s, waits != '', words FROM item ORDER BY cart"
    columns = list(zip(*cursor.execute(query), strict=True)) or [()] * 5
    number = {kind: at for at, kind in enumerate(_KINDS)}
    carts = np.array(columns[0], dtype=np.int64)
    members, inside, category_names = _categories(cursor, carts)
    return _Arrays(
        carts,
        np.array([number[kind] for kind in columns[1]], dtype=np.uint8),
        np.array(columns[2], dtype=np.float64),
        np.array(columns[3], dtype=np.bool_),
        list(columns[4]),
        members,
        inside,
        category_names,
    )


def _patched(connection: sqlite3.Connection, old: _Arrays, count: int) -> _Arrays | None:
    """Return the arrays after a few edits since edit `count`; None when all must be read anew."""
    cursor = _plain(connection)
    query = "SELECT cart, kind, duration_s, waits != '', words FROM item WHERE version > ?"
    rows = cursor.execute(query, (count,)).fetchmany(_MOST_PATCHED + 1)
    changed = np.array([row[0] for row in rows], dtype=np.int64)
    places = np.searchsorted(old.carts, changed)
    known = np.isin(changed, old.carts)
    total = cursor.execute("SELECT count(*) FROM item").fetchone()[0]
    # new ones come at the end, as a rule; anything else is rare enough to be read anew
    new = [row for row, is_known in zip(rows, known, strict=True) if not is_known]
    top = int(old.carts[-1]) if len(old.carts) else 0
    if (
        len(rows) > _MOST_PATCHED
        or total != len(old.carts) + len(new)
        or any(row[0] <= top for row in new)
    ):
        return None
    new.sort()
    number = {kind: at for at, kind in enumerate(_KINDS)}
    carts = np.append(old.carts, np.array([row[0] for row in new], dtype=np.int64))
    kinds = np.append(old.kinds, np.array([number[row[1]] for row in new], dtype=np.uint8))
    lengths = np.append(old.lengths, np.array([row[2] for row in new], dtype=np.float64))
    waits = np.append(old.waits, np.array([row[3] for row in new], dtype=np.bool_))
    words = [*old.words, *(row[4] for row in new)]
    for row, place, is_known in zip(rows, places.tolist(), known, strict=True):
        if is_known:
            kinds[place], lengths[place] = number[row[1]], row[2]
            waits[place], words[place] = row[3], row[4]
    return _Arrays(carts, kinds, lengths, waits, words, *_categories(cursor, carts))


def _categories(
    cursor: sqlite3.Cursor, carts: NDArray[np.int64]
) -> tuple[NDArray[np.int64], NDArray[np.int64], dict[int, tuple[str, float]]]:
    """Return members' places, the category id of each, {category id: (name, weight)}."""
    pairs = cursor.execute("SELECT cart, category_id FROM item_category").fetchall()
    table = np.array(pairs, dtype=np.int64).reshape(-1, 2)
    table = table[np.isin(table[:, 0], carts)]  # an item may have gone between two looks
    members, inside = _places(carts, table[:, 0]), np.ascontiguousarray(table[:, 1])
    names = cursor.execute("SELECT id, name, weight FROM category ORDER BY name")
    return members, inside, {row[0]: (row[1], row[2]) for row in names}


def _plain(connection: sqlite3.Connection) -> sqlite3.Cursor:
    """Return a cursor whose rows are tuples: a third of the time for 100,000 of them."""
    cursor = connection.cursor()
    cursor.row_factory = None
    return cursor


def _column(
    connection: sqlite3.Connection, query: str, values: Sequence[Any] = ()
) -> NDArray[np.int64]:
    rows = _plain(connection).execute(query, values).fetchall()
    return np.array(rows, dtype=np.int64).reshape(-1)


def _places(carts: NDArray[np.int64], wanted: NDArray[np.int64]) -> NDArray[np.int64]:
    """Return where cart numbers stand; those that are not there are left out."""
    places = np.searchsorted(carts, wanted)
    places = np.minimum(places, max(0, len(carts) - 1))
    return places[carts[places] == wanted] if len(carts) else places[:0]


def _all(*masks: NDArray[np.bool_] | None) -> NDArray[np.bool_]:
    given = [mask for mask in masks if mask is not None]
    return given[0] if len(given) == 1 else np.logical_and.reduce(given)


def _in_category(arrays: _Arrays, category: int | None) -> NDArray[np.bool_] | None:
    if category is None:
        return None
    inside = np.zeros(len(arrays.carts), dtype=bool)
    if category == 0:
        inside[arrays.members] = True
        return ~inside
    inside[arrays.members[arrays.inside == category]] = True
    return inside


def _count_kinds(arrays: _Arrays, shown: NDArray[np.bool_]) -> tuple[Group, ...]:
    kinds = arrays.kinds if shown.all() else arrays.kinds[shown]
    counts = np.bincount(kinds, minlength=len(_KINDS))
    there = np.bincount(arrays.kinds, minlength=len(_KINDS))
    return tuple(Group(at, kind, int(counts[at])) for at, kind in enumerate(_KINDS) if there[at])


def _count_categories(arrays: _Arrays, shown: NDArray[np.bool_]) -> tuple[Group, ...]:
    inside = arrays.inside if shown.all() else arrays.inside[shown[arrays.members]]
    counts = np.bincount(inside, minlength=max(arrays.names, default=0) + 1)
    return tuple(
        Group(number, name, int(counts[number]), weight)
        for number, (name, weight) in arrays.names.items()
    )
