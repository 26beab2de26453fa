"""Writing desktop entries (Desktop Entry Specification 1.5, freedesktop.org)."""

from __future__ import annotations

import re


def exec_word(word: str) -> str:
    """Return a word of a command as an Exec key has it ("The Exec key")."""
    plain = re.sub(r'(["`$\\])', r"\\\1", word).replace("%", "%%")
    # the value is a string too, in which a backslash is written twice
    return f'"{plain}"'.replace("\\", "\\\\")


def one_line(text: str) -> str:
    """Return a text as the value of a key: on one line, its backslashes written twice."""
    return " ".join(text.replace("\\", "\\\\").split())
