"""The place Overlays at the desk, driven as a person does, with a real engine on air."""

from dataclasses import replace

import pytest
import soundfile
from conftest import LONG, RATE, ask, beep

pytest.importorskip("PySide6")

import test_desk
from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QGuiApplication
from PySide6.QtTest import QTest
from test_desk import on_air
from test_library_desk import undo

from nightly_spindle.core.library.intake import IntakeOptions
from nightly_spindle.core.library.items import Kind
from nightly_spindle.core.library.markers import Marks
from nightly_spindle.core.overlays.overlay_pools import Member, Pool, PoolOptions, PoolUse
from nightly_spindle.intake.bring_in import Intake, bring_in
from nightly_spindle.store.base.station_folder import read_settings
from nightly_spindle.store.base.transaction import LibraryTransaction
from nightly_spindle.store.library.catalogue import Catalogue, Query
from nightly_spindle.store.library.marking import set_by_hand
from nightly_spindle.store.overlays.pools import save_pool
from nightly_spindle.store.programme.snapshot import open_station

KEY, SHIFT = Qt.Key, Qt.KeyboardModifier.ShiftModifier
LEFT = Qt.MouseButton.LeftButton
window = test_desk.window


@pytest.fixture
def station(built_long, tmp_path):
    """The station of long songs, their intros marked, with three sweepers in one pool."""
    import shutil

    folder = shutil.copytree(built_long, tmp_path / "pier")
    (folder / "audio/sweeper").mkdir(parents=True)
    for n in range(3):
        name = f"audio/sweeper/Station - Sweep {n}.wav"
        soundfile.write(folder / name, beep(3 + n, 2000 + 300 * n), RATE)
    bring_in(folder, [Intake([folder / "audio/sweeper"], IntakeOptions(Kind.SWEEPER))])
    carts = carts_of(folder, "song")
    sweepers = carts_of(folder, "sweeper")
    with LibraryTransaction(folder) as library:
        set_by_hand(library, {cart: (Marks(intro_end_s=12.0), None) for cart in carts})
        members = tuple(Member(cart) for cart in sweepers[:2])
        save_pool(library, Pool(0, "Quay", PoolUse.SWEEPERS, members, PoolOptions()))
    return folder


def carts_of(folder, kind):
    catalogue = Catalogue(folder)
    found = [int(cart) for cart in catalogue.find(Query(kinds=(kind,), sort="cart")).carts]
    catalogue.close()
    return found


def pools(folder):
    snapshot = open_station(folder)
    found = {pool.name: pool for pool in snapshot.programme.pools}
    snapshot.connection.close()
    return found


def opened(qtbot, window, page="Coming"):
    window.activateWindow()
    qtbot.mouseClick(window.places["Overlays"], LEFT)
    place = window.overlays
    qtbot.waitUntil(lambda: place.sheet is not None, timeout=LONG)
    qtbot.mouseClick(place.tabs[page], LEFT)
    return place


def later(row, by_us):
    return replace(row, into=replace(row.into, start_us=row.into.start_us + by_us))


def wish_of(station, line):
    lines = {one["id"]: one for one in ask(station, "state")["state"]["order"]["upcoming"]}
    return lines[line]["overlay"], lines[line]["tag"]


def test_what_lies_over_a_join_is_seen_dragged_chosen_heard_and_taken_back(qtbot, window, station):
    on_air(qtbot, window)
    place = opened(qtbot, window)
    joins = place.joins
    qtbot.waitUntil(
        lambda: place.planned.live and any(row.overlays for row in joins.rows[1:8]), timeout=LONG
    )
    at = next(n for n, row in enumerate(joins.rows[:8]) if n and row.overlays)
    line = joins.rows[at].line_id
    over = joins.rows[at].overlays[0]
    qtbot.mouseClick(
        joins.viewport(), LEFT, pos=QPoint(40, joins._drawn(at).center().toPoint().y())
    )
    assert joins.chosen == line
    assert "Its turn in “Quay”" in place.panel.why.text()
    assert "may be talked over for 11.2 s" in place.panel.facts.text()

    # dragged three seconds to the right: it lies there this time
    over, into = joins.rows[at].overlays[0], joins.rows[at].into  # as planned last
    wanted = (over.start_us - into.start_us) / 1e6 + 3
    box = joins.over_box(at, over)
    second = joins._drawn(at).width() / 31.0
    begin = box.center().toPoint()
    QTest.mousePress(joins.viewport(), LEFT, Qt.KeyboardModifier.NoModifier, begin)
    for part in (0.3, 0.7, 1.0):
        QTest.mouseMove(joins.viewport(), begin + QPoint(round(3 * second * part), 0))
        qtbot.wait(15)
        # the night is planned anew meanwhile, and the clock was put on by two seconds
        joins.rows = [later(row, 2_000_000) for row in joins.rows]
    QTest.mouseRelease(
        joins.viewport(), LEFT, Qt.KeyboardModifier.NoModifier, begin + QPoint(round(3 * second), 0)
    )
    qtbot.waitUntil(lambda: wish_of(station, line)[0] is not None, timeout=LONG)
    placed = wish_of(station, line)[0]
    assert placed["cart"] == over.cart
    assert placed["at_s"] == pytest.approx(wanted, abs=0.11)

    def planned():
        row = next(row for row in joins.rows if row.line_id == line)
        return row.overlays[0] if row.overlays else None

    qtbot.waitUntil(lambda: planned() is not None and planned().by_hand, timeout=LONG)
    assert "Set by hand" in place.panel.why.text()
    # a second to the left by key, then heard with what lies over it
    joins.setFocus()
    qtbot.keyClick(joins, KEY.Key_Left, SHIFT)
    qtbot.waitUntil(
        lambda: abs(wish_of(station, line)[0]["at_s"] - placed["at_s"] + 1) < 0.01, timeout=LONG
    )
    qtbot.keyClick(joins, KEY.Key_Space)
    qtbot.waitUntil(lambda: place.panel.play.text() == "Stop", timeout=LONG)
    qtbot.keyClick(joins, KEY.Key_Space)
    qtbot.waitUntil(lambda: place.panel.play.text() == "Listen", timeout=LONG)
    undo(qtbot, window)
    undo(qtbot, window)
    qtbot.waitUntil(lambda: wish_of(station, line)[0] is None, timeout=LONG)

    # all of them off and on again
    qtbot.mouseClick(place.sound, LEFT, pos=QPoint(10, place.sound.height() // 2))
    qtbot.waitUntil(lambda: not ask(station, "state")["state"]["overlays"]["on"], timeout=LONG)
    qtbot.waitUntil(lambda: planned() is None, timeout=LONG)
    undo(qtbot, window)
    qtbot.waitUntil(lambda: ask(station, "state")["state"]["overlays"]["on"], timeout=LONG)

    qtbot.waitUntil(lambda: planned() is not None, timeout=LONG)
    joins.setFocus()
    qtbot.keyClick(joins, KEY.Key_C, Qt.KeyboardModifier.ControlModifier)
    copied = QGuiApplication.clipboard().text().splitlines()
    assert len(copied) == len(joins.rows)
    assert "(pool “Quay”)" in copied[at]

    # another one chosen for it, nothing, a tag
    qtbot.waitUntil(lambda: planned() is not None and not planned().by_hand, timeout=LONG)
    choice = place.panel.choice
    choice.setCurrentIndex(choice.findText("Sweep 2 (sweeper)"))
    choice.activated.emit(choice.currentIndex())
    qtbot.waitUntil(lambda: planned() is not None and planned().title == "Sweep 2", timeout=LONG)
    joins.setFocus()
    qtbot.keyClick(joins, KEY.Key_Delete)
    qtbot.waitUntil(lambda: planned() is None, timeout=LONG)
    assert wish_of(station, line)[0]["wish"] == "none"
    place.panel.tag.setFocus()
    qtbot.keyClicks(place.panel.tag, "request")
    qtbot.keyClick(place.panel.tag, KEY.Key_Return)
    qtbot.waitUntil(lambda: wish_of(station, line)[1] == "request", timeout=LONG)
    undo(qtbot, window)
    undo(qtbot, window)
    undo(qtbot, window)
    qtbot.waitUntil(lambda: wish_of(station, line) == (None, ""), timeout=LONG)
    # the same in the details of Air, and in the lane of the night line
    qtbot.mouseClick(window.places["Air"], LEFT)
    qtbot.waitUntil(lambda: planned() is not None, timeout=LONG)
    night = window.air.night
    x = night._scale().x((planned().start_us + planned().end_us) // 2)
    if x < night.width():
        qtbot.mouseClick(night, LEFT, pos=QPoint(round(x), 79))
        assert "Its turn in “Quay”" in window.air.details.texts["WHAT PLAYS OVER IT"].text()


def test_a_pool_is_made_filled_put_in_order_and_taken_out(qtbot, window, station):
    place = opened(qtbot, window, "Pools")
    page = place.pools
    qtbot.waitUntil(lambda: page.shown is not None and page.shown.name == "Quay", timeout=LONG)
    assert len(page.members.rows) == 2
    assert "Its 2 members take turns." in page.sentence.text()

    # changed: the sentence follows as one types, what cannot be is said
    hours = page.form.fields["hours"]
    hours.setFocus()
    qtbot.keyClicks(hours, "22-6")
    assert "not a valid stretch of the day" in page.trouble.text()
    assert not page.keep.isEnabled()
    hours.selectAll()
    qtbot.keyClicks(hours, "22:00-06:00")
    assert "Open from 22:00 to 06:00." in page.sentence.text()
    qtbot.mouseClick(page.keep, LEFT)
    qtbot.waitUntil(lambda: pools(station)["Quay"].options.hours == "22:00-06:00", timeout=LONG)

    # made from the menu, named, kept, given a member by typing a part of its name
    for action in page.new.menu().actions():
        if action.text() == "Sweepers on segues":
            action.trigger()
    qtbot.keyClicks(page.form.name, "Foghorn")
    qtbot.mouseClick(page.keep, LEFT)
    qtbot.waitUntil(lambda: "Foghorn" in pools(station), timeout=LONG)
    qtbot.waitUntil(lambda: page.shown is not None and page.shown.id == 2, timeout=LONG)
    qtbot.waitUntil(lambda: "has no members" in page.trouble.text(), timeout=LONG)
    assert "“Foghorn” has no members" in place.worst.text()
    for name in ("Sweep 2", "Sweep 0"):
        page.able.lineEdit().setFocus()
        page.able.lineEdit().selectAll()
        qtbot.keyClicks(page.able.lineEdit(), name)
        qtbot.keyClick(page.able.lineEdit(), KEY.Key_Return)
        count = 1 if name == "Sweep 2" else 2
        qtbot.waitUntil(lambda n=count: len(pools(station)["Foghorn"].members) == n, timeout=LONG)
        qtbot.waitUntil(lambda n=count: len(page.members.rows) == n, timeout=LONG)
    assert [row.sheet.title for row in page.members.rows] == ["Sweep 2", "Sweep 0"]

    # the second member first, by key; asked before the other pool; all of it taken back
    page.members.setFocus()
    page.members.choose(1)
    qtbot.keyClick(page.members, KEY.Key_Up, Qt.KeyboardModifier.ControlModifier)
    first = carts_of(station, "sweeper")[0]
    qtbot.waitUntil(lambda: pools(station)["Foghorn"].carts[0] == first, timeout=LONG)
    qtbot.mouseClick(page.sooner, LEFT)
    qtbot.waitUntil(lambda: list(pools(station)) == ["Foghorn", "Quay"], timeout=LONG)
    qtbot.waitUntil(lambda: place.sheet.pools[0].pool.name == "Foghorn", timeout=LONG)
    qtbot.mouseClick(page.remove, LEFT)
    qtbot.waitUntil(lambda: "Foghorn" not in pools(station), timeout=LONG)
    undo(qtbot, window)
    qtbot.waitUntil(lambda: list(pools(station)) == ["Foghorn", "Quay"], timeout=LONG)
    for _ in range(3):
        undo(qtbot, window)
    qtbot.waitUntil(lambda: len(pools(station)["Foghorn"].members) == 1, timeout=LONG)
    # how deep the programme goes, typed and taken back
    qtbot.mouseClick(place.tabs["Rules"], LEFT)
    depth = place.rules.fields["duck-sweeper.depth_db"]
    qtbot.waitUntil(lambda: depth.text() == "10 dB", timeout=LONG)
    depth.setFocus()
    depth.selectAll()
    qtbot.keyClicks(depth, "14")
    qtbot.keyClick(depth, KEY.Key_Return)
    qtbot.waitUntil(lambda: read_settings(station).duck_sweeper.depth_db == 14.0, timeout=LONG)
    undo(qtbot, window)
    qtbot.waitUntil(lambda: read_settings(station).duck_sweeper.depth_db == 10.0, timeout=LONG)
    # tried on a join though the engine is off
    qtbot.mouseClick(place.tabs["Coming"], LEFT)
    qtbot.waitUntil(lambda: bool(place.joins.rows), timeout=LONG)
    place.joins.choose(place.joins.rows[0].line_id)
    choice = place.panel.choice
    choice.setCurrentIndex(choice.findText("bell (id)"))
    choice.activated.emit(choice.currentIndex())
    assert place.panel.tried() == [carts_of(station, "id")[0]]
    assert "plays what is chosen" in place.panel.fixed.text()
    qtbot.mouseClick(place.panel.play, LEFT)
    qtbot.waitUntil(lambda: place.panel.play.text() == "Stop", timeout=LONG)
    qtbot.mouseClick(place.panel.play, LEFT)
    # counted a day ahead, without an engine
    qtbot.waitUntil(lambda: page.pools.rows[0].coming > 0, timeout=LONG)
