"""One line of a log, whatever the format: what it says, what is too long, which path it names."""

from __future__ import annotations

from dataclasses import dataclass
from hashlib import blake2s
from urllib.parse import unquote, urlsplit

MOST_LINES = 100_000
LONGEST_LINE = 4096  # characters; no file system takes a longer path


@dataclass(frozen=True, slots=True)
class LogLine:
    """One line of a log, with what it says besides naming an item.

    `raw` is the line as it stands in the file, `label` what it calls itself. `fault` says why
    it cannot be used, or is empty. `remark` lines are comments. `at_s` is a time of day in
    seconds, `length_s` how long the log thinks the item is. `key` tells lines of one log apart,
    also after the file was written anew. `mark` is the timed mark that begins with it.
    """

    number: int
    raw: str
    label: str = ""
    fault: str = ""
    path: str = ""
    cart: int | None = None
    artist: str = ""
    title: str = ""
    length_s: float | None = None
    at_s: float | None = None
    type: str = ""
    comment: str = ""
    remark: bool = False
    key: str = ""
    mark: str = ""

    @property
    def name(self) -> str:
        """The line in words: its label, or artist and title, or itself."""
        both = f"{self.artist} - {self.title}" if self.artist and self.title else self.title
        return self.label or both or self.raw


@dataclass(frozen=True, slots=True)
class Log:
    """The lines of one log file, in order, and the character set it was read in."""

    name: str
    lines: tuple[LogLine, ...]
    charset: str = "utf-8"


class Keys:
    """Gives every line of a log a key: what it says, and the how-manieth of its like it is."""

    def __init__(self) -> None:
        self._seen: dict[str, int] = {}

    def key(self, raw: str) -> str:
        """Return the key of the next line that says this."""
        count = self._seen[raw] = self._seen.get(raw, 0) + 1
        mark = blake2s(raw.encode("utf-8", "surrogatepass"), digest_size=6)
        return f"{mark.hexdigest()}.{count}"


def bare_cart(raw: str) -> int | None:
    """Return the cart number that a bare number is."""
    return int(raw) if raw.isdecimal() and len(raw) < 10 else None


def too_long(text: str) -> str:
    """Return why a line is too long to be used, empty when it is not."""
    if len(text) <= LONGEST_LINE:
        return ""
    return f"the line has {len(text):,} characters; a path has at most {LONGEST_LINE:,}"


def path_of(raw: str) -> str:
    """Return the path that a line names, `file:` URIs undone (RFC 8089, RFC 3986)."""
    if raw[:5].lower() != "file:":
        return raw
    try:
        parts = urlsplit(raw)
    except ValueError:
        return raw  # a netloc that is none, as "file://[": it names nothing
    path = unquote(parts.path)
    if parts.netloc and parts.netloc.lower() != "localhost":
        # RFC 8089 E.2: file://c:/path puts the drive where the host stands
        if len(parts.netloc) == 2 and parts.netloc[1] in ":|":
            return f"{parts.netloc[0]}:{path}"
        return f"//{parts.netloc}{path}"
    # file:///C:/music is a drive letter behind a slash; file:///C|/music an older spelling
    if len(path) > 2 and path[2] in ":|" and path[1].isalpha():
        return f"{path[1]}:{path[3:]}"
    # RFC 8089 E.3.2: four slashes, or five, begin a share
    return "//" + path.lstrip("/") if path.startswith("//") else path
