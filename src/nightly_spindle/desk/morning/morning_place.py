"""The place Morning: what happened in the night, and why."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtGui import QUndoStack
from PySide6.QtWidgets import QHBoxLayout, QLabel, QVBoxLayout

from nightly_spindle.core.base.timebase import US, local_from
from nightly_spindle.core.base.wording import counted, span_text
from nightly_spindle.desk.kit.buttons import push_button
from nightly_spindle.desk.kit.library_worker import LibraryWorker
from nightly_spindle.desk.kit.panels import details_panel
from nightly_spindle.desk.kit.place import Place
from nightly_spindle.desk.kit.tabs import Tabs
from nightly_spindle.desk.morning.difference_table import DifferenceTable
from nightly_spindle.desk.tonight.cause_places import DeskPage, page_of
from nightly_spindle.store.reports.night_past import read_morning, since_the_handover

if TYPE_CHECKING:
    from collections.abc import Callable
    from pathlib import Path

    from nightly_spindle.core.reports.morning import Difference, Morning
    from nightly_spindle.core.station.settings import StationSettings
    from nightly_spindle.desk.kit.theme import Palette

EVENING, DAY = "Last night", "Last 24 hours"
_LOOK_MS = 60_000
_DAY_US = 86_400 * US
_AIRED = DeskPage("Station", "Aired")
_NOTHING = "All that was planned aired, and nothing else. There is nothing to be done."


class MorningPlace(Place):
    """The verdict above, one row for each difference below, its cause beside.

    Signal: `gone_to` (DeskPage), where a cause is mended.
    """

    gone_to = Signal(object)

    def __init__(
        self,
        folder: Path,
        settings: StationSettings,
        palette: Palette,
        now_us: Callable[[], int],
    ) -> None:
        super().__init__()
        self.setObjectName("place")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        # of its own: what others ask of theirs may take a while in the morning
        self._reading = LibraryWorker(folder, self)
        self._folder, self._tz, self._now_us = folder, settings.tz, now_us
        self.undo = QUndoStack(self)
        self.found: Morning | None = None
        self._day = False
        self.verdict, self.under = QLabel("Reading what aired …"), QLabel("")
        self.verdict.setProperty("role", "verdict")
        self.verdict.setAccessibleName("How the night went")
        self.verdict.setWordWrap(True)
        self.under.setProperty("role", "muted")
        self.under.setWordWrap(True)
        self.stretch = Tabs({EVENING: "Since the handover, or 18:00", DAY: "A whole day back"})
        self.stretch.show_page(EVENING)
        self.stretch.chosen.connect(self.choose)
        self.table = DifferenceTable(palette)
        self.head, self.what, self.why, self.mend = (QLabel("") for _ in range(4))
        self.go = push_button("", "Go to the page where this is mended", self._go)
        self.aired = push_button(
            "See what aired", "Line by line, with the recording of it", self._see_aired
        )
        self._lay_out()
        self.table.picked.connect(self._on_picked)
        self.table.opened.connect(lambda _: self._go())
        self._timer = QTimer(self)
        self._timer.setInterval(_LOOK_MS)
        self._timer.timeout.connect(self.refresh)
        self._reading.failed.connect(self.under.setText)
        self._on_picked(-1)

    def _lay_out(self) -> None:
        told = QHBoxLayout()
        told.addWidget(self.under, 1)
        told.addWidget(self.stretch, 0, Qt.AlignmentFlag.AlignTop)
        left = QVBoxLayout()
        left.setContentsMargins(16, 12, 12, 8)
        left.setSpacing(8)
        left.addWidget(self.verdict)
        left.addLayout(told)
        left.addWidget(self.table, 1)
        beside, box = details_panel(300, 8)
        box.setContentsMargins(14, 14, 14, 12)
        said = ((self.head, "name"), (self.what, "plain"), (self.why, "sentence"))
        for label, role in (*said, (self.mend, "muted")):
            label.setProperty("role", role)
            label.setWordWrap(True)
            box.addWidget(label)
        box.addWidget(self.go)
        box.addSpacing(12)
        box.addWidget(self.aired)
        box.addStretch(1)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(0)
        row.addLayout(left, 1)
        row.addWidget(beside)

    def set_palette(self, palette: Palette) -> None:
        """Paint in other colours."""
        self.table.set_palette(palette)

    def open(self) -> None:
        """Read what happened, and go on reading."""
        self._timer.start()
        self.refresh()
        self.table.setFocus()

    def close_down(self) -> None:
        """The desk closes."""
        self._timer.stop()
        self._reading.close()

    # -- what is shown ----------------------------------------------------------------------------

    def choose(self, name: str) -> None:
        """Show how another stretch went."""
        self._day = name == DAY
        self.stretch.show_page(name)
        self.verdict.setEnabled(False)  # it is of the other stretch
        self.refresh()

    def refresh(self) -> None:
        """Read the stretch again, where it can be seen."""
        if not self.isVisible():
            return
        folder, tz, until = self._folder, self._tz, self._now_us()
        day = self._day

        def read(_catalogue: object) -> Morning:
            begin = until - _DAY_US if day else since_the_handover(folder, until, tz)
            return read_morning(folder, begin, until)

        self._reading.look(read, self.show_morning, "morning")

    def show_morning(self, found: Morning) -> None:
        """Show how a stretch went."""
        tz = self._tz
        chosen = self.table.chosen()[:1]
        self.found = found
        self.verdict.setEnabled(True)
        self.verdict.setText(found.sentence)
        bad = found.off_s >= 1
        self.verdict.setProperty("role", "verdict-bad" if bad else "verdict")
        self.verdict.style().polish(self.verdict)
        begin, end = (f"{local_from(us, tz):%a %H:%M}" for us in (found.from_us, found.until_us))
        off = "off air never"
        if bad:
            longest = span_text(round(found.longest_off_s))
            off = f"off air for {span_text(round(found.off_s))}, {longest} at the longest"
        net = f", {span_text(round(found.net_s))} of the safety net" if found.net_s >= 1 else ""
        handed = " There was no handover: what was planned is not known."
        if found.handed_over_us:
            handed = f" Handed over at {local_from(found.handed_over_us, tz):%a %H:%M}."
        aired = f"{begin} to {end}: {counted(found.items, 'item')} aired, {off}{net}."
        self.under.setText(aired + handed)
        self.table.show_differences(found.differences, tz)
        many = len(found.differences)
        # what was worst is shown first
        worst = min(range(many), key=lambda n: found.differences[n].heard, default=0)
        at = chosen[0] if chosen and chosen[0] < many else worst
        if many:
            self.table.choose(at)
        self._on_picked(at)

    def _chosen(self) -> Difference | None:
        found = self.found
        at: int = next(iter(self.table.chosen()), -1)
        if found is None or not 0 <= at < len(found.differences):
            return None
        return found.differences[at]

    def _on_picked(self, _at: object) -> None:
        one = self._chosen()
        for widget in (self.what, self.why, self.mend, self.go):
            widget.setVisible(one is not None)
        if one is None:
            self.head.setText("Nothing to be done" if self.found is not None else "")
            self.what.setText(_NOTHING)
            self.what.setVisible(self.found is not None and self.found.as_planned)
            return
        begin, end = (f"{local_from(us, self._tz):%H:%M:%S}" for us in (one.from_us, one.until_us))
        self.head.setText(f"{begin} to {end}" if one.lasts_s else f"At {begin}")
        many = f" ({one.many} times)" if one.many > 1 and not one.lasts_s else ""
        self.what.setText(one.what + many)
        self.why.setText(one.why)
        self.why.setVisible(one.why != one.what)
        self.mend.setText(one.mend)
        self.mend.setVisible(bool(one.mend))
        self.go.setText(f"Go to {self._page(one).words}")

    @staticmethod
    def _page(one: Difference) -> DeskPage:
        return page_of(one.code) if one.code else _AIRED

    def _go(self) -> None:
        one = self._chosen()
        if one is not None:
            self.gone_to.emit(self._page(one))

    def _see_aired(self) -> None:
        self.gone_to.emit(_AIRED)
