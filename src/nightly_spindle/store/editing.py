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
