"""A systemd user unit that keeps the engine of one station running."""

from __future__ import annotations

from hashlib import blake2s
from importlib.resources import files
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from pathlib import Path

TEMPLATE = "nightly-spindle.service"


def unit_name(folder: Path) -> str:
    """Return a name for the unit of the station in a folder (absolute), no two alike."""
    plain = "".join(c if c.isascii() and c.isalnum() else "-" for c in folder.name).strip("-")
    mark = blake2s(str(folder).encode(), digest_size=3).hexdigest()
    return f"nightly-spindle-{plain or 'station'}-{mark}.service"


def unit_text(folder: Path, python: Path, delay_s: float = 0.0) -> str:
    """Return the unit: it runs this program where it really is, by its own Python.

    The first engine takes the air `delay_s` after the computer or the session has started.
    """
    template = files("nightly_spindle.air").joinpath(TEMPLATE).read_text(encoding="utf-8")
    filled = {
        "@PYTHON@": _quoted(str(python)),
        "@FOLDER@": _quoted(str(folder)),
        "@AFTER@": f"{delay_s:g}",
        "@NAME@": folder.name.replace("%", "%%"),
    }
    for mark, text in filled.items():
        template = template.replace(mark, text)
    return template


def _quoted(text: str) -> str:
    """Return a word as systemd reads it back (systemd.service(5), "Command lines")."""
    escaped = text.replace("\\", "\\\\").replace('"', '\\"').replace("%", "%%").replace("$", "$$")
    return f'"{escaped}"'
