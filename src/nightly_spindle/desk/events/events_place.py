"""The place Events: the week drawn to scale, the list, and the editor beside them."""

from __future__ import annotations

from dataclasses import replace
from datetime import timedelta
from functools import partial
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QPointF, QSize, Qt, QTimer
from PySide6.QtGui import QColor, QKeySequence, QPainter, QPixmap, QShortcut, QUndoStack
from PySide6.QtWidgets import (
    QHBoxLayout,
    QLabel,
    QMenu,
    QStackedWidget,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from nightly_spindle.air.messages import EventFired, Fire
from nightly_spindle.core.base.errors import NightlySpindleError
from nightly_spindle.core.base.findings import Severity
from nightly_spindle.core.base.timebase import local_from
from nightly_spindle.core.events.event_moves import copied, moved, stretched
from nightly_spindle.core.events.event_templates import TEMPLATES
from nightly_spindle.core.reports.event_week import Does
from nightly_spindle.desk.events.event_panel import EventPanel
from nightly_spindle.desk.events.event_table import EventTable
from nightly_spindle.desk.events.event_week_painting import COLORS, paint_does
from nightly_spindle.desk.events.event_week_view import EventWeekView, week_words
from nightly_spindle.desk.kit.board_reading import BoardReading
from nightly_spindle.desk.kit.fields import Field
from nightly_spindle.desk.kit.labels import ElidedLabel, NoteLabel
from nightly_spindle.desk.kit.library_worker import LibraryEdit, LibraryWorker
from nightly_spindle.desk.kit.place import Place
from nightly_spindle.desk.kit.tabs import Tabs
from nightly_spindle.desk.kit.theme import SMALL, font, icon
from nightly_spindle.desk.kit.wrap_row import WrapRow
from nightly_spindle.store.base.transaction import LibraryTransaction
from nightly_spindle.store.reports.event_board import EventBoard, EventSheet
from nightly_spindle.store.station import editors

if TYPE_CHECKING:
    from collections.abc import Callable, Sequence
    from datetime import date

    from nightly_spindle.core.events.timed_events import TimedEvent
    from nightly_spindle.core.station.settings import StationSettings
    from nightly_spindle.desk.kit.engine_link import EngineLink
    from nightly_spindle.desk.kit.theme import Palette

_PAGES = {"Week": "What fires when, to scale", "List": "All events, with what comes next"}
_LOOK_MS = 10_000


class EventsPlace(Place):
    """`now_us` gives the station's present instant: the engine's while it runs."""

    def __init__(
        self,
        shelf: LibraryWorker,
        link: EngineLink,
        settings: StationSettings,
        palette: Palette,
        now_us: Callable[[], int],
    ) -> None:
        super().__init__()
        self.setObjectName("place")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._shelf, self._link, self._tz = shelf, link, settings.tz
        self._now_us = now_us
        self._monday: date | None = None
        self._palette = palette
        self._choose_next: str = ""
        self.undo = QUndoStack(self)
        self.reading = BoardReading(shelf.folder, self, EventBoard, now_us)
        self.sheet: EventSheet | None = None
        self.week = EventWeekView(palette, settings.tz)
        self.table = EventTable(palette, settings.tz)
        self.panel = EventPanel(shelf, self.reading, palette)
        self.worst, self.note, self.span = ElidedLabel(), NoteLabel(), QLabel("")
        self.worst.setProperty("role", "name")
        self.span.setProperty("role", "strong")
        self.search = Field()
        self.search.setPlaceholderText("find events")
        self.search.setAccessibleName("Find events")
        self.search.setFixedWidth(170)
        self._timer = QTimer(self)
        self._timer.setInterval(_LOOK_MS)
        self._timer.timeout.connect(self.refresh)
        self._lay_out()
        self._connect()
        self.show_page("Week")

    # -- making ------------------------------------------------------------------------------------

    def _lay_out(self) -> None:
        self.stage = QStackedWidget()
        self.stage.addWidget(self.week)
        self.stage.addWidget(self.table)
        left = QVBoxLayout()
        left.setContentsMargins(0, 0, 0, 0)
        left.setSpacing(6)
        told = QHBoxLayout()
        told.setContentsMargins(14, 0, 8, 0)
        told.addWidget(self.worst)
        left.addLayout(self._head())
        left.addLayout(told)
        left.addWidget(self._weeks())
        left.addWidget(self.stage, 1)
        whole = QHBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(4)
        whole.addLayout(left, 1)
        whole.addWidget(self.panel)
        self.set_palette(self._palette)

    def _head(self) -> QHBoxLayout:
        """Return the row of pages, templates, what was said, and the search."""
        self._tabs = Tabs(_PAGES)
        self._tabs.chosen.connect(self.show_page)
        self.tabs = self._tabs.buttons
        bar = QHBoxLayout()
        bar.setContentsMargins(12, 8, 12, 0)
        bar.setSpacing(4)
        bar.addWidget(self._tabs)
        bar.addSpacing(10)
        self.new = self._tool("New event", "Make an event, from one of the usual ones (Ctrl+N)")
        self.new.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        menu = QMenu(self.new)
        for name in TEMPLATES:
            menu.addAction(name, partial(self.make, name))
        self.new.setMenu(menu)
        bar.addWidget(self.new)
        bar.addSpacing(10)
        bar.addWidget(self.note, 1)
        bar.addWidget(self.search)
        return bar

    def _weeks(self) -> QWidget:
        """Return the row that turns the weeks and says what colours and signs mean."""
        self.weeks = QWidget()
        row = WrapRow(self.weeks)
        row.setContentsMargins(12, 0, 10, 0)
        row.setSpacing(6)
        self.before = self._tool("", "The week before (Page Up)", lambda: self.turn(-1))
        self.after = self._tool("", "The next week (Page Down)", lambda: self.turn(1))
        self.now = self._tool("This week", "Back to this week (Home)", lambda: self.turn(0))
        for widget in (self.before, self.now, self.after, self.span):
            row.addWidget(widget)
        row.at_right()
        self.legend = QLabel()
        self.legend.setAccessibleName("Signs: show, short item, log, stream, switch")
        row.addWidget(self.legend)
        return self.weeks

    @staticmethod
    def _tool(text: str, tip: str, act: Callable[[], object] | None = None) -> QToolButton:
        button = QToolButton()
        button.setText(text)
        button.setToolTip(tip)
        button.setAccessibleName(text or tip)
        if act is not None:
            button.clicked.connect(lambda _=False: act())
        return button

    def _connect(self) -> None:
        for view in (self.week, self.table):
            view.picked.connect(self.choose)
            view.opened.connect(self._edit)
        self.week.switched.connect(self.switch)
        self.week.removed.connect(self._remove_id)
        self.table.heard.connect(self.switch)
        self.table.removed.connect(self._remove_ids)
        self.week.moved.connect(self._on_moved)
        self.week.copied.connect(self._on_copied)
        self.week.stretched.connect(self._on_stretched)
        self.panel.kept.connect(self._on_kept)
        self.panel.removed.connect(self.remove)
        self.panel.fired.connect(self.fire)
        self.search.textChanged.connect(self._on_find)
        self.reading.shelf.failed.connect(self.say)
        self._shelf.changed.connect(self.refresh)
        self._shelf.failed.connect(self.say)
        for keys, act in (
            ("PgUp", lambda: self.turn(-1)),
            ("PgDown", lambda: self.turn(1)),
            ("Home", lambda: self.turn(0)),
            ("Ctrl+S", self.panel.save),
        ):
            shortcut = QShortcut(QKeySequence(keys), self)
            shortcut.setContext(Qt.ShortcutContext.WidgetWithChildrenShortcut)
            shortcut.activated.connect(act)

    def set_palette(self, palette: Palette) -> None:
        """Paint in other colours."""
        self._palette = palette
        self.table.set_palette(palette)
        self.week.set_palette(palette)
        self.panel.bar.palette_ = palette
        self.before.setIcon(icon("chevron-left", palette.text))
        self.after.setIcon(icon("chevron-right", palette.text))
        self.new.setIcon(icon("plus", palette.text))
        self.new.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextBesideIcon)
        self.legend.setPixmap(_legend(palette, self.devicePixelRatioF()))

    # -- showing -----------------------------------------------------------------------------------

    def open(self) -> None:
        """Look at the events, and go on looking."""
        self._timer.start()
        self.refresh()
        self._focus()

    def _focus(self) -> None:
        (self.week if self.stage.currentWidget() is self.week else self.table).setFocus()

    def begin_new(self) -> None:
        """Offer kinds of events to begin with."""
        self.new.showMenu()

    def close_down(self) -> None:
        """Finish what is under way."""
        self._timer.stop()
        self.note.stop()
        self.reading.close()

    def say(self, sentence: str) -> None:
        """Say something at the top, for a while."""
        self.note.say(sentence)

    def show_page(self, name: str) -> None:
        """Show the week or the list."""
        self._tabs.show_page(name)
        self.stage.setCurrentWidget(self.week if name == "Week" else self.table)
        self.weeks.setVisible(name == "Week")
        self.search.setVisible(name == "List")
        self._focus()

    def turn(self, by: int) -> None:
        """Show the week before or after, or this week (0)."""
        self._monday = None if not by else self._first_day() + timedelta(days=7 * by)
        self.refresh()

    def _first_day(self) -> date:
        if self._monday is not None:
            return self._monday
        today = local_from(self._now_us(), self._tz).date()
        return today - timedelta(days=today.weekday())

    def refresh(self) -> None:
        """Read the events again, where they can be seen."""
        if self.isVisible():
            monday = self._first_day()
            self.reading.look(lambda b, now: b.sheet(now, monday), self._show, "sheet")

    def _show(self, sheet: EventSheet) -> None:
        self.sheet = sheet
        wrong: dict[int, set[int]] = {}
        for one in sheet.findings:
            if one.severity is not Severity.NOTE:
                # one that concerns all firings marks them all
                wrong.setdefault(one.event_id, set()).update(one.instants)
        for one in sheet.findings:
            if one.severity is not Severity.NOTE and not one.instants:
                wrong[one.event_id].clear()
        self.week.show_week(sheet.days, sheet.now_us, wrong)
        self.span.setText(week_words(sheet.days))
        self.table.show_sheet(sheet)
        self._show_worst(sheet)
        self.panel.follow(sheet)
        if self._choose_next:
            made = [event.id for event in sheet.events if event.name == self._choose_next]
            self._choose_next = ""
            if made:
                self.choose(made[-1])

    def _show_worst(self, sheet: EventSheet) -> None:
        """Say the gravest thing that is wrong with the events in one line."""
        told = [one for one in sheet.findings if one.severity is not Severity.NOTE]
        told.sort(key=lambda one: (one.severity is not Severity.ALARM, one.at_us or 2**62))
        if told:
            more = f"  ({len(told) - 1} more)" if len(told) > 1 else ""
            text = f"{told[0].text}{more}"
        elif not sheet.events:
            text = "There are no timed events yet. “New event” has templates for the usual cases."
        else:
            text = f"Nothing is wrong with the {len(sheet.events)} timed events."
        alarm = bool(told) and told[0].severity is Severity.ALARM
        self.worst.setText(text)
        self.worst.setToolTip("\n".join(f"{one.text} {one.mend}" for one in told) or text)
        self.worst.setProperty("role", "worst" if alarm else "name")
        self.worst.style().unpolish(self.worst)
        self.worst.style().polish(self.worst)

    def _event(self, event_id: int) -> TimedEvent | None:
        events = self.sheet.events if self.sheet else ()
        return next((event for event in events if event.id == event_id), None)

    def choose(self, event_id: int) -> None:
        """Choose an event in both views and show it beside them, unless another is being edited."""
        event = self._event(event_id)
        if event is None:
            return
        self.week.choose(event_id)
        self.table.choose(event_id)
        shown = self.panel.shown
        if shown is not None and shown.id != event_id and self.panel.dirty():
            self.say(f"“{shown.name}” was changed: save or discard that first.")
            return
        if shown is None or shown.id != event_id:
            self.panel.show_event(event, self.sheet)

    def _edit(self, event_id: int) -> None:
        self.choose(event_id)
        self.panel.form.name.setFocus()
        self.panel.form.name.selectAll()

    def _on_find(self, words: str) -> None:
        self.table.filter(words)

    # -- acts --------------------------------------------------------------------------------------

    def make(self, template: str) -> None:
        """Begin a new event from a template; it is made when it is kept."""
        if self.panel.dirty() and self.panel.shown is not None and self.panel.shown.id:
            self.say(f"“{self.panel.shown.name}” was changed: save or discard that first.")
            return
        sheet = self.sheet
        if sheet is None:
            return
        local = local_from(self._now_us(), self._tz).replace(minute=0) + timedelta(hours=1)
        event = TEMPLATES[template](sheet.known, local)
        taken = {one.name for one in sheet.events}
        name, number = event.name, 2
        while name in taken:
            name, number = f"{event.name} {number}", number + 1
        self.panel.show_event(replace(event, name=name), sheet)
        self.panel.form.name.setFocus()
        self.panel.form.name.selectAll()

    def write(self, text: str, events: Sequence[TimedEvent]) -> None:
        """Write events, undoably."""
        events = tuple(events)

        def do(library: LibraryTransaction) -> Any:
            return editors.events.save_events(library, events)[1]

        self.undo.push(LibraryEdit(self._shelf, text, do, editors.restore_events))

    def _on_kept(self, event: TimedEvent) -> None:
        if not event.id:
            self.panel.show_event(None, self.sheet)
            self._choose_next = event.name
        else:
            self.panel.show_event(event, self.sheet)
        self.write(f"change the event “{event.name}”", [event])

    def remove(self, event: TimedEvent) -> None:
        """Take an event out, undoably."""
        number = event.id

        def do(library: LibraryTransaction) -> Any:
            return editors.events.remove_events(library, [number])

        self.panel.show_event(None, self.sheet)
        text = f"remove the event “{event.name}”"
        self.undo.push(LibraryEdit(self._shelf, text, do, editors.restore_events))
        self.say(f"“{event.name}” is removed; Ctrl+Z brings it back.")

    def _remove_id(self, event_id: int) -> None:
        event = self._event(event_id)
        if event is not None:
            self.remove(event)

    def _remove_ids(self, chosen: list[int]) -> None:
        for event_id in chosen:
            self._remove_id(event_id)

    def switch(self, event_id: int) -> None:
        """Switch an event on or off, undoably."""
        event = self._event(event_id)
        if event is None or self._being_edited(event):
            return
        now = replace(event, enabled=not event.enabled)
        self.write(f"switch “{event.name}” {'on' if now.enabled else 'off'}", [now])

    def _being_edited(self, event: TimedEvent) -> bool:
        shown = self.panel.shown
        if shown is not None and shown.id == event.id and self.panel.dirty():
            self.say(f"“{event.name}” was changed elsewhere: save or discard that first.")
            return True
        return False

    def _change(self, event_id: int, text: str, change: Callable[[TimedEvent], TimedEvent]) -> None:
        event = self._event(event_id)
        if event is None or self._being_edited(event):
            return
        try:
            new = change(event)
        except NightlySpindleError as error:
            self.say(f"{str(error)[:1].upper()}{str(error)[1:]}.")
            return
        if new != event:
            self._choose_next = new.name if not new.id else ""
            self.write(f"{text} “{event.name}”", [new])

    def _on_moved(self, event_id: int, from_us: int, to_us: int) -> None:
        self._change(event_id, "move", lambda e: moved(e, from_us, to_us, self._tz))

    def _on_copied(self, event_id: int, from_us: int, to_us: int) -> None:
        self._change(event_id, "copy", lambda e: copied(e, from_us, to_us, self._tz))

    def _on_stretched(self, event_id: int, length_s: float) -> None:
        self._change(event_id, "stretch", lambda e: stretched(e, length_s))

    def fire(self, event: TimedEvent) -> None:
        """Have the engine carry an event out now."""
        if not self._link.on_air:
            self.say("The engine is off: go on air first.")
            return

        def then(answer: EventFired) -> None:
            did = ", then ".join(answer.did) or "it has nothing to air"
            told = " ".join(one.text for one in answer.findings)
            self.say(f"“{answer.event}” acts now: {did}. {told}".strip())

        self._link.ask(Fire(event.id), then)


def _legend(palette: Palette, ratio: float) -> QPixmap:
    """Paint what the colours and shapes of the week mean."""
    words = [str(one) for one in Does]
    picture = QPixmap(QSize(1, 1))
    painter = QPainter(picture)
    painter.setFont(font(SMALL))
    widths = [painter.fontMetrics().horizontalAdvance(text) for text in words]
    painter.end()
    whole = sum(widths) + 24 * len(words)
    picture = QPixmap(QSize(whole, 18) * ratio)
    picture.setDevicePixelRatio(ratio)
    picture.fill(Qt.GlobalColor.transparent)
    painter = QPainter(picture)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setFont(font(SMALL))
    left = 8.0
    for one, text, wide in zip(Does, words, widths, strict=True):
        paint_does(painter, QPointF(left, 9), one, QColor(COLORS[one]))
        painter.setPen(QColor(palette.muted))
        painter.drawText(QPointF(left + 9, 13), text)
        left += wide + 24
    painter.end()
    return picture
