from conftest import LONG, ask

"""The segue editor at the desk, with a real engine on air."""

from itertools import pairwise

import pytest

pytest.importorskip("PySide6")

import test_desk
from PySide6.QtCore import QPoint, Qt
from test_cue_desk import CTRL, KEY, keys, stored
from test_desk import on_air, order
from test_library_desk import undo

from nightly_spindle.core.library.markers import Curve
from nightly_spindle.core.segues.segue_rules import JoinEdit
from nightly_spindle.store.library.catalogue import Catalogue

station, window = test_desk.station, test_desk.window


def test_a_join_is_seen_heard_changed_and_kept_in_three_ways(qtbot, window, station):
    on_air(qtbot, window)
    air = window.air
    # between two songs, whatever the hour of this run lines up first
    pairs = pairwise(air.table.rows)
    line = next(
        two.line_id
        for one, two in pairs
        if two.line_id in order(window) and {one.kind, two.kind} == {"song"}
    )
    air.pick(line)
    window.activateWindow()
    qtbot.waitUntil(window.isActiveWindow, timeout=LONG)
    qtbot.keyClick(window, KEY.Key_F7)
    editor = air.segue
    qtbot.waitUntil(lambda: editor.session is not None, timeout=LONG)
    qtbot.waitUntil(lambda: all(s.peaks is not None for s in editor.lanes.sounds), timeout=LONG)
    session = editor.session
    out, into = session.meeting.out, session.meeting.into
    planned = session.start_s
    assert "the station's rule" in editor.panel.why.text()
    assert not editor.panel.pair.isEnabled(), "nothing is changed yet"

    # drag the incoming item to the left, then a nudge by key
    lanes = editor.lanes
    _, box, _ = lanes._boxes()
    grip = QPoint(round(lanes._x(planned)) + 60, round(box.center().y()))
    qtbot.mousePress(lanes, Qt.MouseButton.LeftButton, pos=grip)
    for step in range(1, 9):
        qtbot.mouseMove(lanes, grip - QPoint(10 * step, 0))
    qtbot.mouseRelease(lanes, Qt.MouseButton.LeftButton, pos=grip - QPoint(80, 0))
    moved = planned - 80 / lanes.width() * lanes._span_s
    assert editor.session.start_s == pytest.approx(moved, abs=0.05)
    keys(qtbot, editor, (KEY.Key_Comma, CTRL))
    moved = editor.session.start_s
    assert "Set by hand for this join" in editor.panel.why.text()
    curve = editor.panel.out_curve
    curve.setCurrentIndex(curve.findData("linear"))
    curve.activated.emit(curve.currentIndex())

    # heard through a process of its own
    keys(qtbot, editor, KEY.Key_Space)
    qtbot.waitUntil(lambda: editor.lanes.playhead_s is not None, timeout=LONG)
    qtbot.waitUntil(lambda: editor.lanes.playhead_s > moved - 4.5, timeout=LONG)
    keys(qtbot, editor, KEY.Key_Space)
    assert editor.lanes.playhead_s is None

    # for this time only: the engine knows it, and the plan shows it
    qtbot.keyClick(editor, KEY.Key_F2)

    def at_the_engine():
        lines = {one["id"]: one for one in ask(station, "state")["state"]["order"]["upcoming"]}
        return lines[line]["join"]

    qtbot.waitUntil(lambda: at_the_engine() is not None, timeout=LONG)
    assert at_the_engine()["segue_s"] == pytest.approx(moved, abs=1e-3)
    assert at_the_engine()["fade_out_curve"] == "linear"
    qtbot.waitUntil(
        lambda: any(b.line_id == line and b.edit is not None for b in air.planned.night.blocks),
        timeout=LONG,
    )
    undo(qtbot, window)
    qtbot.waitUntil(lambda: at_the_engine() is None, timeout=LONG)
    qtbot.waitUntil(
        lambda: editor.session is not None and editor.session.kept is None, timeout=LONG
    )

    # whenever these two meet
    editor._change(segue_s=moved, fade_in_s=1.0)
    qtbot.keyClick(editor, KEY.Key_F3)
    pair = (out.cart, into.cart)
    qtbot.waitUntil(lambda: pair in Catalogue(station).rules()[1].pairs, timeout=LONG)
    kept = Catalogue(station).rules()[1].pairs[pair]
    assert kept == JoinEdit(out.cart, segue_s=round(moved, 4), fade_in_s=1.0)
    qtbot.waitUntil(editor.panel.reset.isEnabled, timeout=LONG)
    qtbot.mouseClick(editor.panel.reset, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: not Catalogue(station).rules()[1].pairs, timeout=LONG)
    qtbot.waitUntil(
        lambda: editor.session.start_s == pytest.approx(planned, abs=0.01), timeout=LONG
    )

    # into the items themselves
    editor._change(segue_s=moved, fade_out_s=2.0, fade_out_curve=Curve.LINEAR)
    qtbot.keyClick(editor, KEY.Key_F5)
    qtbot.waitUntil(lambda: stored(station, out.cart).marks.segue_s is not None, timeout=LONG)
    item = stored(station, out.cart)
    assert item.marks.segue_s == pytest.approx(moved, abs=1e-3)
    assert (item.shaping.fade_out_s, item.shaping.fade_out_curve) == (2.0, "linear")

    # the next join of the coming hours, and back
    qtbot.keyClick(editor, KEY.Key_PageDown)
    qtbot.waitUntil(
        lambda: editor.session is not None and editor.session.meeting.out.cart == into.cart,
        timeout=LONG,
    )
    qtbot.keyClick(editor, KEY.Key_Escape)
    assert air.stage.currentIndex() == 0
