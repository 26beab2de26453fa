"""Finding the item that a log line means. Compares names only; opens no file.

The rule, first that holds:

1. the whole path is an item's path (absolute, or relative to the log's folder);
2. the end of the path, two names or more, is the end of exactly one item's path
   (a Windows drive or a share mounted elsewhere);
3. the file name alone belongs to exactly one item.

Capitals do not count, and composed and decomposed letters are the same (NFC).
"""

from __future__ import annotations

import posixpath
import re
import unicodedata
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum

from nightly_spindle.core.logs import LogLine, path_of

_DRIVE = re.compile(r"^[A-Za-z]:[\\/]?")


class Status(StrEnum):
    """What became of a log line."""

    MATCHED = "matched"
    MISSING = "missing"
    AMBIGUOUS = "ambiguous"
    REFUSED = "refused"


@dataclass(frozen=True, slots=True)
class Candidate:
    """An item as matching sees it: cart number and absolute path."""

    cart: int
    path: str


# file name key -> the items with that file name
Candidates = Mapping[str, Sequence[Candidate]]


@dataclass(frozen=True, slots=True)
class Match:
    """One log line and what became of it. `how` says by which rule, or why not."""

    line: LogLine
    status: Status
    how: str
    cart: int | None = None


def key(text: str) -> str:
    """Return the text as it is compared."""
    return unicodedata.normalize("NFC", text).casefold()


def search_words(*texts: str) -> str:
    """Return texts as a filter looks through them: folded, no accents, a space before each word.

    A word is looked for as " word": the beginning of a word of the text.
    """
    plain = unicodedata.normalize("NFKD", " ".join(texts).casefold())
    bare = "".join(c for c in plain if not unicodedata.combining(c))
    return " " + " ".join("".join(c if c.isalnum() else " " for c in bare).split())


def _slashes(raw: str) -> str:
    path = path_of(raw)
    # a backslash separates only where the spelling is a Windows one
    if _DRIVE.match(path) or path.startswith("\\\\") or "/" not in path:
        path = path.replace("\\", "/")
    return path


def name_key(raw: str) -> str:
    """Return the key of the file name in a log line."""
    return key(posixpath.basename(_slashes(raw)))


def match_line(line: LogLine, folder: str, roots: Sequence[str], candidates: Candidates) -> Match:
    """Match one line of a log that lies in `folder`.

    `roots` are the absolute folders that the station's audio lies in.
    """
    if line.fault:
        return Match(line, Status.REFUSED, line.fault)
    if re.match(r"^[a-z][a-z0-9+.-]+://", line.raw, re.IGNORECASE) and not line.raw[
        :5
    ].lower().startswith("file:"):
        return Match(line, Status.REFUSED, "web streams cannot stand in a log yet")
    path = _slashes(line.raw)
    windows = bool(_DRIVE.match(path)) or path.startswith("//")
    absolute = windows or path.startswith("/")
    full = path if absolute else posixpath.join(folder, path)
    full = posixpath.normpath(_DRIVE.sub("/", full)) if windows else posixpath.normpath(full)
    there = candidates.get(key(posixpath.basename(full)), ())
    found = _among(full, windows, there, bare="/" not in path)
    if found is not None:
        cart, how = found
        if cart is not None:
            return Match(line, Status.MATCHED, how, cart)
        return Match(line, Status.AMBIGUOUS, how)
    outside = absolute and not windows and not _inside(full, roots)
    climbs = not absolute and ".." in path.split("/") and not _inside(full, [*roots, folder])
    if outside or climbs:
        return Match(line, Status.REFUSED, f"{full} lies outside the station's audio folders")
    return Match(line, Status.MISSING, "no item of the library has this path or file name")


def _among(
    full: str, windows: bool, there: Sequence[Candidate], *, bare: bool
) -> tuple[int | None, str] | None:
    """Return (cart, how), (None, why) when it cannot be told which, None when there is none."""
    whole = key(full)
    exact = [c for c in there if key(c.path) == whole]
    if exact and not windows:
        return min(c.cart for c in exact), "file name in the log's folder" if bare else "path"
    if not there:
        return None
    parts = whole.split("/")
    lengths = [_common_end(parts, key(c.path).split("/")) for c in there]
    best = max(lengths)
    # an item can be a candidate twice: where its audio lies, and where it lay or came from
    at_best = list(dict.fromkeys(c.cart for c, n in zip(there, lengths, strict=True) if n == best))
    if len(at_best) == 1:
        if best > 1 and not bare:
            return at_best[0], "path from another machine" if windows else "end of path"
        return at_best[0], "file name"
    carts = ", ".join(map(str, at_best[:4]))
    return None, f"{len(at_best)} items have this file name: carts {carts}"


def _common_end(one: Sequence[str], other: Sequence[str]) -> int:
    count = 0
    for a, b in zip(reversed(one), reversed(other), strict=False):
        if a != b or not a:
            break
        count += 1
    return count


def _inside(path: str, roots: Sequence[str]) -> bool:
    return any(path == root or path.startswith(root.rstrip("/") + "/") for root in roots)
