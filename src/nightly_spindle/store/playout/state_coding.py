"""The engine's state as JSON: written as it is, read also as it was kept before it had parts."""

from __future__ import annotations

from typing import Any

import msgspec

from nightly_spindle.core.programme.air_state import AirState

# where the fields stand now that lay beside each other in what was kept until November 2026
_PLACES = {
    "clock": {
        "rate": "rate",
        "frame": "frame",
        "fired_until_us": "fired_until_us",
        "offset_us": "offset_us",
    },
    "order": {
        "upcoming": "upcoming",
        "playing": "playing",
        "next_id": "next_id",
        "unattended": "unattended",
        "stopped": "stopped",
        "silent_at": "silent_at",
        "hold": "kept_time",
        "skipped": "skipped",
    },
    "logs": {"loaded": "loaded", "awaited": "awaited", "orders": "orders"},
    "events": {
        "deadlines": "deadlines",
        "block": "holding",
        "held": "held",
        "counts": "songs_since",
        "taken": "taken",
        "turns": "turns",
        "landing": "landing",
    },
    "overlays": {
        "overlays": "on",
        "sounding": "sounding",
        "overlaid_until": "until",
        "laid": "tried",
        "pools": "turns",
        "passed": "since_used",
        "voiced": "last_used",
    },
    "net": {"rung": "level", "again_yielded": "repeat_aired"},
}
_SAME = ("spots", "history", "revision", "changed_at", "marked")


def encode_state(state: AirState) -> bytes:
    """Return the state as JSON."""
    return msgspec.json.encode(state)


def decode_state(body: bytes) -> AirState:
    """Return the state that `encode_state` wrote; msgspec's error where it is none."""
    plain = msgspec.json.decode(body)
    return msgspec.convert(in_parts(plain), AirState, str_keys=True)


def in_parts(plain: Any) -> Any:
    """Return a state's plain values in parts, also where they were kept side by side."""
    if not isinstance(plain, dict) or "clock" in plain:
        return plain
    parts: dict[str, Any] = {
        part: {now: plain[was] for was, now in fields.items() if was in plain}
        for part, fields in _PLACES.items()
    }
    return parts | {name: plain[name] for name in _SAME if name in plain}
