"""What is said once to whoever closes the desk of a station that is on air."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtWidgets import QMessageBox

if TYPE_CHECKING:
    from pathlib import Path

    from PySide6.QtWidgets import QWidget


def stays_on_air(desk: QWidget, name: str, folder: Path) -> QMessageBox:
    """Return the message, not open yet; it has one button, which closes the desk."""
    told = QMessageBox(desk)
    told.setWindowTitle("The station stays on air")
    told.setText(f"{name} stays on air without the desk.")
    told.setInformativeText(
        "The air engine carries on without the desk. Open the desk again to see it; "
        f"“Stop”, or `nightly-spindle tell {folder} leave`, ends it. This is said once."
    )
    told.addButton("Close the desk", QMessageBox.ButtonRole.AcceptRole)
    return told
