"""Reading music logs: M3U and M3U8.

History of the format here: lines that begin with `#` are comments, `#EXTINF:` gives
seconds and a label for the next line (RFC 8216 section 4.3.2.1 describes the tag),
everything else names one item: an absolute path, a path relative to the log, a path
from a Windows machine, a bare file name, or a `file:` URI (RFC 8089).
"""

from __future__ import annotations

import codecs
from dataclasses import dataclass
from typing import TYPE_CHECKING
from urllib.parse import unquote, urlsplit

from nightly_spindle.core.errors import LogUnreadable

if TYPE_CHECKING:
    from pathlib import Path

MOST_BYTES = 16 * 2**20
MOST_LINES = 100_000
LONGEST_LINE = 4096  # characters; no file system takes a longer path

_BOMS = (
    (codecs.BOM_UTF8, "utf-8"),
    (codecs.BOM_UTF32_LE, "utf-32-le"),
    (codecs.BOM_UTF32_BE, "utf-32-be"),
    (codecs.BOM_UTF16_LE, "utf-16-le"),
    (codecs.BOM_UTF16_BE, "utf-16-be"),
)


@dataclass(frozen=True, slots=True)
class LogLine:
    """One line that names an item. `fault` says why it cannot be used, or is empty."""

    number: int
    raw: str
    label: str = ""
    fault: str = ""


@dataclass(frozen=True, slots=True)
class Log:
    """The lines of one log file, in order."""

    name: str
    lines: tuple[LogLine, ...]


def read_log(path: Path) -> Log:
    """Read a log file; LogUnreadable with file, line and reason when it is not one."""
    try:
        if path.is_dir():
            raise LogUnreadable(f"{path} is a folder, not a log")
        size = path.stat().st_size
        if size > MOST_BYTES:
            raise LogUnreadable(
                f"{path} has {size:,} bytes; a log has at most {MOST_BYTES:,}: check what wrote it"
            )
        data = path.read_bytes()
    except OSError as error:
        raise LogUnreadable(f"{path} cannot be read: {error.strerror or error}") from error
    return parse_m3u(data, path.name)


def parse_m3u(data: bytes, name: str) -> Log:
    """Parse the bytes of an M3U or M3U8 file; LogUnreadable when they are not text."""
    lines: list[LogLine] = []
    label = ""
    for number, line in enumerate(_decode(data, name).splitlines(), 1):
        text = line.strip()
        if number > MOST_LINES:
            raise LogUnreadable(f"{name} has more than {MOST_LINES:,} lines: check what wrote it")
        if not text:
            continue
        if text.startswith("#"):
            if text.upper().startswith("#EXTINF:"):
                label = text.partition(",")[2].strip()[:LONGEST_LINE]
            continue
        fault = ""
        if len(text) > LONGEST_LINE:
            fault = f"the line has {len(text):,} characters; a path has at most {LONGEST_LINE:,}"
            text = text[:80] + "..."
        lines.append(LogLine(number, text, label, fault))
        label = ""
    return Log(name, tuple(lines))


def _decode(data: bytes, name: str) -> str:
    for bom, charset in _BOMS:
        if data.startswith(bom):
            try:
                return _checked(data[len(bom) :].decode(charset), name)
            except UnicodeDecodeError as error:
                raise LogUnreadable(
                    f"{name} begins as {charset} text but breaks off at byte {error.start}"
                ) from error
    try:
        text = data.decode("utf-8")
    except UnicodeDecodeError:
        # Windows programs write their own code page; every byte has a meaning here.
        text = data.decode("cp1252", errors="replace")
    return _checked(text, name)


def _checked(text: str, name: str) -> str:
    """Refuse text with control characters that no text file has."""
    for at, char in enumerate(text):
        if char < " " and char not in "\t\n\r\x0b\x0c\x1a":
            line = text.count("\n", 0, at) + 1
            raise LogUnreadable(
                f"{name}, line {line}: holds the control byte 0x{ord(char):02x}, so this is not a "
                "text file; export the log as M3U again"
            )
    return text


def path_of(raw: str) -> str:
    """Return the path that a line names, `file:` URIs undone (RFC 8089, RFC 3986)."""
    if raw[:5].lower() == "file:":
        parts = urlsplit(raw)
        path = unquote(parts.path)
        if parts.netloc and parts.netloc.lower() != "localhost":
            return f"//{parts.netloc}{path}"
        # file:///C:/music is a drive letter behind a slash
        return path[1:] if len(path) > 2 and path[2] == ":" else path
    return raw


def write_m3u(lines: list[tuple[str, str, float]]) -> str:
    """Return an extended M3U of (path, label, seconds)."""
    body = "".join(f"#EXTINF:{round(s)},{label}\n{path}\n" for path, label, s in lines)
    return "#EXTM3U\n" + body
