"""What an engine can play that has its state file alone: no events, no logs.

The folders are looked at beside, while the station is waited for: what lies in one that is away, or
does not answer in a moment, is not tried item by item while nothing sounds.
"""

from __future__ import annotations

import logging
import threading
from typing import TYPE_CHECKING

from nightly_spindle.air.live_logs import NoLogs
from nightly_spindle.core.base.errors import SettingRefused, StorageFault
from nightly_spindle.core.programme.programme import Programme
from nightly_spindle.core.station.settings import settings_from
from nightly_spindle.store.base.patience import Patience
from nightly_spindle.store.base.roots import FilesFound, look_at_files, note_files

if TYPE_CHECKING:
    from collections.abc import Callable, Mapping

    from nightly_spindle.core.programme.away_folders import Away
    from nightly_spindle.core.station.settings import StationSettings
    from nightly_spindle.store.playout.state_file import Kept

_ANSWERS_S = 0.2  # a folder that takes longer is done without at first
_log = logging.getLogger(__name__)


def kept_settings(kept: Kept | None) -> StationSettings | None:
    """Return the settings that were kept, None when there are none that can be."""
    if kept is None:
        return None
    try:
        return settings_from(kept.settings)
    except (SettingRefused, StorageFault) as error:
        _log.warning("the settings that were kept cannot be: %s", error)
        return None


class KeptStart:
    """What was kept, as a programme. `wall` is the clock (µs)."""

    def __init__(self, kept: Kept | None, wall: Callable[[], int]) -> None:
        self._items = {item.cart: item for item in kept.items} if kept else {}
        if kept and kept.state and kept.state.order.playing:
            self._items.setdefault(
                kept.state.order.playing.item.cart, kept.state.order.playing.item
            )
        self._pool = [cart for cart in kept.pool if cart in self._items] if kept else []
        self._roots = tuple(kept.roots) if kept else ()
        self._wall = wall
        self._patience = Patience(_ANSWERS_S)
        self._found = FilesFound()
        self._looking = threading.Thread(target=self._look, name="kept-files", daemon=True)
        self._looking.start()

    def _look(self) -> None:
        try:
            self._found = self.look({})
        except Exception:  # the edge of the thread: then items are tried as they come  # noqa: BLE001
            _log.exception("the files that were kept could not be looked at")

    def look(self, before: Mapping[str, Away]) -> FilesFound:
        """Look which files are there; `before` are the folders that were away."""
        items = list(self._items.values())
        return look_at_files(self._patience, self._roots, items, self._wall(), before)

    def programme(self, settings: StationSettings) -> Programme:
        """Return what can be played, once the files were looked at: soon in any case."""
        pool = [self._items[cart] for cart in self._pool]
        made = Programme(settings, NoLogs(), self._items, pool=pool, roots=self._roots)
        self._looking.join(2 * _ANSWERS_S)
        note_files(made, self._found)
        return made
