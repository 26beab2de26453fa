"""The form of a log drop: its fields grow from what `log_sources` declares."""

from __future__ import annotations

from dataclasses import replace
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import Signal
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QFileDialog,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QMenu,
    QPlainTextEdit,
    QPushButton,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from nightly_spindle.core.base.declared import group_from, specs, texts_of
from nightly_spindle.core.base.errors import SettingRefused
from nightly_spindle.core.calendar.dated_names import PARTS
from nightly_spindle.core.calendar.log_periods import Period
from nightly_spindle.core.events.steps import Placement
from nightly_spindle.core.logs.log_meanings import Meaning, Means, meaning_from
from nightly_spindle.core.logs.log_reading import LogFormat
from nightly_spindle.core.logs.log_text import CHARSETS
from nightly_spindle.core.station.log_sources import DropOptions, Loads, LogDrop
from nightly_spindle.desk.kit.choice_box import ChoiceBox
from nightly_spindle.desk.kit.fields import Field, NumberField

if TYPE_CHECKING:
    from collections.abc import Sequence

_LABELS = {
    "enabled": "In use",
    "period": "One log per",
    "weekdays": "Names of the weekdays",
    "hours": "Hours that have one",
    "dated": "After midnight, the date of the",
    "format": "Format",
    "template": "Columns",
    "charset": "Character set",
    "loads": "Loads",
    "lines_left": "Lines left",
    "entry": "Takes the air",
    "placement": "Placed",
    "rest": "Lines already queued",
    "long": "Too long",
    "short": "Too short",
    "early_s": "May load early by",
    "late": "Comes late",
    "take_in": "Import audio the log names",
    "take_in_kind": "As",
    "expected": "Alarm if not here by",
    "old_told": "Tell of a log left from last week",
}
_SHOWN_AS = {
    "cut in": "to the second, cutting in",
    "next": "after the item on air",
    "wait at most": "after the item on air, in 2 min at most",
    "land on time": "landing on time",
    "replace": "in place of all that is lined up",
    "front": "to the front",
    "end": "to the end",
    "fixed columns": "fixed columns",
    "by its name": "by file extension",
}
_PARTS = (
    ("WHERE AND WHEN", ("period", "hours", "weekdays", "dated", "expected", "old_told", "enabled")),
    ("HOW IT IS WRITTEN", ("format", "template", "charset")),
    (
        "LOADING",
        ("loads", "lines_left", "entry", "placement", "rest", "long", "short", "early_s", "late"),
    ),
    ("MISSING AUDIO", ("take_in", "take_in_kind")),
)


class LogSourceForm(QWidget):
    """Shows and changes one drop. Signals: `changed` when anything was edited; `sample_asked`
    (path) and `like_asked` (file name) when the format or the pattern is to be worked out.
    """

    changed = Signal()
    sample_asked = Signal(str)
    like_asked = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        self._drop: LogDrop | None = None
        self._showing = False
        self.name, self.folder, self.pattern, self.like = Field(), Field(), Field(), Field()
        self.paths, self.meanings = QPlainTextEdit(), QPlainTextEdit()
        self.fields: dict[str, QWidget] = {}
        self.labels: dict[str, QLabel] = {}
        for name, spec in specs(DropOptions).items():
            self.fields[name] = self._make(name, spec)
        self._lay_out()
        for field in (self.name, self.folder, self.pattern):
            field.textChanged.connect(self._on_changed)
        for many in (self.paths, self.meanings):
            many.textChanged.connect(self._on_changed)
        self.like.returnPressed.connect(lambda: self.like_asked.emit(self.like.text().strip()))

    def _make(self, name: str, spec: Any) -> QWidget:
        """Return the widget for a declared option."""
        meta = spec.metadata
        widget: QWidget
        if "choices" in meta or name == "charset":
            box = ChoiceBox()
            box.setMinimumContentsLength(8)
            box.setSizeAdjustPolicy(
                QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon
            )
            for one in meta.get("choices", CHARSETS):
                box.addItem(_SHOWN_AS.get(str(one), str(one)), str(one))
            box.currentIndexChanged.connect(self._on_changed)
            widget = box
        elif "flag" in meta:
            check = QCheckBox(_LABELS[name])
            check.toggled.connect(self._on_changed)
            widget = check
        elif "text" in meta:
            field = Field()
            field.textChanged.connect(self._on_changed)
            widget = field
        else:
            number = NumberField(int(meta["low"]), int(meta["high"]))
            number.valueChanged.connect(self._on_changed)
            widget = number
        widget.setAccessibleName(_LABELS[name])
        widget.setToolTip(meta["sentence"])
        return widget

    def _lay_out(self) -> None:
        left, right = QVBoxLayout(), QVBoxLayout()
        for side in (left, right):
            side.setSpacing(6)
        self._head(left)
        self._part(left, *_PARTS[0])
        self._part(left, *_PARTS[1])
        self._texts(left)
        self._part(right, *_PARTS[2])
        self._part(right, *_PARTS[3])
        self._tables(right)
        left.addStretch(1)
        right.addStretch(1)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 8, 0)
        row.setSpacing(18)
        row.addLayout(left, 1)
        row.addLayout(right, 1)

    def _head(self, box: QVBoxLayout) -> None:
        grid = _grid(box, "THE DROP")
        browse = QToolButton()
        browse.setText("…")
        browse.setToolTip("Choose the folder")
        browse.clicked.connect(self._browse)
        part = QToolButton()
        part.setText("Date part")
        part.setToolTip("Put a date part in at the cursor")
        menu = QMenu(part)
        for code, said in PARTS.items():
            menu.addAction(f"{said}   {code}", partial(self._insert, code))
        part.setMenu(menu)
        part.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        ask = QPushButton("Detect")
        ask.setToolTip("Find the date in the name of a real log (Enter)")
        ask.clicked.connect(lambda: self.like_asked.emit(self.like.text().strip()))
        self.like.setPlaceholderText("the name of a real log")
        rows: tuple[tuple[str, QWidget, QWidget | None], ...] = (
            ("Name", self.name, None),
            ("Folder", self.folder, browse),
            ("File name", self.pattern, part),
            ("Or from a sample name", self.like, ask),
        )
        for at, (text, widget, tool) in enumerate(rows, 1):
            grid.addWidget(QLabel(text), at, 0)
            widget.setAccessibleName(text)
            grid.addWidget(widget, at, 1, 1, 1 if tool else 2)
            if tool:
                grid.addWidget(tool, at, 2)

    def _part(self, box: QVBoxLayout, title: str, names: Sequence[str]) -> None:
        grid = _grid(box, title)
        for at, name in enumerate(names, 1):
            widget = self.fields[name]
            if isinstance(widget, QCheckBox):
                grid.addWidget(widget, at, 1, 1, 2)
                continue
            self.labels[name] = QLabel(_LABELS[name])
            grid.addWidget(self.labels[name], at, 0)
            grid.addWidget(widget, at, 1, 1, 2)

    def _texts(self, box: QVBoxLayout) -> None:
        sample = QPushButton("Detect from a real log …")
        sample.setToolTip("Read one log and find format, columns and character set")
        sample.clicked.connect(self._ask_sample)
        box.addWidget(sample)

    def _tables(self, box: QVBoxLayout) -> None:
        for title, edit, hint in (
            ("DRIVES AND SHARES", self.paths, "M:\\Music = /srv/music"),
            (
                "LINES THAT ARE NOT AUDIO",
                self.meanings,
                "SPOTS* = break 2\n*TOP OF HOUR* = mark\nEND = ignore\nNEWS = cart 1024",
            ),
        ):
            caption = QLabel(title)
            caption.setProperty("role", "caption")
            edit.setPlaceholderText(hint)
            edit.setAccessibleName(title.capitalize())
            edit.setTabChangesFocus(True)
            edit.setFixedHeight(74)
            box.addWidget(caption)
            box.addWidget(edit)

    # -- showing and reading -----------------------------------------------------------------------

    def show_drop(self, drop: LogDrop) -> None:
        """Show a drop."""
        self._drop, self._showing = drop, True
        for field, text in (
            (self.name, drop.name),
            (self.folder, drop.folder),
            (self.pattern, drop.pattern),
            (self.like, ""),
        ):
            field.setText(text)
        self.paths.setPlainText("\n".join(f"{a} = {b}" for a, b in drop.paths))
        self.meanings.setPlainText("\n".join(map(meaning_text, drop.meanings)))
        for name, text in texts_of(drop.options, "drop").items():
            self._set(name.removeprefix("drop."), text)
        self._showing = False
        self._follow()

    def set_texts(self, texts: dict[str, str]) -> None:
        """Set some options, as they were worked out."""
        for name, text in texts.items():
            self._set(name, text)

    def _set(self, name: str, text: str) -> None:
        widget = self.fields[name]
        if isinstance(widget, QComboBox):
            at = widget.findData(text)
            if at < 0:
                widget.addItem(text, text)
                at = widget.count() - 1
            widget.setCurrentIndex(at)
        elif isinstance(widget, QCheckBox):
            widget.setChecked(text == "True")
        elif isinstance(widget, NumberField):
            widget.setValue(round(float(text)))
        elif isinstance(widget, Field):
            widget.setText(text)

    def _text(self, name: str) -> str:
        widget = self.fields[name]
        if isinstance(widget, QComboBox):
            return str(widget.currentData())
        if isinstance(widget, QCheckBox):
            return str(widget.isChecked())
        if isinstance(widget, NumberField):
            return str(float(widget.value()))
        assert isinstance(widget, Field)
        return widget.text()

    def drop(self) -> LogDrop:
        """Return the drop as it is typed; SettingRefused says what cannot be read."""
        assert self._drop is not None
        wrong: list[str] = []
        texts = {f"drop.{name}": self._text(name) for name in self.fields}
        options = group_from(DropOptions, texts, "drop", wrong)
        if wrong:
            raise SettingRefused("; ".join(wrong))
        paths = []
        for line in _lines(self.paths):
            written, equals, here = line.partition("=")
            if not (equals and written.strip() and here.strip()):
                raise SettingRefused(f"“{line}” is not like M:\\Music = /srv/music")
            paths.append((written.strip(), here.strip()))
        return replace(
            self._drop,
            name=self.name.text().strip(),
            folder=self.folder.text().strip(),
            pattern=self.pattern.text().strip(),
            options=options,
            paths=tuple(paths),
            meanings=tuple(meaning_from(line) for line in _lines(self.meanings)),
        )

    def _on_changed(self) -> None:
        if not self._showing and self._drop is not None:
            self._follow()
            self.changed.emit()

    def _follow(self) -> None:
        """Show only what says something with the present choices."""
        period, loads = self._text("period"), self._text("loads")
        timed = loads == Loads.AT_TIME
        shown = {
            "weekdays": period == Period.WEEKDAY,
            "old_told": period == Period.WEEKDAY,
            "hours": period == Period.HOUR,
            "dated": period == Period.HOUR,
            "template": self._text("format") in {LogFormat.CSV, LogFormat.COLUMNS},
            "charset": self._text("format") != LogFormat.XSPF,
            "lines_left": loads == Loads.LINES_LEFT,
            "entry": timed,
            "early_s": timed,
            "placement": loads != Loads.LINES_LEFT,
            "rest": loads != Loads.LINES_LEFT and self._text("placement") == Placement.FRONT,
            "long": loads != Loads.LINES_LEFT and self._text("placement") != Placement.END,
        }
        for name, there in shown.items():
            self.fields[name].setVisible(there)
            if name in self.labels:
                self.labels[name].setVisible(there)
        self.fields["take_in_kind"].setEnabled(self._text("take_in") == "True")

    # -- acts --------------------------------------------------------------------------------------

    def _insert(self, code: str) -> None:
        self.pattern.insert(code)
        self.pattern.setFocus()

    def _browse(self) -> None:
        chosen = QFileDialog.getExistingDirectory(self, "Where the logs arrive", self.folder.text())
        if chosen:
            self.folder.setText(chosen)

    def _ask_sample(self) -> None:
        path, _ = QFileDialog.getOpenFileName(self, "A real log", self.folder.text())
        if path:
            self.sample_asked.emit(str(Path(path)))


def meaning_text(row: Meaning) -> str:
    """Return a meaning as it is typed; `meaning_from` reads it back."""
    means = {
        Means.MARK: "mark",
        Means.ITEM: f"cart {row.value}",
        Means.BREAK: f"break {row.value or 1}",
    }.get(row.means, str(row.means))
    return f"{row.text} = {means}"


def _lines(edit: QPlainTextEdit) -> list[str]:
    return [line.strip() for line in edit.toPlainText().splitlines() if line.strip()]


def _grid(box: QVBoxLayout, title: str) -> QGridLayout:
    caption = QLabel(title)
    caption.setProperty("role", "caption")
    grid = QGridLayout()
    grid.setHorizontalSpacing(8)
    grid.setVerticalSpacing(4)
    grid.setColumnStretch(1, 1)
    grid.addWidget(caption, 0, 0, 1, 3)
    box.addLayout(grid)
    return grid
