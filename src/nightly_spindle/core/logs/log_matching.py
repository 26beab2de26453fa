"""Finding the item that a log line means. Compares names only; opens no file.

The rule, first that holds:

1. what was settled by hand for such a line before;
2. the cart number;
3. the whole path is an item's path (absolute, relative to the log's folder, or translated);
4. the end of the path, two names or more, is the end of exactly one item's path
   (a Windows drive or a share mounted elsewhere);
5. the file name alone belongs to exactly one item;
6. artist and title, as `song_names` compares them, belong to exactly one item.

Capitals do not count, and composed and decomposed letters are the same (NFC).
"""

from __future__ import annotations

import posixpath
import re
import unicodedata
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from enum import StrEnum

from nightly_spindle.core.library.song_names import exact_key, song_key
from nightly_spindle.core.logs.log_line import LogLine, path_of

_DRIVE = re.compile(r"^[A-Za-z]:[\\/]?")
_SCHEME = re.compile(r"^[a-z][a-z0-9+.-]+://", re.IGNORECASE)
_ANOTHER_LIST = "it names another list; a log names audio"
_LISTS = (".m3u", ".m3u8", ".pls", ".xspf")


class MatchStatus(StrEnum):
    """What became of a log line."""

    MATCHED = "matched"
    MISSING = "missing"
    AMBIGUOUS = "ambiguous"
    REFUSED = "refused"
    BREAK = "break"
    MARK = "timed mark"
    COMMENT = "comment"
    IGNORED = "ignored"


# lines that name an item, found or not
ITEM_LINES = frozenset(
    {MatchStatus.MATCHED, MatchStatus.MISSING, MatchStatus.AMBIGUOUS, MatchStatus.REFUSED}
)


@dataclass(frozen=True, slots=True)
class MatchCandidate:
    """An item as matching sees it: cart number and absolute path."""

    cart: int
    path: str


# file name key -> the items with that file name
Candidates = Mapping[str, Sequence[MatchCandidate]]


@dataclass(frozen=True, slots=True)
class Match:
    """One log line and what became of it. `how` says by which rule, or why not.

    `value` is what a break or a mark says (spots; seconds since midnight). `file` is where the
    audio lies that the line names when it is in a root but not in the library. `mark` tells
    lines of an edited log apart. `pattern` is the number of a break's, where it is known.
    """

    line: LogLine
    status: MatchStatus
    how: str
    cart: int | None = None
    value: float = 0.0
    file: str = ""
    mark: str = ""
    pattern: int = 0

    @property
    def key(self) -> str:
        """What tells this line from the others of its log."""
        return self.mark or self.line.key


@dataclass(frozen=True, slots=True)
class LibraryNames:
    """What a log's lines are compared with; each holds at least what the lines could mean.

    `songs` maps song keys to (cart, artist, title); `settled` line names to cart numbers.
    """

    names: Candidates = field(default_factory=dict)
    carts: frozenset[int] = frozenset()
    songs: Mapping[str, Sequence[tuple[int, str, str]]] = field(default_factory=dict)
    settled: Mapping[str, int] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class LogPlace:
    """Where a log lies and how its paths read: `roots` are absolute folders of audio.

    `paths` are (as it is written, absolute folder here) for drives and shares.
    """

    folder: str
    roots: Sequence[str]
    paths: Sequence[tuple[str, str]] = ()


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


def settle_key(line: LogLine) -> str:
    """Return what a line is remembered by once it was settled: what it says, not where."""
    return key(line.path) or song_key(line.artist, line.title) or key(line.raw)


def match_line(line: LogLine, where: LogPlace, known: LibraryNames) -> Match:
    """Match one line that names an item."""
    found = _at_once(line, known)
    if found is None:
        found = _by_path(line, where, known) if line.path else _nothing(line)
    if found.status in {MatchStatus.MATCHED, MatchStatus.REFUSED}:
        return found
    named = _by_name(line, known)
    if named is None or (
        found.status is MatchStatus.AMBIGUOUS and named.status is not MatchStatus.MATCHED
    ):
        return found
    return replace(named, file=found.file)


def _at_once(line: LogLine, known: LibraryNames) -> Match | None:
    """Match what needs no look at names."""
    if line.fault:
        return Match(line, MatchStatus.REFUSED, line.fault)
    settled = known.settled.get(settle_key(line))
    if settled is not None:
        return Match(line, MatchStatus.MATCHED, "settled by hand before", settled)
    if line.cart is not None and line.cart in known.carts:
        return Match(line, MatchStatus.MATCHED, "cart number", line.cart)
    return None


def _nothing(line: LogLine) -> Match:
    named = "this artist and title" if line.cart is None else f"the cart number {line.cart}"
    return Match(line, MatchStatus.MISSING, f"no item has {named}")


def _by_path(line: LogLine, where: LogPlace, known: LibraryNames) -> Match:
    path = _slashes(line.path)
    no_audio = _SCHEME.match(line.path) and line.path[:5].lower() != "file:"
    if no_audio or path.lower().endswith(_LISTS):
        why = "web streams cannot stand in a log yet" if no_audio else _ANOTHER_LIST
        return Match(line, MatchStatus.REFUSED, why)
    translated = translate(path, where.paths)
    windows = translated is None and (bool(_DRIVE.match(path)) or path.startswith("//"))
    absolute = translated is not None or windows or path.startswith("/")
    full = translated or (path if absolute else posixpath.join(where.folder, path))
    full = posixpath.normpath(_DRIVE.sub("/", full)) if windows else posixpath.normpath(full)
    there = known.names.get(key(posixpath.basename(full)), ())
    found = _among(full, windows, there, bare="/" not in path)
    if found is not None:
        cart, how = found
        if translated and cart is not None:
            how = f"{how}, {path_of(line.path)[:2]} translated"
        return Match(
            line, MatchStatus.AMBIGUOUS if cart is None else MatchStatus.MATCHED, how, cart
        )
    stem = posixpath.basename(full).partition(".")[0]
    if stem.isdecimal() and len(stem) < 10 and int(stem) in known.carts:
        return Match(line, MatchStatus.MATCHED, "cart number as file name", int(stem))
    outside = absolute and not windows and not _inside(full, where.roots)
    climbs = not absolute and ".." in path.split("/")
    climbs = climbs and not _inside(full, [*where.roots, where.folder])
    if outside or climbs:
        return Match(line, MatchStatus.REFUSED, f"{full} is outside the station's audio folders")
    inside = not windows and _inside(full, where.roots)
    why = "no item of the library has this path or file name"
    return Match(line, MatchStatus.MISSING, why, file=full if inside else "")


def translate(path: str, paths: Sequence[tuple[str, str]]) -> str | None:
    """Return a path with its drive or share put where it lies here; None when none applies.

    The longest spelling that fits is used; capitals and the kind of slash do not count.
    """
    plain = path.replace("\\", "/")
    for written, here in sorted(paths, key=lambda pair: -len(pair[0])):
        prefix = written.replace("\\", "/").rstrip("/")
        rest = plain[len(prefix) :]
        if prefix and key(plain[: len(prefix)]) == key(prefix) and rest[:1] in {"", "/"}:
            return posixpath.normpath(here.rstrip("/") + "/" + rest.lstrip("/"))
    return None


def _among(
    full: str, windows: bool, there: Sequence[MatchCandidate], *, bare: bool
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


def _by_name(line: LogLine, known: LibraryNames) -> Match | None:
    """Match by artist and title; None when the line does not say both, or nobody has them."""
    if not (line.artist and line.title):
        return None
    there = known.songs.get(song_key(line.artist, line.title), ())
    same = [cart for cart, _, _ in there]
    if len(there) > 1:
        # versions of a song differ in what stands in brackets
        exact = exact_key(line.artist, line.title)
        same = [cart for cart, artist, title in there if exact_key(artist, title) == exact] or same
    if len(same) == 1:
        return Match(line, MatchStatus.MATCHED, "artist and title", same[0])
    if not same:
        return None
    carts = ", ".join(map(str, sorted(same)[:4]))
    return Match(
        line, MatchStatus.AMBIGUOUS, f"{len(same)} items have this artist and title: carts {carts}"
    )


def _common_end(one: Sequence[str], other: Sequence[str]) -> int:
    count = 0
    for a, b in zip(reversed(one), reversed(other), strict=False):
        if a != b or not a:
            break
        count += 1
    return count


def _inside(path: str, roots: Sequence[str]) -> bool:
    return any(path == root or path.startswith(root.rstrip("/") + "/") for root in roots)
