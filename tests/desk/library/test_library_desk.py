"""The library at the desk, driven as a person does: real windows, real keys, clicks and drops."""

import shutil
import time
from pathlib import Path

import pytest
import soundfile
from conftest import LONG, RATE
from test_intake import song, tagged

pytest.importorskip("PySide6")

from PySide6.QtCore import QMimeData, QPoint, QPointF, QSettings, Qt, QUrl
from PySide6.QtGui import QDragEnterEvent, QDropEvent, QGuiApplication
from PySide6.QtWidgets import QApplication, QInputDialog, QMessageBox, QTableView

from nightly_spindle.core.base.timebase import length
from nightly_spindle.core.library.intake import IntakeOptions
from nightly_spindle.core.library.items import Kind
from nightly_spindle.desk.kit.dragged_items import MIME
from nightly_spindle.desk.library import groups
from nightly_spindle.desk.library.lists_page import seconds_from
from nightly_spindle.desk.shell.app import application, open_window
from nightly_spindle.intake.bring_in import Intake, bring_in
from nightly_spindle.intake.place import intake_pid
from nightly_spindle.store.base.transaction import LibraryTransaction
from nightly_spindle.store.library import lists
from nightly_spindle.store.library.catalogue import Catalogue, Query


@pytest.fixture
def station(built_long, tmp_path):
    return Path(shutil.copytree(built_long, tmp_path / "pier"))


@pytest.fixture
def window(qtbot, station, tmp_path):
    application()
    memory = QSettings(str(tmp_path / "desk.ini"), QSettings.Format.IniFormat)
    memory.setValue("look", "dark")
    made = open_window(station, memory)
    qtbot.addWidget(made)
    made.show()
    made.resize(1280, 800)
    yield made
    made.close()
    end = time.monotonic() + 30
    while intake_pid(station) and time.monotonic() < end:
        time.sleep(0.05)


@pytest.fixture
def library(qtbot, window):
    qtbot.mouseClick(window.places["Library"], Qt.MouseButton.LeftButton)
    place = window.library
    qtbot.waitUntil(lambda: place.items.count.text() != "", timeout=LONG)
    return place


def carts(place):
    return place.items.table.items.carts.tolist()


def row_of(folder, cart):
    catalogue = Catalogue(folder)
    rows = catalogue.rows([cart])
    catalogue.close()
    return rows[0] if rows else None


def click_row(qtbot, table, row, modifier=Qt.KeyboardModifier.NoModifier):
    view = table if isinstance(table, QTableView) else table.table
    y = view.rowViewportPosition(row) + 8
    qtbot.mouseClick(view.viewport(), Qt.MouseButton.LeftButton, modifier, QPoint(60, y))


def drop(widget, data, at=None):
    """Drag something onto a widget and let go, as Qt tells it."""
    at = QPointF(at or QPoint(widget.width() // 2, widget.height() // 2))
    buttons, keys = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
    enter = QDragEnterEvent(at.toPoint(), Qt.DropAction.CopyAction, data, buttons, keys)
    QApplication.sendEvent(widget, enter)
    assert enter.isAccepted()
    fall = QDropEvent(at, Qt.DropAction.CopyAction, data, buttons, keys)
    QApplication.sendEvent(widget, fall)
    return fall


def dragged(*numbers):
    data = QMimeData()
    data.setData(MIME, ",".join(map(str, numbers)).encode())
    return data


def answer(qtbot, edits, text):
    """Press a button of the question that is open."""
    qtbot.waitUntil(lambda: edits.asking is not None and edits.asking.isVisible(), timeout=LONG)
    box = edits.asking
    (button,) = [b for b in box.buttons() if b.text() == text]
    qtbot.mouseClick(button, Qt.MouseButton.LeftButton)
    edits.asking = None


def undo(qtbot, window):
    window.activateWindow()  # there is no window manager to do it when a dialog closes
    qtbot.waitUntil(window.isActiveWindow, timeout=LONG)
    qtbot.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)


def test_filter_choose_edit_many_and_take_back(qtbot, window, library, station):
    items = library.items
    assert len(carts(library)) == 9
    # filter as one types, with facets that count what is found
    qtbot.keyClicks(items.field, "lamp 3")
    qtbot.waitUntil(lambda: carts(library) == [1004], timeout=LONG)
    assert items.count.text().startswith("1 of 9 items")
    qtbot.keyClick(items.field, Qt.Key.Key_Escape)
    qtbot.waitUntil(lambda: len(carts(library)) == 9, timeout=LONG)
    items.groups.choose(groups.KIND, "id")
    qtbot.waitUntil(lambda: carts(library) == [1009], timeout=LONG)
    items.groups.choose(groups.KIND, "song")
    qtbot.waitUntil(lambda: len(carts(library)) == 8, timeout=LONG)
    # sort by length, both ways
    header = items.table.horizontalHeader()
    spot = QPoint(header.sectionViewportPosition(2) + 10, 8)
    catalogue = Catalogue(station)
    shortest_first = [
        row.cart for row in sorted(catalogue.rows(carts(library)), key=lambda row: row.duration_s)
    ]
    for order in (shortest_first, shortest_first[::-1]):
        qtbot.mouseClick(header.viewport(), Qt.MouseButton.LeftButton, pos=spot)
        qtbot.waitUntil(lambda order=order: carts(library) == order, timeout=LONG)
    # one item, all of its details
    items.groups.choose(groups.ALL, "Everything")
    qtbot.waitUntil(lambda: len(carts(library)) == 9, timeout=LONG)
    first = carts(library)[0]
    click_row(qtbot, items.table, 0)
    qtbot.waitUntil(lambda: items.panel.detail is not None, timeout=LONG)
    assert items.panel.detail.row.cart == first
    assert "LUFS" in items.panel.facts.text()
    qtbot.waitUntil(lambda: "Not in the running order" in items.panel.uses.text(), timeout=LONG)
    # three at once: artist for all, a category for all, then undo both, then redo
    click_row(qtbot, items.table, 2, Qt.KeyboardModifier.ShiftModifier)
    chosen = items.table.carts()
    assert len(chosen) == 3
    qtbot.waitUntil(lambda: items.panel.name.text() == "3 items", timeout=LONG)
    assert items.panel.fields["title"].placeholderText() == "several, type to change all"
    artists = {cart: row_of(station, cart).artist for cart in chosen}
    field = items.panel.fields["artist"]
    field.setFocus()
    field.selectAll()
    qtbot.keyClicks(field, "Wren & Dunlin")
    qtbot.keyClick(field, Qt.Key.Key_Return)
    qtbot.waitUntil(
        lambda: all(row_of(station, c).artist == "Wren & Dunlin" for c in chosen), timeout=LONG
    )
    items.table.choose_items(chosen)
    qtbot.keyClicks(items.panel.into.lineEdit(), "Night drive")
    qtbot.keyClick(items.panel.into.lineEdit(), Qt.Key.Key_Return)
    qtbot.waitUntil(lambda: row_of(station, chosen[0]).categories == "Night drive", timeout=LONG)
    undo(qtbot, window)
    qtbot.waitUntil(lambda: row_of(station, chosen[0]).categories == "", timeout=LONG)
    undo(qtbot, window)
    qtbot.waitUntil(lambda: {c: row_of(station, c).artist for c in chosen} == artists, timeout=LONG)
    items.tools["redo"].click()
    qtbot.waitUntil(lambda: row_of(station, chosen[1]).artist == "Wren & Dunlin", timeout=LONG)
    # copied as text
    items.table.choose_items(chosen)

    def copied():
        items.table.copy()
        return QGuiApplication.clipboard().text().count("Wren & Dunlin")

    qtbot.waitUntil(lambda: copied() == 3, timeout=LONG)


def test_files_are_dragged_in_and_items_out(qtbot, window, library, station, tmp_path):
    items = library.items
    folder = tmp_path / "new"
    folder.mkdir()
    tagged(folder / "a.flac", "Ebb", "Wren", song(1, 3))
    tagged(folder / "b.wav", "Flood", "Wren", song(2, 3))
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(folder))])
    drop(items, data)
    assert items.bar.isVisible()
    assert items.bar.told.text() == "1 folder"
    items.bar.kind.setCurrentText("promo")
    items.bar.into.setEditText("Fresh")
    qtbot.mouseClick(items.bar.bring, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: len(carts(library)) == 11, timeout=LONG)
    qtbot.waitUntil(lambda: "Fresh" in items.known, timeout=LONG)
    new = Catalogue(station).find(Query("fresh")).carts.tolist()
    assert {row_of(station, cart).kind for cart in new} == {"promo"}
    # out into a category, by dropping on its line
    qtbot.waitUntil(
        lambda: any(e.text == "Fresh" for e in items.groups.groups.entries), timeout=LONG
    )
    at = [e.text for e in items.groups.groups.entries].index("Fresh")
    spot = items.groups.visualRect(items.groups.groups.index(at)).center()
    drop(items.groups.viewport(), dragged(1001, 1002), spot)
    qtbot.waitUntil(lambda: row_of(station, 1002).categories == "Fresh", timeout=LONG)
    # out into the running order: the place opens when they are held over its button
    air = window.places["Air"]
    data = dragged(1001, 1003)  # an event does not keep what is dragged alive
    enter = QDragEnterEvent(
        QPoint(5, 5),
        Qt.DropAction.CopyAction,
        data,
        Qt.MouseButton.LeftButton,
        Qt.KeyboardModifier.NoModifier,
    )
    QApplication.sendEvent(air, enter)
    qtbot.waitUntil(lambda: window.stage.currentWidget() is window.air, timeout=LONG)
    asked = []
    window.air.table.items_dropped.connect(lambda c, before: asked.append((c, before)))
    fall = QDropEvent(
        QPointF(50, 5),
        Qt.DropAction.CopyAction,
        data,
        Qt.MouseButton.LeftButton,
        Qt.KeyboardModifier.NoModifier,
    )
    window.air.table.dropEvent(fall)
    assert asked[0][0] == [1001, 1003]
    assert "The engine is off" in window.air.note.text()
    # what is dragged out carries the numbers, for whoever takes them
    mime = items.table.items.mimeData([items.table.items.index(0, 0)])
    assert mime.hasFormat(MIME)


def test_the_waiting_room_is_settled_by_keyboard(qtbot, window, library, station, tmp_path):
    old = tagged(tmp_path / "old.flac", "Ebb", "Wren", song(5))
    bring_in(station, [Intake([old], IntakeOptions(Kind.SONG))])
    (known,) = Catalogue(station).find(Query("wren ebb")).carts.tolist()
    nameless = tmp_path / "track 1.wav"
    soundfile.write(nameless, song(6), RATE)
    twin = tmp_path / "Wren - Ebb (radio).wav"
    soundfile.write(twin, song(5), RATE)
    again = tmp_path / "track 2.wav"
    soundfile.write(again, song(5), RATE)
    bring_in(station, [Intake([nameless, twin, again], IntakeOptions(Kind.SONG))])
    bad = tmp_path / "bad.flac"
    bad.write_bytes(b"none")
    library.bring_in([str(bad)], IntakeOptions())
    qtbot.waitUntil(lambda: library.tabs["Waiting room"].text() == "Waiting room  4", timeout=LONG)
    qtbot.mouseClick(library.tabs["Waiting room"], Qt.MouseButton.LeftButton)
    room = library.waiting
    # artist and title typed, Enter: the next one is there
    qtbot.waitUntil(lambda: room.forms.currentWidget() is room.tags_form, timeout=LONG)
    assert room.name.text() == "track 1"
    qtbot.keyClicks(room.fields["artist"], "Knot")
    room.fields["title"].selectAll()
    qtbot.keyClicks(room.fields["title"], "Neap")
    qtbot.keyClick(room.fields["title"], Qt.Key.Key_Return)
    qtbot.waitUntil(lambda: room.forms.currentWidget() is room.twin_form, timeout=LONG)
    assert Catalogue(station).find(Query("knot neap")).carts.size == 1
    assert f"sounds the same as cart {known}" in room.why.text()
    assert "there already" in room.compare.text()
    # the duplicate's audio for the item that is there already
    path = Catalogue(station).items([known])[known].path
    qtbot.keyClick(room, Qt.Key.Key_R, Qt.KeyboardModifier.ControlModifier)
    qtbot.waitUntil(
        lambda: Catalogue(station).items([known])[known].path == str(twin), timeout=LONG
    )
    # one that gets its tags and turns out to be there already waits on, as a duplicate
    qtbot.waitUntil(lambda: room.name.text() == "track 2", timeout=LONG)
    qtbot.waitUntil(lambda: room.forms.currentWidget() is room.tags_form, timeout=LONG)
    qtbot.keyClicks(room.fields["artist"], "Someone")
    qtbot.keyClick(room.fields["artist"], Qt.Key.Key_Return)
    qtbot.waitUntil(lambda: room.forms.currentWidget() is room.twin_form, timeout=LONG)
    qtbot.keyClick(room, Qt.Key.Key_D, Qt.KeyboardModifier.ControlModifier)
    qtbot.waitUntil(lambda: room.name.text() == "bad.flac", timeout=LONG)
    assert again.exists(), "dropped from the library, not from the disk"
    # a file that could not be read: mended, tried again
    shutil.copy(tagged(tmp_path / "good.flac", "Slack", "Knot", song(7)), bad)
    qtbot.keyClick(room, Qt.Key.Key_T, Qt.KeyboardModifier.ControlModifier)
    qtbot.waitUntil(lambda: room.name.text() == "Nothing is waiting", timeout=LONG)
    qtbot.waitUntil(
        lambda: Catalogue(station).find(Query("slack knot")).carts.size == 1, timeout=LONG
    )
    # and all of it can be undone
    undo(qtbot, window)
    undo(qtbot, window)
    undo(qtbot, window)
    qtbot.waitUntil(lambda: Catalogue(station).items([known])[known].path == path, timeout=LONG)


def test_lists_are_made_ordered_and_measured(qtbot, window, library, station, tmp_path):
    items = library.items
    items.table.choose_items([1001, 1002, 1003])
    library.edits.ask_new_list(items.table.carts(), items.list_made.emit)
    dialog = library.edits.asking
    assert isinstance(dialog, QInputDialog)
    dialog.setTextValue("Fog night")
    dialog.accept()
    page = library.lists
    qtbot.waitUntil(lambda: page.table.carts() == [1001, 1002, 1003], timeout=LONG)
    assert page.title.text() == "Fog night"
    shown = page.aired.text()
    assert length(seconds_from(shown)) == shown
    # how long to fill
    page.target.setFocus()
    qtbot.keyClicks(page.target, "20:00")
    qtbot.keyClick(page.target, Qt.Key.Key_Return)
    left = length(1200 - seconds_from(shown))
    qtbot.waitUntil(lambda: page.fill.text() == f"{left} still to fill", timeout=LONG)
    # order by key and by dragging, undo
    page.table.selectRow(0)
    qtbot.keyClick(page.table, Qt.Key.Key_Down, Qt.KeyboardModifier.ControlModifier)
    qtbot.waitUntil(lambda: page.table.carts() == [1002, 1001, 1003], timeout=LONG)
    page.table.move_rows([2], 0)
    qtbot.waitUntil(lambda: page.table.carts() == [1003, 1002, 1001], timeout=LONG)
    undo(qtbot, window)
    qtbot.waitUntil(lambda: page.table.carts() == [1002, 1001, 1003], timeout=LONG)
    y = page.table.rowViewportPosition(2) + 3
    data = dragged(1005)
    fall = QDropEvent(
        QPointF(20, y),
        Qt.DropAction.CopyAction,
        data,
        Qt.MouseButton.LeftButton,
        Qt.KeyboardModifier.NoModifier,
    )
    page.table.dropEvent(fall)
    qtbot.waitUntil(lambda: page.table.carts() == [1002, 1001, 1005, 1003], timeout=LONG)
    (one,) = lists.item_lists(station)
    page.save_to(one, tmp_path / "fog.xspf", window._settings.tz)
    qtbot.waitUntil((tmp_path / "fog.xspf").exists, timeout=LONG)
    # an item that goes from the library is asked about, and says that the list has it
    library.show_page("Items")
    items.table.choose_items([1005])
    qtbot.keyClick(items.table, Qt.Key.Key_Delete)
    qtbot.waitUntil(lambda: isinstance(library.edits.asking, QMessageBox), timeout=LONG)
    assert "cart 1005: list “Fog night”" in library.edits.asking.informativeText()
    answer(qtbot, library.edits, "Remove")
    qtbot.waitUntil(lambda: 1005 not in carts(library), timeout=LONG)
    undo(qtbot, window)
    qtbot.waitUntil(lambda: 1005 in carts(library), timeout=LONG)
    assert lists.list_carts(station, one.id) == [1002, 1001, 1005, 1003]


def test_a_folder_is_watched_and_its_job_reads_back(qtbot, library, station, tmp_path):
    qtbot.mouseClick(library.tabs["Intake"], Qt.MouseButton.LeftButton)
    form = library.intake.form
    qtbot.mouseClick(library.intake.new, Qt.MouseButton.LeftButton)
    assert not form.save.isEnabled()
    (tmp_path / "drop").mkdir()
    qtbot.keyClicks(form.name, "News")
    qtbot.keyClicks(form.folder, str(tmp_path / "drop"))
    form.kind.setCurrentText("news")
    qtbot.keyClick(form.kind, Qt.Key.Key_End)
    qtbot.keyClick(form.kind, Qt.Key.Key_N)
    form.template.clear()
    qtbot.keyClicks(form.template, "{colour}")
    assert "'{colour}' is not one of them" in form.sentence.text()
    assert not form.save.isEnabled()
    form.template.clear()
    qtbot.keyClicks(form.template, "{title}")
    assert f"appears in {tmp_path / 'drop'}" in form.sentence.text()
    qtbot.mouseClick(form.save, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: library.intake.list.count() == 1, timeout=LONG)
    assert library.intake.list.item(0).text().startswith("News\nwatching")
    soundfile.write(tmp_path / "drop/At six.wav", song(8), RATE)
    qtbot.waitUntil(lambda: len(library.intake.table.rows) == 1, timeout=LONG)
    said = list(library.intake.table.cells.texts(0)[:4])
    qtbot.waitUntil(lambda: library.intake.table.cells.texts(0)[1] == "imported", timeout=LONG)
    assert said[3] == "At six.wav"
    # the same folder once more is refused with the reason
    qtbot.mouseClick(library.intake.new, Qt.MouseButton.LeftButton)
    qtbot.keyClicks(form.name, "Again")
    qtbot.keyClicks(form.folder, str(tmp_path / "drop"))
    qtbot.mouseClick(form.save, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: "watched by “News” already" in library.note.text(), timeout=LONG)


def test_listening_follows_and_ends(qtbot, library):
    items = library.items
    click_row(qtbot, items.table, 0)
    qtbot.waitUntil(lambda: items.panel.detail is not None, timeout=LONG)
    places = []
    library.ear.at.connect(lambda _path, at: places.append(at))
    qtbot.keyClick(items.table, Qt.Key.Key_Space)
    assert items.panel.play.text() == " Stop"
    qtbot.waitUntil(lambda: len(places) > 3, timeout=LONG)
    assert places == sorted(places)
    qtbot.keyClick(items.table, Qt.Key.Key_Space)
    assert items.panel.play.text() == " Listen"
    # near the end it ends by itself
    items.listen(items.panel.detail.item.measure.duration_s - 0.3)
    qtbot.waitUntil(lambda: items.panel.play.text() == " Listen", timeout=LONG)
    library.ear.play("/no/such/file.flac")
    qtbot.waitUntil(
        lambda: "/no/such/file.flac cannot be read" in library.note.text(), timeout=LONG
    )


def test_artists_albums_and_saving_what_is_shown(qtbot, library, station, tmp_path):
    with LibraryTransaction(station) as opened:
        from nightly_spindle.store.library import items as store_items

        store_items.edit(opened, [1001, 1002], {"artist": "Wren", "album": "Low"})
        store_items.edit(opened, [1003], {"artist": "Wren"})
    items = library.items
    qtbot.mouseClick(items.by_artist, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: items.artists.choose(groups.ARTIST, "Wren"), timeout=LONG)
    qtbot.waitUntil(lambda: sorted(carts(library)) == [1001, 1002, 1003], timeout=LONG)
    qtbot.waitUntil(lambda: items.albums.choose(groups.ALBUM, "Low"), timeout=LONG)
    qtbot.waitUntil(lambda: sorted(carts(library)) == [1001, 1002], timeout=LONG)
    items.save_to(tmp_path / "low.csv")
    qtbot.waitUntil((tmp_path / "low.csv").exists, timeout=LONG)
    text = (tmp_path / "low.csv").read_text(encoding="utf-8").replace("Low", "Lower")
    (tmp_path / "low.csv").write_text(text, encoding="utf-8")
    items.offer([str(tmp_path / "low.csv")])
    qtbot.waitUntil(lambda: isinstance(library.edits.asking, QMessageBox), timeout=LONG)
    assert "would change 2 items" in library.edits.asking.text()
    answer(qtbot, library.edits, "Change them")
    qtbot.waitUntil(lambda: row_of(station, 1001).album == "Lower", timeout=LONG)


def test_the_station_is_kept_safe_from_the_desk(qtbot, window, station, tmp_path):
    from nightly_spindle.store.station import backups, station_book

    qtbot.keyClick(window, Qt.Key.Key_0, Qt.KeyboardModifier.ControlModifier)
    window.station.show_page("Safekeeping")
    place = window.station.keeping
    qtbot.waitUntil(lambda: place.head.text() == "There is no backup yet.", timeout=LONG)
    qtbot.mouseClick(place.now, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: place.head.text().startswith("Last backup"), timeout=LONG)
    assert len(backups.backups(station)) == 1
    made = next(iter(sorted(station.joinpath("audio/song").iterdir())))
    made.unlink()
    qtbot.mouseClick(place.look, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: place.told.text().startswith("1 things are wrong"), timeout=LONG)
    wanted = station_book.read_station(station)
    wanted["settings"]["name"] = "Other pier"
    station_book.write_book(wanted, tmp_path / "b.json")
    place.preview_book(tmp_path / "b.json")
    qtbot.waitUntil(lambda: place.asking is not None and place.asking.isVisible(), timeout=LONG)
    assert place.report.item(0).text() == "setting name: Pier → Other pier"
    assert station_book.read_station(station)["settings"]["name"] == "Pier", "not before it is said"
    answer(qtbot, place, "Apply")
    qtbot.waitUntil(lambda: place.told.text().startswith("Applied"), timeout=LONG)
    assert station_book.read_station(station)["settings"]["name"] == "Other pier"
    place.preview_book(Path(station / "station.db"))
    qtbot.waitUntil(lambda: "is not JSON" in place.told.text(), timeout=LONG)


def test_whatever_goes_wrong_while_reading_is_told_and_the_next_answer_comes(qtbot, library):
    told, answers = [], []
    shelf = library.items._shelf
    shelf.failed.connect(told.append)
    shelf.look(lambda _: 1 // 0, answers.append)
    shelf.look(lambda _: "there", answers.append)
    qtbot.waitUntil(lambda: answers == ["there"], timeout=LONG)
    assert "ZeroDivisionError" in told[0]
