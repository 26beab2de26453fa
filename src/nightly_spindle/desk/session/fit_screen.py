"""A window never reaches beyond its screen, title bar and panels counted."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QEvent, QObject, QRect, QTimer

if TYPE_CHECKING:
    from PySide6.QtWidgets import QWidget

_FRAMED_MS = 150  # by then the window manager has put its frame around it


def fitted(frame: QRect, inner: QRect, screen: QRect) -> QRect:
    """Return where the inside of a window goes so that its frame lies on the screen.

    `frame` and `inner` are the window as it stands, with its frame and without.
    """
    width = min(frame.width(), screen.width())
    height = min(frame.height(), screen.height())
    left = min(max(frame.left(), screen.left()), screen.left() + screen.width() - width)
    top = min(max(frame.top(), screen.top()), screen.top() + screen.height() - height)
    return QRect(
        left + inner.left() - frame.left(),
        top + inner.top() - frame.top(),
        width - frame.width() + inner.width(),
        height - frame.height() + inner.height(),
    )


class FitsScreen(QObject):
    """Brings a window within its screen when it is first shown."""

    def __init__(self, window: QWidget) -> None:
        super().__init__(window)
        self._window = window
        self._later = QTimer(self)
        self._later.setSingleShot(True)
        self._later.setInterval(_FRAMED_MS)
        self._later.timeout.connect(self.fit)
        window.installEventFilter(self)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """Wait for the first sight of the window."""
        if event.type() == QEvent.Type.Show and watched is self._window:
            self._window.removeEventFilter(self)
            self.fit()  # what is known already
            self._later.start()
        return False

    def fit(self) -> None:
        """Bring it within the screen, unless it fills that anyway."""
        window = self._window
        if window.isMaximized() or window.isFullScreen():
            return
        wanted = fitted(
            window.frameGeometry(), window.geometry(), window.screen().availableGeometry()
        )
        if wanted != window.geometry():
            window.setGeometry(wanted)
