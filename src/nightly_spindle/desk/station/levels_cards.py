"""How loud the station plays, and what counts as silence: two cards of the place Station."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QFrame, QGridLayout, QHBoxLayout, QLabel, QPushButton, QWidget

from nightly_spindle.core.base.declared import specs
from nightly_spindle.core.base.errors import SettingRefused
from nightly_spindle.core.library.loudness_gain import Levels, offsets_text
from nightly_spindle.core.station.settings import Trimming, settings_from, texts_from
from nightly_spindle.desk.kit.fields import DecimalField, Field
from nightly_spindle.desk.kit.settings_edit import settings_edit
from nightly_spindle.store.base.station_folder import read_settings
from nightly_spindle.store.base.transaction import LibraryTransaction
from nightly_spindle.store.library.catalogue import Query
from nightly_spindle.store.station import editors

if TYPE_CHECKING:
    from PySide6.QtGui import QUndoStack

    from nightly_spindle.core.station.settings import StationSettings
    from nightly_spindle.desk.kit.library_worker import LibraryWorker

_NAMES = {
    "target_lufs": "Loudness of everything",
    "ceiling_dbtp": "Maximum true peak",
    "most_gain_db": "Maximum gain",
    "assumed_lufs": "Assumed if unmeasured",
    "cut_fade_s": "Fade of what is cut",
    "head_db": "Sound begins above",
    "tail_db": "Sound has ended below",
    "blip_s": "A blip is up to",
}
_PART = 400  # items that are measured anew in one go


class LevelsCards(QWidget):
    """Signals: `told` (str), `changed` when settings or markers are others."""

    told = Signal(str)
    changed = Signal()

    def __init__(self, shelf: LibraryWorker, undo: QUndoStack, settings: StationSettings) -> None:
        super().__init__()
        self._shelf, self._undo, self._settings = shelf, undo, settings
        self._left: list[int] = []
        self._done = self._others = 0
        self.fields: dict[str, DecimalField] = {}
        self.kinds = Field()
        self.kinds.setText(offsets_text(settings.kind_levels))
        self.kinds.setPlaceholderText("sweeper 1, bed -8")
        self.kinds.setAccessibleName("Kinds louder or quieter")
        self.kinds.setToolTip("How many LU louder or quieter kinds play: “sweeper 1, bed -8”")
        self.kinds.editingFinished.connect(self._save)
        self.anew = QPushButton("Measure all markers again")
        self.anew.setToolTip("From stored levels, without the audio; markers set by hand stay")
        self.anew.clicked.connect(self.measure_anew)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(16)
        row.addWidget(
            self._card(
                "HOW LOUD IT PLAYS",
                "level",
                Levels,
                settings.levels,
                ("Kinds louder, quieter (LU)", self.kinds),
            ),
            1,
        )
        row.addWidget(
            self._card(
                "WHAT COUNTS AS SILENCE", "trim", Trimming, settings.trimming, ("", self.anew)
            ),
            1,
        )

    def _card(
        self, title: str, prefix: str, group: type[Any], now: Any, last: tuple[str, QWidget]
    ) -> QWidget:
        card = QFrame()
        card.setObjectName("card")
        grid = QGridLayout(card)
        grid.setContentsMargins(14, 10, 14, 10)
        grid.setVerticalSpacing(3)
        caption = QLabel(title)
        caption.setProperty("role", "caption")
        grid.addWidget(caption, 0, 0, 1, 2)
        for row, (name, spec) in enumerate(specs(group).items(), 1):
            meta = spec.metadata
            field = DecimalField(meta["low"], meta["high"], meta["unit"])
            field.show_value(getattr(now, name))
            field.setAccessibleName(_NAMES[name])
            field.setToolTip(
                f"{meta['sentence']} {meta['low']:g} to {meta['high']:g} {meta['unit']}."
            )
            field.entered.connect(lambda _: self._save())
            self.fields[f"{prefix}.{name}"] = field
            grid.addWidget(QLabel(_NAMES[name]), row, 0)
            grid.addWidget(field, row, 1)
        at = len(specs(group)) + 1
        grid.addWidget(QLabel(last[0]), at, 0)
        grid.addWidget(last[1], at, 1)
        grid.setRowStretch(at + 1, 1)
        return card

    def _save(self) -> None:
        values = {name: str(field.value()) for name, field in self.fields.items()}
        values["level.kinds"] = self.kinds.text().strip()
        before = texts_from(self._settings)
        try:
            self._settings = settings_from(before | values)
        except SettingRefused as error:
            self.told.emit(f"Not saved: {error}.")
            return
        after = texts_from(self._settings)
        changed = {name: after[name] for name in after if after[name] != before[name]}
        if changed:
            self._undo.push(settings_edit(self._shelf, "change how loud it plays", changed))
            self.told.emit("Saved; it applies from the next item on.")

    def refresh(self) -> None:
        """Read the settings anew: an edit may have been undone."""
        folder = self._shelf.folder
        self._shelf.look(lambda _: read_settings(folder), self._show, "levels")

    def _show(self, settings: StationSettings) -> None:
        self._settings = settings
        texts = texts_from(settings)
        for name, field in self.fields.items():
            field.show_value(float(texts[name]))
        if not self.kinds.hasFocus():
            self.kinds.setText(offsets_text(settings.kind_levels))

    def measure_anew(self) -> None:
        """Measure all markers again, part by part; pressed again it stops."""
        if self._left:
            self._left = []
            return
        self._done = self._others = 0

        def then(carts: list[int]) -> None:
            self._left = carts
            self.anew.setText("Stop")
            self._next()

        self._shelf.look(lambda catalogue: catalogue.find(Query(), 0).carts.tolist(), then)

    def _next(self) -> None:
        part, self._left = self._left[:_PART], self._left[_PART:]
        if not part:
            self.anew.setText("Measure all markers again")
            self.told.emit(
                f"{self._done} items looked at; the markers of {self._others} are others now."
            )
            self.changed.emit()
            return
        folder = self._shelf.folder

        def work(library: LibraryTransaction) -> int:
            trimming = read_settings(folder).trimming
            return len(editors.marking.measure_anew(library, trimming, part)[0])

        def then(others: int) -> None:
            self._done += len(part)
            self._others += others
            self.told.emit(f"{self._done} of {self._done + len(self._left)} items measured again …")
            self._next()

        self._shelf.edit(work, then)
