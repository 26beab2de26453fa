"""The watchdog: what stands is told, replaced or ended; what was held as a whole is not."""

import subprocess
import sys
import time

from nightly_spindle.air import watchdog
from nightly_spindle.air.watchdog import STANDS, Watchdog, Watched
from nightly_spindle.store.base.messages import last_messages


def test_the_watchdog_tells_once_and_replaces_what_it_may():
    told, replaced = [], []
    moved = {"a": 1.0, "b": 1.0, "c": float("inf")}
    dog = Watchdog(lambda code, text, mend: told.append(text))
    dog.watch(Watched("writer", lambda: moved["a"], 5.0))
    dog.watch(Watched("watcher", lambda: moved["b"], 5.0, lambda: replaced.append(1)))
    dog.watch(Watched("not begun", lambda: moved["c"], 5.0))
    for _ in range(6):
        dog.look(1.0)
    assert not told, "five seconds are allowed, and the first look begins them"
    dog.look(1.0)
    assert told == [
        "The writer has stood for 6 s.",
        "The watcher has stood for 6 s; another takes its place.",
    ]
    moved["b"] = 2.0
    dog.look(1.0)
    assert (len(told), replaced, list(dog.standing)) == (2, [1], ["writer"])
    moved["a"] = 2.0
    dog.look(1.0)
    assert not dog.standing


def test_a_process_that_was_held_as_a_whole_did_not_stand(monkeypatch):
    told, moved = [], [time.monotonic()]
    monkeypatch.setattr(watchdog, "_EVERY_S", 0.05)
    monkeypatch.setattr(watchdog, "_AT_MOST_S", 0.075)
    dog = Watchdog(lambda code, text, mend: told.append(text))
    dog.watch(Watched("pump", lambda: moved[0], 0.5))
    real, held = time.monotonic, [0.0]
    monkeypatch.setattr(watchdog.time, "monotonic", lambda: real() + held[0])
    dog.start()
    time.sleep(0.2)
    held[0] = 3600.0  # all at once it is an hour later
    time.sleep(0.2)
    assert not told
    end = real() + 20
    while not told and real() < end:
        time.sleep(0.02)
    dog.stop()
    assert told, "it does stand, by the watchdog's own time"


def test_an_engine_whose_pump_stands_says_so_before_it_ends(tmp_path):
    program = f"""
import time
from pathlib import Path
from nightly_spindle.air.watchdog import Watchdog, Watched
from nightly_spindle.store.base.messages import begin_messages
begin_messages(Path({str(tmp_path)!r}), "engine", echo=False)
dog = Watchdog(lambda *_: None)
dog.watch(Watched("pump", lambda: 1.0, 1.5, ends=True))
dog.start()
time.sleep(30)
"""
    ended = subprocess.run(
        [sys.executable, "-c", program], timeout=60, check=False, capture_output=True
    )
    assert ended.returncode == STANDS
    said = "\n".join(last_messages(tmp_path, 500))
    assert "The pump has stood for" in said
    assert "thread MainThread stands at" in said
    assert 'File "<string>", line 10, in <module>' in said, "where each thread stood"
