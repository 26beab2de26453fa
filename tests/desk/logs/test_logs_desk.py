"""The place Logs at the desk, driven as a person does: real windows, real clicks and keys."""

import os
from datetime import date, timedelta

import pytest
from conftest import LONG, day_slot, song_names, write_log

pytest.importorskip("PySide6")

from PySide6.QtCore import QPoint, Qt
from PySide6.QtWidgets import QComboBox
from test_library_desk import click_row, dragged, drop, undo, window  # noqa: F401

from nightly_spindle.desk.logs.log_table import needs_settling
from nightly_spindle.store.programme.snapshot import open_station

KEY, CTRL = Qt.Key, Qt.KeyboardModifier.ControlModifier
TOMORROW = date.today() + timedelta(days=1)


@pytest.fixture
def logs(qtbot, station, request):
    """The place Logs over a log for tomorrow with a slip, a break and a line nobody has."""
    names = song_names(station)
    path = write_log(station, TOMORROW, names[:4])
    said = "#EXTINF:9,Keper 4 - Lamp 4\nlost.flac\n# SPOTS 2\nnowhere.flac\n"
    path.write_text(path.read_text() + said + f"../audio/{names[6]}\n", encoding="utf-8")
    os.utime(path, (10**9, 10**9))
    made = request.getfixturevalue("window")
    qtbot.mouseClick(made.places["Logs"], Qt.MouseButton.LeftButton)
    place = made.logs
    qtbot.waitUntil(lambda: place.board is not None, timeout=LONG)
    return place


def tile(place, day):
    return place.view.tile_of(1, day.isoformat())


def open_log(qtbot, logs):
    box = tile(logs, TOMORROW)
    qtbot.mouseClick(logs.view, Qt.MouseButton.LeftButton, pos=box.center().toPoint())
    assert logs.view.chosen().slot.day == TOMORROW
    logs.view.setFocus()
    qtbot.keyClick(logs.view, KEY.Key_Return)
    qtbot.waitUntil(lambda: logs.page.opened is not None, timeout=LONG)
    qtbot.waitUntil(lambda: logs.page.lookalikes is not None, timeout=LONG)
    return logs.page


def statuses(page):
    return [str(line.match.status) for line in page.table.rows]


def carts(page):
    return [line.item.cart if line.item else None for line in page.table.rows]


def reading(station):
    snapshot = open_station(station)
    drop = snapshot.programme.drops[1]
    found = snapshot.logs.refresh(drop, day_slot(snapshot, drop, TOMORROW))
    snapshot.connection.close()
    return found


def test_the_board_says_the_worst_first_and_is_walked_by_keys(qtbot, logs, station):
    qtbot.waitUntil(lambda: logs.worst.text() != "", timeout=LONG)
    today = date.today()
    assert logs.worst.text().startswith(
        f"{today:%a} {today.day} {today:%b}: {today}.m3u did not come"
    )
    logs.view.setFocus()
    assert logs.view.chosen().slot.day == today
    assert logs.details.facts["State"].text() == "did not come"
    qtbot.keyClick(logs.view, KEY.Key_Down)
    assert logs.view.chosen().slot.day == TOMORROW
    assert logs.details.facts["State"].text() == "with gaps"
    assert logs.details.facts["Found"].text() == "5 of 7 lines"
    assert "with gaps" in logs.view.accessibleDescription()
    qtbot.keyClick(logs.view, KEY.Key_Up)
    assert not logs.details.open.isEnabled()
    # the log comes: the board sees it by itself
    write_log(station, today, song_names(station))
    logs.refresh()
    qtbot.waitUntil(lambda: logs.view.chosen().state == "whole", timeout=LONG)
    assert "2 lines of the coming log cannot air yet" in logs.worst.text()


def test_missing_lines_are_settled_moved_dropped_and_taken_back(qtbot, logs, station, request):
    page = open_log(qtbot, logs)
    made = request.getfixturevalue("window")
    assert statuses(page) == ["matched"] * 4 + ["missing", "comment", "missing", "matched"]
    assert "5 of 7 lines found" in page.facts.text()
    # its columns are remembered, though the page was made when a log was first opened
    page.table.horizontalHeader().moveSection(5, 0)
    assert '"order": ["Found by", "Line"' in made._memory.value("columns/Lines of the log")
    # the closest name is proposed; taken, it is remembered for every log
    page.table.setFocus()
    qtbot.keyClick(page.table, KEY.Key_N)
    assert page.table.current().match.line.raw == "lost.flac"
    assert "Keeper 4 - Lamp 4" in page.panel.near.item(0).text()
    qtbot.mouseClick(page.panel.take, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: statuses(page)[4] == "matched", timeout=LONG)
    assert page.table.rows[4].match.how == "settled by hand before"
    # the other one by an item of the library
    qtbot.keyClick(page.table, KEY.Key_N)
    assert needs_settling(page.table.current())
    page.panel.every.setChecked(False)
    qtbot.mouseClick(page.panel.choose, Qt.MouseButton.LeftButton)
    qtbot.keyClicks(page.finder.field, "1009")
    qtbot.waitUntil(lambda: page.finder.list.count() == 1, timeout=LONG)
    qtbot.keyClick(page.finder.field, KEY.Key_Return)
    qtbot.waitUntil(lambda: carts(page)[6] == 1009, timeout=LONG)
    # moved by keys, dropped by a key
    page.table.choose(page.table.rows[1].match.key)
    page.table.setFocus()
    was = carts(page)
    qtbot.keyClick(page.table, KEY.Key_Up, CTRL)
    qtbot.waitUntil(lambda: carts(page)[:2] == [was[1], was[0]], timeout=LONG)
    qtbot.keyClick(page.table, KEY.Key_Delete)
    qtbot.waitUntil(lambda: statuses(page)[0] == "ignored", timeout=LONG)
    # an item dragged in from elsewhere
    drop(page.table.viewport(), dragged(1001), QPoint(60, page.table.rowViewportPosition(2) + 2))
    qtbot.waitUntil(lambda: len(carts(page)) == 9, timeout=LONG)
    assert carts(page)[2] == 1001
    starts = [line.at_us for line in page.table.rows if line.at_us is not None]
    assert starts == sorted(starts)
    whole = reading(station)
    assert whole.carts == [c for c in carts(page) if c is not None]
    assert whole.edited == 4
    # and all of it back again
    for _ in range(5):
        undo(qtbot, made)
    qtbot.waitUntil(lambda: statuses(page)[4] == "missing" and len(carts(page)) == 8, timeout=LONG)
    assert reading(station).edited == 0
    qtbot.keyClick(page.table, KEY.Key_Escape)
    assert logs.stage.currentIndex() == 0


def test_one_from_a_category_in_its_place_and_the_log_exported(qtbot, logs, station, tmp_path):
    from nightly_spindle.store.base.transaction import LibraryTransaction
    from nightly_spindle.store.library import categories

    with LibraryTransaction(station) as library:
        categories.add(library, categories.make(library, "Fillers"), [1003])
    page = open_log(qtbot, logs)
    qtbot.waitUntil(lambda: page.panel.category.findText("Fillers") > 0, timeout=LONG)
    page.table.choose(page.table.rows[6].match.key)
    page.panel.category.setCurrentIndex(page.panel.category.findText("Fillers"))
    page.panel.category.activated.emit(page.panel.category.currentIndex())
    qtbot.waitUntil(lambda: carts(page)[6] == 1003, timeout=LONG)
    assert "from the category Fillers" in page.table.rows[6].match.how
    qtbot.mouseClick(page.only, Qt.MouseButton.LeftButton)
    assert page.table.cells.rowCount() == 1
    assert page.table.current().match.line.raw == "lost.flac"
    page.export_to(tmp_path / "tomorrow.csv")
    qtbot.waitUntil((tmp_path / "tomorrow.csv").exists, timeout=LONG)
    text = (tmp_path / "tomorrow.csv").read_bytes().decode()
    assert text.count("\r\n") == 9, "a header, six items, two lines kept as comments"
    assert "lost.flac" in text


def test_a_drop_is_programmed_by_pasting_a_name_and_reads_back_as_tonights(
    qtbot, logs, station, request
):
    made = request.getfixturevalue("window")
    (station / "hours").mkdir()
    soon = date.today()
    (station / "hours" / f"Hour {soon:%Y%m%d} 99.m3u").write_text("x\n")
    qtbot.mouseClick(logs.tabs["Drops"], Qt.MouseButton.LeftButton)
    page = logs.drops
    qtbot.waitUntil(lambda: page.list.count() == 1, timeout=LONG)
    assert page.sentence.text().startswith("One log a day in")
    qtbot.mouseClick(page.new, Qt.MouseButton.LeftButton)
    form = page.form
    for field, text in ((form.name, "Hours"), (form.folder, str(station / "hours"))):
        field.selectAll()
        qtbot.keyClicks(field, text)
    period = form.fields["period"]
    assert isinstance(period, QComboBox)
    period.setCurrentIndex(period.findData("hour"))
    assert "needs the hour in its name" in page.trouble.text()
    assert not page.keep.isEnabled()
    qtbot.keyClicks(form.like, f"Hour {soon:%Y%m%d} 13.m3u")
    qtbot.keyClick(form.like, KEY.Key_Return)
    assert form.pattern.text() == "Hour %Y%m%d %H.m3u"
    qtbot.waitUntil(lambda: page.names.count() > 20, timeout=LONG)
    assert "Hour " in page.names.item(0).text()
    assert page.trouble.text() == ""
    form.meanings.setPlainText("SPOTS* = break 2")
    qtbot.mouseClick(page.keep, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: len(open_station(station).programme.drops) == 2, timeout=LONG)
    drop_ = open_station(station).programme.drops[2]
    assert (drop_.name, drop_.pattern) == ("Hours", "Hour %Y%m%d %H.m3u")
    assert drop_.meanings[0].value == 2
    qtbot.waitUntil(lambda: page.list.count() == 2, timeout=LONG)
    form.meanings.setPlainText("SPOTS* = a pause")
    assert "is not a valid meaning" in page.trouble.text()
    qtbot.mouseClick(page.discard, Qt.MouseButton.LeftButton)
    undo(qtbot, made)
    qtbot.waitUntil(lambda: len(open_station(station).programme.drops) == 1, timeout=LONG)


def test_statuses_have_a_shape_each(qtbot, logs):
    """Every state is painted without an error, and looks different from every other."""
    from PySide6.QtCore import QPointF
    from PySide6.QtGui import QColor, QImage, QPainter

    from nightly_spindle.core.reports.log_status import LogState
    from nightly_spindle.desk.logs.log_board_view import paint_state

    seen = {}
    for state in LogState:
        image = QImage(24, 24, QImage.Format.Format_RGB32)
        image.fill(QColor("black"))
        painter = QPainter(image)
        paint_state(painter, state, QPointF(12, 12), QColor("white"))
        painter.end()
        seen.setdefault(bytes(image.constBits()), []).append(state)
    alike = [states for states in seen.values() if len(states) > 1]
    # what is wrong shares the cross; a log that aired was whole
    assert sorted(map(len, alike)) == [2, 3]
