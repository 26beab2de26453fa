"""Remembers how a hand laid the columns of each table, by the table's name."""

from __future__ import annotations

import json
import logging
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from PySide6.QtCore import QSettings

    from nightly_spindle.desk.kit.row_view import RowView

_LOG = logging.getLogger(__name__)


class ColumnMemory:
    """Keeps columns' order, widths and sorting in the desk's settings."""

    def __init__(self, memory: QSettings) -> None:
        self._memory = memory

    def follow(self, view: RowView[Any]) -> None:
        """Lay a table's columns as they were left, and remember what a hand makes of them."""
        self._recall(view)
        view.laid_out.connect(lambda: self._keep(view))

    def _keep(self, view: RowView[object]) -> None:
        self._memory.setValue(_under(view), json.dumps(view.columns_laid()))

    def _recall(self, view: RowView[object]) -> None:
        kept = self._memory.value(_under(view))
        if not kept:
            return
        try:
            view.lay_columns(json.loads(str(kept)))
        except (ValueError, KeyError, TypeError, AttributeError) as error:
            _LOG.warning("the columns of “%s” are as at first: %s", view.layout_.name, error)


def _under(view: RowView[object]) -> str:
    return f"columns/{view.layout_.name}"
