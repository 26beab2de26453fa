"""The station book: comparing two, section by section. Reading and writing is `station_book`."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

Book = Mapping[str, Any]

# section: (what one entry is called, what tells entries apart, what names one to a person)
SECTIONS: dict[str, tuple[str, str | tuple[str, ...] | None, str | None]] = {
    "roots": ("audio folder", None, None),
    "categories": ("category", "name", "name"),
    "items": ("item", "cart", "title"),
    "lists": ("list", "name", "name"),
    "log_drops": ("log drop", "id", "name"),
    "log_settled": ("settled line", "said", "said"),
    "events": ("timed event", "id", "name"),
    "intake_jobs": ("intake job", "name", "name"),
    "segue_rules": ("segue rule", ("out", "into"), None),
    "join_pairs": ("join of items", ("out", "into"), None),
    "overlay_pools": ("pool of overlays", "id", "name"),
    "break_patterns": ("break pattern", "id", "name"),
    "campaigns": ("campaign", "id", "name"),
    "outputs": ("output", "id", "name"),
    "alerts": ("alert", "id", "name"),
    "format_clocks": ("format clock", "id", "name"),
    "day_plans": ("day plan", "id", "name"),
    "week": ("hour of the week", "hour", None),
    "calendar": ("day of the calendar", "day", None),
    "rotation_rules": ("rule of rotation", "place", None),
}
_SHOWN = 60  # characters of a value that are told


@dataclass(frozen=True, slots=True)
class BookChange:
    """One difference: `what` is made, removed or changed."""

    section: str
    what: str
    text: str


def compare(now: Book, then: Book) -> list[BookChange]:
    """Return what changes when a station becomes what another book says, setting by setting."""
    changes = [
        BookChange(
            "settings",
            "changed",
            f"setting {name}: {_brief(now['settings'].get(name))} → "
            f"{_brief(then['settings'].get(name))}",
        )
        for name in sorted({*now["settings"], *then["settings"]})
        if now["settings"].get(name) != then["settings"].get(name)
    ]
    for section, (called, key, title) in SECTIONS.items():
        before, after = _by(now[section], key), _by(then[section], key)
        for mark in [*before, *(mark for mark in after if mark not in before)]:
            name = _name(mark, (after.get(mark) or before.get(mark)), key, title)
            if mark not in after:
                changes.append(BookChange(section, "removed", f"{called} {name} goes"))
            elif mark not in before:
                changes.append(BookChange(section, "made", f"{called} {name} is new"))
            elif before[mark] != after[mark]:
                told = _fields(before[mark], after[mark])
                changes.append(BookChange(section, "changed", f"{called} {name}: {told}"))
    return changes


def _by(entries: Sequence[Any], key: str | tuple[str, ...] | None) -> dict[Any, Any]:
    if isinstance(key, tuple):
        return {tuple(entry[part] for part in key): entry for entry in entries}
    return {entry if key is None else entry[key]: entry for entry in entries}


def _name(mark: Any, entry: Any, key: str | tuple[str, ...] | None, title: str | None) -> str:
    if isinstance(key, tuple):
        return " into ".join(map(str, mark))
    if key is None or title is None or key == title:
        return f"“{mark}”"
    return f"{mark} “{entry[title]}”"


def _fields(before: Mapping[str, Any], after: Mapping[str, Any]) -> str:
    parts = [
        f"{name} {_brief(before.get(name))} → {_brief(after.get(name))}"
        for name in sorted({*before, *after})
        if before.get(name) != after.get(name)
    ]
    return ", ".join(parts)


def _brief(value: Any) -> str:
    text = "nothing" if value is None else str(value)
    return text if len(text) <= _SHOWN else text[: _SHOWN - 1] + "…"
