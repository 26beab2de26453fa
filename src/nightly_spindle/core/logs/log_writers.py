"""Writing logs in the formats that are read: M3U, XSPF, PLS, CSV, fixed columns."""

from __future__ import annotations

import csv
import io
from dataclasses import dataclass
from typing import TYPE_CHECKING

from nightly_spindle.core.base.timebase import length
from nightly_spindle.core.logs.log_reading import LogFormat
from nightly_spindle.core.logs.log_tables import spans_of
from nightly_spindle.core.logs.playlists import PlaylistTrack, one_line, xspf

if TYPE_CHECKING:
    from collections.abc import Iterable, Sequence

CSV_FIELDS = ("time", "type", "cart", "artist", "title", "length", "path", "comment")
COLUMNS = (
    "time 1-8, type 10-19, cart 21-28, artist 30-59, title 61-100, length 102-108, comment 110-149"
)
SUFFIX = {
    LogFormat.M3U: ".m3u8",
    LogFormat.XSPF: ".xspf",
    LogFormat.PLS: ".pls",
    LogFormat.CSV: ".csv",
    LogFormat.COLUMNS: ".txt",
}


@dataclass(frozen=True, slots=True)
class LogEntry:
    """One line to be written. Without a path it is a break, a mark or a comment, as `type` says."""

    path: str = ""
    artist: str = ""
    title: str = ""
    cart: int | None = None
    length_s: float | None = None
    at_s: float | None = None
    type: str = ""
    comment: str = ""

    @property
    def label(self) -> str:
        """Artist and title in one."""
        return f"{self.artist} - {self.title}" if self.artist else self.title


def write_log(entries: Sequence[LogEntry], format_: LogFormat, title: str = "") -> str:
    """Return a log as text. XSPF and PLS have no place for breaks and comments: left out."""
    if format_ is LogFormat.XSPF:
        named = [e for e in entries if e.path]
        return xspf(
            [PlaylistTrack(e.path, e.title, e.artist, "", e.length_s or 0.0) for e in named], title
        )
    writer = {
        LogFormat.PLS: _pls,
        LogFormat.CSV: _csv,
        LogFormat.COLUMNS: _columns,
    }.get(format_, _m3u)
    return writer(entries)


def _m3u(entries: Iterable[LogEntry]) -> str:
    lines = ["#EXTM3U"]
    for entry in entries:
        if not entry.path:
            said = " ".join(filter(None, (entry.type.upper(), entry.title, entry.comment)))
            at = f" {_clock(entry.at_s)}" if entry.at_s is not None else ""
            lines.append(f"# {one_line(said)}{at}")
            continue
        seconds = -1 if entry.length_s is None else round(entry.length_s)
        lines += [f"#EXTINF:{seconds},{one_line(entry.label)}", entry.path]
    return "\n".join(lines) + "\n"


def _pls(entries: Iterable[LogEntry]) -> str:
    named = [entry for entry in entries if entry.path]
    lines = ["[playlist]"]
    for number, entry in enumerate(named, 1):
        seconds = -1 if entry.length_s is None else round(entry.length_s)
        lines += [
            f"File{number}={entry.path}",
            f"Title{number}={one_line(entry.label)}",
            f"Length{number}={seconds}",
        ]
    return "\n".join([*lines, f"NumberOfEntries={len(named)}", "Version=2", ""])


def _csv(entries: Iterable[LogEntry]) -> str:
    text = io.StringIO()
    writer = csv.DictWriter(text, CSV_FIELDS, lineterminator="\r\n")
    writer.writeheader()
    writer.writerows(_cells(entry) for entry in entries)
    return text.getvalue()


def _columns(entries: Iterable[LogEntry]) -> str:
    spans = spans_of(COLUMNS)
    lines = []
    for entry in entries:
        cells = _cells(entry)
        line = ""
        for field, begin, end in spans:
            width = end - begin
            line = line.ljust(begin) + one_line(cells[field])[:width]
        lines.append(line.rstrip())
    return "\r\n".join([*lines, ""])


def _cells(entry: LogEntry) -> dict[str, str]:
    return {
        "time": "" if entry.at_s is None else _clock(entry.at_s),
        "type": entry.type,
        "cart": "" if entry.cart is None else str(entry.cart),
        "artist": entry.artist,
        "title": entry.title,
        "length": "" if entry.length_s is None else length(entry.length_s),
        "path": entry.path,
        "comment": entry.comment,
    }


def _clock(seconds: float) -> str:
    whole = int(seconds) % 86_400
    return f"{whole // 3600:02}:{whole // 60 % 60:02}:{whole % 60:02}"
