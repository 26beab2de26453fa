"""The editing modules, imported when one is first used.

They need SQLAlchemy, which takes as long to import as the desk may take to open. `warm` is
for a thread that has nothing to do.
"""

from __future__ import annotations

from importlib import import_module
from typing import Any

MODULES = ("arrivals", "categories", "items", "jobs", "lists", "marking", "segues")


def __getattr__(name: str) -> Any:
    if name not in MODULES:
        raise AttributeError(name)
    return import_module(f"nightly_spindle.store.{name}")


def warm() -> None:
    """Import them all."""
    for name in MODULES:
        import_module(f"nightly_spindle.store.{name}")


def put_marks_back(library: Any, rows: Any) -> None:
    """Take back what `marking` did; named here so that an undo needs no import beforehand."""
    import_module("nightly_spindle.store.marking").put_back(library, rows)


def restore_rule(library: Any, rows: Any) -> None:
    """Take back a change of a segue rule."""
    import_module("nightly_spindle.store.segues").restore_rule(library, rows)


def set_station_rule(library: Any, texts: Any) -> Any:
    """Change the station's segue rule; returns what it was."""
    return import_module("nightly_spindle.store.segues").set_station_rule(library, texts)
