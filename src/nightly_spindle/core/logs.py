"""Reading music logs: what a log file holds, whatever its format.

`read_log` is the way in. M3U and M3U8 are read in `log_m3u`, XSPF in `log_xspf`, PLS here,
tables (CSV, fixed columns) in `log_tables`. Every format ends up as `LogLine`s.
"""

from __future__ import annotations

import os
from dataclasses import dataclass
from enum import StrEnum
from hashlib import blake2s
from typing import TYPE_CHECKING
from urllib.parse import unquote, urlsplit

from nightly_spindle.core.errors import LogUnreadable
from nightly_spindle.core.plain_files import open_plain

if TYPE_CHECKING:
    from pathlib import Path

MOST_BYTES = 16 * 2**20
MOST_LINES = 100_000
LONGEST_LINE = 4096  # characters; no file system takes a longer path


class LogFormat(StrEnum):
    """How a log is written. AUTO goes by the name's ending, then by what the file looks like."""

    AUTO = "by its name"
    M3U = "m3u"
    XSPF = "xspf"
    PLS = "pls"
    CSV = "csv"
    COLUMNS = "fixed columns"


@dataclass(frozen=True, slots=True)
class LogLine:
    """One line of a log, with what it says besides naming an item.

    `raw` is the line as it stands in the file, `label` what it calls itself. `fault` says why
    it cannot be used, or is empty. `remark` lines are comments. `at_s` is a time of day in
    seconds, `length_s` how long the log thinks the item is. `key` tells lines of one log apart,
    also after the file was written anew.
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


def read_bytes(path: Path) -> bytes:
    """Return a log file's bytes; LogUnreadable when it is no file, too long, or not to be read."""
    try:
        with open_plain(path) as file:
            size = os.fstat(file.fileno()).st_size
            if size > MOST_BYTES:
                raise LogUnreadable(
                    f"{path} has {size:,} bytes; a log has at most {MOST_BYTES:,}: check what "
                    "wrote it"
                )
            data = file.read(MOST_BYTES + 1)
    except OSError as error:
        raise LogUnreadable(f"{path} cannot be read: {error.strerror or error}") from error
    if len(data) > MOST_BYTES:
        raise LogUnreadable(f"{path} grew beyond {MOST_BYTES:,} bytes while it was read")
    return data


def read_log(
    path: Path, format_: LogFormat = LogFormat.AUTO, charset: str = "auto", template: str = ""
) -> Log:
    """Read a log file; LogUnreadable with file, line and reason when it is not one."""
    return parse_log(read_bytes(path), path.name, format_, charset, template)


def parse_log(
    data: bytes,
    name: str,
    format_: LogFormat = LogFormat.AUTO,
    charset: str = "auto",
    template: str = "",
) -> Log:
    """Parse a log's bytes. `template` says what the columns of a table are."""
    from nightly_spindle.core import log_m3u, log_tables, log_xspf
    from nightly_spindle.core.log_text import decode, lines_of

    form = format_of(data, name) if format_ is LogFormat.AUTO else format_
    if form is LogFormat.XSPF:
        lines, used = log_xspf.parse_xspf(data, name), "utf-8"
    else:
        text, used = decode(data, name, charset)
        if form is LogFormat.CSV:
            lines = log_tables.parse_csv(text, name, template)
        else:
            numbered = lines_of(text, name)
            if form is LogFormat.PLS:
                lines = _pls(numbered, name)
            elif form is LogFormat.COLUMNS:
                lines = log_tables.parse_columns(numbered, template)
            else:
                lines = log_m3u.parse_lines(numbered)
    if len(lines) > MOST_LINES:
        raise LogUnreadable(f"{name} has more than {MOST_LINES:,} lines: check what wrote it")
    return Log(name, tuple(lines), used)


def format_of(data: bytes, name: str) -> LogFormat:
    """Return the format that a log is most likely written in: by its name, else by its look."""
    suffix = name.rpartition(".")[2].casefold()
    known = {
        "m3u": LogFormat.M3U,
        "m3u8": LogFormat.M3U,
        "xspf": LogFormat.XSPF,
        "pls": LogFormat.PLS,
        "csv": LogFormat.CSV,
        "tsv": LogFormat.CSV,
    }
    if suffix in known:
        return known[suffix]
    return _by_look(data[:4096].lstrip(b"\xef\xbb\xbf \t\r\n"))


def _by_look(head: bytes) -> LogFormat:
    if head.startswith(b"<") and b"<playlist" in head:
        return LogFormat.XSPF
    if head[:10].lower() == b"[playlist]":
        return LogFormat.PLS
    marked = head.startswith(b"#EXTM3U")
    rows = (
        []
        if marked
        else [row for row in head.splitlines()[:20] if row.strip() and not row.startswith(b"#")]
    )
    for mark in (b"\t", b";", b","):
        if len(rows) > 1 and min(row.count(mark) for row in rows) > 1:
            return LogFormat.CSV
    if len(rows) > 1 and all(b"  " in row.strip() for row in rows[:-1]):
        return LogFormat.COLUMNS
    return LogFormat.M3U


def _pls(numbered: list[tuple[int, str]], name: str) -> list[LogLine]:
    """Read a PLS list: `FileN=`, `TitleN=`, `LengthN=` (-1: unknown) below `[playlist]`."""
    if not any(text.strip().lower() == "[playlist]" for _, text in numbered[:20]):
        raise LogUnreadable(f"{name} does not begin with [playlist], so it is no PLS list")
    from nightly_spindle.core.log_text import split_label

    entries: dict[int, dict[str, str]] = {}
    where: dict[int, int] = {}
    for number, text in numbered:
        key, equals, value = text.partition("=")
        key = key.strip().lower()
        for field in ("file", "title", "length"):
            rest = key.removeprefix(field)
            if equals and key.startswith(field) and rest.isdecimal() and len(rest) < 7:
                entries.setdefault(int(rest), {})[field] = value.strip()
                if field == "file":
                    where[int(rest)] = number
    lines, keys = [], Keys()
    for index in sorted(where):
        entry = entries[index]
        artist, title = split_label(entry.get("title", ""))
        lines.append(
            LogLine(
                where[index], entry["file"], entry.get("title", ""), too_long(entry["file"]),
                entry["file"], bare_cart(entry["file"]), artist, title,
                _seconds(entry.get("length", "")), key=keys.key(entry["file"]),
            )
        )  # fmt: skip
    return lines


def _seconds(text: str) -> float | None:
    try:
        seconds = float(text)
    except ValueError:
        return None
    return seconds if 0 < seconds < 1e6 else None


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
