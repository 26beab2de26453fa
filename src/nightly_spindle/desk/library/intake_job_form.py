"""The form of an intake job, read back as a sentence while it is edited."""

from __future__ import annotations

from enum import StrEnum
from typing import Any

from PySide6.QtCore import QSignalBlocker, Qt, Signal
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QFileDialog,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QWidget,
)

from nightly_spindle.core.base.errors import SettingRefused
from nightly_spindle.core.library.intake import (
    TEMPLATE_FIELDS,
    FileFate,
    IntakeJob,
    Markers,
    Numbering,
    options_from,
)
from nightly_spindle.core.library.items import MOST_CART, Kind
from nightly_spindle.desk.kit.choice_box import ChoiceBox
from nightly_spindle.desk.kit.fields import NumberField

_NUMBERING = {
    Numbering.NEXT: "the next free number",
    Numbering.NAME: "the number in the file name, replacing",
}
_MARKERS = {Markers.MEASURE: "are all measured again", Markers.KEEP: "stay where set by hand"}
_SOURCE = {
    FileFate.LEAVE: "play it from there",
    FileFate.COPY: "copy it into the station's audio",
    FileFate.MOVE: "copy it, move the original to “done”",
}


class IntakeJobForm(QWidget):
    """Signals: `saved` (IntakeJob). `touched` tells whether something was changed."""

    saved = Signal(object)

    def __init__(self) -> None:
        super().__init__()
        self._job = IntakeJob(0, "", "")
        self.touched = False
        self.name = QLineEdit()
        self.folder = QLineEdit()
        self.browse = QPushButton("Choose …")
        self.browse.setToolTip("Choose the folder to watch")
        self.browse.clicked.connect(self._choose)
        self.kind = _choice({kind: str(kind) for kind in Kind})
        self.categories = QLineEdit()
        self.categories.setPlaceholderText("none; several with commas between")
        self.numbering = _choice(_NUMBERING)
        self.first, self.last = NumberField(1, MOST_CART), NumberField(1, MOST_CART)
        for box in (self.first, self.last):
            box.setFixedWidth(96)
        self.markers = _choice(_MARKERS)
        self.template = QLineEdit()
        self.template.setToolTip(
            "What file names say where tags say nothing: "
            + ", ".join(f"{{{name}}}" for name in TEMPLATE_FIELDS)
        )
        self.source = _choice(_SOURCE)
        self.subfolders = QCheckBox("and the folders below it")
        self.enabled = QCheckBox("watch it")
        self.sentence = QLabel("")
        self.sentence.setWordWrap(True)
        self.sentence.setProperty("role", "sentence")
        self.save = QPushButton("Save")
        self.save.setToolTip("Save the job; the folder is watched from now on")
        self.save.clicked.connect(self._on_save)
        self._lay_out()
        self._follow()

    def _lay_out(self) -> None:
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(10)
        grid.setVerticalSpacing(4)
        folder, numbers = QHBoxLayout(), QHBoxLayout()
        for row in (folder, numbers):
            row.setSpacing(6)
        folder.addWidget(self.folder, 1)
        folder.addWidget(self.browse)
        numbers.addWidget(self.numbering, 1)
        for text, box in (("from", self.first), ("to", self.last)):
            numbers.addWidget(QLabel(text))
            numbers.addWidget(box)
        watching = QHBoxLayout()
        watching.setSpacing(18)
        watching.addWidget(self.enabled)
        watching.addWidget(self.subfolders)
        watching.addStretch(1)
        rows: list[tuple[str, Any]] = [
            ("Name", self.name),
            ("Folder", folder),
            ("", watching),
            ("Imported as", self.kind),
            ("Into", self.categories),
            ("Cart number", numbers),
            ("Its markers", self.markers),
            ("File names say", self.template),
            ("Then", self.source),
        ]
        for at, (text, widget) in enumerate(rows):
            label = QLabel(text)
            label.setProperty("role", "muted")
            grid.addWidget(label, at, 0)
            if isinstance(widget, QWidget):
                widget.setAccessibleName(text)
                grid.addWidget(widget, at, 1)
            else:
                grid.addLayout(widget, at, 1)
        self.name.setAccessibleName("Name of the job")
        self.folder.setAccessibleName("Folder to watch")
        grid.addWidget(self.sentence, len(rows), 0, 1, 2)
        grid.addWidget(self.save, len(rows) + 1, 1, Qt.AlignmentFlag.AlignRight)
        grid.setColumnStretch(1, 1)
        grid.setRowStretch(len(rows) + 2, 1)

    def _follow(self) -> None:
        for line in (self.name, self.folder, self.categories, self.template):
            line.textEdited.connect(self._on_change)
        for box in (self.kind, self.numbering, self.markers, self.source):
            box.activated.connect(self._on_change)
        for number in (self.first, self.last):
            number.valueChanged.connect(self._on_change)
        for check in (self.subfolders, self.enabled):
            check.clicked.connect(self._on_change)

    def show_job(self, job: IntakeJob) -> None:
        """Show a job; id 0 is a new one."""
        self._job = job
        options = job.options
        blockers = [QSignalBlocker(box) for box in (self.first, self.last)]
        self.name.setText(job.name)
        self.folder.setText(job.folder)
        self.categories.setText(", ".join(options.categories))
        self.template.setText(options.template)
        for box, value in (
            (self.kind, options.kind),
            (self.numbering, options.numbering),
            (self.markers, options.markers),
            (self.source, options.source),
        ):
            box.setCurrentIndex(box.findData(value))
        self.first.setValue(options.first)
        self.last.setValue(options.last)
        self.subfolders.setChecked(job.subfolders)
        self.enabled.setChecked(job.enabled)
        del blockers
        self._on_change()
        self.touched = False

    def job(self) -> IntakeJob:
        """Return the job as the form says it; SettingRefused says what is wrong."""
        options = options_from(
            {
                "kind": self.kind.currentData(),
                "categories": self.categories.text().split(","),
                "numbering": self.numbering.currentData(),
                "first": self.first.value(),
                "last": self.last.value(),
                "template": self.template.text(),
                "markers": self.markers.currentData(),
                "source": self.source.currentData(),
                "done_folder": self._job.options.done_folder,
            }
        )
        return IntakeJob(
            self._job.id,
            " ".join(self.name.text().split()),
            self.folder.text().strip(),
            options,
            self.subfolders.isChecked(),
            self.enabled.isChecked(),
        )

    def _on_change(self) -> None:
        self.touched = True
        by_name = self.numbering.currentData() == Numbering.NAME
        for number in (self.first, self.last):
            number.setEnabled(not by_name)
        self.markers.setEnabled(by_name)
        # what is replaced under way is always played from a copy
        there = "copy it into the station's audio" if by_name else _SOURCE[FileFate.LEAVE]
        self.source.setItemText(0, there)
        try:
            job = self.job()
        except SettingRefused as error:
            self._say(f"{error}.", wrong=True)
            return
        if job.name and job.folder:
            self._say(job.sentence(), wrong=False)
        else:
            self._say("Give the job a name and a folder to watch.", wrong=False)
        self.save.setEnabled(bool(job.name and job.folder))

    def _say(self, text: str, *, wrong: bool) -> None:
        self.sentence.setText(text[:1].upper() + text[1:])
        self.sentence.setProperty("role", "warn" if wrong else "sentence")
        self.sentence.style().polish(self.sentence)
        self.save.setEnabled(not wrong)

    def _choose(self) -> None:
        chosen = QFileDialog.getExistingDirectory(self, "A folder to watch", self.folder.text())
        if chosen:
            self.folder.setText(chosen)
            self._on_change()

    def _on_save(self) -> None:
        self.touched = False
        self.saved.emit(self.job())


def _choice(texts: dict[Any, str]) -> QComboBox:
    box = ChoiceBox()
    for value, text in texts.items():
        assert isinstance(value, StrEnum)
        box.addItem(text, value)
    return box
