"""Items of the library whose levels are not stored yet: measured when nothing else is to do.

That is so after a station book was applied to an empty station, and after an update from a
program that did not store levels. Until then they play at what is known of them.
"""

from __future__ import annotations

import logging
from concurrent.futures import CancelledError
from concurrent.futures.process import BrokenProcessPool
from contextlib import closing
from pathlib import Path
from typing import TYPE_CHECKING

from nightly_spindle.core.base.errors import InputFault
from nightly_spindle.intake.look import Task, look
from nightly_spindle.store.base.database import connect
from nightly_spindle.store.base.station_folder import read_settings
from nightly_spindle.store.base.transaction import LibraryTransaction
from nightly_spindle.store.library import marking
from nightly_spindle.store.library.item_reading import items_by_cart

if TYPE_CHECKING:
    from collections.abc import Callable
    from concurrent.futures import Future, ProcessPoolExecutor

    from nightly_spindle.store.library.items import Looked

_log = logging.getLogger(__name__)
_AT_ONCE = 4
_ENDS_AT_ONCE = 100  # items whose beginnings and ends are looked at again, in one go
_NONE = (
    "SELECT s.cart FROM item_sound s JOIN item i ON i.cart = s.cart WHERE s.envelope = x''"
    " AND (s.overview = x'' OR i.integrated_lufs IS NOT NULL) ORDER BY i.last_aired_us DESC"
)


class Unmeasured:
    """Sends the items to the workers, a few at a time, and writes down what they find."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder
        self._flying: dict[int, Future[Looked | str]] = {}
        self._waiting: list[int] = []
        self._given_up: set[int] = set()
        self._looked = -1
        self._ends_known = False

    def work(self, pool: Callable[[], ProcessPoolExecutor], change: int) -> bool:
        """Go on; returns whether there is anything to do. `change` counts the station's edits."""
        for cart in [cart for cart, result in self._flying.items() if result.done()]:
            self._take(cart, self._flying.pop(cart))
        if change != self._looked and not self._flying and not self._waiting:
            self._looked = change
            with closing(connect(self._folder)) as connection:
                rows = connection.execute(_NONE).fetchall()
            self._waiting = [row["cart"] for row in rows if row["cart"] not in self._given_up]
        if self._waiting and len(self._flying) < _AT_ONCE:
            self._send(pool())
        if not self._ends_known and not self._flying and not self._waiting:
            with LibraryTransaction(self._folder) as library:
                trimming = read_settings(self._folder).trimming
                self._ends_known = not marking.measure_ends(library, trimming, _ENDS_AT_ONCE)
            return not self._ends_known
        return bool(self._flying or self._waiting)

    def _send(self, pool: ProcessPoolExecutor) -> None:
        part = self._waiting[: _AT_ONCE - len(self._flying)]
        del self._waiting[: len(part)]
        trimming = read_settings(self._folder).trimming
        with closing(connect(self._folder)) as connection:
            items = list(items_by_cart(connection, self._folder, part))
        for item in items:
            task = Task(item.path, str(Path(item.path).parent), "", trimming)
            self._flying[item.cart] = pool.submit(look, task)

    def _take(self, cart: int, result: Future[Looked | str]) -> None:
        try:
            looked = result.result()
        except (BrokenProcessPool, CancelledError):
            looked = f"cart {cart} ended the process that measured it; check its file"
        except Exception as error:  # the edge of one file  # noqa: BLE001
            _log.exception("cart %d could not be measured", cart)
            looked = f"cart {cart} could not be measured: {error}"
        if isinstance(looked, str):
            self._given_up.add(cart)
            _log.warning("%s", looked)
            return
        try:
            with LibraryTransaction(self._folder) as library:
                marking.measured(library, cart, looked.measured)
        except InputFault:
            return  # it was removed meanwhile
