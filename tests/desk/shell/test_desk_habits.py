"""What holds for every form of the desk: the wheel, what is refused before it can be kept."""

import re
from pathlib import Path

import pytest
from conftest import LONG

pytest.importorskip("PySide6")

import test_desk
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QWheelEvent
from PySide6.QtWidgets import (
    QAbstractSlider,
    QAbstractSpinBox,
    QApplication,
    QComboBox,
    QScrollBar,
    QStackedWidget,
)

from nightly_spindle.core.events.event_templates import TEMPLATES
from nightly_spindle.desk.kit import choice_box

window, station = test_desk.window, test_desk.station
LEFT = Qt.MouseButton.LeftButton


def turn(widget, notches):
    """One turn of the wheel over a widget, as the window system sends it."""
    middle = QPointF(widget.rect().center())
    event = QWheelEvent(
        middle,
        QPointF(widget.mapToGlobal(middle.toPoint())),
        QPoint(),
        QPoint(0, 120 * notches),
        Qt.MouseButton.NoButton,
        Qt.KeyboardModifier.NoModifier,
        Qt.ScrollPhase.NoScrollPhase,
        False,
    )
    QApplication.sendEvent(widget, event)


def value(widget):
    return widget.currentIndex() if isinstance(widget, QComboBox) else widget.value()


def all_places(qtbot, window):
    for name in window.places:
        window.go_to(name)
        qtbot.wait(50)
        for pages in window.stage.currentWidget().findChildren(QStackedWidget):
            for number in range(pages.count()):
                pages.setCurrentIndex(number)
                qtbot.wait(10)


def test_the_wheel_changes_nothing_that_was_not_clicked(qtbot, window):
    all_places(qtbot, window)
    kinds = (QComboBox, QAbstractSpinBox, QAbstractSlider)
    found = [
        w
        for w in QApplication.allWidgets()
        if isinstance(w, kinds) and not isinstance(w, QScrollBar)
    ]
    boxes = [w for w in found if isinstance(w, QComboBox)]
    assert len(boxes) >= 25, "all forms are made"
    for widget in found:
        if isinstance(widget, QComboBox) and widget.count() < 2:
            widget.blockSignals(True)
            widget.addItems(["one", "other"])
            widget.blockSignals(False)
        before = value(widget)
        for notches in (1, -1, -3):
            turn(widget, notches)
            assert value(widget) == before, widget.accessibleName()


def test_a_box_that_was_clicked_goes_by_the_wheel_until_it_is_left(qtbot):
    box = choice_box.ChoiceBox()
    box.addItems(["one", "two", "three"])
    qtbot.addWidget(box)
    box.show()
    box.activateWindow()
    box.setFocus()
    qtbot.waitUntil(box.hasFocus)
    turn(box, -1)
    assert box.currentIndex() == 0, "the keyboard alone is not a click"
    qtbot.mouseClick(box, LEFT)
    box.hidePopup()
    qtbot.waitUntil(box.hasFocus)
    turn(box, -1)
    assert box.currentIndex() == 1
    box.clearFocus()
    box.setFocus()
    turn(box, -1)
    assert box.currentIndex() == 1


def test_every_box_of_the_desk_is_one_that_the_wheel_leaves_alone():
    desk = Path(choice_box.__file__).parent
    made = re.compile(r"\bQ(ComboBox|SpinBox|DoubleSpinBox|Slider|DateEdit|TimeEdit|Dial)\(\)")
    for path in desk.glob("*.py"):
        assert not made.search(path.read_text(encoding="utf-8")), path.name


@pytest.mark.parametrize(
    ("code", "typed", "said"),
    [
        ("play item", None, "names no item"),
        ("play stream", None, "names no server"),
        ("play list", None, "names none"),
    ],
)
def test_a_step_that_names_nothing_cannot_be_kept(qtbot, window, code, typed, said):
    window.go_to("Events")
    place = window.events
    qtbot.waitUntil(lambda: place.sheet is not None, timeout=LONG)
    place.make(next(iter(TEMPLATES)))
    form, panel = place.panel.form, place.panel
    form.name.setText("Bell")
    while form._steps:
        form._drop()
    form.add_step(code)
    assert said in panel.trouble.text()
    assert not panel.keep.isEnabled()


def test_the_desk_says_while_nobody_hears_the_station(qtbot, window):
    assert not window.status.heard.isVisible()
    test_desk.on_air(qtbot, window)
    qtbot.waitUntil(window.status.heard.isVisible, timeout=LONG)
    assert "nobody hears this" in window.status.heard.text()
    for name in window.places:
        window.go_to(name)
        assert window.status.heard.isVisible(), name
