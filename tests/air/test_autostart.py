"""Starting with the computer: with a stand-in for systemd, and without one."""

import os
import re
import stat
import subprocess
import sys
import time
from pathlib import Path

import pytest
from conftest import LONG

from nightly_spindle.air.autostart import (
    Starter,
    autostart_of,
    switch_off,
    switch_on,
    unit_of,
)
from nightly_spindle.air.places import engine_pid
from nightly_spindle.cli.main import main
from nightly_spindle.core.base.errors import StorageFault

# keeps what it was asked; `refuses` names orders that fail
SYSTEMCTL = """#!/bin/sh
echo "$@" >> "{log}"
for word in {refuses}; do
  case " $* " in *" $word "*) echo "Failed to $word: no" >&2; exit 1;; esac
done
"""
LOGINCTL = """#!/bin/sh
case "$1" in
  enable-linger) {linger};;
  show-user) [ -e "{log}.lingers" ] && echo yes || echo no;;
esac
"""


@pytest.fixture
def systemd(tmp_path, monkeypatch):
    """Put a stand-in for systemctl and loginctl first on the path; returns how to set it up."""
    log = tmp_path / "asked"

    def put(refuses="", *, linger=True):
        folder = tmp_path / "bin"
        folder.mkdir(exist_ok=True)
        allows = f'touch "{log}.lingers"' if linger else 'echo "Access denied" >&2; exit 1'
        for name, text in (("systemctl", SYSTEMCTL), ("loginctl", LOGINCTL)):
            file = folder / name
            file.write_text(text.format(log=log, refuses=refuses, linger=allows))
            file.chmod(file.stat().st_mode | stat.S_IXUSR)
        monkeypatch.setenv("PATH", f"{folder}:{os.environ['PATH']}")
        return log

    return put


def config():
    return Path(os.environ["XDG_CONFIG_HOME"])


def written():
    return sorted(str(p.relative_to(config())) for p in config().rglob("*") if p.is_file())


def test_a_unit_is_written_enabled_and_removed_without_a_trace(station, systemd):
    log = systemd()
    assert autostart_of(station).by is Starter.NOTHING
    found = switch_on(station, 25.0)
    assert (found.by, found.delay_s, found.lingers) == (Starter.SYSTEMD, 25.0, True)
    assert "25 s after every start of the computer, without a login" in found.sentence()
    (unit,) = written()
    assert unit.startswith("systemd/user/nightly-spindle-")
    asked = log.read_text().splitlines()
    name = Path(unit).name
    assert asked.index("--user daemon-reload") < asked.index(f"--user enable {name}")
    assert unit_of(station) == name
    assert switch_on(station, 0.0).delay_s == 0.0
    assert len(written()) == 1
    assert switch_off(station).by is Starter.NOTHING
    assert written() == []
    asked = log.read_text().splitlines()
    assert f"--user disable {name}" in asked
    assert not any("stop" in order or "--now" in order for order in asked), "what airs goes on"
    assert unit_of(station) is None


def test_without_lingering_it_starts_at_login_and_says_how_that_changes(station, systemd):
    systemd(linger=False)
    found = switch_on(station)
    assert found.by is Starter.SYSTEMD
    assert not found.lingers
    assert "every login" in found.sentence()
    assert "loginctl enable-linger" in found.problem


def test_a_systemd_that_refuses_leaves_it_to_the_session(station, systemd):
    systemd("enable")
    found = switch_on(station)
    assert found.by is Starter.SESSION
    assert "Failed to enable" in found.problem
    assert [Path(one).suffix for one in written()] == [".desktop"]


def test_without_systemd_an_entry_of_the_desktop_starts_the_engine(tmp_path, station, systemd):
    """The entry is executed as a session would (Desktop Entry Specification, the Exec key)."""
    systemd("show-environment")
    odd = station.rename(tmp_path / 'pier "$HOME" 100% \\ ü')
    found = switch_on(odd, 0.2)
    assert found.by is Starter.SESSION
    (entry,) = written()
    lines = (config() / entry).read_text(encoding="utf-8").splitlines()
    exec_line = next(line for line in lines if line.startswith("Exec="))
    # first the value is read as a string, then as quoted words, then field codes are filled in
    value = exec_line.removeprefix("Exec=").replace("\\\\", "\\")
    quoted = re.findall(r'"((?:[^"\\]|\\.)*)"', value)
    words = [re.sub(r"\\(.)", r"\1", word).replace("%%", "%") for word in quoted]
    assert words == [
        sys.executable, "-m", "nightly_spindle", "air", str(odd), "--after", "0.2",
    ]  # fmt: skip
    engine = subprocess.Popen([*words, "--pace", "1"], stderr=subprocess.DEVNULL)
    try:
        end = time.monotonic() + LONG / 1000
        while engine_pid(odd) is None and time.monotonic() < end:
            time.sleep(0.05)
        assert engine_pid(odd) is not None
    finally:
        engine.terminate()
        engine.wait(30)
    assert switch_off(odd).by is Starter.NOTHING
    assert written() == []


def test_two_stations_of_one_name_do_not_meet(tmp_path, station, systemd):
    systemd()
    other = tmp_path / "elsewhere" / station.name
    other.mkdir(parents=True)
    switch_on(station)
    switch_on(other, 60.0)
    assert len(written()) == 2
    switch_off(station)
    assert autostart_of(other).delay_s == 60.0


def test_a_folder_that_cannot_be_written_is_told(station, systemd):
    systemd()
    config().mkdir(parents=True, exist_ok=True)
    (config() / "systemd").write_text("in the way")
    with pytest.raises(StorageFault, match="cannot be written"):
        switch_on(station)


def test_the_command_switches_it(station, systemd, capsys):
    systemd()
    assert main(["station", "autostart", str(station)]) == 0
    assert "does not start on its own" in capsys.readouterr().out
    assert main(["station", "autostart", str(station), "on", "--after", "5"]) == 0
    assert "5 s after every start" in capsys.readouterr().out
    assert main(["station", "autostart", str(station), "on", "--after", "-5"]) == 2
    assert "is not within" in capsys.readouterr().err
    assert main(["station", "autostart", str(station), "off"]) == 0
    assert written() == []
