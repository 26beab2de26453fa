"""The process that sends alerts, beside real engines that are killed and come back."""

import json
import os
import signal
import subprocess
import sys
import time
from datetime import datetime
from datetime import time as time_of_day
from zoneinfo import ZoneInfo

import pytest
from conftest import ZONE, cut_the_power, wait
from test_engine import Air

from nightly_spindle.air import alert_watch
from nightly_spindle.air.alert_watch import AlertWatch
from nightly_spindle.air.alerts_place import alerts_pid
from nightly_spindle.air.places import engine_pid
from nightly_spindle.cli.main import main
from nightly_spindle.core.alerts.troubles import Heard, troubles_of
from nightly_spindle.core.programme.running_order import LineSource
from nightly_spindle.simulators.web_receiver import WebFault, WebReceiver
from nightly_spindle.store.alerts.alerts_sent import read_sent

pytestmark = pytest.mark.engine


@pytest.fixture
def address():
    receiver = WebReceiver().start()
    yield receiver
    receiver.stop()


@pytest.fixture
def told(station, address):
    """The station tells an address of all that lasts for a second."""
    given = [f"address={address.url}", "after_s=1", "quiet_min=0"]
    words = [word for one in given for word in ("--set", one)]
    assert main(["alerts", "set", str(station), "Pager", "--kind", "web address", *words]) == 0
    yield address
    cut_the_power(station)


def events(address):
    return [(one["event"], [t["kind"] for t in one["troubles"]]) for one in address.taken]


def test_an_engine_that_is_gone_and_its_return_are_told_by_themselves(station, told):
    watch = subprocess.Popen(
        [sys.executable, "-m", "nightly_spindle", "alerts", "run", str(station), "--with-parent"],
        stdin=subprocess.PIPE,
    )
    wait(lambda: alerts_pid(station))
    told.fault = WebFault.REFUSES
    wait(lambda: read_sent(station).get(1), lambda: f"{events(told)}")
    assert "answers 503" in read_sent(station)[1]["problem"]
    told.fault = WebFault.NONE  # what could not be sent is sent then
    wait(lambda: told.taken)
    assert events(told)[0] == ("trouble", ["off air"])
    assert told.taken[0]["troubles"][0]["text"].startswith("The station is off the air")
    engine = Air(station, "--output", "standin", "--no-intake", "--no-supervisor")
    try:
        engine.wait_on_air()
        wait(lambda: any(kind == "over" for kind, _ in events(told)), engine.told)
        over = next(one for one in told.taken if one["event"] == "over")
        assert over["troubles"][0]["until"] is not None
        assert read_sent(station)[1]["problem"] == ""
        # an engine that is told to leave is no trouble
        seen = len(told.taken)
        os.kill(engine_pid(station), signal.SIGTERM)
        engine.process.wait(60)
        time.sleep(6)
        assert ("trouble", ["off air"]) not in events(told)[seen:]
    finally:
        engine.end()
        watch.stdin.close()
        assert watch.wait(30) == 0, "it ends with its parent"
    assert alerts_pid(station) is None


def test_it_runs_beside_a_supervised_engine_and_tells_of_the_tone(station, told):
    for song in (station / "audio").rglob("*"):
        if song.is_file():
            song.rename(song.with_suffix(".away"))
    engine = Air(station, "--output", "standin", "--no-intake")
    try:
        wait(lambda: alerts_pid(station), engine.told)
        wait(lambda: any("tone" in kinds for _, kinds in events(told)), engine.told)
        first = next(one for one in told.taken if "tone" in json.dumps(one))
        assert first["troubles"][0]["to_do"]
    finally:
        engine.end()
    wait(lambda: alerts_pid(station) is None)


def test_the_morning_report_goes_out_once_a_day(station, told):
    now = datetime.now(ZoneInfo(ZONE))
    if now.time() > time_of_day(23, 50):
        pytest.skip("it would be tomorrow's")
    due = f"morning={now:%H:%M}"
    assert main(["alerts", "set", str(station), "Pager", "--set", due]) == 0
    for _ in range(2):
        watch = subprocess.Popen(
            [sys.executable, "-m", "nightly_spindle", "alerts", "run", str(station)],
        )
        wait(lambda: ("morning", []) in events(told))
        time.sleep(5)  # some looks more
        watch.kill()
        watch.wait(30)
    reports = [one for one in told.taken if one["event"] == "morning"]
    assert len(reports) == 1, "not again after a start either"
    assert reports[0]["text"].startswith("Nothing was on air.\n")
    assert reports[0]["subject"] == "Pier: Nothing was on air"


def test_what_is_wrong_is_told_though_the_station_cannot_be_read(station, told, monkeypatch):
    assert main(["alerts", "set", str(station), "Pager", "--set", "after_s=0"]) == 0
    watch = AlertWatch(station)
    monkeypatch.setattr(alert_watch, "engine_pid", lambda _: 1)  # it has one, which is busy
    watch._look()
    assert events(told) == []
    (station / "station.db").rename(station / "elsewhere.db")
    monkeypatch.setattr(alert_watch, "engine_pid", lambda _: None)
    monkeypatch.setattr(alert_watch, "_READ_S", 0.0)
    for _ in range(3):
        watch._look()
    wait(lambda: told.taken)
    assert events(told) == [("trouble", ["off air"])]
    for _, _, sender in watch._alerts.values():
        sender.end()
    (station / "elsewhere.db").rename(station / "station.db")


def test_all_is_well_as_long_as_nothing_is_wrong_that_is_wanted(station, told, monkeypatch):
    """Music of the safety net, which this alert does not tell of, is no reason to ring."""
    more = ["--set", "alive_min=60", "--set", "after_s=0"]
    assert main(["alerts", "set", str(station), "Pager", *more]) == 0
    for wrong, kind in ((LineSource.TONE, "trouble"), (LineSource.ROTATION, "alive")):
        told.taken.clear()
        found = troubles_of(Heard(-12.0, wrong, waits=False, outputs=()))
        watch = AlertWatch(station)
        monkeypatch.setattr(watch, "_troubles", lambda found=found: found)
        watch._look()
        wait(lambda: told.taken)
        assert [one["event"] for one in told.taken] == [kind]
        for _, _, sender in watch._alerts.values():
            sender.end()
