"""An entry in the desktop's tray, where it has one."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal
from PySide6.QtWidgets import QMenu, QSystemTrayIcon

if TYPE_CHECKING:
    from PySide6.QtGui import QIcon


class Tray(QObject):
    """What is on, and the way back to the desk. Signals: `raised`, `closed`."""

    raised = Signal()
    closed = Signal()

    def __init__(self, name: str, icon: QIcon, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._name = name
        self.menu = QMenu()
        self.sign = self.menu.addAction("Off air")
        self.sign.setEnabled(False)
        self.menu.addSeparator()
        self.menu.addAction("Show the desk").triggered.connect(self.raised)
        self.menu.addAction("Close the desk").triggered.connect(self.closed)
        self.icon = QSystemTrayIcon(icon, self)
        self.icon.setContextMenu(self.menu)
        self.icon.activated.connect(self._on_activated)
        self.show("Off air")

    def begin(self) -> bool:
        """Appear, where the desktop has a tray."""
        if not QSystemTrayIcon.isSystemTrayAvailable():
            return False
        self.icon.show()
        return True

    def show(self, sign: str) -> None:
        """Say what is on."""
        self.sign.setText(sign)
        self.icon.setToolTip(f"{self._name}\n{sign}")

    def close(self) -> None:
        """Disappear."""
        self.icon.hide()

    def _on_activated(self, reason: QSystemTrayIcon.ActivationReason) -> None:
        if reason is QSystemTrayIcon.ActivationReason.Trigger:
            self.raised.emit()
