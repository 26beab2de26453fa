"""The segue rules, kind to kind, and what a change does to real pairs of the coming hours."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from itertools import pairwise
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from nightly_spindle.audio.join_level import assess, join_levels, side_of
from nightly_spindle.core.base.declared import specs
from nightly_spindle.core.library.items import Item
from nightly_spindle.core.reports.timeline import cut_short
from nightly_spindle.core.segues.joins import Join, plan_join, span
from nightly_spindle.core.segues.segue_rules import (
    ANY,
    PRESETS,
    PairRule,
    SegueRule,
    Segues,
    rule_values,
    sentences,
)
from nightly_spindle.desk.kit.library_worker import LibraryEdit, LibraryWorker
from nightly_spindle.desk.kit.scrolled import in_sight
from nightly_spindle.desk.segues.segue_rule_form import SegueRuleForm
from nightly_spindle.desk.segues.segue_rule_matrix import SegueRuleMatrix
from nightly_spindle.desk.waves.join_plot import JoinPlot
from nightly_spindle.store.library.catalogue import Catalogue, Query
from nightly_spindle.store.station import editors

if TYPE_CHECKING:
    from PySide6.QtGui import QUndoStack

    from nightly_spindle.core.reports.timeline import Block
    from nightly_spindle.core.station.settings import StationSettings
from nightly_spindle.desk.kit.theme import Palette

_SHOWN = 3
_MOST_PAIRS = 400
_PRESET_TIPS = {
    "tight": "The next comes early, fades are short",
    "standard": "As a new station has it",
    "relaxed": "Endings are let out, fades are long",
    "speech": "Words are never faded and hardly overlapped",
}


@dataclass(frozen=True, slots=True, eq=False)
class Pair:
    """Two items that meet in the coming hours, with their stored levels."""

    out: Item
    into: Item
    tonight: bool = True


class SeguePage(QWidget):
    """Signal: `said` (str). `tonight` gives the blocks of the coming hours."""

    said = Signal(str)

    def __init__(
        self,
        shelf: LibraryWorker,
        undo: QUndoStack,
        palette: Palette,
        tonight: Callable[[], Sequence[Block]],
    ) -> None:
        super().__init__()
        self._shelf, self._undo, self._tonight = shelf, undo, tonight
        self._segues = Segues()
        self._settings: StationSettings | None = None
        self._pairs: list[Pair] = []
        self._stored: dict[int, bytes] = {}
        self._texts: dict[str, str] = {}  # values of the chosen cell, as they are being edited
        self.matrix = SegueRuleMatrix(palette)
        self.form = SegueRuleForm()
        self.title, self.words = QLabel(""), QLabel("")
        self.title.setProperty("role", "name")
        self.words.setProperty("role", "sentence")
        self.words.setWordWrap(True)
        self.words.setFixedHeight(140)
        self.words.setAlignment(Qt.AlignmentFlag.AlignTop)
        self.about = QLabel("")
        self.about.setProperty("role", "caption")
        self.presets: dict[str, QPushButton] = {}
        self.keep, self.discard = QPushButton("Save"), QPushButton("Discard")
        self.forget = QPushButton("Go by the others")
        self.plots = [(QLabel(""), JoinPlot(palette), JoinPlot(palette)) for _ in range(_SHOWN)]
        self._lay_out()
        self.matrix.picked.connect(lambda *_: self._show_cell())
        self.form.changed.connect(self._on_changed)
        self.keep.clicked.connect(self.save)
        self.discard.clicked.connect(self._show_cell)
        self.forget.clicked.connect(self._forget)

    def _lay_out(self) -> None:
        scroll = QScrollArea()
        scroll.setFrameShape(QFrame.Shape.NoFrame)
        scroll.setWidget(self.matrix)
        scroll.setAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignTop)
        left = QVBoxLayout()
        left.setSpacing(6)
        left.addWidget(scroll, 3)
        left.addWidget(self.about)
        grid = QGridLayout()
        grid.setHorizontalSpacing(12)
        grid.setVerticalSpacing(2)
        for row, (label, before, after) in enumerate(self.plots):
            label.setWordWrap(True)
            label.setFixedWidth(150)
            grid.addWidget(label, row, 0)
            grid.addWidget(before, row, 1)
            grid.addWidget(after, row, 2)
        grid.setColumnStretch(1, 1)
        grid.setColumnStretch(2, 1)
        left.addLayout(grid, 2)
        side = QWidget()
        side.setObjectName("details")
        side.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        side.setFixedWidth(322)
        box = QVBoxLayout(side)
        box.setContentsMargins(14, 10, 14, 10)
        box.setSpacing(6)
        box.addWidget(self.title)
        box.addWidget(self.words)
        row_of = QHBoxLayout()
        row_of.setSpacing(4)
        for name in PRESETS:
            button = QPushButton(name.capitalize())
            button.setToolTip(f"{_PRESET_TIPS[name]}; nothing is kept yet")
            button.clicked.connect(lambda _=False, name=name: self._preset(name))
            self.presets[name] = button
            row_of.addWidget(button)
        box.addLayout(row_of)
        box.addWidget(in_sight(self.form), 100)
        acts = QHBoxLayout()
        acts.setSpacing(6)
        self.keep.setToolTip("Save the changes (Ctrl+S)")
        self.keep.setShortcut("Ctrl+S")
        for button in (self.keep, self.discard, self.forget):
            acts.addWidget(button)
        box.addLayout(acts)
        box.addStretch(1)
        whole = QHBoxLayout(self)
        whole.setContentsMargins(12, 0, 0, 6)
        whole.setSpacing(12)
        whole.addLayout(left, 1)
        whole.addWidget(side)

    def set_palette(self, palette: Palette) -> None:
        """Paint in other colours."""
        self.matrix.palette_ = palette
        for _, before, after in self.plots:
            before.palette_ = after.palette_ = palette
        self.update()

    # -- reading ---------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Read rules and the pairs of the coming hours."""
        meetings: dict[tuple[int, int], None] = {}
        blocks = self._tonight()
        for one, other in pairwise(blocks):
            if one.cart and other.cart and not cut_short(one):
                meetings.setdefault((one.cart, other.cart))
        wanted = list(meetings)[:_MOST_PAIRS]

        def look(catalogue: Catalogue) -> Any:
            settings, segues = catalogue.rules()
            kinds = [group.name for group in catalogue.find(Query(), 0).kinds]
            items = catalogue.items({cart for pair in wanted for cart in pair})
            first = {kind: catalogue.find(Query(kinds=(kind,)), 2).carts[:2] for kind in kinds}
            some = {
                k: list(catalogue.items(map(int, carts)).values()) for k, carts in first.items()
            }
            return settings, segues, kinds, items, some

        def then(found: Any) -> None:
            self._settings, self._segues, kinds, items, self._some = found
            self._pairs = [Pair(items[a], items[b]) for a, b in wanted if a in items and b in items]
            self.matrix.show_rules(self._segues, kinds)
            self._show_cell(keep=True)

        self._shelf.look(look, then, "segues")

    _some: dict[str, list[Any]] = {}  # noqa: RUF012 - replaced, never changed

    # -- one cell --------------------------------------------------------------------------------

    def _own(self) -> dict[str, str]:
        """Return the values that the chosen cell has stored of its own."""
        if self.matrix.chosen == (ANY, ANY):
            return {n: str(getattr(self._segues.station, n)) for n in specs(SegueRule)}
        pairs = {(pair.out, pair.into): dict(pair.values) for pair in self._segues.rules}
        return pairs.get(self.matrix.chosen, {})

    def _show_cell(self, *, keep: bool = False) -> None:
        if not (keep and self._changed()):
            self._texts = self._own()
        self._show()

    def _changed(self) -> bool:
        return bool(self._texts) and self._texts != self._own() and self._cell == self.matrix.chosen

    _cell = (ANY, ANY)

    def _staged(self, texts: dict[str, str]) -> Segues:
        """Return the rules as they would be with these values for the chosen cell."""
        out, into = self._cell
        if (out, into) == (ANY, ANY):
            return replace(self._segues, station=SegueRule(**rule_values(texts)))
        rest = [p for p in self._segues.rules if (p.out, p.into) != (out, into)]
        own = [PairRule(out, into, tuple(sorted(texts.items())))] if texts else []
        return replace(self._segues, rules=(*rest, *own))

    def _show(self) -> None:
        self._cell = out, into = self.matrix.chosen
        station = (out, into) == (ANY, ANY)
        segues = self._staged(self._texts)
        ruled, inherited = segues.ruled(out, into), self._staged({} if not station else self._texts)
        words = PairRule(out, into, ()).words
        self.title.setText("The station's rule" if station else words[:1].upper() + words[1:])
        self.words.setText(" ".join(sentences(ruled.rule)))
        self.form.show_rule(
            self._texts, ruled.rule, inherited.ruled(out, into).rule, station=station
        )
        own = self._own()
        self.keep.setEnabled(self._texts != own)
        self.discard.setEnabled(self._texts != own)
        self.forget.setVisible(not station)
        self.forget.setEnabled(bool(own))
        self._show_pairs(segues)

    def _on_changed(self, name: str, text: str | None) -> None:
        if text is None and self.matrix.chosen == (ANY, ANY):
            text = str(getattr(SegueRule(), name))
        self._texts = {n: t for n, t in {**self._texts, name: text}.items() if t is not None}
        self._show()

    def _preset(self, name: str) -> None:
        self._texts = {n: str(getattr(PRESETS[name], n)) for n in specs(SegueRule)}
        self._show()

    # -- what it does ----------------------------------------------------------------------------

    def _show_pairs(self, segues: Segues) -> None:
        """Draw the pairs of the coming hours that the change does most to."""
        if self._settings is None:
            return
        rate = self._settings.rate
        out, into = self._cell
        meant = [
            p
            for p in self._pairs
            if out in {ANY, str(p.out.kind)} and into in {ANY, str(p.into.kind)}
        ]
        tonight = bool(meant)
        if not tonight:
            meant = self._examples(out, into)
        joins: list[tuple[Pair, Join, Join]] = []
        for pair in meant:
            begin = span(pair.out, rate).cue_in
            now, then = (
                plan_join(pair.out, begin, pair.into, one, rate) for one in (self._segues, segues)
            )
            joins.append((pair, now, then))
        joins.sort(key=lambda row: -_difference(row[1], row[2]))
        changed = sum(_difference(before, after) > 0 for _, before, after in joins)
        if not joins:
            text = "NOTHING OF THESE KINDS IS IN THE LIBRARY YET"
        elif not tonight:
            text = "NO SUCH PAIR IN THE COMING HOURS: TWO ITEMS OF THE LIBRARY"
        else:
            text = f"{len(joins)} SUCH PAIRS IN THE COMING HOURS, {changed} OF THEM CHANGED"
        self.about.setText(text)
        shown = joins[:_SHOWN]
        missing = [i.cart for p, *_ in shown for i in (p.out, p.into) if i.cart not in self._stored]
        if missing:
            self._shelf.look(lambda c: c.envelopes(missing), self._take_levels, "levels")
        for number, (label, left, right) in enumerate(self.plots):
            there = number < len(shown)
            for widget in (label, left, right):
                widget.setVisible(there)
            if there:
                pair, now, then = shown[number]
                label.setText(f"{pair.out.title}\n↓\n{pair.into.title}")
                self._plot(left, pair, now, "NOW")
                self._plot(right, pair, then, "CHANGED" if _difference(now, then) else "UNCHANGED")

    def _examples(self, out: str, into: str) -> list[Pair]:
        some = self._some
        outs = some.get(out, []) if out != ANY else [i for k in some.values() for i in k[:1]]
        intos = some.get(into, []) if into != ANY else [i for k in some.values() for i in k[:1]]
        found = [(a, b) for a in outs for b in intos if a.cart != b.cart]
        return [Pair(a, b, tonight=False) for a, b in found[:1]]

    def _take_levels(self, found: dict[int, bytes]) -> None:
        self._stored |= found
        self._show_pairs(self._staged(self._texts))

    def _plot(self, plot: JoinPlot, pair: Pair, join: Join, caption: str) -> None:
        assert self._settings is not None
        settings = self._settings
        carts = (pair.out.cart, pair.into.cart)
        if not all(self._stored.get(cart) for cart in carts):
            looked = all(cart in self._stored for cart in carts)
            told = "Not measured yet: the intake does that automatically." if looked else ""
            plot.show_levels(None, ("", ""), 0.0, caption, told, bad=False)
            return
        sides = [side_of(i, self._stored[i.cart], settings) for i in (pair.out, pair.into)]
        levels = join_levels(sides[0], sides[1], join, settings.rate)
        verdict = assess(levels)
        faults = verdict.faults
        together = join.overlap / settings.rate
        told = f"{together:.1f} s overlap" if together >= 0 else f"{-together:.1f} s of silence"
        if join.fade_out:
            told += f", fade {join.fade_out / settings.rate:.1f} s"
        told += f", {verdict.step}. " + (faults[0] if faults else "The level holds.")
        kinds = (str(pair.out.kind), str(pair.into.kind))
        plot.show_levels(levels, kinds, together, caption, told, bad=bool(faults))

    # -- keeping ---------------------------------------------------------------------------------

    def save(self) -> None:
        """Keep the values of the chosen cell, undoably."""
        own = self._own()
        if self._texts == own:
            return
        if self._cell == (ANY, ANY):
            texts = {n: t for n, t in self._texts.items() if t != own.get(n)}
            self._undo.push(
                LibraryEdit(
                    self._shelf,
                    "change the station's segue rule",
                    lambda lib: editors.set_station_rule(lib, texts),
                    editors.set_station_rule,
                )
            )
        else:
            self._push_pair(PairRule(*self._cell, tuple(sorted(self._texts.items()))))

    def _forget(self) -> None:
        self._texts = {}
        self._push_pair(PairRule(*self._cell, ()))

    def _push_pair(self, rule: PairRule) -> None:
        self._undo.push(
            LibraryEdit(
                self._shelf,
                f"change the segue rule {rule.words}",
                lambda lib: editors.segues.set_rule(lib, rule),
                editors.restore_rule,
            )
        )
        self.said.emit(f"{rule.words[:1].upper()}{rule.words[1:]} is kept. Ctrl+Z undoes it.")


def _difference(one: Join, other: Join) -> int:
    """Return by how many frames two joins differ, 0 for none."""
    return (
        abs(one.segue - other.segue)
        + abs(one.out_end - other.out_end)
        + abs(one.fade_out - other.fade_out)
        + abs(one.fade_in - other.fade_in)
        + (one.out_curve is not other.out_curve or one.in_curve is not other.in_curve)
    )
