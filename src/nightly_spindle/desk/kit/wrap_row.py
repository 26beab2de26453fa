"""A row of buttons and fields that goes on in a second line where there is no room."""

from __future__ import annotations

from PySide6.QtCore import QPoint, QRect, QSize, Qt
from PySide6.QtWidgets import QLayout, QLayoutItem, QWidget

_SPACE = 4


class WrapRow(QLayout):
    """Lays widgets out from the left; those after `at_right` keep to the right of their line."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._items: list[QLayoutItem] = []
        self._right = -1  # the first item that keeps to the right
        self.setContentsMargins(0, 0, 0, 0)
        self.setSpacing(_SPACE)

    def addItem(self, item: QLayoutItem) -> None:
        """Take an item, as `addWidget` hands it on."""
        self._items.append(item)

    def at_right(self) -> None:
        """Have what is added from now on keep to the right."""
        self._right = len(self._items)

    def count(self) -> int:
        """Return how many items there are."""
        return len(self._items)

    def itemAt(self, index: int) -> QLayoutItem | None:
        """Return an item, None past the last."""
        return self._items[index] if 0 <= index < len(self._items) else None

    def takeAt(self, index: int) -> QLayoutItem | None:
        """Give an item away."""
        return self._items.pop(index) if 0 <= index < len(self._items) else None

    def expandingDirections(self) -> Qt.Orientation:
        """It takes what width there is."""
        return Qt.Orientation.Horizontal

    def hasHeightForWidth(self) -> bool:
        """Whether its height goes by its width."""
        return True

    def heightForWidth(self, width: int) -> int:
        """Return the height of all lines at a width."""
        lines = self._lines(width)
        heights = [max(self._size(item).height() for item in line) for line in lines]
        return sum(heights) + max(0, len(lines) - 1) * self.spacing()

    def sizeHint(self) -> QSize:
        """Return the size in one line."""
        shown = self._shown()
        width = sum(self._size(item).width() for item in shown)
        height = max((self._size(item).height() for item in shown), default=0)
        return QSize(width + max(0, len(shown) - 1) * self.spacing(), height)

    def minimumSize(self) -> QSize:
        """Return the size of the widest item alone."""
        shown = self._shown()
        return QSize(
            max((item.minimumSize().width() for item in shown), default=0),
            max((item.minimumSize().height() for item in shown), default=0),
        )

    def setGeometry(self, rect: QRect) -> None:
        """Lay the items out."""
        super().setGeometry(rect)
        top = rect.top()
        for line in self._lines(rect.width()):
            high = max(self._size(item).height() for item in line)
            left = rect.left()
            spare = rect.width() - self._width(line)
            for item in line:
                if self._right >= 0 and item in self._items[self._right :] and spare > 0:
                    left, spare = left + spare, 0
                size = self._size(item)
                size.setWidth(min(size.width(), rect.width()))
                down = (high - size.height()) // 2
                item.setGeometry(QRect(QPoint(left, top + down), size))
                left += size.width() + self.spacing()
            top += high + self.spacing()

    def _shown(self) -> list[QLayoutItem]:
        return [item for item in self._items if not item.isEmpty()]

    @staticmethod
    def _size(item: QLayoutItem) -> QSize:
        return item.sizeHint().expandedTo(item.minimumSize())

    def _width(self, line: list[QLayoutItem]) -> int:
        return sum(self._size(item).width() for item in line) + (len(line) - 1) * self.spacing()

    def _lines(self, width: int) -> list[list[QLayoutItem]]:
        lines: list[list[QLayoutItem]] = []
        for item in self._shown():
            if lines and self._width([*lines[-1], item]) <= width:
                lines[-1].append(item)
            else:
                lines.append([item])
        return lines
