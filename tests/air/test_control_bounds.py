"""The control socket under hostile hands: each request has its answer, none ends anything."""

import contextlib
import json
import queue
import socket
import threading
import time
import typing
from concurrent.futures import Future

import msgspec
import numpy as np
import pytest
from conftest import examples, wait
from hypothesis import given
from hypothesis import strategies as st

from nightly_spindle import __version__
from nightly_spindle.air.client import ask_plainly
from nightly_spindle.air.control import Control
from nightly_spindle.air.engine import Engine
from nightly_spindle.air.messages import OPERATIONS, VERSION
from nightly_spindle.air.places import socket_path
from nightly_spindle.core.base.timebase import US
from nightly_spindle.core.playout.air_start import take_the_air
from nightly_spindle.core.programme.air_state import AirState
from nightly_spindle.desk.kit.planning_process import Reply, Request
from nightly_spindle.store.playout.state_file import Kept
from nightly_spindle.store.programme.snapshot import open_station

NOON = 1_764_000_000 * US


class Still:
    """An output and a clock that stand still: only requests happen."""

    late, problem, simulated = 0, "", True

    def write(self, block: np.ndarray) -> None: ...
    def waiting_frames(self) -> int:
        return 0

    def close(self) -> None: ...
    def now_us(self) -> int:
        return NOON


class Idle:
    problem = ""

    def note(self, *_): ...
    def start(self, _): ...
    def stop(self): ...


@pytest.fixture
def engine(station):
    """An engine whose pump does nothing but obey."""
    from nightly_spindle.air.player import Player

    still = Still()
    snapshot = open_station(station)
    made = Engine(snapshot.programme, Idle(), still, still, paced=True)
    made.snapshot = snapshot
    sequencer, begun = take_the_air(made.programme, None, NOON)
    made.player = Player(sequencer, begun, 2048, made._ahead.make_source)
    leaving = threading.Event()

    def pump():
        bus = np.empty((2048, 2), np.float32)
        while not leaving.wait(0.002):
            made._obey()
            made.player.pull(bus)
            assert np.isfinite(bus).all()

    thread = threading.Thread(target=pump)
    thread.start()
    control = Control(made, station)
    control.start()
    made.control = control
    yield made
    assert thread.is_alive(), "the pump goes on"
    leaving.set()
    thread.join()
    control.stop()


@pytest.fixture
def line(station, engine):
    """Makes lines to the engine, and closes them."""
    made = []

    def open_one():
        made.append(Line(station))
        return made[-1]

    yield open_one
    for one in made:
        one.file.close()
        one.socket.close()


class Line:
    def __init__(self, folder):
        self.socket = socket.socket(socket.AF_UNIX, socket.SOCK_STREAM)
        self.socket.settimeout(20)
        self.socket.connect(str(socket_path(folder)))
        self.file = self.socket.makefile("rb")

    def ask(self, request: bytes):
        self.socket.sendall(request + b"\n")
        return json.loads(self.file.readline())


JSON = st.recursive(
    st.none()
    | st.booleans()
    | st.integers()
    | st.floats(allow_nan=False, allow_infinity=False)
    | st.text(max_size=8)
    | st.sampled_from([10**23, 1e300, -1, 2**63, "1001", 1001]),
    lambda inner: st.lists(inner, max_size=3) | st.dictionaries(st.text(max_size=6), inner),
    max_leaves=6,
)
NAMES = [
    "before",
    "cart",
    "line",
    "lines",
    "line_id",
    "edit",
    "wish",
    "on",
    "tag",
    "drop",
    "slot_us",
    "file",
    "at_us",
    "entry",
    "placement",
    "event",
    "order",
]


def test_every_request_has_an_answer_and_none_ends_the_engine(station, engine, line):
    one = line()
    ops = [op for op in engine.control._ops if op != "leave"]

    @examples(300)
    @given(st.sampled_from([*ops, "none"]), st.dictionaries(st.sampled_from(NAMES), JSON), JSON)
    def tried(op, args, number):
        answer = one.ask(msgspec.json.encode({"id": 7, "op": op, "args": args}))
        assert answer["id"] == 7
        assert "ok" in answer or answer["error"]
        assert "ok" in one.ask(json.dumps({"id": number, "op": "state"}).encode())

    tried()


@pytest.mark.parametrize(
    "raw",
    [
        b"",
        b"{",
        b"[]",
        b"null",
        b'"x"',
        b"\xff\xfe",
        b"[" * 5000,
        b'{"op": ["state"]}',
        (
            b'{"id": 1, "op": "overlay", "args": {"line": 1, "wish": {"kind": "this one", '
            b'"cart": 99999999999999999999999}}}'
        ),
        b'{"id": 1, "op": "insert", "args": {"before": 1e300, "cart": 1001}}',
        b'{"id": 1, "op": "insert", "args": {"before": 0, "cart": 1e999}}',
    ],
)
def test_what_is_no_request_is_answered_in_a_sentence(line, raw):
    one = line()
    assert one.ask(raw)["error"]
    assert "ok" in one.ask(b'{"id": 2, "op": "state"}')


@pytest.mark.parametrize(
    ("args", "told"),
    [
        ({}, "The desk is of an older version than the engine"),
        ({"version": VERSION - 1, "program": "0"}, "close it and open it again"),
        ({"version": VERSION + 1}, "The engine is of an older version than the desk"),
    ],
)
def test_a_desk_of_another_version_is_told_so_in_its_first_message(line, args, told):
    one = line()
    assert told in one.ask(json.dumps({"id": 1, "op": "watch", "args": args}).encode())["error"]
    right = json.dumps({"id": 2, "op": "watch", "args": {"version": VERSION}}).encode()
    assert one.ask(right)["ok"] == {"version": VERSION, "program": __version__}


def test_every_operation_is_carried_out_by_somebody(engine):
    assert set(OPERATIONS) == {*engine.control._ops, "watch"}


@pytest.mark.parametrize("kind", [*OPERATIONS.values(), AirState, Kept, Request, Reply])
def test_what_is_read_back_knows_its_types_when_running(kind):
    for one in (kind, getattr(kind, "answers", None)):
        if one is not None:
            typing.get_type_hints(one)
            with contextlib.suppress(msgspec.ValidationError):
                msgspec.convert({}, one)


def test_a_thousand_lines_and_slow_readers_are_held_off(station, engine, line):
    crowd = []

    def connected(one):
        with contextlib.suppress(BlockingIOError):  # so many wait at the door already
            one.connect(str(socket_path(station)))
            return True
        return False

    for _ in range(300):
        one = socket.socket(socket.AF_UNIX, socket.SOCK_STREAM)
        crowd.append(one)
        one.settimeout(10)
        wait(lambda one=one: connected(one))
    told = b"".join(one.recv(200) for one in crowd[-20:])
    assert b"open already" in told
    for one in crowd[:30]:  # they ask and never read
        one.sendall(b'{"op": "watch", "args": {"version": 1}}\n' + b'{"op": "state"}\n' * 200)
    for one in crowd:
        one.close()
    engine.ask(lambda: None).result(20)

    def answers():
        try:
            return "ok" in line().ask(b'{"id": 2, "op": "state"}')
        except (OSError, ValueError):
            return False

    assert any(answers() for _ in range(50))


def test_a_request_without_end_is_cut_off(line):
    one = line()
    with pytest.raises((ConnectionError, BrokenPipeError)):
        for _ in range(200):
            one.socket.sendall(b"x" * 100_000)
    assert "ok" in line().ask(b'{"id": 2, "op": "state"}')


def test_an_engine_that_leaves_still_answers_what_it_was_asked(station):
    """`leave` has an answer though the socket is shut at once."""

    class Slow:
        """An engine that carries nothing out before it ends."""

        sight = None

        def __init__(self):
            self.asked = queue.SimpleQueue()

        def ask(self, what):
            answer = Future()
            self.asked.put((what, answer))
            return answer

        def leave(self): ...

    slow = Slow()
    control = Control(slow, station)
    control.start()
    answers = []
    asking = threading.Thread(target=lambda: answers.append(ask_plainly(station, "leave", {})))
    asking.start()
    what, answer = slow.asked.get(timeout=20)
    stopping = threading.Thread(target=control.stop)
    stopping.start()
    time.sleep(0.2)  # the socket's end has come, the answer not yet
    answer.set_result(what())
    asking.join(20)
    stopping.join(20)
    assert answers == [None]
    assert not stopping.is_alive()
    assert not socket_path(station).exists()
