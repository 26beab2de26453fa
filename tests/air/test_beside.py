"""What runs beside the engine: the intake it keeps, items edited under it, listening apart."""

import os
import signal
import subprocess
import sys
import time
from datetime import date, datetime, timedelta
from datetime import time as clock
from pathlib import Path

import pytest
import soundfile
from conftest import RATE, ZONE, ask, beep, day_slot, song_names, wait, write_log
from test_engine import Air

from nightly_spindle.core.base.timebase import zone
from nightly_spindle.core.calendar.local_days import broadcast_day
from nightly_spindle.core.library.intake import IntakeOptions
from nightly_spindle.core.library.items import Kind
from nightly_spindle.intake.bring_in import Intake, bring_in
from nightly_spindle.intake.place import intake_pid
from nightly_spindle.simulators.listening_orders import PlayFile, line_of, news_from
from nightly_spindle.store.base.lock import holder
from nightly_spindle.store.base.station_folder import set_settings
from nightly_spindle.store.base.transaction import LibraryTransaction
from nightly_spindle.store.library import items, lists
from nightly_spindle.store.reports.item_uses import uses_of

pytestmark = pytest.mark.engine


def alive(pid):
    return Path(f"/proc/{pid}").exists()


@pytest.fixture
def on_air(station):
    """An engine on air from a log of all songs, once it plays the first."""
    # the day begins with this hour: an engine that takes the air passes over all of it first
    hour = datetime.now(zone(ZONE)).hour
    set_settings(station, {"day_start": f"{hour:02}:00:00"})
    today = broadcast_day(time.time_ns() // 1000, zone(ZONE), clock(hour, 0))
    for day in (today, today + timedelta(days=1)):
        write_log(station, day, [n for n in song_names(station) if n.startswith("song")] * 40)
    engine = Air(station, "--no-supervisor", "--cold")
    try:
        engine.wait_on_air()
        yield engine
    finally:
        engine.end()


def test_a_supervised_engine_keeps_an_intake_that_ends_with_it(station):
    engine = Air(station, "--cold")
    try:
        engine.wait_on_air()
        first = wait(lambda: intake_pid(station), engine.told)
        # killed, it is there again
        os.kill(first, signal.SIGKILL)
        second = wait(lambda: (p := intake_pid(station)) and p != first and p, engine.told)
        assert second != first
    finally:
        engine.end()
    wait(lambda: not alive(second))
    assert holder(station / "intake.lock") is None


def test_edits_reach_an_engine_on_air(on_air, station):
    def coming():
        state = ask(station, "state")["state"]
        return state["order"]["playing"]["item"], state["order"]["upcoming"]

    playing, upcoming = coming()
    later = [line["cart"] for line in upcoming[2:5]]
    with LibraryTransaction(station) as library:
        items.edit(library, later, {"title": "Edited"})
        items.edit(library, [playing["cart"]], {"title": "Not under way"})
    ask(station, "skip")
    wait(lambda: coming()[0]["cart"] == upcoming[0]["cart"], on_air.told)
    time.sleep(2.5)  # the lookout goes round every two seconds
    for _ in range(2):
        ask(station, "skip")
        time.sleep(0.3)
    wait(lambda: coming()[0]["title"] == "Edited", on_air.told)


def test_an_item_that_was_removed_is_passed_over_and_told(on_air, station):
    upcoming = ask(station, "state")["state"]["order"]["upcoming"]
    gone = upcoming[1]["cart"]
    with LibraryTransaction(station) as library:
        items.remove(library, [gone])
    time.sleep(2.5)
    for _ in range(2):
        ask(station, "skip")
        time.sleep(0.5)
    playing = ask(station, "state")["state"]["order"]["playing"]["item"]["cart"]
    assert playing == upcoming[2]["cart"]


def test_where_items_are_used_is_said(on_air, station):
    upcoming = ask(station, "state")["state"]["order"]["upcoming"]
    cart = upcoming[0]["cart"]
    with LibraryTransaction(station) as library:
        lists.make_list(library, "Fog", [cart])
    wait(lambda: "running order" in {u.where for u in uses_of(station, [cart])})
    uses = uses_of(station, [cart])
    assert [u.where for u in uses] == ["list", "running order", "log", "log"]
    assert uses[2].text.endswith(".m3u, 40 times")
    assert uses_of(station, [1009]) == [], "the ID stands nowhere"


def test_what_is_brought_in_late_is_found_by_the_log_of_tonight(on_air, station, tmp_path):
    from nightly_spindle.store.programme.snapshot import open_station

    tomorrow = date.today() + timedelta(days=1)
    path = tmp_path / "Wren - Late.wav"
    soundfile.write(path, beep(3, 700), RATE)
    log = station / "logs" / f"{tomorrow:%Y-%m-%d}.m3u"
    log.write_text(f"{path}\n", encoding="utf-8")
    os.utime(log, (10**9, 10**9))
    snapshot = open_station(station)
    drop = next(iter(snapshot.programme.drops.values()))
    slot = day_slot(snapshot, drop, tomorrow)
    (match,) = snapshot.logs.refresh(drop, slot).matches
    assert match.status != "matched"
    bring_in(station, [Intake([path], IntakeOptions(Kind.SONG))])
    snapshot.logs.forget()
    (match,) = snapshot.logs.refresh(drop, slot).matches
    assert match.status == "matched"


# -- listening ---------------------------------------------------------------------------------


@pytest.fixture
def listener():
    process = subprocess.Popen(
        [sys.executable, "-m", "nightly_spindle.simulators.listen"],
        stdin=subprocess.PIPE,
        stdout=subprocess.PIPE,
        stderr=subprocess.DEVNULL,
    )
    yield process
    process.stdin.close()
    assert process.wait(20) == 0
    process.stdout.close()


def tell(process, order):
    process.stdin.write(line_of(order))
    process.stdin.flush()


def test_listening_says_where_it_is_in_the_pace_of_sound(listener, tmp_path):
    path = tmp_path / "x.flac"
    soundfile.write(path, beep(3, 440), RATE)
    tell(listener, PlayFile(str(path), 1.0))
    begun = time.monotonic()
    places = []
    while True:
        said = news_from(listener.stdout.readline())
        if said.ended:
            break
        places.append(said.at_s)
    took = time.monotonic() - begun
    assert places[0] == pytest.approx(1.0, abs=0.1)
    assert places == sorted(places)
    assert places[-1] <= 3.1
    assert took > 1.2, "two seconds of sound, less what the buffer holds, take their time"
    # another order takes the place of the one that plays; what cannot be read is said
    tell(listener, PlayFile(str(path)))
    assert news_from(listener.stdout.readline()).at_s == pytest.approx(0.0, abs=0.1)
    tell(listener, PlayFile(str(tmp_path / "none.flac")))
    while not (said := news_from(listener.stdout.readline())).problem:
        assert said.at_s is not None
    assert "none.flac cannot be read" in said.problem
