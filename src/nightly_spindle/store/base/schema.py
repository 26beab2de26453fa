"""Bringing a database to the schema of this program."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from nightly_spindle.core.base.errors import StorageFault

if TYPE_CHECKING:
    from sqlite3 import Connection

    from sqlalchemy import Engine


LATEST = "0014"


def engine_for(path: Path) -> Engine:
    """Return a SQLAlchemy engine on a station's database, in WAL mode."""
    from sqlalchemy import create_engine, event

    engine = create_engine(f"sqlite:///{path}")

    @event.listens_for(engine, "connect")
    def _pragmas(connection: object, _record: object) -> None:
        cursor = connection.cursor()  # type: ignore[attr-defined]
        cursor.execute("PRAGMA journal_mode=WAL")
        cursor.execute("PRAGMA foreign_keys=ON")
        cursor.execute("PRAGMA busy_timeout=5000")
        cursor.close()

    return engine


def migrate(path: Path) -> None:
    """Bring the database at `path` to the latest schema, making it where there is none.

    All of it or nothing, whoever else does the same; StorageFault when it cannot be written.
    """
    from alembic import command
    from alembic.config import Config
    from sqlalchemy import event
    from sqlalchemy.exc import OperationalError

    config = Config()
    config.set_main_option("script_location", str(Path(__file__).parents[1] / "migrations"))
    engine = engine_for(path)

    # the standard library's driver begins no transaction for what changes a schema; without one a
    # process killed in the middle, or two at once, would leave half of a revision for good
    @event.listens_for(engine, "connect")
    def _by_hand(connection: Connection, _record: object) -> None:
        connection.isolation_level = None

    @event.listens_for(engine, "begin")
    def _begin(connection: object) -> None:
        connection.exec_driver_sql("BEGIN IMMEDIATE")  # type: ignore[attr-defined]

    try:
        with engine.begin() as connection:
            config.attributes["connection"] = connection
            command.upgrade(config, LATEST)
    except OperationalError as error:
        raise StorageFault(f"{path} cannot be written: {error.orig}") from error
    finally:
        engine.dispose()
