"""The details beside the items: one item whole, or what several have in common."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QSignalBlocker, Qt, Signal
from PySide6.QtWidgets import (
    QComboBox,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from nightly_spindle.core.base.timebase import length, short_date
from nightly_spindle.core.library.items import Kind
from nightly_spindle.core.segues.effective_markers import cues_of
from nightly_spindle.desk.kit.choice_box import ChoiceBox, EditableChoiceBox
from nightly_spindle.desk.kit.fields import Field
from nightly_spindle.desk.kit.theme import Palette, icon
from nightly_spindle.desk.waves.item_wave import ItemWave

if TYPE_CHECKING:
    from collections.abc import Sequence
    from zoneinfo import ZoneInfo

    from nightly_spindle.core.segues.effective_markers import Placed
    from nightly_spindle.store.library.catalogue import CatalogueRow, Detail
    from nightly_spindle.store.reports.item_uses import PlaceOfUse

FIELDS = ("artist", "title", "album", "year", "genre")
_SEVERAL = "several, type to change all"


class ItemPanel(QWidget):
    """Shows and edits the chosen items.

    Signals: `edited` (field, value) when a tag or the kind was changed; `play_asked` (seconds);
    `category_asked` (name, in or out) to put the items in or take them out.
    """

    edited = Signal(str, str)
    play_asked = Signal(float)
    stop_asked = Signal()
    _playing = False
    category_asked = Signal(str, bool)

    def __init__(self, palette: Palette, tz: ZoneInfo) -> None:
        super().__init__()
        self.setObjectName("details")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedWidth(300)
        self._tz = tz
        self._palette = palette
        self._was: dict[str, str] = {}
        self.detail: Detail | None = None
        self.fields: dict[str, QLineEdit] = {}
        self.name = QLabel("")
        self.name.setProperty("role", "name")
        self.name.setWordWrap(True)
        self.under = QLabel("")
        self.under.setProperty("role", "muted")
        self.under.setWordWrap(True)
        self.waits = QLabel("")
        self.waits.setProperty("role", "warn")
        self.waits.setWordWrap(True)
        self.wave = ItemWave(palette)
        self.wave.asked.connect(self.play_asked)
        self.play = QPushButton(" Listen")
        self.play.setToolTip("Play it for yourself, apart from what is on air (Space)")
        self.play.clicked.connect(self._on_play)
        self.kind = ChoiceBox()
        self.kind.setAccessibleName("Kind")
        self.kind.addItems([str(kind) for kind in Kind])
        self.kind.setPlaceholderText("several")
        self.kind.textActivated.connect(lambda text: self._on_edit("kind", text))
        self.categories = QLabel("")
        self.categories.setWordWrap(True)
        self.categories.setTextFormat(Qt.TextFormat.RichText)
        self.categories.linkActivated.connect(lambda name: self.category_asked.emit(name, False))
        self.into = EditableChoiceBox("put into …")
        self.into.setAccessibleName("Put into a category")
        self.into.setToolTip("Put the chosen items into a category; type a new name to make one")
        self.into.setInsertPolicy(QComboBox.InsertPolicy.NoInsert)
        self.into.activated.connect(lambda _: self._on_into())
        self.into.line.returnPressed.connect(self._on_into)
        self.facts = QLabel("")
        self.uses = QLabel("")
        self.said = QLabel("")
        for label in (self.facts, self.uses, self.said):
            label.setWordWrap(True)
            label.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self._lay_out()
        self.show_none(0)

    def _lay_out(self) -> None:
        inner = QWidget()
        box = QVBoxLayout(inner)
        box.setContentsMargins(14, 12, 14, 10)
        box.setSpacing(7)
        for widget in (self.name, self.under, self.waits, self.wave):
            box.addWidget(widget)
        row = QHBoxLayout()
        row.addWidget(self.play)
        row.addStretch(1)
        box.addLayout(row)
        self.form = QWidget()
        form = QGridLayout(self.form)
        form.setContentsMargins(0, 2, 0, 2)
        form.setHorizontalSpacing(8)
        form.setVerticalSpacing(3)
        for at, name in enumerate(FIELDS):
            field = Field()
            field.setAccessibleName(name.capitalize())
            field.editingFinished.connect(lambda name=name: self._on_field(name))
            self.fields[name] = field
            form.addWidget(_muted(name.capitalize()), at, 0)
            form.addWidget(field, at, 1)
        form.addWidget(_muted("Kind"), len(FIELDS), 0)
        form.addWidget(self.kind, len(FIELDS), 1)
        form.addWidget(_muted("In"), len(FIELDS) + 1, 0, Qt.AlignmentFlag.AlignTop)
        form.addWidget(self.categories, len(FIELDS) + 1, 1)
        form.addWidget(self.into, len(FIELDS) + 2, 1)
        box.addWidget(self.form)
        self._captions = []
        for text, label in (
            ("WHERE IT AIRS", self.uses),
            ("SOUND AND FILE", self.facts),
            ("WHAT THE FILE SAYS", self.said),
        ):
            caption = QLabel(text)
            caption.setProperty("role", "caption")
            self._captions.append((caption, label))
            box.addWidget(caption)
            box.addWidget(label)
        box.addStretch(1)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setFrameShape(QFrame.Shape.NoFrame)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        scroll.setWidget(inner)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.addWidget(scroll)

    def set_palette(self, palette: Palette) -> None:
        """Paint in other colours."""
        self._palette = self.wave.palette_ = palette
        self.show_playing(None, playing=self._playing)

    # -- showing -------------------------------------------------------------------------------

    def show_none(self, count: int) -> None:
        """Show that nothing is chosen, and what to do where there is nothing at all."""
        self.detail = None
        self.name.setText("Nothing chosen" if count else "No items yet")
        self.under.setText(
            "Choose an item to see where it airs and to edit it."
            if count
            else "Drag audio files or a folder in here from the file manager, or let a folder be "
            "watched: see “Intake” above."
        )
        self._only_texts()

    def _only_texts(self) -> None:
        for widget in (self.wave, self.play, self.form, self.waits):
            widget.hide()
        self._say("", "", "")

    def show_item(self, detail: Detail, uses: Sequence[PlaceOfUse] | None) -> None:
        """Show one item; `uses` None while they are looked up."""
        self.detail = detail
        row, item = detail.row, detail.item
        self.name.setText(row.title)
        self.under.setText(f"{row.artist or row.kind} · cart {row.cart} · {length(row.duration_s)}")
        self.waits.setText(f"In the waiting room: {detail.why_waits}." if row.waits else "")
        self.waits.setVisible(bool(row.waits))
        self.wave.show_item(detail.overview, item.measure.duration_s, detail.placed, row.kind)
        for widget in (self.wave, self.play, self.form):
            widget.show()
        self._fill({name: getattr(row, name) for name in (*FIELDS, "kind")}, several=())
        self._show_categories(list(detail.category_names))
        self._say(
            _where(detail, uses, self._tz),
            _facts(detail),
            "\n".join(f"{name}: {value}" for name, value in detail.said.items()),
        )

    def show_several(self, rows: Sequence[CatalogueRow], count: int) -> None:
        """Show what several items have in common; `rows` may be the first of them only."""
        self.detail = None
        self._only_texts()
        self.name.setText(f"{count} items")
        total = length(sum(row.duration_s for row in rows))
        first = "" if len(rows) == count else f"the first {len(rows)} last "
        self.under.setText(f"{first}{total} together. What you type goes to all of them.")
        common = {name: {getattr(row, name) for row in rows} for name in (*FIELDS, "kind")}
        several = tuple(name for name, values in common.items() if len(values) > 1)
        self._fill({n: "" if n in several else v.copy().pop() for n, v in common.items()}, several)
        names = [set(filter(None, row.categories.split(", "))) for row in rows]
        self._show_categories(sorted(set.intersection(*names)) if names else [])
        self.form.show()

    def show_playing(self, at_s: float | None, *, playing: bool) -> None:
        """Follow the listening."""
        self._playing = playing
        self.play.setText(" Stop" if playing else " Listen")
        self.play.setIcon(icon("square" if playing else "headphones", self._palette.text))
        self.wave.set_playhead(at_s if playing else None)

    def offer_categories(self, names: Sequence[str]) -> None:
        """Say which categories there are."""
        if [self.into.itemText(i) for i in range(self.into.count())] != list(names):
            typed = self.into.currentText()
            self.into.clear()
            self.into.addItems(list(names))
            self.into.setEditText(typed if typed not in names else "")

    def _fill(self, values: dict[str, str], several: tuple[str, ...]) -> None:
        self._was = values
        for name, field in self.fields.items():
            # what is being typed is not taken away by an edit from elsewhere
            if not (field.hasFocus() and field.isModified()):
                field.setText(values[name])
                field.setModified(False)
                field.setCursorPosition(0)
            field.setPlaceholderText(_SEVERAL if name in several else "")
        with QSignalBlocker(self.kind):
            self.kind.setCurrentText(values["kind"])
            if "kind" in several:
                self.kind.setCurrentIndex(-1)

    def _show_categories(self, names: Sequence[str]) -> None:
        parts = (
            f'{name}&nbsp;<a href="{name}" style="color:{self._palette.muted};'
            f'text-decoration:none" title="take out">✕</a>'
            for name in names
        )
        self.categories.setText(", ".join(parts) or "no category")
        self.into.setEditText("")

    def _say(self, uses: str, facts: str, said: str) -> None:
        for (caption, label), text in zip(self._captions, (uses, facts, said), strict=True):
            label.setText(text)
            caption.setVisible(bool(text))
            label.setVisible(bool(text))

    # -- editing -------------------------------------------------------------------------------

    def _on_field(self, name: str) -> None:
        field = self.fields[name]
        text = " ".join(field.text().split())
        if field.isModified() and text != self._was.get(name):
            field.setText(text)  # with a fresh memory: Ctrl+Z is for the edit from here on
            self._on_edit(name, text)

    def _on_edit(self, name: str, text: str) -> None:
        if text != self._was.get(name):
            self._was[name] = text
            self.edited.emit(name, text)

    def _on_into(self) -> None:
        name = " ".join(self.into.currentText().split())
        if name:
            self.into.setEditText("")
            self.category_asked.emit(name, True)

    def _on_play(self) -> None:
        if self._playing:
            self.stop_asked.emit()
        elif self.detail is not None:
            self.play_asked.emit(cues_of(self.detail.item).cue_in_s)


def _muted(text: str) -> QLabel:
    label = QLabel(text)
    label.setProperty("role", "muted")
    return label


def _where(detail: Detail, uses: Sequence[PlaceOfUse] | None, tz: ZoneInfo) -> str:
    aired = detail.row.aired_us
    lines = ["Never aired." if aired is None else f"Last aired {short_date(aired, tz)}."]
    if uses is None:
        lines.append("Looking through the coming logs …")
    elif uses:
        lines += [f"In {use.text}." for use in uses]
    else:
        lines.append("Not in the running order, the logs of the coming week or a list.")
    return "\n".join(lines)


def _marker(row: Placed) -> str:
    """Say one marker; a star where it was set by hand."""
    return f"{row.marker.words} {row.at_s:.3f} s{'*' if row.sure is None else ''}"


def _facts(detail: Detail) -> str:
    measure = detail.item.measure
    loud = measure.integrated_lufs
    peak = measure.true_peak_dbtp
    channels = {1: "mono", 2: "stereo"}.get(measure.channels, f"{measure.channels} channels")
    sound = (
        "silent" if loud is None else f"{loud:.1f} LUFS, range {measure.loudness_range_lu:.1f} LU"
    )
    top = "" if peak is None else f", true peak {peak:.1f} dBTP"
    return (
        f"{sound}{top}\n"
        f"{', '.join(_marker(row) for row in detail.placed if not row.absent)}; "
        f"{measure.ending} ending\n"
        f"{detail.encoding}, {measure.sample_rate / 1000:g} kHz {channels}, "
        f"{detail.size / 1e6:.1f} MB\n{detail.item.path}"
    )
