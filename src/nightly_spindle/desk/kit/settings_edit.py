"""Changing the station's settings, undoably."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING

from nightly_spindle.desk.kit.library_worker import LibraryEdit, LibraryWorker
from nightly_spindle.store.base.station_folder import update_settings

if TYPE_CHECKING:
    from collections.abc import Mapping

    from nightly_spindle.store.base.transaction import LibraryTransaction


def settings_edit(shelf: LibraryWorker, text: str, values: Mapping[str, str]) -> LibraryEdit:
    """Return the edit that changes settings (texts by name); `text` is what undo calls it."""
    return LibraryEdit(shelf, text, partial(_write, values=dict(values)), _write)


def _write(library: LibraryTransaction, values: dict[str, str]) -> dict[str, str]:
    """Change settings; returns what they were."""
    return update_settings(library, values)
