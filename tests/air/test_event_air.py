"""Timed events on a running engine: heard to the second, by hand, from a stream, after a kill."""

import json
import time

import numpy as np
import pytest
import soundfile
from conftest import RATE, ask, song_names, wait, write_log
from test_engine import DAY, FOREVER, air, lines  # noqa: F401
from test_log_drops import out, view

from nightly_spindle.simulators.stream_server import Manner, StreamFault, StreamServer
from nightly_spindle.store.base.database import connect
from nightly_spindle.store.playout.journal import alarms_between

pytestmark = pytest.mark.engine
BELL = 1009  # 1500 Hz, 2 s


@pytest.fixture
def logged(station):
    write_log(station, DAY, [*song_names(station)[:8]] * 4)
    return station


def add(capsys, station, name, *options):
    return view(capsys, "events", "add", station, name, *options)[0]


def onset(sound, hz, after, until):
    """When a frequency is first heard, to 2 ms: where most of the sound around it is that."""
    step, width = 0.002, 0.01
    for at in np.arange(after, until, step):
        part = sound[round(at * RATE) : round((at + width) * RATE), 0]
        if not len(part):
            break
        t = np.arange(len(part)) / RATE
        there = abs(np.mean(part * np.exp(-2j * np.pi * hz * t))) * 2
        if there > 0.08:
            return at + width
    return None


def test_a_cut_in_is_heard_within_50_ms_of_its_second_and_by_hand_at_once(
    logged, request, capsys, tmp_path
):
    start = request.getfixturevalue("air")
    add(
        capsys,
        logged,
        "Bell",
        "--on",
        "2026-11-24",
        "--at",
        "10:00:08",
        "--entry",
        "cut in",
        "--step",
        f"play item {BELL}",
        "--step",
        "go back",
    )
    heard = tmp_path / "heard.flac"
    engine = start(
        "--clock",
        "2026-11-24T10:00:00",
        "--cold",
        "--capture",
        str(heard),
        "--seconds",
        "18",
        "--no-supervisor",
        "--no-intake",
    )
    engine.wait_on_air()
    # one that is made while the engine is on air is taken up
    made = add(
        capsys,
        logged,
        "Late bell",
        "--on",
        "2026-11-24",
        "--at",
        "23:00",
        "--step",
        f"play item {BELL}",
    )

    def by_hand():
        status, text, _ = out(capsys, "events", "fire", logged, made["name"], "--json")
        return json.loads(text) if status == 0 else None  # the engine may not know it yet

    told = wait(by_hand)
    assert told["did"] == ["1 line lined up"]
    engine.process.wait(60)
    sound, rate = soundfile.read(heard)
    assert rate == RATE
    begun = min(line.start_us for line in lines(logged) if line.cart)
    started = next(
        line for line in lines(logged) if line.cart == BELL and "event “Bell”" in line.origin
    )
    at = (started.start_us - begun) / 1e6
    assert abs(started.start_us / 1e6 % 60 - 8.0) < 1e-4
    first = onset(sound, 1500.0, at - 0.3, at + 0.5)
    assert first is not None
    assert abs(first - at) < 0.05
    rows = [line for line in lines(logged) if line.title.startswith("Event ")]
    assert {(row.title, row.outcome) for row in rows} == {
        ("Event Late bell", "fired"),
        ("Event Bell", "fired"),
    }


def test_a_stream_is_taken_over_and_left_when_it_fails(logged, request, capsys):
    start = request.getfixturevalue("air")
    server = StreamServer(Manner(hz=700.0)).start()
    step = f"play stream {server.url}; title=Relay; length_s=60; patience_s=1.5"
    add(
        capsys,
        logged,
        "Relay",
        "--on",
        "2026-11-24",
        "--at",
        "10:00:06",
        "--entry",
        "cut in",
        "--step",
        step,
    )
    engine = start("--clock", "2026-11-24T10:00:00", "--cold", "--no-supervisor", "--no-intake")
    engine.wait_on_air()
    try:

        def playing():
            return ask(logged, "state")["state"]["order"]["playing"]

        wait(lambda: playing()["item"]["title"] == "Relay")
        assert view(capsys, "status", logged)["now_playing"] == "Relay"
        time.sleep(2)
        sight = ask(logged, "state")["sight"]
        assert max(sight["peak_db"]) > -40
        server.manner = Manner(fault=StreamFault.REFUSED)
        server.stop()
        wait(lambda: playing()["item"]["title"] != "Relay")
        assert engine.process.poll() is None
    finally:
        engine.end()
    alarms = alarms_between(connect(logged), 0, FOREVER)
    assert any(a.code == "item-died" and "“Relay” breaks off" in a.text for a in alarms)
    relay = next(line for line in lines(logged) if line.title == "Relay")
    assert relay.end_us - relay.start_us < 55e6


def test_an_event_due_while_the_engine_was_killed_is_made_good_once(logged, request, capsys):
    start = request.getfixturevalue("air")
    add(
        capsys,
        logged,
        "Bell",
        "--on",
        "2026-11-24",
        "--at",
        "10:00:30",
        "--step",
        f"play item {BELL}",
        "--grace",
        "300",
    )
    engine = start("--clock", "2026-11-24T10:00:05", "--cold", "--no-supervisor", "--no-intake")
    engine.wait_on_air()
    time.sleep(1.0)
    engine.process.kill()
    engine.process.wait(20)
    again = start("--clock", "2026-11-24T10:02:00", "--no-supervisor", "--no-intake")
    again.wait_on_air()

    def rung():
        return [line for line in lines(logged) if line.cart == BELL and line.outcome != "missed"]

    wait(rung)
    again.end()
    assert len(rung()) == 1
    codes = [alarm.code for alarm in alarms_between(connect(logged), 0, FOREVER)]
    assert codes.count("event-made-good") == 1
