"""The editing modules, imported when one is first used.

They need SQLAlchemy, which takes as long to import as the desk may take to open. `warm` is
for a thread that has nothing to do.
"""

from __future__ import annotations

from importlib import import_module
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from types import ModuleType

    from nightly_spindle.store.alerts import alerts
    from nightly_spindle.store.base.transaction import LibraryTransaction
    from nightly_spindle.store.events import events
    from nightly_spindle.store.library import (
        arrivals,
        categories,
        intake_jobs,
        items,
        lists,
        marking,
        rotation_cards,
    )
    from nightly_spindle.store.logs import log_source_edits
    from nightly_spindle.store.music import formats, made_hours
    from nightly_spindle.store.outputs import outputs
    from nightly_spindle.store.overlays import pools
    from nightly_spindle.store.segues import segues
    from nightly_spindle.store.traffic import campaigns

__all__ = [
    "alerts",
    "arrivals",
    "campaigns",
    "categories",
    "events",
    "formats",
    "intake_jobs",
    "items",
    "lists",
    "log_source_edits",
    "made_hours",
    "marking",
    "outputs",
    "pools",
    "rotation_cards",
    "segues",
]
_PACKAGES = {
    "library": (
        "arrivals",
        "categories",
        "intake_jobs",
        "items",
        "lists",
        "marking",
        "rotation_cards",
    ),
    "logs": ("log_source_edits",),
    "events": ("events",),
    "music": ("formats", "made_hours"),
    "alerts": ("alerts",),
    "outputs": ("outputs",),
    "overlays": ("pools",),
    "segues": ("segues",),
    "traffic": ("campaigns",),
}
MODULES = {name: f"{package}.{name}" for package, names in _PACKAGES.items() for name in names}


def __getattr__(name: str) -> ModuleType:
    if name not in MODULES:
        raise AttributeError(name)
    return import_module(f"nightly_spindle.store.{MODULES[name]}")


def warm() -> None:
    """Import them all."""
    for place in MODULES.values():
        import_module(f"nightly_spindle.store.{place}")


def put_marks_back(library: LibraryTransaction, rows: Any) -> None:
    """Take back what `marking` did; named here so that an undo needs no import beforehand."""
    import_module("nightly_spindle.store.library.marking").put_back(library, rows)


def restore_rule(library: LibraryTransaction, rows: Any) -> None:
    """Take back a change of a segue rule."""
    import_module("nightly_spindle.store.segues.segues").restore_rule(library, rows)


def restore_drop(library: LibraryTransaction, drop_id: int, rows: Any) -> None:
    """Take back a change of a log drop."""
    import_module("nightly_spindle.store.logs.log_source_edits").restore_drop(
        library, drop_id, rows
    )


def restore_events(library: LibraryTransaction, before: Any) -> None:
    """Take back a change of timed events."""
    import_module("nightly_spindle.store.events.events").restore_events(library, before)


def restore_pools(library: LibraryTransaction, before: Any) -> None:
    """Take back a change of pools of overlays."""
    import_module("nightly_spindle.store.overlays.pools").restore_pools(library, before)


def restore_outputs(library: LibraryTransaction, before: Any) -> None:
    """Take back a change of outputs."""
    import_module("nightly_spindle.store.outputs.outputs").restore_outputs(library, before)


def restore_alerts(library: LibraryTransaction, before: Any) -> None:
    """Take back a change of alerts."""
    import_module("nightly_spindle.store.alerts.alerts").restore_alerts(library, before)


def restore_campaigns(library: LibraryTransaction, before: Any) -> None:
    """Take back a change of campaigns."""
    import_module("nightly_spindle.store.traffic.campaigns").restore_campaigns(library, before)


def unpin(library: LibraryTransaction, was: Any) -> None:
    """Take back that a spot was set by hand."""
    import_module("nightly_spindle.store.traffic.campaigns").unpin(library, was)


def put_placed(library: LibraryTransaction, was: Any) -> None:
    """Place all spots as they were."""
    import_module("nightly_spindle.store.traffic.campaigns").put_placed(library, was)


def restore_breaks(library: LibraryTransaction, before: Any) -> None:
    """Take back a change of break patterns."""
    import_module("nightly_spindle.store.traffic.campaigns").restore_breaks(library, before)


def settle_back(library: LibraryTransaction, before: Any) -> None:
    """Take back what was settled of logs' lines."""
    import_module("nightly_spindle.store.logs.log_source_edits").settle(library, before)


def set_log_edits(library: LibraryTransaction, drop_id: int, slot: str, edits: Any) -> Any:
    """Write the edits of a log; returns what they were."""
    return import_module("nightly_spindle.store.logs.log_source_edits").set_edits(
        library, drop_id, slot, edits
    )


def set_station_rule(library: LibraryTransaction, texts: Any) -> Any:
    """Change the station's segue rule; returns what it was."""
    return import_module("nightly_spindle.store.segues.segues").set_station_rule(library, texts)


def restore_formats(library: LibraryTransaction, before: Any) -> None:
    """Take back a change of clocks, plans, week, calendar, rules or made hours."""
    import_module("nightly_spindle.store.music.formats").restore(library, before)
