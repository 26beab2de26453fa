"""Editing and searching the library, through SQLAlchemy."""

from __future__ import annotations

import os
from dataclasses import asdict, dataclass
from typing import TYPE_CHECKING, Self

from sqlalchemy import func, select
from sqlalchemy.dialects.sqlite import insert
from sqlalchemy.exc import OperationalError

from nightly_spindle.core.errors import StorageFault
from nightly_spindle.core.matching import key
from nightly_spindle.store import tables as t
from nightly_spindle.store.database import DATABASE
from nightly_spindle.store.schema import engine_for
from nightly_spindle.store.station import absolute, stored

if TYPE_CHECKING:
    from pathlib import Path
    from types import TracebackType

    from sqlalchemy import Connection

    from nightly_spindle.audio.measure import Measured
    from nightly_spindle.core.items import Kind


@dataclass(frozen=True, slots=True)
class Tags:
    """What a file says of itself."""

    title: str
    artist: str = ""
    album: str = ""
    year: str = ""


@dataclass(frozen=True, slots=True)
class Hit:
    """One item found by a search."""

    cart: int
    kind: str
    title: str
    artist: str
    duration_s: float


class Library:
    """The items of one station. Use it as a context manager: it is one transaction."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder
        self._engine = engine_for(folder / DATABASE)
        self._connection: Connection | None = None

    def __enter__(self) -> Self:
        self._connection = self._engine.connect()
        return self

    def __exit__(
        self,
        kind: type[BaseException] | None,
        error: BaseException | None,
        trace: TracebackType | None,
    ) -> None:
        connection = self._open
        try:
            if kind is None:
                connection.commit()
        except OperationalError as failed:
            raise StorageFault(f"the library cannot be written: {failed.orig}") from failed
        finally:
            connection.close()
            self._engine.dispose()

    @property
    def _open(self) -> Connection:
        assert self._connection is not None, "use Library in a with statement"
        return self._connection

    def root_for(self, path: Path, offered: Path) -> tuple[int, str]:
        """Return (root id, path relative to it) of a file, adding `offered` as a root.

        Audio stays where it is; a root is added only when no known one holds the file.
        """
        whole = os.path.abspath(path)  # noqa: PTH100 - links stay as the operator wrote them
        best: tuple[int, str, str] | None = None
        for row in self._open.execute(select(t.root)):
            base = absolute(self._folder, row.path)
            if whole.startswith(base.rstrip("/") + "/") and (
                best is None or len(base) > len(best[2])
            ):
                best = (row.id, whole[len(base.rstrip("/")) + 1 :], base)
        if best is not None:
            return best[0], best[1]
        text = stored(self._folder, offered)
        made = self._open.execute(insert(t.root).values(path=text))
        base = absolute(self._folder, text)
        made_id = made.inserted_primary_key
        assert made_id is not None
        return int(made_id[0]), os.path.relpath(whole, base)

    def put(
        self, path: Path, offered: Path, kind: Kind, tags: Tags, measured: Measured, now_us: int
    ) -> int:
        """Take a file in, or take it in anew when it is known; returns its cart number."""
        root_id, relative = self.root_for(path, offered)
        there = self._open.execute(
            select(t.item.c.cart).where(t.item.c.root_id == root_id, t.item.c.path == relative)
        ).scalar()
        values = {
            "kind": str(kind),
            "title": tags.title,
            "artist": tags.artist,
            "album": tags.album,
            "year": tags.year,
            "name_key": key(path.name),
            "overview": measured.overview,
            **{name: _plain(value) for name, value in asdict(measured.measure).items()},
        }
        if there is not None:
            self._open.execute(t.item.update().where(t.item.c.cart == there).values(**values))
            return int(there)
        cart = int(self._open.execute(select(func.max(t.item.c.cart))).scalar() or 1000) + 1
        self._open.execute(
            insert(t.item).values(
                cart=cart, root_id=root_id, path=relative, added_us=now_us, **values
            )
        )
        return cart

    def categorise(self, cart: int, name: str) -> None:
        """Put an item into a category, making the category when there is none."""
        self._open.execute(insert(t.category).values(name=name).on_conflict_do_nothing())
        found = self._open.execute(
            select(t.category.c.id).where(t.category.c.name == name)
        ).scalar_one()
        self._open.execute(
            insert(t.item_category).values(cart=cart, category_id=found).on_conflict_do_nothing()
        )

    def search(self, text: str, limit: int = 200) -> list[Hit]:
        """Return items whose title, artist or cart number hold every word of the text."""
        query = select(
            t.item.c.cart, t.item.c.kind, t.item.c.title, t.item.c.artist, t.item.c.duration_s
        )
        columns = (t.item.c.artist, t.item.c.title, t.item.c.kind)
        whole = func.printf("%d %s %s %s", t.item.c.cart, *columns)
        for word in text.split():
            query = query.where(whole.contains(word, autoescape=True))
        query = query.order_by(t.item.c.artist, t.item.c.title).limit(limit)
        return [Hit(*row) for row in self._open.execute(query)]


def _plain(value: object) -> object:
    return str(value) if isinstance(value, str) else value
