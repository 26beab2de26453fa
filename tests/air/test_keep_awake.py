"""Keeping the computer awake: against a stand-in for logind on a bus of its own."""

import os
import shutil
import subprocess
import threading
from pathlib import Path

import pytest
from conftest import wait

from nightly_spindle.air.keep_awake import keep_awake

pytest.importorskip("jeepney")

from jeepney import (
    DBusAddress,
    HeaderFields,
    MessageType,
    new_error,
    new_method_call,
    new_method_return,
)
from jeepney.io.blocking import open_dbus_connection


@pytest.fixture
def bus(monkeypatch):
    """A bus of our own in place of the system's."""
    if not shutil.which("dbus-daemon"):
        pytest.skip("dbus-daemon (Debian: dbus) is not installed")
    folder = os.environ["XDG_RUNTIME_DIR"]
    address = f"{folder}/bus"
    daemon = subprocess.Popen(
        ["dbus-daemon", "--session", "--nofork", f"--address=unix:path={address}"],
        stderr=subprocess.DEVNULL,
    )
    monkeypatch.setenv("DBUS_SYSTEM_BUS_ADDRESS", f"unix:path={address}")
    wait(lambda: Path(address).exists())
    yield
    daemon.terminate()
    daemon.wait()


class Logind(threading.Thread):
    """Answers `Inhibit` with one end of a pipe; the other tells whether it is still held."""

    def __init__(self, refuses=""):
        super().__init__(daemon=True)
        self.refuses, self.asked, self.held = refuses, [], -1
        self.ends = threading.Event()
        self.connection = open_dbus_connection(bus="SYSTEM", enable_fds=True)
        self.connection.send_and_get_reply(
            new_method_call(
                DBusAddress(
                    "/org/freedesktop/DBus", "org.freedesktop.DBus", "org.freedesktop.DBus"
                ),
                "RequestName",
                "su",
                ("org.freedesktop.login1", 0),
            )
        )
        self.start()

    def run(self):
        while not self.ends.is_set():
            try:
                message = self.connection.receive(timeout=0.1)
            except TimeoutError:
                continue
            if message.header.message_type is not MessageType.method_call:
                continue
            if message.header.fields.get(HeaderFields.member) != "Inhibit":
                continue
            self.asked.append(message.body)
            if self.refuses:
                self.connection.send(
                    new_error(
                        message,
                        "org.freedesktop.DBus.Error.AccessDenied",
                        "s",
                        (self.refuses,),
                    )
                )
                continue
            self.held, other = os.pipe()
            self.connection.send(new_method_return(message, "h", (other,)))
            os.close(other)

    def end(self):
        self.ends.set()
        self.join()
        self.connection.close()
        if self.held >= 0:
            os.close(self.held)

    def is_held(self):
        os.set_blocking(self.held, False)
        try:
            return os.read(self.held, 1) != b""
        except BlockingIOError:
            return True


def test_it_is_held_until_the_engine_leaves(bus):
    logind, leaving, told = Logind(), threading.Event(), []
    keep_awake("Pier", lambda *what: told.append(what), leaving)
    wait(lambda: logind.held >= 0)
    assert logind.asked == [("sleep:idle", "Nightly Spindle", "Pier is on air", "block")]
    assert logind.is_held()
    leaving.set()
    wait(lambda: not logind.is_held())
    assert told == []
    logind.end()


def test_a_refusal_is_told_once_with_what_to_do(bus):
    logind, leaving, told = Logind("Permission denied"), threading.Event(), []
    keep_awake("Pier", lambda *what: told.append(what), leaving)
    wait(lambda: told)
    leaving.set()
    assert logind.asked
    logind.end()
    ((code, text, mend, _),) = told
    assert code == "may-sleep"
    assert "Permission denied" in text
    assert "power settings" in mend


def test_without_a_logind_nothing_is_told(bus, monkeypatch):
    for address in (os.environ["DBUS_SYSTEM_BUS_ADDRESS"], "unix:path=/nowhere/bus"):
        monkeypatch.setenv("DBUS_SYSTEM_BUS_ADDRESS", address)
        leaving, told = threading.Event(), []
        keep_awake("Pier", lambda *what, told=told: told.append(what), leaving)
        leaving.wait(0.5)
        leaving.set()
        assert told == []
