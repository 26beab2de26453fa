"""Names and texts in a line where commas or semicolons part what is written.

What holds one of them stands in double quotes, a double quote in it twice, as in CSV (RFC 4180).
"""

from __future__ import annotations

import re


def parted(written: str, marks: str = ";") -> list[str]:
    """Return the parts between any of some marks that stand in no quotes, blanks around them gone.

    Empty parts are left out. A quote that is never closed is a character like others.
    """
    quoted = r'"(?:[^"]|"")*"'
    found, part = [], ""
    for piece in re.findall(rf"{quoted}|[^\"]|\"", written):
        if piece in marks:
            found.append(part)
            part = ""
        else:
            part += piece
    return [one.strip() for one in [*found, part] if one.strip()]


def quoted(text: str, marks: str = ";") -> str:
    """Return a text as it stands among such marks; `unquoted` reads it back."""
    plain = not any(mark in text for mark in marks + '"')
    return text if plain else '"' + text.replace('"', '""') + '"'


def unquoted(written: str) -> str:
    """Return what a text in quotes says; any other as it is."""
    said = written.strip()
    if len(said) > 1 and said[0] == said[-1] == '"':
        return said[1:-1].replace('""', '"')
    return said
