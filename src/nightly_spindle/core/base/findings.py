"""Findings: what goes or went wrong, how bad it is, and how to mend it."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum


class Severity(StrEnum):
    """How bad a finding is."""

    ALARM = "alarm"
    WARNING = "warning"
    NOTE = "note"


# what leaves listeners with nothing at all: these come before all else
GRAVEST = frozenset({"only-tone", "not-heard"})


@dataclass(frozen=True, slots=True)
class Finding:
    """One thing that goes or went wrong at a frame: when, why, and how to mend it."""

    code: str
    severity: Severity
    at: int
    text: str
    mend: str
    line_id: int = 0
