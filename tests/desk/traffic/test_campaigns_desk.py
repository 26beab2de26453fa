"""The place Campaigns at the desk, driven as a person does: hours, spots, breaks, reports."""

import csv
import io
import shutil
import time
from datetime import UTC, datetime, timedelta

import pytest
from conftest import LONG

pytest.importorskip("PySide6")

import test_desk
from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QGuiApplication
from PySide6.QtTest import QTest
from test_campaign_week import Life
from test_library_desk import dragged, drop, undo
from test_spots_heard import selling as selling_

from nightly_spindle.core.base.timebase import US
from nightly_spindle.core.calendar.week_grid import grid_from
from nightly_spindle.core.traffic.break_patterns import BreakOptions, BreakPattern
from nightly_spindle.core.traffic.campaigns import Campaign, CampaignOptions, Per
from nightly_spindle.store.base.station_folder import read_settings
from nightly_spindle.store.base.transaction import LibraryTransaction
from nightly_spindle.store.programme.snapshot import open_station
from nightly_spindle.store.traffic.campaigns import (
    placed_rows,
    put_placed,
    restore_campaigns,
    save_break,
    save_campaigns,
)

LEFT, NONE, CTRL = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, Qt.Key.Key_Control
window, selling = test_desk.window, selling_
TODAY = datetime.fromtimestamp(time.time(), UTC).date()


@pytest.fixture
def station(selling, tmp_path):
    """Six spots, breaks every ten minutes with one seat, one order for the coming weeks."""
    folder = shutil.copytree(selling, tmp_path / "pier")
    with LibraryTransaction(folder) as library:
        copies = open_station(folder).programme.spots.campaigns[1].copies
        restore_campaigns(library, {n: [] for n in range(1, 7)})
        save_break(
            library,
            BreakPattern(1, "Tens", BreakOptions(minutes="5, 15, 25, 35, 45, 55", spots=2.0), 1),
        )
        options = CampaignOptions(
            advertiser="Harbour Bakery",
            amount=1.0,
            per=Per.HOUR,
            apart_s=600.0,
            hours="00-24",
            first=str(TODAY - timedelta(days=1)),
            last=str(TODAY + timedelta(days=9)),
        )
        save_campaigns(library, [Campaign(0, "Rolls", copies, options)])
    return folder


def spots(folder):
    snapshot = open_station(folder)
    found = snapshot.programme.spots
    snapshot.connection.close()
    return found


def opened(qtbot, window, page="Orders"):
    window.activateWindow()
    qtbot.mouseClick(window.places["Campaigns"], LEFT)
    place = window.campaigns
    qtbot.waitUntil(lambda: place.sheet is not None and place.sheet.made_us > 0, timeout=LONG)
    settled(qtbot, place)
    qtbot.mouseClick(place.tabs[page], LEFT)
    return place


def settled(qtbot, place):
    """What was edited is placed, and read again."""
    qtbot.waitUntil(lambda: not place.placer.busy and not place._edited, timeout=LONG)
    qtbot.wait(300)
    qtbot.waitUntil(lambda: not place.placer.busy, timeout=LONG)


def redo(qtbot, window):
    window.activateWindow()
    both = Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier
    qtbot.keyClick(window, Qt.Key.Key_Z, both)


def typed(qtbot, field, text):
    field.setFocus()
    field.selectAll()
    qtbot.keyClicks(field, text)
    qtbot.keyClick(field, Qt.Key.Key_Tab)


def pull(widget, begin, end):
    QTest.mousePress(widget, LEFT, NONE, begin)
    for part in (0.2, 0.6, 1.0):
        QTest.mouseMove(widget, begin + (end - begin) * part)
        QTest.qWait(15)
    QTest.mouseRelease(widget, LEFT, NONE, end)


def test_an_order_is_written_its_hours_painted_kept_placed_and_taken_back(qtbot, window, station):
    place = opened(qtbot, window)
    page, editor = place.orders, place.orders.editor
    assert len(page.table.rows) == 1
    assert not page.keep.isEnabled()  # what was only looked at was not changed
    qtbot.mouseClick(page.new, LEFT)
    typed(qtbot, editor.name, "Oysters")
    typed(qtbot, editor.what.fields["advertiser"], "Lowtide")
    typed(qtbot, editor.what.fields["amount"], "3")
    assert "Lowtide: 3 a day, at any hour" in page.sentence.text()
    assert "It has no audio yet." in page.sentence.text()

    # hours: Monday to Wednesday 06 to 10 with the mouse, one hour away again, weekends added
    qtbot.mouseClick(editor.tabs["When"], LEFT)
    hours = editor.hours
    qtbot.mouseClick(hours.buttons["Clear"], LEFT)
    painter = hours.painter_
    pull(painter, painter.cell(0, 6).center(), painter.cell(2, 9).center())
    assert hours.grid == grid_from("mon-wed 06-10")
    qtbot.mouseClick(painter, LEFT, pos=painter.cell(1, 7).center())
    assert hours.grid == grid_from("mon, wed 06-10; tue 06-07, 08-10")
    painter.setFocus()
    qtbot.keyClick(painter, Qt.Key.Key_Space)  # the hour that was cleared, back by key
    assert hours.grid == grid_from("mon-wed 06-10")
    qtbot.mouseClick(hours.buttons["Weekend"], LEFT)
    assert hours.grid == grid_from("mon-wed 06-10; sat-sun")
    assert "every Saturday and Sunday" in page.sentence.text()
    typed(qtbot, editor.when.fields["last"], "tomorrow")
    assert "'tomorrow' is not a valid date" in page.trouble.text()
    assert not page.keep.isEnabled()
    typed(qtbot, editor.when.fields["last"], str(TODAY + timedelta(days=13)))

    # its audio, from what the library has
    qtbot.mouseClick(editor.tabs["Audio"], LEFT)
    qtbot.keyClicks(editor.able.lineEdit(), "Spot 2")
    qtbot.keyClick(editor.able.lineEdit(), Qt.Key.Key_Return)
    assert len(editor.copies.rows) == 1
    qtbot.keyClick(page, Qt.Key.Key_S, Qt.KeyboardModifier.ControlModifier)
    qtbot.waitUntil(lambda: len(spots(station).campaigns) == 2, timeout=LONG)
    made = next(c for c in spots(station).campaigns.values() if c.name == "Oysters")
    assert (made.options.hours, made.options.amount) == ("mon-wed 06-10; sat, sun", 3.0)
    qtbot.waitUntil(
        lambda: any(b.campaign == made.id for b in spots(station).bookings), timeout=LONG
    )
    for booking in spots(station).bookings:
        if booking.campaign == made.id:
            local = datetime.fromtimestamp(booking.at_us / US, place.sheet.tz)
            assert local.weekday() * 24 + local.hour in made.grid
    settled(qtbot, place)
    qtbot.waitUntil(lambda: len(page.table.rows) == 2, timeout=LONG)
    undo(qtbot, window)
    qtbot.waitUntil(lambda: len(spots(station).campaigns) == 1, timeout=LONG)
    qtbot.waitUntil(
        lambda: all(b.campaign != made.id for b in spots(station).bookings), timeout=LONG
    )
    redo(qtbot, window)
    qtbot.waitUntil(lambda: len(spots(station).campaigns) == 2, timeout=LONG)
    settled(qtbot, place)


def test_a_spot_is_pulled_to_another_break_let_go_and_all_is_taken_back(qtbot, window, station):
    place = opened(qtbot, window, "Week")
    page, week = place.week, place.week.week
    qtbot.mouseClick(page.on, LEFT)  # the days from next week on: none of them is about to air
    booking = next(b for b in place.sheet.bookings if not week.box(b.key).isNull())
    to = next(
        p.key
        for p in week.breaks
        if p.day == week.first + 2 and not place.sheet.by_break.get(p.key)
    )
    qtbot.mouseClick(week, LEFT, pos=week.box(booking.key).center().toPoint())
    assert len(page.spots.rows) == 1
    page.spots.setFocus()
    qtbot.mouseClick(page.spots.viewport(), LEFT, pos=QPoint(40, 10))
    assert week.hand == booking.campaign
    pull(week, week.box(booking.key).center().toPoint(), week.box(to).center().toPoint())
    qtbot.waitUntil(lambda: to in spots(station).campaigns[booking.campaign].pins, timeout=LONG)
    settled(qtbot, place)
    plan = spots(station)
    assert [b.fixed for b in plan.by_break[to]] == [True]
    # the order still has one spot in that hour and day, or more by hand: nothing is lost
    assert sum(b.campaign == booking.campaign for b in plan.bookings) >= len(place.sheet.bookings)

    # by keyboard: one break further, when the desk shows where it lies now
    qtbot.waitUntil(lambda: to in place.sheet.by_break and len(page.spots.rows) == 1, timeout=LONG)
    week.setFocus()
    # up or down: the spot of the hour beside may stand in the one or the other
    key = next(
        key
        for key in (Qt.Key.Key_Down, Qt.Key.Key_Up)
        if not place.sheet.by_break.get(week.beside(key))
    )
    after = week.beside(key)
    qtbot.keyClick(week, key, Qt.KeyboardModifier.ControlModifier)
    qtbot.waitUntil(lambda: after in spots(station).campaigns[booking.campaign].pins, timeout=LONG)
    settled(qtbot, place)
    qtbot.waitUntil(lambda: len(page.spots.rows) == 1, timeout=LONG)
    qtbot.waitUntil(lambda: after in place.sheet.by_break, timeout=LONG)
    qtbot.mouseClick(page.spots.viewport(), LEFT, pos=QPoint(40, 10))
    qtbot.waitUntil(page.loosen.isEnabled, timeout=LONG)
    qtbot.mouseClick(page.loosen, LEFT)
    qtbot.waitUntil(lambda: not spots(station).campaigns[booking.campaign].pins, timeout=LONG)
    settled(qtbot, place)
    # one more of the campaign, into a break that has none of it
    week.choose(to)
    qtbot.waitUntil(lambda: to not in place.sheet.by_break and page.put.isEnabled(), timeout=LONG)
    qtbot.mouseClick(page.put, LEFT)
    qtbot.waitUntil(lambda: spots(station).campaigns[booking.campaign].pins == (to,), timeout=LONG)
    settled(qtbot, place)
    for _ in range(4):
        undo(qtbot, window)
    qtbot.waitUntil(lambda: not spots(station).campaigns[booking.campaign].pins, timeout=LONG)
    settled(qtbot, place)
    assert booking.key in {b.key for b in spots(station).bookings}


def test_all_is_placed_anew_and_put_back_and_items_are_dragged_onto_an_order(
    qtbot, window, station
):
    place = opened(qtbot, window)
    ten = 600 * US
    with LibraryTransaction(
        station
    ) as library:  # as an earlier placing may have left it: ten minutes later
        rows, made = placed_rows(library)
        taken = {row["at_us"] for row in rows}
        later = [
            {**row, "at_us": row["at_us"] + ten}
            if row["at_us"] // (60 * US) % 60 < 50 and row["at_us"] + ten not in taken
            else row
            for row in rows
        ]
        put_placed(library, (later, made))
    was = [booking.key for booking in spots(station).bookings]
    qtbot.mouseClick(place.anew, LEFT)
    qtbot.waitUntil(
        lambda: len(set(was) - {b.key for b in spots(station).bookings}) > len(was) // 2,
        timeout=LONG,
    )
    settled(qtbot, place)
    undo(qtbot, window)
    qtbot.waitUntil(lambda: set(was) <= {b.key for b in spots(station).bookings}, timeout=LONG)
    settled(qtbot, place)
    cart = spots(station).campaigns[next(iter(spots(station).campaigns))].carts[0]
    editor = place.orders.editor
    drop(editor, dragged(cart, cart + 1))
    assert len(editor.copies.rows) == 2  # one of the two was there
    assert place.orders.keep.isEnabled()
    qtbot.mouseClick(place.orders.discard, LEFT)
    assert len(editor.copies.rows) == 1


def test_a_break_is_made_by_hand_and_a_wrong_one_is_refused(qtbot, window, station):
    place = opened(qtbot, window, "Breaks")
    page, editor = place.breaks, place.breaks.editor
    qtbot.keyClick(window, Qt.Key.Key_N, Qt.KeyboardModifier.ControlModifier)
    qtbot.waitUntil(lambda: page.shown is not None and not page.shown.id, timeout=LONG)
    typed(qtbot, editor.name, "Half hours")
    typed(qtbot, editor.form.fields["minutes"], "30, 75")
    assert "'75' is not a valid minute of an hour" in page.trouble.text()
    typed(qtbot, editor.form.fields["minutes"], "30")
    assert page.sentence.text().startswith("At :30 of every hour: a break with room for 4 spots.")
    qtbot.mouseClick(page.keep, LEFT)
    qtbot.waitUntil(lambda: len(spots(station).patterns) == 2, timeout=LONG)
    settled(qtbot, place)
    undo(qtbot, window)
    qtbot.waitUntil(lambda: len(spots(station).patterns) == 1, timeout=LONG)
    settled(qtbot, place)


def test_what_counts_is_set_for_the_station_and_taken_back(qtbot, window, station):
    place = opened(qtbot, window, "Rules")
    page = place.rules
    assert "heard in full" in page.sentence.text()
    typed(qtbot, page.form.fields["counts_from"], "90")
    assert "to 90 % or more" in page.sentence.text()
    qtbot.mouseClick(page.keep, LEFT)
    qtbot.waitUntil(lambda: read_settings(station).spots.counts_from == 90.0, timeout=LONG)
    settled(qtbot, place)
    undo(qtbot, window)
    qtbot.waitUntil(lambda: read_settings(station).spots.counts_from == 100.0, timeout=LONG)
    settled(qtbot, place)


def test_the_proof_of_play_is_read_copied_and_saved(qtbot, window, station, tmp_path):
    now = time.time_ns() // 1000
    life = Life(station)
    life.start(now - 4 * 3600 * US)
    life.place()
    life.run(now - 60 * US)
    life.kill()
    place = opened(qtbot, window, "Reports")
    page = place.reports
    typed(qtbot, page.from_, str(TODAY - timedelta(days=1)))
    typed(qtbot, page.to, str(TODAY + timedelta(days=1)))
    qtbot.waitUntil(lambda: len(page.proofs.rows) > 2, timeout=LONG)
    counted = [row for row in page.report.proofs if row.counts]
    (total,) = page.report.totals
    assert total.standing.aired == len(counted) >= 3
    assert f"{total.standing.aired} of {total.standing.of} spots aired" in page.summary.text()
    qtbot.mouseClick(page.copy_, LEFT)
    text = QGuiApplication.clipboard().text()
    assert text.splitlines()[0] == "Pier"
    assert f"{total.standing.aired} of {total.standing.of} spots aired" in text
    page.save_to(tmp_path / "proof.csv")
    rows = list(csv.DictReader(io.StringIO((tmp_path / "proof.csv").read_bytes().decode())))
    assert [row["counts"] for row in rows].count("yes") == total.standing.aired
    assert rows[0]["file"].endswith(".wav")
    assert all(row["break_or_show"] and row["planned"] for row in rows if row["counts"] == "yes")
    page.save_to(tmp_path / "proof.pdf")
    made = (tmp_path / "proof.pdf").read_bytes()
    assert made.startswith(b"%PDF")
    assert len(made) > 5000
    page.save_to(tmp_path / "nowhere" / "proof.pdf")
    assert "cannot be written: No such file or directory" in place.note.text()
    # before: what is going to air
    page.what.setCurrentIndex(1)
    page.what.activated.emit(1)
    # the day's log brings spots of its own: what is placed begins after it
    typed(qtbot, page.to, str(TODAY + timedelta(days=9)))
    qtbot.waitUntil(lambda: len(page.plans.rows) > 10, timeout=LONG)
    assert "Rolls" in page.as_text()
    typed(qtbot, page.from_, "2026-99-01")
    assert "'2026-99-01' is not a valid date" in place.note.text()


def test_orders_come_in_as_a_table_and_go_again(qtbot, window, station, tmp_path):
    place = opened(qtbot, window)
    table = tmp_path / "orders.csv"
    table.write_text("campaign,advertiser,amount,per\nA,Firm,2,a day\nB,Firm,9,a week\n")
    place.take_table(table)
    qtbot.waitUntil(lambda: len(spots(station).campaigns) == 3, timeout=LONG)
    settled(qtbot, place)
    qtbot.waitUntil(lambda: "has no audio" in place.worst.text(), timeout=LONG)
    table.write_text("campaign,amount\nA,lots\n")
    place.take_table(table)
    assert "line 2: setting campaign.amount is 'lots'" in place.note.text()
    undo(qtbot, window)
    qtbot.waitUntil(lambda: len(spots(station).campaigns) == 1, timeout=LONG)
    settled(qtbot, place)
