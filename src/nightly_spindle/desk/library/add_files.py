"""The buttons that ask for audio to be brought in, beside drag and drop."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QFileDialog, QHBoxLayout, QWidget

from nightly_spindle.audio.files import SUFFIXES
from nightly_spindle.desk.kit.buttons import push_button


class AddFiles(QWidget):
    """Signal: `chosen` (paths of files, or of a folder)."""

    chosen = Signal(list)

    def __init__(self) -> None:
        super().__init__()
        self.files = push_button(
            "Add files …", "Import audio files; they can be dropped here too", self.ask_files
        )
        self.folder = push_button(
            "Add a folder …", "Import all audio in a folder and those below it", self.ask_folder
        )
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(4)
        row.addWidget(self.files)
        row.addWidget(self.folder)

    def ask_files(self) -> None:
        """Ask for files."""
        kinds = " ".join(f"*{suffix}" for suffix in sorted(SUFFIXES))
        names, _ = QFileDialog.getOpenFileNames(
            self, "Audio files", "", f"Audio ({kinds} *.m3u *.m3u8 *.xspf);;All files (*)"
        )
        if names:
            self.chosen.emit(names)

    def ask_folder(self) -> None:
        """Ask for a folder."""
        name = QFileDialog.getExistingDirectory(self, "A folder with audio")
        if name:
            self.chosen.emit([name])
