"""A process that the desk asks: it answers, rests, is broken off, and answers again."""

import io

import pytest
from conftest import LONG

pytest.importorskip("PySide6")

import test_desk
from PySide6.QtCore import QObject

from nightly_spindle.core.base.errors import InputFault
from nightly_spindle.desk.kit import answering
from nightly_spindle.desk.kit.asked_process import AskedProcess
from nightly_spindle.desk.traffic.placement_process import Reply, Request

station = test_desk.station
PLACING = "nightly_spindle.desk.traffic.placement_process"
NOON = 1_790_000_000_000_000


@pytest.fixture
def asked(qtbot, station):
    parent = QObject()
    process = AskedProcess(PLACING, station, Reply, parent)
    process.came, process.why = [], []
    process.answered.connect(process.came.append)
    process.ended.connect(process.why.append)
    yield process
    process.close(2000)


def test_it_answers_rests_and_answers_again(qtbot, asked):
    for number in (1, 2):
        asked.ask(Request(NOON))
        qtbot.waitUntil(lambda wanted=number: len(asked.came) == wanted, timeout=LONG)
        assert not asked.busy
        asked.rest()
    asked.ask(Request(NOON))  # while it is ending: what is asked is kept for the next
    assert asked.busy
    qtbot.waitUntil(lambda: len(asked.came) == 3, timeout=LONG)
    assert {reply.problem for reply in asked.came} == {""}
    assert not asked.why


def test_broken_off_it_says_so_and_answers_the_next(qtbot, asked):
    asked.ask(Request(NOON))
    asked.kill()
    qtbot.waitUntil(lambda: bool(asked.why), timeout=LONG)
    assert not asked.busy
    assert not asked.came
    asked.ask(Request(NOON))
    qtbot.waitUntil(lambda: bool(asked.came), timeout=LONG)


def test_a_request_that_fails_has_an_answer_and_the_next_is_answered():
    def answer(request):
        if request.anew:
            raise InputFault("no audio")
        return Reply(placed=request.now_us // 0 if request.now_us == 1 else 5)

    asks = [Request(0, anew=True), Request(1), Request(2)]
    requests, replies = io.BytesIO(b"".join(map(answering.frame, asks))), io.BytesIO()
    answering.serve(
        (requests, replies), Request, answer, lambda why: Reply(problem=why), "It was not placed"
    )
    held, found = replies.getvalue(), []
    while held:
        body, held = answering.unframed(held)
        found.append(answering.msgspec.msgpack.decode(body, type=Reply))
    assert [one.sentence() for one in found] == [
        "no audio",
        "It was not placed (ZeroDivisionError: integer division or modulo by zero).",
        "5 spots placed.",
    ]
    assert answering.unframed(replies.getvalue()[:-1])[0] is not None
    assert answering.unframed(replies.getvalue()[:7]) == (None, replies.getvalue()[:7])
