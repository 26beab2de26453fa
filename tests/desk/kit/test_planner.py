"""The desk's planner: plans are shown, however often they are asked for."""

import pytest
from conftest import LONG

pytest.importorskip("PySide6")

import test_desk
from PySide6.QtCore import QTimer

from nightly_spindle.desk.kit.planner import Planner

station = test_desk.station


def test_plans_come_though_they_are_asked_for_faster_than_they_are_made(qtbot, station):
    planner = Planner(station)
    came = []
    planner.planned.connect(came.append)
    planner.failed.connect(came.append)
    asked = []

    def ask():
        asked.append(1_790_000_000_000_000 + len(asked))
        planner.ask(None, asked[-1], live=False)

    timer = QTimer()
    timer.timeout.connect(ask)
    timer.start(1)
    try:
        qtbot.waitUntil(lambda: len(came) >= 3, timeout=LONG)
    finally:
        timer.stop()
        planner.close()
    begins = [plan.night.from_us for plan in came]
    assert begins == sorted(begins)  # each newer than the one before
    assert len(came) < len(asked) / 2  # and what was asked meanwhile was not made for nothing
