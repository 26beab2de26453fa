"""Listening for oneself: parts, loops, and joins that sound as they will on air."""

import subprocess
import sys
import threading
import time
from dataclasses import replace

import numpy as np
import pytest
import soundfile
from conftest import beep

from nightly_spindle.air.player import Player
from nightly_spindle.audio.measure import measure_file
from nightly_spindle.core.base.errors import InputFault
from nightly_spindle.core.library.items import Item, Kind
from nightly_spindle.core.library.markers import Curve, Marks, Shaping
from nightly_spindle.core.playout.sequencer import Sequencer
from nightly_spindle.core.programme.air_state import new_state
from nightly_spindle.core.programme.programme import Programme
from nightly_spindle.core.programme.running_order import Line, LineSource, Origin
from nightly_spindle.core.segues.segue_rules import JoinEdit, SegueRule, Segues
from nightly_spindle.core.station.settings import StationSettings
from nightly_spindle.desk.waves.join_session import JoinSession, Meeting
from nightly_spindle.simulators import listen
from nightly_spindle.simulators.listening_orders import GetReady, PlayFile, line_of, news_from


class Card:
    """An output that keeps what it is given, at no pace."""

    def __init__(self):
        self.blocks = []
        self.enough = threading.Event()

    def write(self, block):
        self.blocks.append(block.copy())
        self.enough.wait(0.0005)

    def waiting_frames(self):
        return 0

    def close(self):
        pass

    def sound(self):
        return np.concatenate(self.blocks)


@pytest.fixture
def listener(capsys):
    card = Card()
    made = listen.Listener(card)
    thread = threading.Thread(target=made.run, daemon=True)
    thread.start()
    said = []
    begun = ""

    def tell(order, until):
        nonlocal begun
        made.tell(order)
        end = time.monotonic() + 30
        while time.monotonic() < end:
            # The other thread may be amid a line, so only whole ones are read.
            *lines, begun = (begun + capsys.readouterr().out).split("\n")
            said.extend(map(news_from, filter(None, lines)))
            if until(said):
                return list(said)
            time.sleep(0.005)
        pytest.fail(f"nothing came: {said}")
        return None

    yield tell, card, made
    made.leave()
    thread.join(10)


def ended(said):
    return any(one.ended for one in said)


@pytest.fixture
def files(tmp_path):
    """Two songs at the listening rate, so that frames can be compared one by one."""
    made = []
    for number, (seconds, hz, fade) in enumerate(((12, 440, 5.0), (9, 700, 0.0)), 1):
        path = tmp_path / f"{number}.wav"
        soundfile.write(path, beep(seconds, hz, listen._RATE, 0.25, fade_s=fade), listen._RATE)
        measure = measure_file(str(path)).measure
        made.append(Item(number, Kind.SONG, f"Song {number}", "", str(path), measure))
    return made


def test_a_part_is_played_frame_by_frame_and_loops(listener, files):
    tell, card, _ = listener
    path = files[1].path
    said = tell(PlayFile(path, 1.0, -6.0, 1.5), ended)
    assert said[0].at_s == pytest.approx(1.0, abs=0.03)
    wave = soundfile.read(path, dtype="float32")[0]
    heard = card.sound()[: listen._RATE // 2]
    expected = wave[listen._RATE : listen._RATE * 3 // 2] * np.float32(10 ** (-6 / 20))
    assert np.abs(heard - expected).max() < 1e-6
    card.blocks.clear()
    tell(
        PlayFile(path, 2.0, 0.0, 2.1, loop=True),
        lambda said: sum(abs((one.at_s or 0) - 2.0) < 0.03 for one in said) > 4,
    )
    tell(GetReady(), lambda said: any(one.ready for one in said))
    told = tell(PlayFile("/nowhere.wav"), lambda said: said[-1].problem)
    assert "/nowhere.wav cannot be read" in told[-1].problem


@pytest.mark.parametrize(
    "edit",
    [
        None,
        JoinEdit(1, segue_s=9.0, fade_start_s=8.0, fade_out_s=2.5, fade_in_s=0.7),
        JoinEdit(1, segue_s=10.5, fade_out_s=1.0, fade_out_curve=Curve.LINEAR),
        JoinEdit(1, segue_s=13.0),
    ],
)
def test_a_join_sounds_to_the_operator_as_it_will_on_air(listener, files, edit):
    tell, card, _ = listener
    out, into = files
    out = replace(out, shaping=Shaping(gain_trim_db=-2.0))
    settings = StationSettings("Pier", "Europe/Lisbon", rate=48_000)
    meeting = Meeting(out, into, settings, Segues(), {}, {})
    order, first = JoinSession(meeting, 0.0, edit).to_hear()
    tell(order, ended)
    heard = card.sound()

    station = Programme(settings, None, {1: out, 2: into})
    state = new_state(48_000, 0, -1)
    state.order.upcoming = [
        Line(1, 1, Origin(LineSource.LOG)),
        Line(2, 2, Origin(LineSource.LOG), edit),
    ]
    state.order.next_id = 3
    player = Player(Sequencer(station, state), [], listen._BLOCK)
    aired = []
    while len(aired) * listen._BLOCK < (first + order.to_s) * 48_000 - listen._BLOCK:
        block = np.empty((listen._BLOCK, 2), np.float32)
        player.pull(block)
        aired.append(block)
    player.mixer.close()
    aired = np.concatenate(aired)
    delay = player.limiter.delay  # the player gives it back, the listener does not
    begin = round(first * 48_000)
    count = min(len(aired) - begin, len(heard) - delay) - 1
    away = np.abs(aired[begin : begin + count] - heard[delay : delay + count])
    assert float(away.max()) < 2e-3, f"differs at {int(away.max(axis=1).argmax()) / 48_000} s"
    assert float(np.abs(heard).max()) > 0.1


def test_the_process_answers_within_a_blink_and_ends_with_its_input(files):
    command = [sys.executable, "-m", "nightly_spindle.simulators.listen"]
    with subprocess.Popen(command, stdin=subprocess.PIPE, stdout=subprocess.PIPE) as process:
        process.stdin.write(b"{}\n")
        process.stdin.flush()
        assert "this is no order" in news_from(process.stdout.readline()).problem
        for order in (GetReady(), PlayFile(files[0].path, 2.0)):
            process.stdin.write(line_of(order))
            process.stdin.flush()
            told = news_from(process.stdout.readline())
        assert told.at_s == pytest.approx(2.0, abs=0.05)
        process.stdin.close()
        assert process.wait(30) == 0


def test_what_is_kept_of_a_join_becomes_markers_where_it_can(files):
    out, into = files
    settings = StationSettings("Pier", "Europe/Lisbon", segue=SegueRule(fade_in_s=0.2))
    session = JoinSession(Meeting(out, into, settings, Segues(settings.segue), {}, {}), 0.0, None)
    assert not session.changed
    session.change(segue_s=9.5, fade_out_s=1.5, fade_in_s=0.0, fade_out_curve=Curve.LINEAR)
    wanted = session.into_items()
    assert wanted[1] == (Marks(segue_s=9.5), Shaping(fade_out_s=1.5, fade_out_curve=Curve.LINEAR))
    assert wanted[2] == (None, Shaping(fade_in_s=0.0))
    session.change(segue_s=13.0)
    with pytest.raises(InputFault, match="A gap is not a marker of an item"):
        session.into_items()
    session.reset()
    assert session.edit == JoinEdit()
    assert not session.changed
    assert session.told().startswith("The levels of these items are not measured")
