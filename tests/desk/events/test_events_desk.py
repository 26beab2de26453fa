"""The place Events at the desk, driven as a person does: real windows, real clicks and keys."""

from dataclasses import replace
from datetime import date, datetime, time, timedelta
from zoneinfo import ZoneInfo

import pytest
from conftest import LONG, ZONE

pytest.importorskip("PySide6")

from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QGuiApplication
from PySide6.QtTest import QTest
from test_library_desk import undo, window  # noqa: F401

from nightly_spindle.core.base.timebase import US, local_from
from nightly_spindle.core.calendar.dayparts import Repeat
from nightly_spindle.core.calendar.recurrence import TimeRule
from nightly_spindle.core.events.steps import PlayItem, PlayList
from nightly_spindle.core.events.timed_events import Entry, EventOptions, TimedEvent
from nightly_spindle.store.base.transaction import LibraryTransaction
from nightly_spindle.store.events.events import save_events
from nightly_spindle.store.library.lists import make_list
from nightly_spindle.store.programme.snapshot import open_station

KEY, CTRL, ALT = Qt.Key, Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.AltModifier
LEFT = Qt.MouseButton.LeftButton
TZ = ZoneInfo(ZONE)
MONDAY = date.today() - timedelta(days=date.today().weekday())


def weekly(name, clock, days, **options):
    rule = TimeRule(datetime.fromisoformat(f"2020-01-01T{clock}"), f"FREQ=WEEKLY;BYDAY={days}")
    return TimedEvent(
        0, name, rule, Entry.CUT_IN, (PlayList("Tides"),), options=EventOptions(**options)
    )


@pytest.fixture
def events(qtbot, station, request):
    """The place Events over a weekly show, bells every hour, and a show that is switched off."""
    with LibraryTransaction(station) as library:
        make_list(library, "Tides", [1001, 1002, 1003])
        bells = TimeRule(datetime(2020, 1, 1, 6), "FREQ=DAILY", repeat=Repeat(3600, time(23)))
        save_events(
            library,
            [
                weekly("Harbour hour", "20:00", "TU", length_s=7200.0),
                TimedEvent(0, "Bell", bells, Entry.NEXT, (PlayItem(1009),)),
                replace(weekly("Dock talk", "10:00", "SA", length_s=3600.0), enabled=False),
            ],
        )
    made = request.getfixturevalue("window")
    qtbot.mouseClick(made.places["Events"], LEFT)
    place = made.events
    qtbot.waitUntil(lambda: place.sheet is not None and len(place.sheet.events) == 3, timeout=LONG)
    place.turn(0)
    made.activateWindow()
    return place


def stored(station, name):
    snapshot = open_station(station)
    found = [event for event in snapshot.programme.events if event.name == name]
    snapshot.connection.close()
    return found[0] if found else None


def wait_for(qtbot, station, name, what):
    def there():
        event = stored(station, name)
        return event is not None and what(event)

    qtbot.waitUntil(there, timeout=LONG)


def box_of(place, name, day):
    for one in place.week.days[day].boxes:
        if one.name == name:
            return one
    return None


def centre(place, name, day):
    return place.week.rect_of(box_of(place, name, day)).center()


def point_at(place, day, hours):
    """The point of a day's strip at so many hours after midnight."""
    shown = place.week.days[day]
    x = place.week._scale(shown).x(shown.start_us + round(hours * 3600 * US))
    return QPointF(x, place.week.strip(day).center().y())


def drag(qtbot, view, start, end, held=Qt.KeyboardModifier.NoModifier):
    start, end = start.toPoint(), end.toPoint()
    QTest.mousePress(view, LEFT, Qt.KeyboardModifier.NoModifier, start)
    for part in (0.3, 0.7, 1.0):
        at = start + QPoint(
            round((end.x() - start.x()) * part), round((end.y() - start.y()) * part)
        )
        QTest.mouseMove(view, at)
        qtbot.wait(15)
    QTest.mouseRelease(view, LEFT, held, end)


def start_hour(event):
    return event.rule.start.strftime("%H:%M")


def test_a_show_is_dragged_stretched_copied_and_all_of_it_taken_back(
    qtbot, events, station, request
):
    view = events.week
    grab = centre(events, "Harbour hour", 1)
    left = view.rect_of(box_of(events, "Harbour hour", 1)).left()
    # from Tuesday 20:00 to Thursday 18:30
    to = point_at(events, 3, 18.5) + QPointF(grab.x() - left, 0)
    drag(qtbot, view, grab, to)
    wait_for(qtbot, station, "Harbour hour", lambda e: start_hour(e) == "18:30")
    assert stored(station, "Harbour hour").rule.sentence() == "Every Thursday at 18:30"
    qtbot.waitUntil(lambda: box_of(events, "Harbour hour", 3) is not None, timeout=LONG)
    # its right edge an hour further
    rect = view.rect_of(box_of(events, "Harbour hour", 3))
    edge = QPointF(rect.right() - 2, rect.center().y())
    drag(qtbot, view, edge, QPointF(point_at(events, 3, 21.5).x(), edge.y()))
    wait_for(qtbot, station, "Harbour hour", lambda e: e.options.length_s == 3 * 3600.0)
    # with Ctrl onto Saturday at the same time: one event, two days
    qtbot.waitUntil(lambda: box_of(events, "Harbour hour", 3).length_s == 3 * 3600.0, timeout=LONG)
    grab = centre(events, "Harbour hour", 3)
    drag(qtbot, view, grab, QPointF(grab.x(), view.strip(5).center().y()), CTRL)
    wait_for(qtbot, station, "Harbour hour", lambda e: "SA" in e.rule.rrule)
    assert stored(station, "Harbour hour").rule.sentence() == "Every Thursday and Saturday at 18:30"
    made = request.getfixturevalue("window")
    for check in (
        lambda e: "SA" not in e.rule.rrule,
        lambda e: e.options.length_s == 7200.0,
        lambda e: start_hour(e) == "20:00" and e.rule.rrule.endswith("TU"),
    ):
        undo(qtbot, made)
        wait_for(qtbot, station, "Harbour hour", check)


def test_the_week_is_walked_moved_copied_switched_and_removed_by_keys(qtbot, events, station):
    view = events.week
    view.setFocus()
    qtbot.mouseClick(view, LEFT, pos=centre(events, "Harbour hour", 1).toPoint())
    assert events.panel.shown.name == "Harbour hour"
    assert "Tue" in view.accessibleDescription()
    assert "(evening)" in view.accessibleDescription()
    qtbot.keyClick(view, KEY.Key_Right, CTRL)
    wait_for(qtbot, station, "Harbour hour", lambda e: start_hour(e) == "20:05")
    qtbot.waitUntil(lambda: view.chosen() is not None, timeout=LONG)
    qtbot.keyClick(view, KEY.Key_Down, CTRL)
    wait_for(qtbot, station, "Harbour hour", lambda e: e.rule.rrule.endswith("WE"))
    qtbot.waitUntil(lambda: view.chosen() is not None, timeout=LONG)
    qtbot.keyClick(view, KEY.Key_Down, ALT)
    wait_for(qtbot, station, "Harbour hour", lambda e: e.rule.rrule.endswith("WE,TH"))
    qtbot.waitUntil(lambda: box_of(events, "Harbour hour", 3) is not None, timeout=LONG)
    qtbot.keyClick(view, KEY.Key_Space)
    wait_for(qtbot, station, "Harbour hour", lambda e: not e.enabled)
    qtbot.waitUntil(lambda: not box_of(events, "Harbour hour", 3).enabled, timeout=LONG)
    qtbot.keyClick(view, KEY.Key_Delete)
    qtbot.waitUntil(lambda: stored(station, "Harbour hour") is None, timeout=LONG)
    assert "Ctrl+Z brings it back" in events.note.text()
    # bells of every hour stand beside each other, none hidden
    bells = [box for box in view.days[0].boxes if box.name == "Bell"]
    assert len({view.rect_of(box).left() for box in bells}) == len(bells) == 17


def test_what_cannot_be_moved_says_why(qtbot, events, station):
    grab = centre(events, "Bell", 2)
    drag(qtbot, events.week, grab, QPointF(grab.x(), events.week.strip(4).center().y()))
    said = "“Bell” depends on more than the day of the week: change its days in the editor."
    qtbot.waitUntil(lambda: events.note.text() == said, timeout=LONG)
    assert stored(station, "Bell").rule.sentence() == "Every day, every 1 h from 06:00 to 23:00"


def test_an_event_is_made_from_a_template_with_its_firings_and_findings(
    qtbot, events, station, request
):
    made = request.getfixturevalue("window")
    panel, form = events.panel, events.panel.form
    events.make("Weekly show")
    assert form.name.text() == "New show"
    form.name.selectAll()
    qtbot.keyClicks(form.name, "Evening tide")
    rule = form.rule
    for button in rule.weekdays:
        button.setChecked(False)
    qtbot.mouseClick(rule.weekdays[4], LEFT)
    rule.fields["first"].clear()
    rule.fields["at"].selectAll()
    qtbot.keyClicks(rule.fields["at"], "7")
    qtbot.waitUntil(lambda: "07:00 (morning)" in panel.coming.text(), timeout=LONG)
    qtbot.waitUntil(lambda: "though its name says “Evening”" in panel.wrong.text(), timeout=LONG)
    assert panel.coming.text().count("\n") == 4
    assert all(line.startswith("Fri ") for line in panel.coming.text().splitlines())
    rule.fields["at"].selectAll()
    qtbot.keyClicks(rule.fields["at"], "25:00")
    assert "'25:00' is not a time of day" in panel.trouble.text()
    assert not panel.keep.isEnabled()
    rule.fields["at"].selectAll()
    qtbot.keyClicks(rule.fields["at"], "19:00")
    qtbot.waitUntil(lambda: "19:00 (evening)" in panel.coming.text(), timeout=LONG)
    assert panel.sentence.text().startswith("Every Friday at 19:00, land on time within 2 s: play")
    hidden = panel.wrong.isHidden
    qtbot.waitUntil(hidden, timeout=LONG)
    # a second step, put first, and a length too short for the list
    form.add_step("clear")
    form._shift(-1)
    assert form.steps.item(0).text() == "Clear what is lined up"
    form.options["length_s"].selectAll()
    qtbot.keyClicks(form.options["length_s"], "0.2")
    qtbot.waitUntil(lambda: "is too long for its 0:12" in panel.wrong.text(), timeout=LONG)
    made.activateWindow()
    form.name.setFocus()
    qtbot.keyClick(form.name, KEY.Key_S, CTRL)
    wait_for(qtbot, station, "Evening tide", lambda e: start_hour(e) == "19:00")
    kept = stored(station, "Evening tide")
    assert [step.code for step in kept.steps] == ["clear", "play list"]
    qtbot.waitUntil(lambda: panel.shown is not None and panel.shown.id == kept.id, timeout=LONG)
    undo(qtbot, made)
    qtbot.waitUntil(lambda: stored(station, "Evening tide") is None, timeout=LONG)


def test_the_list_finds_copies_and_shows_what_is_off(qtbot, events, station):
    qtbot.mouseClick(events.tabs["List"], LEFT)
    table = events.table
    names = [table.model().index(row, 1).data() for row in range(table.model().rowCount())]
    assert set(names) == {"Bell", "Harbour hour", "Dock talk"}
    assert names[-1] == "Dock talk"  # what never fires comes last
    qtbot.keyClicks(events.search, "dock")
    assert table.model().rowCount() == 1
    events.search.clear()
    row = next(r for r in range(3) if table.model().index(r, 1).data() == "Dock talk")
    table.selectRow(row)
    table.setCurrentIndex(table.model().index(row, 1))
    assert events.panel.shown.name == "Dock talk"
    table.setFocus()
    qtbot.keyClick(table, KEY.Key_C, CTRL)
    assert "Dock talk\tswitched off\tEvery Saturday at 10:00" in QGuiApplication.clipboard().text()
    qtbot.keyClick(table, KEY.Key_Space)
    wait_for(qtbot, station, "Dock talk", lambda e: e.enabled)


def test_weeks_turn_and_a_long_day_is_longer(qtbot, events):
    view = events.week
    first = view.days[0].day
    assert first == MONDAY
    view.setFocus()
    qtbot.keyClick(view, KEY.Key_PageDown)
    qtbot.waitUntil(lambda: view.days[0].day == MONDAY + timedelta(days=7), timeout=LONG)
    events._monday = date(2026, 10, 19)  # Lisbon's clocks go back on the 25th
    events.refresh()
    qtbot.waitUntil(lambda: view.days[0].day == date(2026, 10, 19), timeout=LONG)
    saturday, sunday = view.days[5], view.days[6]
    scale = view._scale(sunday)
    assert sunday.end_us - sunday.start_us == 25 * 3600 * US
    assert scale.us_per_px == view._scale(saturday).us_per_px
    bells = [local_from(box.at_us, TZ).hour for box in sunday.boxes if box.name == "Bell"]
    assert bells == list(range(6, 23))


def test_what_is_being_edited_is_not_lost(qtbot, events):
    events.choose(next(e.id for e in events.sheet.events if e.name == "Bell"))
    events.panel.form.priority.setText("3")
    assert events.panel.dirty()
    qtbot.mouseClick(events.week, LEFT, pos=centre(events, "Harbour hour", 1).toPoint())
    assert events.panel.shown.name == "Bell"
    assert "save or discard that first" in events.note.text()
    qtbot.mouseClick(events.panel.discard, LEFT)
    qtbot.mouseClick(events.week, LEFT, pos=centre(events, "Harbour hour", 1).toPoint())
    assert events.panel.shown.name == "Harbour hour"
    events.panel.fire.click()
    assert "The engine is off" in events.note.text()
