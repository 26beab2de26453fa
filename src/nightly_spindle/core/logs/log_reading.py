"""Reading music logs: what a log file holds, whatever its format.

`read_log` is the way in. M3U and M3U8 are read in `log_m3u`, XSPF in `log_xspf`, PLS here,
tables (CSV, fixed columns) in `log_tables`. Every format ends up as `LogLine`s.
"""

from __future__ import annotations

import os
from enum import StrEnum
from typing import TYPE_CHECKING

from nightly_spindle.core.base.errors import LogUnreadable
from nightly_spindle.core.base.plain_files import open_plain
from nightly_spindle.core.logs.log_line import MOST_LINES, Keys, Log, LogLine, bare_cart, too_long

if TYPE_CHECKING:
    from pathlib import Path

MOST_BYTES = 16 * 2**20


class LogFormat(StrEnum):
    """How a log is written. AUTO goes by the name's ending, then by what the file looks like."""

    AUTO = "by its name"
    M3U = "m3u"
    XSPF = "xspf"
    PLS = "pls"
    CSV = "csv"
    COLUMNS = "fixed columns"


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
    from nightly_spindle.core.logs.log_m3u import parse_lines
    from nightly_spindle.core.logs.log_tables import parse_columns, parse_csv
    from nightly_spindle.core.logs.log_text import decode, lines_of
    from nightly_spindle.core.logs.log_xspf import parse_xspf

    form = format_of(data, name) if format_ is LogFormat.AUTO else format_
    if form is LogFormat.XSPF:
        lines, used = parse_xspf(data, name), "utf-8"
    else:
        text, used = decode(data, name, charset)
        if form is LogFormat.CSV:
            lines = parse_csv(text, name, template)
        else:
            numbered = lines_of(text, name)
            if form is LogFormat.PLS:
                lines = _pls(numbered, name)
            elif form is LogFormat.COLUMNS:
                lines = parse_columns(numbered, template)
            else:
                lines = parse_lines(numbered)
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
        raise LogUnreadable(f"{name} does not begin with [playlist], so it is not a PLS list")
    from nightly_spindle.core.logs.log_text import split_label

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
                where[index],
                entry["file"],
                entry.get("title", ""),
                too_long(entry["file"]),
                entry["file"],
                bare_cart(entry["file"]),
                artist,
                title,
                _seconds(entry.get("length", "")),
                key=keys.key(entry["file"]),
            )
        )
    return lines


def _seconds(text: str) -> float | None:
    try:
        seconds = float(text)
    except ValueError:
        return None
    return seconds if 0 < seconds < 1e6 else None
