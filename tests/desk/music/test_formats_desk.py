"""The place Formats at the desk, driven as a person does: clocks, week, calendar, made logs."""

import argparse
import csv
import io
import shutil
import sqlite3
from contextlib import closing
from datetime import date, timedelta

import pytest
from conftest import LONG

pytest.importorskip("PySide6")

import test_desk
import test_formats
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from test_campaigns_desk import pull, redo, typed
from test_library_desk import undo

from nightly_spindle.cli.main import main
from nightly_spindle.core.music.format_clocks import SlotKind
from nightly_spindle.core.music.made_logs import Mode

LEFT, NONE = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
SHIFT = Qt.KeyboardModifier.ShiftModifier
window, built_songs = test_desk.window, test_formats.built_songs


class Unheard:
    """What commands print here is of no interest."""

    @staticmethod
    def readouterr():
        return argparse.Namespace(out="", err="")


@pytest.fixture(scope="module")
def programmed(built_songs, tmp_path_factory):
    """The station of 240 songs, with two clocks and two day plans."""
    folder = shutil.copytree(built_songs, tmp_path_factory.mktemp("programmed") / "pier")
    test_formats.programmed(Unheard, folder)
    for plan in ("Quiet", "Feast"):
        assert main(["formats", "day", str(folder), plan, "--hours", "6-9=Night"]) == 0
    assert main(["formats", "week", str(folder), ""]) == 0  # the week is empty again
    return folder


@pytest.fixture
def station(programmed, tmp_path):
    return shutil.copytree(programmed, tmp_path / "pier")


def rows(folder, query):
    with closing(sqlite3.connect(folder / "station.db")) as connection:
        return connection.execute(query).fetchall()


def opened(qtbot, window, page):
    window.activateWindow()
    qtbot.mouseClick(window.places["Formats"], LEFT)
    place = window.formats
    qtbot.waitUntil(lambda: place.sheet is not None, timeout=LONG)
    qtbot.mouseClick(place.tabs[page], LEFT)
    return place


def settled(qtbot, place, ready):
    """What was edited is there, and was read again."""
    qtbot.waitUntil(lambda: ready(place.sheet), timeout=LONG)


def week(folder):
    return dict(rows(folder, "SELECT id, clock_id FROM week_hour"))


def test_the_week_is_painted_with_the_mouse_and_by_keyboard(qtbot, window, station):
    place = opened(qtbot, window, "Week")
    page = place.week
    qtbot.waitUntil(lambda: page.clocks.count() == 3, timeout=LONG)
    page.clocks.setCurrentRow(1)  # Night
    begin, end = page.week.box(0, 22).center(), page.week.box(3, 23).center()
    pull(page.week, begin, end)
    expected = {day * 24 + hour: 2 for day in range(4) for hour in (22, 23)}
    qtbot.waitUntil(lambda: week(station) == expected, timeout=LONG)
    settled(qtbot, place, lambda sheet: sheet.formats.plans.week[22] == 2)
    # by keyboard: from where the pull ended, to the right and down
    page.clocks.setCurrentRow(0)
    page.week.setFocus()
    qtbot.keyClick(page.week, Qt.Key.Key_Right)
    qtbot.keyClick(page.week, Qt.Key.Key_Space)
    qtbot.waitUntil(lambda: week(station).get(4 * 24 + 23) == 1, timeout=LONG)
    qtbot.keyClick(page.week, Qt.Key.Key_Up, SHIFT)
    qtbot.waitUntil(lambda: week(station).get(4 * 24 + 22) == 1, timeout=LONG)
    qtbot.keyClick(page.week, Qt.Key.Key_Delete)
    qtbot.waitUntil(lambda: 4 * 24 + 22 not in week(station), timeout=LONG)
    qtbot.mouseClick(page.quick["Weekend"], LEFT)
    qtbot.waitUntil(lambda: len(week(station)) == 8 + 1 + 48, timeout=LONG)
    assert "planned" in page.told.text()
    for left in (8 + 1, 8 + 2, 8 + 1, 8, 0):
        undo(qtbot, window)
        qtbot.waitUntil(lambda left=left: len(week(station)) == left, timeout=LONG)
    redo(qtbot, window)
    qtbot.waitUntil(lambda: week(station) == expected, timeout=LONG)


def calendar(folder):
    found = rows(folder, "SELECT id, plan_id FROM calendar_day")
    return {date(1970, 1, 1) + timedelta(days=day): plan for day, plan in found}


def test_day_plans_are_pulled_onto_the_calendar_across_several_days(qtbot, window, station):
    place = opened(qtbot, window, "Days")
    board = place.days.calendar
    qtbot.waitUntil(lambda: len(board.plans.days) == 2, timeout=LONG)
    chips = dict(board.chips())
    first = board.first + timedelta(days=9)  # a Wednesday, next week
    last = first + timedelta(days=5)  # over the edge of the week
    QTest.mousePress(board, LEFT, NONE, chips[2].center())
    for day in (first, first + timedelta(days=3), last):
        QTest.mouseMove(board, board.cell(day).center())
        QTest.qWait(15)
    QTest.mouseRelease(board, LEFT, NONE, board.cell(last).center())
    # a chip lands on the day that it is let go over, whatever it came across
    qtbot.waitUntil(lambda: calendar(station) == {last: 2}, timeout=LONG)
    settled(qtbot, place, lambda sheet: len(sheet.formats.plans.calendar) == 1)
    # let go beside the days it lands nowhere
    QTest.mousePress(board, LEFT, NONE, chips[2].center())
    QTest.mouseMove(board, board.cell(first).center())
    QTest.mouseRelease(board, LEFT, NONE, QPoint(5, -20))
    # from that day, pulled across others, they get it too
    pull(board, board.cell(last).center(), board.cell(first).center())
    expected = {first + timedelta(days=n): 2 for n in range(6)}
    qtbot.waitUntil(lambda: calendar(station) == expected, timeout=LONG)
    settled(qtbot, place, lambda sheet: len(sheet.formats.plans.calendar) == 6)
    # a day that has a plan, pulled across others, gives them its own
    pull(board, board.cell(last).center(), board.cell(last + timedelta(days=1)).center())
    qtbot.waitUntil(lambda: calendar(station).get(last + timedelta(days=1)) == 2, timeout=LONG)
    settled(qtbot, place, lambda sheet: len(sheet.formats.plans.calendar) == 7)
    # by keyboard: the chosen day gets the first plan, then none
    qtbot.mouseClick(board, LEFT, NONE, board.cell(first).center())
    assert "by the calendar" in place.days.gets.text()
    qtbot.keyClick(board, Qt.Key.Key_1)
    qtbot.waitUntil(lambda: calendar(station)[first] == 1, timeout=LONG)
    settled(qtbot, place, lambda sheet: sheet.formats.plans.calendar[first] == 1)
    qtbot.keyClick(board, Qt.Key.Key_Delete)
    qtbot.waitUntil(lambda: first not in calendar(station), timeout=LONG)
    for _ in range(5):
        before = calendar(station)
        undo(qtbot, window)
        qtbot.waitUntil(lambda before=before: calendar(station) != before, timeout=LONG)
    qtbot.waitUntil(lambda: calendar(station) == {}, timeout=LONG)


def test_a_day_plan_is_typed_painted_and_a_circle_refused(qtbot, window, station):
    place = opened(qtbot, window, "Days")
    page, form = place.days, place.days.day_form
    qtbot.waitUntil(lambda: page.shown is not None, timeout=LONG)
    qtbot.mouseClick(page.new, LEFT)
    typed(qtbot, form.name, "Regatta")
    typed(qtbot, form.shows, "20:00 12")
    form.clocks.setCurrentRow(0)
    qtbot.wait(100)  # what is said below the form takes its room
    # rows go from the broadcast day's start on, which is another with the hour of this run
    pull(form.hours, form.hours.box(0, 2).center(), form.hours.box(0, 4).center())
    given = {(form.hours.first + row) % 24 for row in (2, 3, 4)}
    assert [hour for hour in range(24) if form.hours.hours[hour] == 1] == sorted(given)
    qtbot.keyClick(page, Qt.Key.Key_S, Qt.KeyboardModifier.ControlModifier)
    settled(qtbot, place, lambda sheet: 3 in sheet.formats.plans.days)
    assert place.sheet.formats.plans.days[3].shows[0].cart == 12
    # Quiet goes by Regatta; Regatta by Quiet would be a circle
    with_base = form.options.fields["base"]
    page.show_one(place.sheet.formats.plans.days[1])
    with_base.setCurrentIndex(with_base.findData(3))
    with_base.activated.emit(with_base.currentIndex())
    page.save()
    settled(qtbot, place, lambda sheet: sheet.formats.plans.days[1].base == 3)
    page.show_one(place.sheet.formats.plans.days[3])
    with_base.setCurrentIndex(with_base.findData(1))
    with_base.activated.emit(with_base.currentIndex())
    assert "circle" in page.trouble.text()
    assert not page.keep.isEnabled()


def test_a_clock_is_built_slot_by_slot_and_shown_to_scale(qtbot, window, station):
    place = opened(qtbot, window, "Clocks")
    page, form = place.clocks, place.clocks.clock_form
    qtbot.waitUntil(lambda: page.shown is not None and page._trial is not None, timeout=LONG)
    blocks = len(page.line._planned.night.blocks)
    assert blocks >= 3
    qtbot.mouseClick(page.new, LEFT)
    typed(qtbot, form.name, "Morning")
    for kind, what, at in (
        (SlotKind.CATEGORY, "Fresh", ""),
        (SlotKind.MARK, "Half past", "30:00"),
        (SlotKind.MUSIC, "", ""),
    ):
        form.kind.setCurrentIndex(form.kind.findData(kind))
        if what:
            typed(qtbot, form.what.lineEdit(), what)
        if at:
            typed(qtbot, form.at, at)
        qtbot.mouseClick(form.add, LEFT)
    assert [slot.text for slot in form.typed().slots] == [
        "category Fresh",
        "mark 30:00 Half past",
        "music",
    ]
    form.slots.choose(0)
    qtbot.keyClick(form.slots, Qt.Key.Key_Down, Qt.KeyboardModifier.ControlModifier)
    assert form.typed().slots[1].text == "category Fresh"
    typed(qtbot, form.weights, "Standards 0")
    assert "all zero" in page.trouble.text()
    typed(qtbot, form.weights, "Standards 60, Fresh 40")
    qtbot.mouseClick(page.keep, LEFT)
    settled(
        qtbot, place, lambda sheet: any(c.name == "Morning" for c in sheet.formats.clocks.values())
    )
    qtbot.waitUntil(lambda: "The strip runs" in page.runs.text(), timeout=LONG)
    undo(qtbot, window)
    settled(qtbot, place, lambda sheet: len(sheet.formats.clocks) == 2)
    # one that is used is not removed
    assert main(["formats", "week", str(station), "mon", "Day"]) == 0
    place.refresh()
    settled(qtbot, place, lambda sheet: sheet.formats.plans.week[3] == 1)
    page.show_one(place.sheet.formats.clocks[1])
    qtbot.mouseClick(page.remove, LEFT)
    qtbot.waitUntil(lambda: "is used: 24 h of the week plan" in place.note.text(), timeout=LONG)
    assert len(rows(station, "SELECT id FROM format_clock")) == 2


@pytest.fixture
def planned(station):
    """Every hour of the week has the clock Day."""
    assert main(["formats", "week", str(station), "", "Day"]) == 0
    return station


def made(folder):
    return len(rows(folder, "SELECT id FROM made_hour"))


def test_a_day_is_made_a_line_replaced_moved_and_taken_back(qtbot, window, planned, tmp_path):
    place = opened(qtbot, window, "Schedule")
    page = place.made
    qtbot.mouseClick(page.later, LEFT)
    qtbot.waitUntil(lambda: len(page.table.rows) == 24, timeout=LONG)
    qtbot.mouseClick(page.one, LEFT)
    qtbot.waitUntil(lambda: made(planned) == 24, timeout=LONG)
    qtbot.waitUntil(lambda: len(page.table.rows) > 350, timeout=LONG)
    assert "24 hours made" in place.note.text()
    page.table.setCurrentIndex(page.table.cells.index(5, 1))
    row = page.chosen()
    qtbot.waitUntil(lambda: len(page.fits.rows) > 5, timeout=LONG)
    other = next(
        n for n, one in enumerate(page.fits.rows) if one.item.cart != row.line.cart and not one.firm
    )
    page.fits.choose(other)
    cart = page.fits.rows[other].item.cart

    def cart_of(place_):
        line = page.table.rows[place_].line
        return line.cart if line else 0

    qtbot.mouseClick(page.use, LEFT)
    qtbot.waitUntil(lambda: cart_of(5) == cart, timeout=LONG)
    assert page.table.rows[5].line.by_hand
    assert "the hour lands" in page.cost.text()
    # pulled two lines down; what it costs is told on the way
    view = page.table
    begin = view.visualRect(view.cells.index(5, 1)).center()
    end = view.visualRect(view.cells.index(7, 1)).center()
    page.cost.clear()
    QTest.mousePress(view.viewport(), LEFT, NONE, begin)
    for part in (QPoint(0, 12), end - begin):
        QTest.mouseMove(view.viewport(), begin + part)
        QTest.qWait(30)
    qtbot.waitUntil(lambda: page.cost.text().startswith("Here: the hour lands"), timeout=LONG)
    QTest.mouseRelease(view.viewport(), LEFT, NONE, end)
    qtbot.waitUntil(lambda: cart_of(7) == cart, timeout=LONG)
    page.table.setCurrentIndex(page.table.cells.index(7, 1))
    before = len(page.table.rows)
    qtbot.keyClick(page.table, Qt.Key.Key_Delete)
    qtbot.waitUntil(lambda: len(page.table.rows) == before - 1, timeout=LONG)
    undo(qtbot, window)
    qtbot.waitUntil(lambda: len(page.table.rows) == before, timeout=LONG)
    undo(qtbot, window)
    qtbot.waitUntil(lambda: cart_of(5) == cart, timeout=LONG)
    undo(qtbot, window)
    qtbot.waitUntil(lambda: cart_of(5) == row.line.cart, timeout=LONG)
    out = tmp_path / "day.csv"
    page.write_file(out)
    qtbot.waitUntil(lambda: "lines written" in place.note.text(), timeout=LONG)
    assert len(list(csv.DictReader(io.StringIO(out.read_text())))) == before - 24
    page.write_file(tmp_path / "day.pdf")
    assert "must end in" in place.note.text()
    qtbot.mouseClick(page.clear, LEFT)
    qtbot.waitUntil(lambda: made(planned) == 0, timeout=LONG)
    undo(qtbot, window)
    qtbot.waitUntil(lambda: made(planned) == 24, timeout=LONG)
    undo(qtbot, window)  # the making itself
    qtbot.waitUntil(lambda: made(planned) == 0, timeout=LONG)


def test_making_can_be_stopped_and_changes_nothing_then(qtbot, window, planned):
    place = opened(qtbot, window, "Schedule")
    page = place.made
    page.mode.setCurrentIndex(page.mode.findData(Mode.ANEW))
    qtbot.mouseClick(page.month, LEFT)
    qtbot.waitUntil(page.stop.isVisible, timeout=LONG)
    qtbot.waitUntil(
        lambda: page.progress.maximum() > 100 and page.progress.value() > 3, timeout=LONG
    )
    qtbot.mouseClick(page.stop, LEFT)
    qtbot.waitUntil(lambda: "nothing was changed" in place.note.text(), timeout=LONG)
    assert made(planned) == 0
    assert not page.progress.isVisible()


def test_rules_turns_and_cards_are_kept_and_taken_back(qtbot, window, planned):
    place = opened(qtbot, window, "Rules")
    page = place.rules
    qtbot.waitUntil(lambda: len(page.table.rows) == 3, timeout=LONG)
    qtbot.mouseClick(page.new, LEFT)
    fields = page.rule_form.fields.fields
    fields["kind"].setCurrentIndex(fields["kind"].findData("in a row"))
    fields["kind"].activated.emit(fields["kind"].currentIndex())
    assert "It needs a trait" in page.trouble.text()
    typed(qtbot, fields["trait"], "tempo=slow")
    typed(qtbot, fields["amount"], "2")
    assert page.sentence.text() == "No more than 2 in a row with tempo slow (preferred, weight 1)."
    qtbot.mouseClick(page.keep, LEFT)
    settled(qtbot, place, lambda sheet: len(sheet.formats.rules) == 4)
    undo(qtbot, window)
    settled(qtbot, place, lambda sheet: len(sheet.formats.rules) == 3)
    page.categories.setCurrentIndex(page.categories.cells.index(1, 0))
    page.turn.setCurrentIndex(1)
    page.turn.activated.emit(1)
    turns = "SELECT turn FROM category WHERE name = 'Standards'"
    qtbot.waitUntil(lambda: rows(planned, turns) == [("shuffled",)], timeout=LONG)
    undo(qtbot, window)
    qtbot.waitUntil(lambda: rows(planned, turns) == [("oldest first",)], timeout=LONG)
    qtbot.mouseClick(place.tabs["Rotation report"], LEFT)
    uses = place.uses
    qtbot.waitUntil(lambda: len(uses.items.rows) == 240, timeout=LONG)
    assert "240 items never" in uses.whole.text()
    cart = uses._use().item.cart
    typed(qtbot, uses.card.fields["traits"], "slow")
    assert "is not a valid trait" in uses.trouble.text()
    typed(qtbot, uses.card.fields["traits"], "tempo=slow")
    typed(qtbot, uses.card.fields["rest_h"], "30")
    qtbot.mouseClick(uses.keep, LEFT)
    card = f"SELECT turn FROM item WHERE cart = {cart}"
    qtbot.waitUntil(lambda: "tempo=slow" in rows(planned, card)[0][0], timeout=LONG)
    undo(qtbot, window)
    qtbot.waitUntil(lambda: rows(planned, card) == [("",)], timeout=LONG)
