"""The rack: one output that stands holds up no other; those that stay as they are go on."""

import threading
import time

import numpy as np
import pytest
from conftest import wait
from stream_cases import BLOCK, RATE

from nightly_spindle.core.base.findings import Severity
from nightly_spindle.core.outputs.now_playing import Shown
from nightly_spindle.core.outputs.output_health import OutputState, Trouble
from nightly_spindle.core.outputs.outputs import (
    CardOptions,
    Output,
    RecordingOptions,
    SimulatedOptions,
    StreamOptions,
)
from nightly_spindle.outputs.card_output import CardOutput
from nightly_spindle.outputs.queued_output import Heard, QueuedOutput
from nightly_spindle.outputs.rack import OutputRack, OutputWatch

NOISE = np.random.default_rng(1).normal(0, 0.1, (BLOCK, 2)).astype(np.float32)


class Taken(QueuedOutput):
    """Takes everything, or stands; `standing` is let go of by the test."""

    def __init__(self, output, rate, block, standing=None):
        super().__init__(output, rate, block)
        self.got, self.standing = [], standing

    def work(self):
        if self.standing is not None:
            self.standing.wait(30)
        self.see(OutputState.UP)
        while not self.is_over():
            what = self.take(0.05)
            if what is not None:
                self.got.append(what)


class Pace:
    """What paces, or a card: counts what it is given."""

    def __init__(self, options=None):
        self.options, self.late, self.problem = options, 0, ""
        self.blocks, self.closed = 0, False

    def write(self, block):
        assert not self.closed
        self.blocks += 1

    def waiting_frames(self):
        return 100

    def close(self):
        self.closed = True


class Made:
    """A rack, with what it has made."""

    def __init__(self, standing=None):
        self.queued, self.paces = [], []
        self.standing = standing or {}
        self.rack = OutputRack(self.make, self.pace)

    def make(self, output):
        self.queued.append(Taken(output, RATE, BLOCK, self.standing.get(output.name)))
        return self.queued[-1]

    def pace(self, options):
        self.paces.append(Pace(options))
        return self.paces[-1]


def stream(number, name=None, **more):
    return Output(number, name or f"S{number}", StreamOptions("http://a/x", **more))


def test_one_that_stands_holds_up_no_other_and_what_it_missed_is_counted():
    gate = threading.Event()
    made = Made({"S2": gate})
    made.rack.go_to([stream(1), stream(2)])
    one, other = made.queued
    wait(lambda: one.sight.state is OutputState.UP)
    longest = 0.0
    for number in range(400):
        begun = time.perf_counter()
        made.rack.write(NOISE, number)
        longest = max(longest, time.perf_counter() - begun)
        while one.waiting() > 100:
            time.sleep(0.001)
    wait(lambda: len(one.got) == 400)
    assert [heard.at_us for heard in one.got] == list(range(400))
    assert one.sight.late == 0
    room = round(10 * RATE / BLOCK)
    assert other.sight.late == 400 - room
    assert longest < 0.1
    gate.set()
    wait(lambda: len(other.got) == room)
    assert other.got[0].at_us == 400 - room, "the newest are kept"
    made.rack.close()


def test_blocks_cannot_be_changed_by_an_output_and_the_pumps_own_is_its_own():
    made = Made()
    made.rack.go_to([stream(1)])
    bus = NOISE.copy()
    made.rack.write(bus, 0)
    bus[:] = 9
    wait(lambda: made.queued[0].got)
    heard = made.queued[0].got[0]
    assert np.array_equal(heard.frames, NOISE)
    with pytest.raises(ValueError, match="read-only"):
        heard.frames[0] = 1
    made.rack.close()


def test_only_what_changed_is_begun_anew_and_the_title_is_told_to_who_comes():
    made = Made()
    made.rack.go_to([stream(1), stream(2)])
    made.rack.show(Shown(5, "Now"))
    made.rack.go_to([stream(1, "Renamed"), stream(2, kbps=64.0), stream(3)])
    assert [one.output.id for one in made.queued] == [1, 2, 2, 3]
    first, old, changed, third = made.queued
    assert first.sight.name == "Renamed"
    assert old.leaving.is_set()
    wait(lambda: any(isinstance(one, Shown) for one in changed.got))
    wait(lambda: any(isinstance(one, Shown) for one in third.got))
    made.rack.write(NOISE, 7)
    for one in (first, changed, third):
        wait(lambda o=one: any(isinstance(what, Heard) for what in o.got))
    assert not any(isinstance(what, Heard) for what in old.got)
    names = [(one.name, one.state) for one in made.rack.sights()]
    assert [name for name, _ in names] == ["Renamed", "S2", "S3"]
    made.rack.go_to([])
    assert made.rack.sights() == ()
    assert all(one.leaving.is_set() for one in made.queued)
    made.rack.close()


def test_the_first_card_that_is_on_paces_and_a_clock_where_there_is_none():
    made = Made()
    card = Output(1, "Card", CardOptions("a"))
    made.rack.go_to([Output(2, "Sim", SimulatedOptions()), card])
    assert [pace.options for pace in made.paces] == [None, CardOptions("a")]
    assert made.paces[0].closed
    made.rack.write(NOISE, 0)
    assert made.paces[1].blocks == 1
    sights = {one.name: one for one in made.rack.sights()}
    assert sights["Card"].heard
    assert sights["Sim"].simulated
    made.paces[1].problem = "the device is gone"
    assert made.rack.problem == "the device is gone"
    seen = next(one for one in made.rack.sights() if one.name == "Card")
    assert (seen.state, seen.trouble) == (OutputState.DOWN, Trouble.DEVICE)
    made.rack.go_to([Output(1, "Card", CardOptions("a"), on=False)])
    assert made.paces[1].closed
    assert made.paces[2].options is None
    assert [one.state for one in made.rack.sights()] == [OutputState.OFF]
    made.rack.close()


def test_a_second_card_plays_what_the_first_does():
    cards = []

    def open_card(options):
        cards.append(Pace(options))
        return cards[-1]

    made = CardOutput(Output(2, "Other", CardOptions("b")), RATE, BLOCK, open_card)
    made.start()
    for number in range(20):
        made.put(Heard(number, NOISE))
        time.sleep(0.002)
    wait(lambda: cards and cards[0].blocks + made.sight.late >= 20)
    assert made.sight.state is OutputState.UP
    cards[0].problem = "gone"
    made.put(Heard(21, NOISE))
    wait(lambda: made.sight.state is OutputState.DOWN)
    made.leave()
    made.join(5)
    assert cards[0].closed


def test_an_output_that_is_down_for_20_seconds_is_an_alarm_once_and_its_end_a_note():
    told = []
    made = Made()
    made.rack.go_to([stream(1)])
    one = made.queued[0]
    wait(lambda: one.sight.state is OutputState.UP)
    watch = OutputWatch(made.rack, lambda *what: told.append(what))
    one.see(OutputState.DOWN, Trouble.FULL, "the server is full")
    since = one.sight.since_us
    watch.look(since + 19_999_999)
    assert told == []
    watch.look(since + 20_000_000)
    watch.look(since + 25_000_000)
    assert [(code, severity) for code, _, _, severity in told] == [("output-down", Severity.ALARM)]
    assert told[0][1] == "The output “S1” is down: the server is full."
    one.see(OutputState.UP, Trouble.NONE, "")
    watch.look(since + 30_000_000)
    assert told[1][0::3] == ("output-back", Severity.NOTE)
    one.see(None, Trouble.FAR_SILENT, "listeners hear silence")
    watch.look(since + 31_000_000)
    assert told[2][0::3] == ("output-unheard", Severity.ALARM)
    watch.look(since + 32_000_000)
    assert len(told) == 3
    made.rack.close()


def test_an_output_whose_thread_fails_is_begun_anew_and_says_so():
    class Fails(Taken):
        lives = 0

        def work(self):
            Fails.lives += 1
            if Fails.lives == 1:
                raise RuntimeError("a mistake of ours")
            super().work()

    made = Fails(stream(1), RATE, BLOCK)
    made.start()
    wait(lambda: made.sight.state is OutputState.DOWN)
    assert "RuntimeError: a mistake of ours" in made.sight.problem
    wait(lambda: made.sight.state is OutputState.UP)
    made.leave()
    made.join(5)
    assert made.sight.state is OutputState.OFF


def test_a_recording_is_no_output_that_is_heard():
    made = Made()
    made.rack.go_to([Output(1, "Tape", RecordingOptions())])
    wait(lambda: made.queued[0].sight.state is OutputState.UP)
    assert not any(one.heard for one in made.rack.sights())
    assert made.rack.simulated is False
    made.rack.close()
