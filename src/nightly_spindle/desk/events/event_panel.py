"""The editor of a timed event beside the week: form, sentence, next firings, what is wrong."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import Qt, QTimer, Signal, SignalInstance
from PySide6.QtWidgets import QFrame, QHBoxLayout, QLabel, QScrollArea, QVBoxLayout, QWidget

from nightly_spindle.core.base.errors import NightlySpindleError
from nightly_spindle.core.events.timed_events import check_event
from nightly_spindle.desk.events.event_form import EventForm
from nightly_spindle.desk.events.holds_bar import HoldsBar
from nightly_spindle.desk.kit.buttons import push_button

if TYPE_CHECKING:
    from nightly_spindle.core.events.timed_events import TimedEvent
    from nightly_spindle.desk.kit.board_reading import BoardReading
    from nightly_spindle.desk.kit.library_worker import LibraryWorker
    from nightly_spindle.desk.kit.theme import Palette
    from nightly_spindle.store.reports.event_board import EventBoard, EventPreview, EventSheet

_WIDTH = 412
_PREVIEW_MS = 200
_MOST_FINDINGS = 3


class EventPanel(QWidget):
    """Signals: `kept` (TimedEvent) when the edited event is to be written; `removed` and `fired`
    (TimedEvent).
    """

    kept = Signal(object)
    removed = Signal(object)
    fired = Signal(object)

    def __init__(
        self, shelf: LibraryWorker, reading: BoardReading[EventBoard], palette: Palette
    ) -> None:
        super().__init__()
        self.bar = HoldsBar(palette)
        self.setObjectName("details")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedWidth(_WIDTH)
        self._reading = reading
        self._kept: TimedEvent | None = None
        self._sheet: EventSheet | None = None
        self.form = EventForm(shelf)
        self.sentence, self.trouble = QLabel(""), QLabel("")
        self.coming, self.holds, self.wrong = QLabel(""), QLabel(""), QLabel("")
        for label, role in (
            (self.sentence, "sentence"),
            (self.trouble, "warn"),
            (self.wrong, "warn"),
            (self.holds, "muted"),
        ):
            label.setProperty("role", role)
        for label in (self.sentence, self.trouble, self.coming, self.holds, self.wrong):
            label.setWordWrap(True)
            label.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.keep = push_button("Save", "Save the changes (Ctrl+S)", self.save)
        self.discard = push_button("Discard", "Discard the changes", self.take_back)
        self.remove = push_button(
            "Remove", "Remove the event; it can be undone", lambda: self._emit(self.removed)
        )
        self.fire = push_button(
            "Fire now", "Carry it out on air at once", lambda: self._emit(self.fired)
        )
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.setInterval(_PREVIEW_MS)
        self._soon.timeout.connect(self._preview)
        self._lay_out()
        self.form.changed.connect(self._on_changed)
        self.show_event(None, None)

    def _lay_out(self) -> None:
        scroll = QScrollArea()
        scroll.setFrameShape(QFrame.Shape.NoFrame)
        scroll.setWidgetResizable(True)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        scroll.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        scroll.setWidget(self.form)
        self.empty = QLabel(
            "Choose an event to see and change it, or make one: “New event” has templates for "
            "the usual cases."
        )
        self.empty.setWordWrap(True)
        self.empty.setProperty("role", "muted")
        self.scroller = scroll
        box = QVBoxLayout(self)
        box.setContentsMargins(14, 10, 8, 10)
        box.setSpacing(6)
        box.addWidget(self.empty)
        box.addWidget(scroll, 1)
        self.told = QWidget()
        told = QVBoxLayout(self.told)
        told.setContentsMargins(0, 0, 6, 0)
        told.setSpacing(6)
        for widget in (self.sentence, self.coming, self.bar, self.holds, self.wrong, self.trouble):
            told.addWidget(widget)
        acts = QHBoxLayout()
        acts.setSpacing(6)
        for button in (self.keep, self.discard, self.remove, self.fire):
            acts.addWidget(button)
        told.addLayout(acts)
        box.addWidget(self.told)

    # -- showing -----------------------------------------------------------------------------------

    @property
    def shown(self) -> TimedEvent | None:
        """The event that is shown, as it is kept."""
        return self._kept

    def show_event(self, event: TimedEvent | None, sheet: EventSheet | None) -> None:
        """Show an event, or none."""
        self._kept, self._sheet = event, sheet
        there = event is not None
        for widget in (self.scroller, self.told):
            widget.setVisible(there)
        self.empty.setVisible(not there)
        if event is not None:
            self.form.show_event(event, sheet)
            self._on_changed()

    def follow(self, sheet: EventSheet) -> None:
        """Take another sheet up; what is being edited stays."""
        kept = self._kept
        if kept is None:
            return
        if not kept.id:
            self._sheet = sheet
            return
        now = next((event for event in sheet.events if event.id == kept.id), None)
        if now != kept and not self.dirty():
            self.show_event(now, sheet)
        else:
            self._sheet = sheet
            self._soon.start()

    def typed(self) -> TimedEvent | None:
        """Return the event as it is typed, None (and why) when it cannot be."""
        if self._kept is None:
            return None
        try:
            event = self.form.timed_event()
            check_event(event)
        except NightlySpindleError as error:
            text = str(error).removeprefix(f"timed event “{self.form.name.text().strip()}”: ")
            self.trouble.setText(f"{text[:1].upper()}{text[1:]}.")
            return None
        self.trouble.setText("")
        return event

    def dirty(self) -> bool:
        """Whether anything was changed that is not kept."""
        try:
            return self._kept is not None and self.form.timed_event() != self._kept
        except NightlySpindleError:
            return True

    def _on_changed(self) -> None:
        event = self.typed()
        self.trouble.setVisible(bool(self.trouble.text()))
        dirty = self.dirty()
        new = self._kept is not None and not self._kept.id
        self.keep.setEnabled(event is not None and (dirty or new))
        self.discard.setEnabled(dirty or new)
        self.remove.setEnabled(not new)
        self.fire.setEnabled(not new and not dirty)
        if event is not None:
            self._read_back(event.sentence(self._sheet.titles if self._sheet else {}))
            self._soon.start()
        else:
            self.coming.setText("")

    def _read_back(self, sentence: str) -> None:
        """Read the event back, with what is typed and does not count."""
        told = self.form.rule.told()
        self.sentence.setText(f"{sentence} {told}" if told else sentence)

    def _preview(self) -> None:
        event = self.typed()
        if event is not None:
            self._reading.look(lambda b, now: b.preview(event, now), self._show, "preview")

    def _show(self, found: EventPreview) -> None:
        if self._kept is None or self.trouble.text():
            return
        self._read_back(found.sentence)
        lines = "\n".join(one.text for one in found.coming)
        self.coming.setText(lines or "As it stands it never fires on its own.")
        self.bar.show_holds(found.holds)
        told = any(one.code == "does-not-fit" for one in found.findings)
        self.holds.setText("" if told else found.holds.sentence())
        self.holds.setVisible(bool(self.holds.text()))
        wrong = [f"{one.text} {one.mend}" for one in found.findings[:_MOST_FINDINGS]]
        more = len(found.findings) - len(wrong)
        if more > 0:
            wrong.append(f"{more} more.")
        self.wrong.setText("\n".join(wrong))
        self.wrong.setVisible(bool(wrong))

    # -- acts --------------------------------------------------------------------------------------

    def save(self) -> None:
        """Have the event written as it is typed."""
        event = self.typed()
        if event is not None and self.keep.isEnabled():
            self.kept.emit(event)

    def take_back(self) -> None:
        """Show the event as it is kept; a new one goes."""
        if self._kept is not None:
            self.show_event(self._kept if self._kept.id else None, self._sheet)

    def _emit(self, signal: SignalInstance) -> None:
        if self._kept is not None:
            signal.emit(self._kept)
