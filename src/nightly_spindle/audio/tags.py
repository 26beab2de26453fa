"""Reading what a file says of itself, whatever is in it."""

from __future__ import annotations

import re
import unicodedata
from typing import TYPE_CHECKING

import mutagen
import soundfile

from nightly_spindle.core.library.intake import Tags

if TYPE_CHECKING:
    from pathlib import Path

LONGEST = 300  # characters of a tag that are kept
MOST = 60  # tags of one file that are kept
_FIELDS = ("title", "artist", "album", "date", "genre")
# Marks that turn the direction of what follows them: on screen they garble other texts.
_TURNS = dict.fromkeys([*range(0x202A, 0x202F), *range(0x2066, 0x206A), 0xFEFF])


def read_tags(path: Path) -> tuple[Tags, dict[str, str]]:
    """Return a file's tags, and all that it says as {name: text}; never fails."""
    found = {**_strings(path), **_tags(path)}
    year = re.search(r"\d{4}", found.get("date", ""))
    tags = Tags(
        found.get("title", ""),
        found.get("artist", ""),
        found.get("album", ""),
        year.group() if year else "",
        found.get("genre", ""),
    )
    return tags, dict(sorted(found.items())[:MOST])


def clean(text: str) -> str:
    """Return a tag's text in one line that can be shown and stored."""
    text = _mended(text[: 4 * LONGEST])
    text = unicodedata.normalize("NFC", text.translate(_TURNS))
    text = "".join(
        " " if unicodedata.category(c) in {"Cc", "Zl", "Zp"} else c
        for c in text
        if unicodedata.category(c) != "Cs"
    )
    return " ".join(text.split())[:LONGEST]


def _mended(text: str) -> str:
    """Undo UTF-8 that was read as Latin-1, which many taggers have written."""
    if text.isascii():
        return text
    try:
        return text.encode("latin-1").decode("utf-8")
    except UnicodeError:
        return text


def _tags(path: Path) -> dict[str, str]:
    try:
        tagged = mutagen.File(path, easy=True)
    except (mutagen.MutagenError, OSError, ValueError, KeyError, IndexError, EOFError):
        return {}  # damaged tags are no reason to refuse sound audio
    if tagged is None or tagged.tags is None:
        return {}
    found = {}
    for name in list(tagged.tags.keys())[: 4 * MOST]:
        value = tagged.tags.get(name)
        text = clean(", ".join(map(str, value)) if isinstance(value, list) else str(value))
        if text:
            found[clean(str(name)).lower()] = text
    return found


def _strings(path: Path) -> dict[str, str]:
    """Return what the file's own chunks say: libsndfile reads those of WAV and AIFF."""
    try:
        with soundfile.SoundFile(path) as sound:
            texts = {name: clean(str(getattr(sound, name))) for name in _FIELDS}
    except (soundfile.LibsndfileError, OSError, UnicodeError):
        return {}
    return {name: text for name, text in texts.items() if text}
