"""The supervisor gives up for nothing but an order to leave."""

import os
import signal
import subprocess
import sys
import time
from pathlib import Path

import pytest

from nightly_spindle.air import supervisor

pytestmark = pytest.mark.engine
LIVES = str(Path(__file__).parent / "lives.py")


def supervised(folder, *statuses):
    env = dict(os.environ, PYTHONPATH=str(Path(LIVES).parent))
    command = [sys.executable, LIVES, str(folder), *map(str, statuses)]
    return subprocess.Popen(command, env=env, stderr=subprocess.PIPE, text=True)


def lives(folder):
    file = folder / "lives.txt"
    return [line.split() for line in file.read_text().splitlines()] if file.exists() else []


def test_whatever_status_an_engine_ends_with_another_follows(tmp_path):
    process = supervised(tmp_path, 1, 2, 70, -9, 71, -11, 0)
    assert process.wait(60) == 0
    process.stderr.close()
    had = lives(tmp_path)
    assert len(had) == 7
    assert [resumed for _, resumed, _ in had] == ["False"] + ["True"] * 6
    assert {int(pid) for pid, _, _ in had} == {process.pid}
    # four short lives, the kill by hand not counted: then the safety net alone
    assert [alone for _, _, alone in had] == ["False"] * 5 + ["True"] * 2
    said = (tmp_path / "messages/supervisor.log").read_text()
    assert "ended with status 1; it starts again" in said


def test_a_supervisor_that_is_told_to_leave_ends_its_engine_and_starts_no_other(tmp_path):
    process = supervised(tmp_path, 1000)
    end = time.monotonic() + 30
    while not lives(tmp_path) and time.monotonic() < end:
        time.sleep(0.05)
    time.sleep(0.3)
    process.send_signal(signal.SIGTERM)
    assert process.wait(30) == 0
    process.stderr.close()
    assert len(lives(tmp_path)) == 1


def test_a_supervisor_that_is_told_while_it_starts_an_engine_ends_that_too(monkeypatch, tmp_path):
    """The order came when there was no process yet that it could be passed on to."""
    told = []

    class Child:
        """A process that is begun while the signal comes, and ends when it is told."""

        pid, exitcode = 4_194_305, None  # more than any process number there is

        def start(self):
            engine.leave(signal.SIGTERM, None)

        def join(self, _timeout):
            if told:
                self.exitcode = 0

    class Context:
        def Process(self, **_):  # noqa: N802 - as in multiprocessing
            return Child()

    monkeypatch.setattr(supervisor.os, "kill", lambda pid, number: told.append((pid, number)))
    engine = supervisor._Engine(tmp_path, lambda *_: 0)
    engine._context = Context()
    assert engine.run(waits=False) == 0
    assert told == [(Child.pid, signal.SIGTERM)]
