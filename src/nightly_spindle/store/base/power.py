"""What the computer runs on: its battery, or the mains.

As the kernel says it (Linux, Documentation/ABI/testing/sysfs-class-power).

A laptop whose plug came out at midnight is off the air at three.
"""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

_SUPPLIES = Path("/sys/class/power_supply")


@dataclass(frozen=True, slots=True)
class OnBattery:
    """The computer runs on its battery; `percent` of it are left, None where nobody knows."""

    percent: int | None


def on_battery(supplies: Path = _SUPPLIES) -> OnBattery | None:
    """Return that the computer runs on its battery, None when it does not or has none."""
    try:
        folders = sorted(supplies.iterdir())
    except OSError:
        return None
    kinds = {folder: _said(folder, "type") for folder in folders}
    mains = [folder for folder, kind in kinds.items() if kind in {"Mains", "USB"}]
    if any(_said(folder, "online") == "1" for folder in mains):
        return None
    # batteries of mice and keyboards say that they are those of a device
    own = [
        folder
        for folder, kind in kinds.items()
        if kind == "Battery" and _said(folder, "scope") != "Device"
    ]
    if not any(_said(folder, "status") == "Discharging" for folder in own):
        return None
    left = [int(said) for folder in own if (said := _said(folder, "capacity")).isdecimal()]
    return OnBattery(min(left, default=None))


def _said(folder: Path, name: str) -> str:
    try:
        return (folder / name).read_text(encoding="ascii", errors="replace").strip()
    except OSError:
        return ""
