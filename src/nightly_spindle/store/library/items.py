"""Items: taking in, replacing audio, editing, removing, putting back."""

from __future__ import annotations

import json
import os
from dataclasses import asdict, dataclass, field, fields
from pathlib import Path
from typing import TYPE_CHECKING, Any

from sqlalchemy import func, select
from sqlalchemy.dialects.sqlite import insert

from nightly_spindle.audio.measure import Measured
from nightly_spindle.core.base.errors import InputFault
from nightly_spindle.core.library.intake import Markers, Tags, Twin, Waits
from nightly_spindle.core.library.items import MOST_CART, Item, Kind
from nightly_spindle.core.library.markers import AS_USUAL, UNMARKED, Marks, Shaping
from nightly_spindle.core.library.song_names import song_key
from nightly_spindle.core.logs.log_matching import key, search_words
from nightly_spindle.core.segues.effective_markers import kept_marks
from nightly_spindle.store.base import tables as t
from nightly_spindle.store.base.station_folder import absolute, stored
from nightly_spindle.store.base.transaction import LibraryTransaction, now_us
from nightly_spindle.store.library.item_rows import (
    MEASURE,
    marks_of,
    marks_text,
    measure_of,
    measure_values,
    shaping_text,
)

if TYPE_CHECKING:
    from collections.abc import Iterable, Mapping, Sequence

EDITABLE = ("title", "artist", "album", "year", "genre", "kind")
_LENGTH_S = 2.0  # the same sound, encoded anew, sounds equally long to within this
_MOST = 500  # SQLite takes 999 parameters or more
Row = dict[str, Any]


@dataclass(frozen=True, slots=True)
class Looked:
    """A file that could be read: what it says, what was measured, the file when it was.

    `root` is the folder that becomes a root of the station when no known one holds the file.
    `marks` and `shaping` are what the file, or a sidecar, says itself; `remark` is what is odd.
    """

    path: Path
    root: Path
    tags: Tags
    said: dict[str, str]
    measured: Measured
    size: int
    mtime_ns: int
    marks: Marks = UNMARKED
    shaping: Shaping = AS_USUAL
    remark: str = ""


@dataclass(frozen=True, slots=True)
class Removed:
    """Items that were removed, with all that hung on them, for putting them back."""

    rows: dict[str, list[Row]] = field(default_factory=dict)

    @property
    def carts(self) -> list[int]:
        """The cart numbers that went."""
        return [row["cart"] for row in self.rows["item"]]


def root_for(library: LibraryTransaction, path: Path, offered: Path) -> tuple[int, str]:
    """Return (root id, path relative to it) of a file, adding `offered` as a root.

    Audio stays where it is; a root is added only when no known one holds the file.
    """
    whole = os.path.abspath(path)  # noqa: PTH100 - links stay as the operator wrote them
    best: tuple[int, str, str] | None = None
    for row in library.run(select(t.root)):
        base = absolute(library.folder, row.path)
        if whole.startswith(base.rstrip("/") + "/") and (best is None or len(base) > len(best[2])):
            best = (row.id, whole[len(base.rstrip("/")) + 1 :], base)
    if best is not None:
        return best[0], best[1]
    text = stored(library.folder, offered)
    made = library.run(insert(t.root).values(path=text)).inserted_primary_key
    return int(made[0]), os.path.relpath(whole, absolute(library.folder, text))


def at_place(library: LibraryTransaction, path: Path) -> Row | None:
    """Return the item whose audio is this file, None when no item's is."""
    whole = os.path.abspath(path)  # noqa: PTH100 - as in root_for
    for row in library.run(select(t.root)):
        base = absolute(library.folder, row.path).rstrip("/") + "/"
        if whole.startswith(base):
            place = (t.item.c.root_id == row.id, t.item.c.path == whole[len(base) :])
            found = library.rows(select(t.item).where(*place))
            if found:
                return found[0]
    return None


def numbers_taken(library: LibraryTransaction, numbers: Iterable[int]) -> list[int]:
    """Return those of the cart numbers that an item has."""
    wanted = list(numbers)
    return list(library.run(select(t.item.c.cart).where(t.item.c.cart.in_(wanted))).scalars())


def next_free(library: LibraryTransaction, first: int, last: int = MOST_CART) -> int | None:
    """Return the number after the highest of a range, else the lowest gap, None when full."""
    cart = t.item.c.cart
    inside = cart.between(first, last)
    top = library.run(select(func.max(cart)).where(inside)).scalar()
    if top is None:
        return first
    if top < last:
        return int(top) + 1
    if not numbers_taken(library, [first]):
        return first
    after = t.item.alias()
    gap = (
        select(func.min(cart + 1))
        .select_from(t.item.outerjoin(after, after.c.cart == cart + 1))
        .where(inside, cart < last, after.c.cart.is_(None))
    )
    found = library.run(gap).scalar()
    return None if found is None else int(found)


def put(
    library: LibraryTransaction,
    cart: int,
    kind: Kind,
    looked: Looked,
    waits: Waits = Waits.NOT,
    why: str = "",
    twin: int | None = None,
) -> None:
    """Take a file in as a new item."""
    root_id, relative = root_for(library, looked.path, looked.root)
    library.run(
        insert(t.item).values(
            root_id=root_id,
            path=relative,
            added_us=now_us(),
            waits=str(waits),
            why_waits=why,
            twin=twin,
            **_tag_values({**asdict(looked.tags), "kind": str(kind), "cart": cart}),
            **_file_values(library, looked),
            **measure_values(looked.measured.measure),
            marks=marks_text(looked.marks),
            shaping=shaping_text(looked.shaping),
        )
    )
    library.run(insert(t.item_sound).values(cart=cart, **_sound_values(looked)))


def replace_audio(
    library: LibraryTransaction, cart: int, looked: Looked, markers: Markers, *, ours: bool
) -> None:
    """Give an item other audio. Its number, tags, kind and places stay.

    `ours`: the audio so far is a copy that an intake job made.
    """
    old = library.rows(select(t.item).where(t.item.c.cart == cart))[0]
    root_id, relative = root_for(library, looked.path, looked.root)
    measure = looked.measured.measure
    marks = marks_text(looked.marks)
    if not marks and markers is Markers.KEEP:
        item = Item(cart, Kind(old["kind"]), "", "", "", measure_of(old), marks_of(old))
        marks = marks_text(kept_marks(item, measure))
    if (root_id, relative) != (old["root_id"], old["path"]):
        library.run(
            insert(t.former_place).values(
                until_us=now_us(),
                ours=ours,
                **{name: old[name] for name in ("cart", "root_id", "path", "name_key")},
            )
        )
    library.run(
        t.item.update()
        .where(t.item.c.cart == cart)
        .values(
            root_id=root_id,
            path=relative,
            **_file_values(library, looked),
            marks=marks,
            **measure_values(measure),
        )
    )
    sound = insert(t.item_sound).values(cart=cart, **_sound_values(looked))
    library.run(sound.on_conflict_do_update(index_elements=["cart"], set_=_sound_values(looked)))


def remember_place(library: LibraryTransaction, cart: int, path: Path, root: Path) -> None:
    """Keep in mind where the audio of an item came from: logs may name it there."""
    root_id, relative = root_for(library, path, root)
    former = t.former_place.c
    same = (former.cart == cart, former.root_id == root_id, former.path == relative)
    if library.run(select(former.id).where(*same)).first() is None:
        library.run(
            insert(t.former_place).values(
                cart=cart,
                root_id=root_id,
                path=relative,
                name_key=key(path.name),
                until_us=now_us(),
                ours=False,
            )
        )


def take_over(library: LibraryTransaction, waiting: int, cart: int) -> tuple[Removed, Row, Row]:
    """Give an item the audio of one in the waiting room, which goes.

    Returns what `undo_take_over` takes.
    """
    gone = remove(library, [waiting])
    new, new_sound = gone.rows["item"][0], gone.rows["item_sound"][0]
    old, old_sound = _rows(library, t.item, [cart])[0], _rows(library, t.item_sound, [cart])[0]
    library.run(
        insert(t.former_place).values(
            until_us=now_us(),
            ours=False,
            **{name: old[name] for name in ("cart", "root_id", "path", "name_key")},
        )
    )
    _give_audio(library, cart, new, new_sound)
    return gone, old, old_sound


def undo_take_over(library: LibraryTransaction, before: tuple[Removed, Row, Row]) -> None:
    """Take `take_over` back."""
    gone, old, old_sound = before
    former = t.former_place.c
    place = (former.cart == old["cart"], former.path == old["path"])
    library.run(t.former_place.delete().where(*place, former.root_id == old["root_id"]))
    _give_audio(library, old["cart"], old, old_sound)
    put_back(library, gone)


def _give_audio(library: LibraryTransaction, cart: int, row: Row, sound: Row) -> None:
    """Write the part of an item that is its audio from other rows."""
    names = [
        *MEASURE,
        *("root_id", "path", "name_key", "tags", "encoding", "size", "mtime_ns", "marks"),
    ]
    values = {name: row[name] for name in names} | {"version": library.version()}
    library.run(t.item.update().where(t.item.c.cart == cart).values(**values))
    values = {name: sound[name] for name in ("overview", "fingerprint", "sounding_s", "envelope")}
    library.run(t.item_sound.update().where(t.item_sound.c.cart == cart).values(**values))


def find_twin(
    library: LibraryTransaction, tags: Tags, fingerprint: bytes, sounding_s: float, but: int = 0
) -> Twin | None:
    """Return the item that a newcomer seems to be again: by its sound, else by its tags.

    Those that wait themselves, and the item `but`, are left aside.
    """
    from nightly_spindle.audio.fingerprint import same_sound

    other = (t.item.c.waits == "", t.item.c.cart != but)
    sound = t.item_sound.c
    near = library.run(
        select(sound.cart, sound.fingerprint)
        .join(t.item)
        .where(sound.sounding_s.between(sounding_s - _LENGTH_S, sounding_s + _LENGTH_S), *other)
    ).all()
    sure = same_sound(fingerprint, [row.fingerprint for row in near])
    cart = near[max(range(len(sure)), key=sure.__getitem__)].cart if any(sure) else None
    by_sound = cart is not None
    if cart is None and tags.artist:
        same = (t.item.c.sort_artist == key(tags.artist), t.item.c.sort_title == key(tags.title))
        cart = library.run(select(t.item.c.cart).where(*same, *other).limit(1)).scalar()
    if cart is None:
        return None
    row = library.run(select(t.item.c.artist, t.item.c.title).where(t.item.c.cart == cart)).one()
    label = f"{row.artist} – {row.title}" if row.artist else row.title
    return Twin(int(cart), f"“{label}”", by_sound)


def edit(library: LibraryTransaction, carts: Sequence[int], values: Mapping[str, str]) -> list[Row]:
    """Change tags or kind of items; returns what they were, for `set_back`.

    InputFault names a value that cannot be.
    """
    wrong = [name for name in values if name not in EDITABLE]
    if wrong:
        raise InputFault(f"{', '.join(wrong)} cannot be set; these can: {', '.join(EDITABLE)}")
    if "kind" in values and values["kind"] not in set(map(str, Kind)):
        raise InputFault(f"kind '{values['kind']}' is not one of {', '.join(Kind)}")
    if "title" in values and not values["title"].strip():
        raise InputFault("a title must not be empty: lists and logs would show nothing")
    from nightly_spindle.audio.tags import clean

    tidy = {name: clean(value) for name, value in values.items()}
    names = [*EDITABLE, "waits", "why_waits", "twin"]
    before = _rows(library, t.item, carts, ["cart", *names])
    set_back(library, [{**row, **tidy} for row in before])
    return before


def set_back(library: LibraryTransaction, rows: Sequence[Row]) -> None:
    """Write values of items, each row with its cart number."""
    version = library.version()
    for row in rows:
        values = {**_tag_values(row), "version": version}
        library.run(t.item.update().where(t.item.c.cart == row["cart"]).values(**values))


def settle(library: LibraryTransaction, carts: Sequence[int]) -> None:
    """Let items out of the waiting room."""
    for part in _parts(carts):
        library.run(
            t.item.update()
            .where(t.item.c.cart.in_(part))
            .values(waits="", why_waits="", twin=None, version=library.version())
        )


def settle_tags(library: LibraryTransaction, cart: int) -> None:
    """Let an item out that has its tags now, unless it seems to be in the library already."""
    row, sound = _rows(library, t.item, [cart])[0], _rows(library, t.item_sound, [cart])[0]
    tags = Tags(**{spec.name: row[spec.name] for spec in fields(Tags)})
    twin = find_twin(library, tags, sound["fingerprint"], sound["sounding_s"], cart)
    if twin is None:
        settle(library, [cart])
        return
    values = {"waits": str(Waits.DUPLICATE), "why_waits": twin.why(), "twin": twin.cart}
    set_back(library, [{"cart": cart, **values}])


def remove(library: LibraryTransaction, carts: Sequence[int]) -> Removed:
    """Remove items from the library; their files stay. Returns what `put_back` takes."""
    library.version()
    gone: dict[str, list[Row]] = {}
    for table in _HANGING:
        gone[table.name] = _rows(library, table, carts)
    for part in _parts(carts):
        library.run(t.list_line.delete().where(t.list_line.c.cart.in_(part)))
        library.run(t.item.delete().where(t.item.c.cart.in_(part)))
    return Removed(gone)


def put_back(library: LibraryTransaction, removed: Removed) -> None:
    """Put removed items back with all that hung on them; what is taken since is left out."""
    version = library.version()
    for row in removed.rows["item"]:
        row["version"] = version
    for table in _HANGING:
        rows = removed.rows[table.name]
        if rows:
            library.run(insert(table).on_conflict_do_nothing(), rows)


_HANGING = (t.item, t.item_sound, t.item_category, t.list_line, t.former_place)


def _rows(
    library: LibraryTransaction, table: Any, carts: Sequence[int], names: Sequence[str] = ()
) -> list[Row]:
    columns = [table.c[name] for name in names] or [table]
    found: list[Row] = []
    for part in _parts(carts):
        query = select(*columns).where(table.c.cart.in_(part)).order_by(table.c.cart)
        found += library.rows(query)
    return found


def _parts(carts: Sequence[int]) -> Iterable[Sequence[int]]:
    return (carts[at : at + _MOST] for at in range(0, len(carts), _MOST))


def _tag_values(values: Mapping[str, Any]) -> Row:
    found = dict(values)
    if {"artist", "title", "album", "kind", "cart"} <= set(values):
        found["words"] = search_words(
            values["artist"],
            values["title"],
            values["album"],
            str(values["kind"]),
            str(values["cart"]),
        )
        found["song_key"] = song_key(values["artist"], values["title"])
    for name in ("artist", "title", "album"):
        if name in values:
            found[f"sort_{name}"] = key(values[name])
    return found


def _file_values(library: LibraryTransaction, looked: Looked) -> Row:
    return {
        "name_key": key(looked.path.name),
        "tags": json.dumps(looked.said, ensure_ascii=False),
        "encoding": looked.measured.encoding,
        "size": looked.size,
        "mtime_ns": looked.mtime_ns,
        "version": library.version(),
    }


def _sound_values(looked: Looked) -> Row:
    measure = looked.measured.measure
    return {
        "overview": looked.measured.overview,
        "fingerprint": looked.measured.fingerprint,
        "sounding_s": measure.cue_out_s - measure.cue_in_s,
        "envelope": looked.measured.envelope,
    }
