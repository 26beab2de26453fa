"""One transaction on a station's library, through SQLAlchemy.

What can be done in it stands in `items`, `categories`, `lists`, `jobs` and `arrivals`: functions
that take the open `LibraryTransaction` first.
"""

from __future__ import annotations

import time
from typing import TYPE_CHECKING, Any, Self

from sqlalchemy import select, text
from sqlalchemy.exc import DatabaseError, IntegrityError, ProgrammingError

from nightly_spindle.core.base.errors import StorageFault
from nightly_spindle.store.base import tables as t
from nightly_spindle.store.base.database import DATABASE, connect
from nightly_spindle.store.base.schema import engine_for

if TYPE_CHECKING:
    from collections.abc import Sequence
    from pathlib import Path
    from types import TracebackType

    from sqlalchemy import Connection, CursorResult, Executable


class LibraryTransaction:
    """The library of one station. Use it as a context manager: it is one transaction.

    What is done in it is undone when the block ends with an error. StationNotFound when
    there is no station, StorageFault when it cannot be written.
    """

    def __init__(self, folder: Path) -> None:
        connect(folder).close()  # says so when there is no station, and migrates an older one
        self.folder = folder
        self._engine = engine_for(folder / DATABASE)
        self._connection: Connection | None = None
        self._version = 0

    def __enter__(self) -> Self:
        self._connection = self._engine.connect()
        return self

    def __exit__(
        self,
        kind: type[BaseException] | None,
        error: BaseException | None,
        trace: TracebackType | None,
    ) -> None:
        assert self._connection is not None
        try:
            if kind is None:
                self._connection.commit()
        except DatabaseError as failed:
            raise _fault(failed) from failed
        finally:
            self._connection.close()
            self._engine.dispose()

    def run(self, statement: Executable, rows: Sequence[dict[str, Any]] | None = None) -> Any:
        """Execute a statement, once for each of `rows` when they are given."""
        assert self._connection is not None, "use Library in a with statement"
        try:
            result: CursorResult[Any] = self._connection.execute(statement, rows)
        except (IntegrityError, ProgrammingError):
            raise  # our own mistake, not the disk's
        except DatabaseError as failed:
            raise _fault(failed) from failed
        return result

    def rows(self, query: Executable) -> list[dict[str, Any]]:
        """Return what a query finds, each row by its columns' names."""
        return [dict(row) for row in self.run(query).mappings()]

    def version(self) -> int:
        """Return the number of this edit: what it changes bears it, and readers see it grow.

        The first call takes the lock for writing, so numbers grow in the order of commits.
        """
        if not self._version:
            self.run(t.change.update().values(count=t.change.c.count + 1))
            self._version = int(self.run(select(t.change.c.count)).scalar_one())
        return self._version

    def hold(self) -> None:
        """Take the lock for writing now, so that nothing changes between a look and an edit."""
        self.run(text("UPDATE change SET count = count"))


def _fault(error: DatabaseError) -> StorageFault:
    return StorageFault(f"the library cannot be written: {error.orig}; free the disk or try again")


def now_us() -> int:
    """Return the machine's clock."""
    return time.time_ns() // 1000
