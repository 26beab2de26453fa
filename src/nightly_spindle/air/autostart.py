"""Starting the air engine with the computer: by a systemd user unit, else with the session.

A unit starts at boot where lingering is allowed (`loginctl enable-linger`), else at login. Where no
systemd user instance runs, an entry in the desktop's autostart folder (XDG Autostart Specification)
starts the engine at login. Switching it off removes whatever was written.
"""

from __future__ import annotations

import getpass
import os
import re
import subprocess
import sys
from dataclasses import dataclass
from enum import StrEnum
from pathlib import Path

from nightly_spindle.air.unit import unit_name, unit_text
from nightly_spindle.core.base.desktop_entries import exec_word, one_line
from nightly_spindle.core.base.errors import StorageFault

FIRST_DELAY_S = 10.0
_PATIENCE_S = 20.0


class Starter(StrEnum):
    """What starts the engine."""

    NOTHING = ""
    SYSTEMD = "systemd"
    SESSION = "session"


@dataclass(frozen=True, slots=True)
class Autostart:
    """How a station's engine starts with the computer.

    `lingers`: it starts at boot, without a login. `runs`: it is systemd that runs the engine now.
    `problem` is a sentence where something could not be done as it should.
    """

    by: Starter = Starter.NOTHING
    delay_s: float = FIRST_DELAY_S
    lingers: bool = False
    runs: bool = False
    place: str = ""
    problem: str = ""

    def sentence(self) -> str:
        """How the engine starts, as the operator reads it."""
        if self.by is Starter.NOTHING:
            return "The station does not start on its own: after a power cut it stays off the air."
        wait = f"{self.delay_s:g} s after" if self.delay_s else "at"
        if self.by is Starter.SYSTEMD and self.lingers:
            return f"The station goes on air {wait} every start of the computer, without a login."
        how = "systemd" if self.by is Starter.SYSTEMD else "the desktop session"
        return f"The station goes on air {wait} every login ({how})."


def autostart_of(folder: Path) -> Autostart:
    """Return how a station's engine starts; asks systemd. Takes up to some seconds."""
    folder = folder.resolve()
    unit, entry = _unit_path(folder), _entry_path(folder)
    if unit.is_file():
        runs = _systemctl("is-active", unit.name).returncode == 0
        return Autostart(Starter.SYSTEMD, _delay(unit), _lingers(), runs, str(unit))
    if entry.is_file():
        return Autostart(Starter.SESSION, _delay(entry), place=str(entry))
    return Autostart()


def switch_on(folder: Path, delay_s: float = FIRST_DELAY_S) -> Autostart:
    """Have a station's engine start with the computer; returns how it does then.

    StorageFault when the unit or the entry cannot be written.
    """
    folder = folder.resolve()
    switch_off(folder)
    if not has_systemd():
        path = _entry_path(folder)
        _write(path, _entry_text(folder, delay_s))
        return autostart_of(folder)
    path = _unit_path(folder)
    _write(path, unit_text(folder, Path(sys.executable), delay_s))
    for order in (("daemon-reload",), ("enable", path.name)):
        done = _systemctl(*order)
        if done.returncode:
            path.unlink(missing_ok=True)
            _systemctl("daemon-reload")
            _write(_entry_path(folder), _entry_text(folder, delay_s))
            said = done.stderr.strip() or f"systemctl ended with {done.returncode}"
            return _with_problem(folder, f"systemd refused ({said}), so the session starts it")
    allowed = _run("loginctl", "enable-linger", getpass.getuser())
    if allowed.returncode and not _lingers():
        why = "this computer does not let programs of users start before a login"
        mend = f"an administrator can allow it: loginctl enable-linger {getpass.getuser()}"
        return _with_problem(folder, f"{why}; {mend}")
    return autostart_of(folder)


def switch_off(folder: Path) -> Autostart:
    """Remove what starts the engine; an engine that runs goes on. StorageFault when it stays."""
    folder = folder.resolve()
    unit, entry = _unit_path(folder), _entry_path(folder)
    try:
        if unit.is_file():
            _systemctl("disable", unit.name)
            unit.unlink(missing_ok=True)
            _systemctl("daemon-reload")
        entry.unlink(missing_ok=True)
    except OSError as error:
        said = f"{error.filename} cannot be removed: {error.strerror or error}"
        raise StorageFault(said) from error
    return autostart_of(folder)


def unit_of(folder: Path) -> str | None:
    """Return the name of the unit that starts a station's engine, None where there is none."""
    unit = _unit_path(folder.resolve())
    return unit.name if unit.is_file() else None


def has_systemd() -> bool:
    """Whether a systemd instance of this user runs."""
    return _systemctl("show-environment").returncode == 0


def _lingers() -> bool:
    shown = _run("loginctl", "show-user", getpass.getuser(), "--property=Linger", "--value")
    return shown.returncode == 0 and shown.stdout.strip() == "yes"


def _with_problem(folder: Path, problem: str) -> Autostart:
    found = autostart_of(folder)
    return Autostart(found.by, found.delay_s, found.lingers, found.runs, found.place, problem)


def _config() -> Path:
    return Path(os.environ.get("XDG_CONFIG_HOME") or Path.home() / ".config")


def _unit_path(folder: Path) -> Path:
    return _config() / "systemd/user" / unit_name(folder)


def _entry_path(folder: Path) -> Path:
    return _config() / "autostart" / unit_name(folder).replace(".service", ".desktop")


def _entry_text(folder: Path, delay_s: float) -> str:
    words = [sys.executable, "-m", "nightly_spindle", "air", str(folder), "--after", f"{delay_s:g}"]
    return "\n".join(
        (
            "[Desktop Entry]",
            "Type=Application",
            f"Name=Nightly Spindle: {one_line(folder.name)}",
            "Comment=Keeps the station on air",
            f"Exec={' '.join(exec_word(word) for word in words)}",
            "NoDisplay=true",
            "X-GNOME-Autostart-enabled=true",
            "",
        )
    )


def _delay(path: Path) -> float:
    found = re.search(r'--after"? "?(\d+(?:\.\d+)?)', path.read_text(encoding="utf-8"))
    return float(found[1]) if found else 0.0


def _write(path: Path, text: str) -> None:
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_text(text, encoding="utf-8")
    except OSError as error:
        raise StorageFault(f"{path} cannot be written: {error.strerror or error}") from error


def _systemctl(*words: str) -> subprocess.CompletedProcess[str]:
    return _run("systemctl", "--user", *words)


def _run(*words: str) -> subprocess.CompletedProcess[str]:
    """Run a program; one that is not there, or takes too long, has failed."""
    try:
        return subprocess.run(
            words, capture_output=True, text=True, timeout=_PATIENCE_S, check=False
        )
    except (OSError, subprocess.TimeoutExpired) as error:
        return subprocess.CompletedProcess(words, 127, "", str(error))
