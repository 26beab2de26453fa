"""Passwords given to commands: never as an argument, which every list of processes shows."""

from __future__ import annotations

import sys
from pathlib import Path

from nightly_spindle.core.base.errors import InputFault

_LONGEST_PASSWORD = 1000


def password_from(source: str) -> str:
    """Read a password from the first line of a file, or of standard input for “-”."""
    try:
        if source == "-":
            line = sys.stdin.readline(_LONGEST_PASSWORD + 2)
        else:
            with Path(source).open(encoding="utf-8") as file:
                line = file.readline(_LONGEST_PASSWORD + 2)
    except (OSError, UnicodeDecodeError) as error:
        raise InputFault(f"the password cannot be read from {source}: {error}") from error
    found = line.rstrip("\r\n")
    if not found or len(found) > _LONGEST_PASSWORD or not found.isprintable():
        raise InputFault(f"the first line of {source} is no password that can be sent")
    return found
