"""Marking items and segue rules at the desk, driven as a person does."""

import time

import pytest
from conftest import LONG, build_station

pytest.importorskip("PySide6")

import test_library_desk
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QImage, QPainter, QWheelEvent
from PySide6.QtWidgets import QApplication
from test_library_desk import carts, undo

from nightly_spindle.core.library.markers import Marker, Marks
from nightly_spindle.core.segues.segue_rules import ANY, Overlap
from nightly_spindle.desk.kit.planner import Planner
from nightly_spindle.desk.markers.marker_session import MarkerPlace
from nightly_spindle.store.library.catalogue import Catalogue

KEY = Qt.Key
CTRL, SHIFT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier

window, library = test_library_desk.window, test_library_desk.library


@pytest.fixture(scope="module")
def ten(tmp_path_factory):
    return build_station(tmp_path_factory.mktemp("ten") / "pier", songs=9, shortest_s=8)


@pytest.fixture
def station(ten, tmp_path, monkeypatch):
    import shutil

    # songs of some seconds: a night of them would be thousands of lines
    monkeypatch.setattr(Planner.__init__, "__defaults__", (None, 1.0))
    return shutil.copytree(ten, tmp_path / "pier")


@pytest.fixture
def editor(qtbot, window, library):
    """The marker editor, opened on all items by keyboard."""
    table = library.items.table
    qtbot.waitUntil(lambda: len(carts(library)) == 10, timeout=LONG)
    table.setFocus()
    qtbot.keyClick(table, KEY.Key_Down)
    qtbot.keyClick(table, KEY.Key_Up)
    qtbot.waitUntil(lambda: table.carts() == carts(library)[:1], timeout=LONG)
    window.activateWindow()
    qtbot.waitUntil(window.isActiveWindow, timeout=LONG)
    qtbot.keyClick(window, KEY.Key_M, CTRL)
    cues = library.cues
    qtbot.waitUntil(lambda: cues.session.item is not None, timeout=LONG)
    qtbot.waitUntil(lambda: cues.wave.sound.peaks is not None, timeout=LONG)
    assert cues.hasFocus()
    yield cues
    cues.close_down()


def keys(qtbot, widget, *wanted):
    for one in wanted:
        key, held = one if isinstance(one, tuple) else (one, Qt.KeyboardModifier.NoModifier)
        if isinstance(key, str):
            qtbot.keyClicks(widget, key, held)
        else:
            qtbot.keyClick(widget, key, held)


def stored(folder, cart):
    catalogue = Catalogue(folder)
    item = catalogue.items([cart])[cart]
    catalogue.close()
    return item


def settled(qtbot, check):
    """What is set by hand is in the database; nudges are written after a moment."""
    qtbot.waitUntil(check, timeout=LONG)


def to_a_song(qtbot, cues):
    """The first item is a bell of two seconds; the next is a song."""
    keys(qtbot, cues, KEY.Key_PageDown)
    qtbot.waitUntil(lambda: cues.session.item is not None and cues.session.place == 1, timeout=LONG)
    qtbot.waitUntil(lambda: cues.wave.sound.peaks is not None, timeout=LONG)


def test_ten_items_are_marked_by_keyboard_alone(qtbot, window, library, editor, station):
    """Intro end, hook, a sweeper point, the segue point; typed, nudged, cleared, gone on."""
    numbers = editor.session.carts
    assert len(numbers) == 10
    for number, cart in enumerate(numbers):
        qtbot.waitUntil(
            lambda c=cart: editor.session.item is not None and editor.session.item.cart == c,
            timeout=LONG,
        )
        keys(qtbot, editor, KEY.Key_Right, (KEY.Key_Right, SHIFT), "2")  # 1.1 s: intro end
        keys(qtbot, editor, (KEY.Key_Right, SHIFT), "3")  # 1.2 s: hook start
        keys(qtbot, editor, ".", ".", (KEY.Key_Greater, SHIFT))  # and 21 ms later
        keys(qtbot, editor, (KEY.Key_Right, SHIFT), (KEY.Key_Right, SHIFT), "4")  # 1.4 s
        keys(qtbot, editor, KEY.Key_Return)
        field = editor.list.fields[Marker.HOOK_END]
        assert field.hasFocus()
        qtbot.keyClicks(field, "0:01.5")
        qtbot.keyClick(field, KEY.Key_Return)
        assert editor.hasFocus()
        keys(qtbot, editor, "5", (KEY.Key_Left, SHIFT), "5")  # two sweeper points
        if number % 3 == 0:
            keys(qtbot, editor, KEY.Key_Delete)  # and one of them away again
        keys(qtbot, editor, KEY.Key_PageDown)
    assert "That was the last of them" in library.note.text()
    done = []
    library.shelf.look(lambda _: True, done.append)  # it waits behind every edit
    qtbot.waitUntil(lambda: bool(done), timeout=LONG)
    for number, cart in enumerate(numbers):
        marks = stored(station, cart).marks
        assert marks.intro_end_s == pytest.approx(1.1), number
        assert marks.hook_start_s == pytest.approx(1.221), number
        assert marks.hook_end_s == pytest.approx(1.5), number
        sweepers = (1.4,) if number % 3 == 0 else (1.3, 1.4)
        assert marks.sweepers_s == pytest.approx(sweepers), number

    # every one of the edits can be taken back, across the items; each shows its item
    for _ in range(200):
        if not library.undo.canUndo():
            break
        undo(qtbot, window)
    qtbot.waitUntil(lambda: stored(station, numbers[0]).marks == Marks(), timeout=LONG)
    assert all(stored(station, cart).marks == Marks() for cart in numbers)
    qtbot.waitUntil(
        lambda: editor.session.item is not None and editor.session.item.cart == numbers[0],
        timeout=LONG,
    )
    qtbot.keyClick(window, KEY.Key_Z, CTRL | SHIFT)
    qtbot.waitUntil(
        lambda: stored(station, numbers[0]).marks == Marks(intro_end_s=1.1), timeout=LONG
    )
    keys(qtbot, editor, KEY.Key_Escape)
    assert library.pages.currentWidget() is library.items


def test_listening_sets_markers_at_the_playhead_loops_and_stops(qtbot, library, editor, station):
    to_a_song(qtbot, editor)
    cart = editor.session.item.cart
    ear = library.ear
    began = time.monotonic()
    told = []
    ear.at.connect(lambda path, at: told.append((time.monotonic() - began, at)))
    keys(qtbot, editor, KEY.Key_Space)
    qtbot.waitUntil(lambda: editor.here() > 0.6, timeout=LONG)
    before = editor.here()
    keys(qtbot, editor, "2")
    after = editor.here()
    settled(qtbot, lambda: stored(station, cart).marks.intro_end_s is not None)
    assert before <= stored(station, cart).marks.intro_end_s <= after + 0.05
    assert told[0][1] < 0.2
    keys(qtbot, editor, KEY.Key_Space)
    assert ear.playing == ""
    stays = editor.here()
    assert editor.wave.playhead_s == pytest.approx(stays)

    keys(qtbot, editor, "L")
    low, high = editor.wave.loop
    marker = stored(station, cart).marks.intro_end_s
    assert (low, high) == (pytest.approx(max(0, marker - 1.5)), pytest.approx(marker + 1.5))
    told.clear()
    qtbot.waitUntil(
        lambda: any(b[1] < a[1] - 0.5 for a, b in zip(told, told[1:], strict=False)), timeout=LONG
    )
    assert all(low - 0.01 <= at <= high + 0.2 for _, at in told)
    keys(qtbot, editor, "L")
    assert editor.wave.loop is None
    keys(qtbot, editor, "H")
    qtbot.waitUntil(lambda: not editor.player.playing, timeout=LONG)  # two seconds, then quiet
    # the playhead dragged along the whole: grains are heard, and nothing plays on
    whole = editor.whole
    qtbot.mouseClick(whole, Qt.MouseButton.LeftButton, pos=QPoint(whole.width() // 2, 30))
    assert editor.here() == pytest.approx(editor.session.item.measure.duration_s / 2, abs=0.05)


def test_markers_are_dragged_snapped_zoomed_cleared_and_refused(qtbot, library, editor, station):
    to_a_song(qtbot, editor)
    session, wave = editor.session, editor.wave
    cart = session.item.cart
    keys(qtbot, editor, KEY.Key_Down)
    assert session.chosen.marker is Marker.CUE_IN
    # by its tab, to the right
    assert session.put(Marker.HOOK_START, 2.0)
    picture = QImage(8, 8, QImage.Format.Format_ARGB32)
    painter = QPainter(picture)
    _, _, tab = next(t for t in wave._tabs(painter, [-1e9] * 3) if t[0].marker == "hook-start")
    painter.end()
    at = tab.center().toPoint()
    qtbot.mousePress(wave, Qt.MouseButton.LeftButton, pos=at)
    for step in range(1, 11):
        qtbot.mouseMove(wave, at + QPoint(10 * step, 0))
    qtbot.mouseRelease(wave, Qt.MouseButton.LeftButton, pos=at + QPoint(100, 0))
    to = 2.0 + 100 / wave.width() * wave.span_s
    settled(qtbot, lambda: (stored(station, cart).marks.hook_start_s or 2.0) != 2.0)
    assert stored(station, cart).marks.hook_start_s == pytest.approx(to, abs=0.02)
    # what cannot be is refused with a sentence, and stays as it was
    editor.list.fields[Marker.HOOK_END].setFocus()
    editor.list.fields[Marker.HOOK_END].selectAll()
    qtbot.keyClicks(editor.list.fields[Marker.HOOK_END], "1")
    qtbot.keyClick(editor.list.fields[Marker.HOOK_END], KEY.Key_Return)
    assert "would come after the hook end at 0:01.000" in library.note.text()
    assert session.item.marks.hook_end_s is None
    editor.list.fields[Marker.HOOK_END].setFocus()
    qtbot.keyClicks(editor.list.fields[Marker.HOOK_END], "soon")
    qtbot.keyClick(editor.list.fields[Marker.HOOK_END], KEY.Key_Return)
    assert "'soon' is not a position" in library.note.text()
    editor.setFocus()
    # to the nearest zero crossing, on demand
    session.choose(MarkerPlace(Marker.HOOK_START, to))
    was = session.item.marks.hook_start_s
    keys(qtbot, editor, "Z")
    qtbot.waitUntil(lambda: session.item.marks.hook_start_s != was, timeout=LONG)
    assert abs(session.item.marks.hook_start_s - was) <= 0.02
    # measured ones: cleared, and as measured again
    session.choose(MarkerPlace(Marker.SEGUE, 0.0))
    keys(qtbot, editor, KEY.Key_Delete)
    assert session.item.marks.absent == ("segue",)
    assert editor.list._how[Marker.SEGUE].text() == "cleared"
    keys(qtbot, editor, KEY.Key_Backspace)
    assert session.item.marks.absent == ()
    # down to single samples and back, the spectrum on demand
    for _ in range(22):
        keys(qtbot, editor, "+")
    assert wave.span_s < 0.002
    qtbot.waitUntil(lambda: wave.sound.fits(wave.begin_s, wave.span_s), timeout=LONG)
    wave.grab()
    event = QWheelEvent(
        QPointF(300, 90),
        wave.mapToGlobal(QPointF(300, 90)),
        QPoint(0, 0),
        QPoint(0, -240),
        Qt.MouseButton.NoButton,
        Qt.KeyboardModifier.NoModifier,
        Qt.ScrollPhase.NoScrollPhase,
        False,
    )
    span = wave.span_s
    QApplication.sendEvent(wave, event)
    assert wave.span_s == pytest.approx(span / 0.64)
    keys(qtbot, editor, "0", "S")
    qtbot.waitUntil(lambda: wave.spectrum is not None, timeout=LONG)
    # how it plays
    editor.form.trim.setFocus()
    qtbot.keyClicks(editor.form.trim, "-3,5")
    qtbot.keyClick(editor.form.trim, KEY.Key_Return)
    editor.form.untouched.setCurrentIndex(1)
    editor.form.untouched.activated.emit(1)
    settled(qtbot, lambda: stored(station, cart).shaping.untouched is True)
    assert stored(station, cart).shaping.gain_trim_db == -3.5
    assert "-3.5 dB of its own" in editor.form.gain.text()


# -- segue rules -----------------------------------------------------------------------------------


def test_a_rule_is_tried_on_real_pairs_before_it_is_kept(qtbot, window, library, station):
    qtbot.waitUntil(lambda: window.air.planned is not None, timeout=LONG)
    qtbot.mouseClick(library.tabs["Segue rules"], Qt.MouseButton.LeftButton)
    page = library.segues
    qtbot.waitUntil(lambda: "COMING HOURS" in page.about.text(), timeout=LONG)
    qtbot.waitUntil(lambda: page.plots[0][1]._levels is not None, timeout=LONG)
    assert "0 OF THEM CHANGED" in page.about.text()
    matrix = page.matrix
    qtbot.keyClick(matrix, KEY.Key_Right)
    qtbot.keyClick(matrix, KEY.Key_Down)
    assert matrix.chosen == ("song", "song")
    assert page.title.text() == "Song into song"
    # nothing is kept yet, but before and after are drawn
    box = page.form.fields["overlap"]
    box.setCurrentIndex(box.findData("gap"))
    box.activated.emit(box.currentIndex())
    gap = page.form.fields["gap_s"]
    gap.setFocus()
    qtbot.keyClicks(gap, "1.5")
    qtbot.keyClick(gap, KEY.Key_Return)
    assert "The next starts after 1.5 s of silence." in page.words.text()
    _, before, after = page.plots[0]
    assert (before.caption, after.caption) == ("NOW", "CHANGED")
    qtbot.waitUntil(lambda: "1.5 s of silence" in after.told, timeout=LONG)
    assert "overlap" in before.told
    assert Catalogue(station).rules()[1].rules == ()
    qtbot.mouseClick(page.keep, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: Catalogue(station).rules()[1].rules != (), timeout=LONG)
    rule = Catalogue(station).rules()[1].ruled("song", "song").rule
    assert (rule.overlap, rule.gap_s) == (Overlap.GAP, 1.5)
    qtbot.waitUntil(lambda: page.plots[0][1].told.startswith("1.5 s of silence"), timeout=LONG)
    undo(qtbot, window)
    qtbot.waitUntil(lambda: Catalogue(station).rules()[1].rules == (), timeout=LONG)
    # the station's own, by a preset, discarded and kept
    page.matrix.pick(ANY, ANY)
    qtbot.mouseClick(page.presets["tight"], Qt.MouseButton.LeftButton)
    assert "fallen 16 dB" in page.words.text()
    qtbot.mouseClick(page.discard, Qt.MouseButton.LeftButton)
    assert "fallen 22 dB" in page.words.text()
    qtbot.mouseClick(page.presets["relaxed"], Qt.MouseButton.LeftButton)
    qtbot.mouseClick(page.keep, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: Catalogue(station).rules()[1].station.trigger_db == -26, timeout=LONG)


# -- files, levels, silence ------------------------------------------------------------------------


def test_markers_go_into_files_and_tables_and_come_back(
    qtbot, window, library, editor, station, tmp_path
):
    to_a_song(qtbot, editor)
    session = editor.session
    cart = session.item.cart
    assert session.put(Marker.SEGUE, 5.0)
    assert session.put(Marker.SWEEPER, 2.0)
    menu = editor.files
    menu.menu().aboutToShow.emit()
    assert not menu.into.isEnabled(), "a FLAC file has no such chunks"
    menu.beside.trigger()
    qtbot.waitUntil(lambda: "are written to" in library.note.text(), timeout=LONG)
    session.choose(MarkerPlace(Marker.SEGUE, 5.0))
    session.measured_again()
    menu.read.trigger()
    qtbot.waitUntil(lambda: session.item.marks.segue_s == 5.0, timeout=LONG)
    settled(qtbot, lambda: stored(station, cart).marks == Marks(segue_s=5.0, sweepers_s=(2.0,)))
    keys(qtbot, editor, KEY.Key_Escape)

    # all markers as a table; changed outside, offered again, taken and undone
    table = tmp_path / "markers.csv"
    library.items.save_to(table, markers=True)
    qtbot.waitUntil(table.exists, timeout=LONG)
    text = table.read_text(encoding="utf-8")
    table.write_text(text.replace("5.000", "4.500"), encoding="utf-8")
    library.items.offer([str(table)])
    test_library_desk.answer(qtbot, library.edits, "Change them")
    settled(qtbot, lambda: stored(station, cart).marks.segue_s == 4.5)
    undo(qtbot, window)
    settled(qtbot, lambda: stored(station, cart).marks.segue_s == 5.0)


def test_levels_and_silence_are_set_at_the_desk(qtbot, window, library, station):
    qtbot.mouseClick(window.places["Station"], Qt.MouseButton.LeftButton)
    place = window.station
    cards = place.levels
    target = cards.fields["level.target_lufs"]
    target.selectAll()
    qtbot.keyClicks(target, "-19.5")
    qtbot.keyClick(target, KEY.Key_Return)
    settled(qtbot, lambda: Catalogue(station).rules()[0].levels.target_lufs == -19.5)
    cards.kinds.setFocus()
    qtbot.keyClicks(cards.kinds, "bed -8, id 2")
    qtbot.keyClick(cards.kinds, KEY.Key_Return)
    settled(
        qtbot, lambda: Catalogue(station).rules()[0].kind_levels == (("bed", -8.0), ("id", 2.0))
    )
    cards.kinds.selectAll()
    qtbot.keyClicks(cards.kinds, "brass 3")
    qtbot.keyClick(cards.kinds, KEY.Key_Return)
    qtbot.waitUntil(lambda: "it is a kind and a number" in place.loud.text(), timeout=LONG)
    # what listening plays at follows
    qtbot.waitUntil(lambda: library.items._settings.levels.target_lufs == -19.5, timeout=LONG)
    cards.kinds.setText("")
    tail = cards.fields["trim.tail_db"]
    tail.selectAll()
    qtbot.keyClicks(tail, "-20")
    qtbot.keyClick(tail, KEY.Key_Return)
    settled(qtbot, lambda: Catalogue(station).rules()[0].trimming.tail_db == -20)
    before = {cart: stored(station, cart).measure.cue_out_s for cart in carts(library)}
    qtbot.mouseClick(cards.anew, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: "10 items looked at" in place.loud.text(), timeout=LONG)
    after = {cart: stored(station, cart).measure.cue_out_s for cart in before}
    assert any(after[cart] < before[cart] - 0.3 for cart in before)
    assert all(after[cart] <= before[cart] for cart in before)
