"""Playlists: writing M3U and XSPF version 1 (Xiph), and the files that one names."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path, PurePosixPath, PureWindowsPath
from typing import TYPE_CHECKING
from urllib.parse import quote
from xml.etree import ElementTree as ET

from nightly_spindle.core.logs.log_line import path_of
from nightly_spindle.core.logs.log_reading import read_log
from nightly_spindle.core.logs.log_xspf import XSPF

if TYPE_CHECKING:
    from collections.abc import Iterable

SUFFIXES = frozenset({".m3u", ".m3u8", ".xspf", ".pls"})


@dataclass(frozen=True, slots=True)
class PlaylistTrack:
    """One line of a playlist; `path` is absolute, `duration_s` in seconds."""

    path: str
    title: str = ""
    artist: str = ""
    album: str = ""
    duration_s: float = 0.0


def m3u(tracks: Iterable[PlaylistTrack]) -> str:
    """Return an extended M3U, UTF-8, with whole seconds as `#EXTINF` has them."""
    lines = ["#EXTM3U"]
    for track in tracks:
        label = f"{track.artist} - {track.title}" if track.artist else track.title
        lines += [f"#EXTINF:{round(track.duration_s)},{one_line(label)}", track.path]
    return "\n".join(lines) + "\n"


def xspf(tracks: Iterable[PlaylistTrack], title: str) -> str:
    """Return an XSPF playlist; durations in milliseconds, locations as file URIs (RFC 8089)."""
    ET.register_namespace("", XSPF)
    root = ET.Element(f"{{{XSPF}}}playlist", version="1")
    ET.SubElement(root, f"{{{XSPF}}}title").text = _printable(title)
    listed = ET.SubElement(root, f"{{{XSPF}}}trackList")
    for track in tracks:
        entry = ET.SubElement(listed, f"{{{XSPF}}}track")
        # the order of elements that the standard's schema gives
        for name, text in (
            ("location", _location(track.path)),
            ("title", track.title),
            ("creator", track.artist),
            ("album", track.album),
            ("duration", str(round(track.duration_s * 1000))),
        ):
            if text:
                ET.SubElement(entry, f"{{{XSPF}}}{name}").text = _printable(text)
    ET.indent(root)
    return '<?xml version="1.0" encoding="UTF-8"?>\n' + ET.tostring(root, encoding="unicode") + "\n"


def _location(path: str) -> str:
    """Return a path as a URI reference (RFC 3986): absolute ones as file URIs (RFC 8089)."""
    for kind in (PurePosixPath, PureWindowsPath):
        if kind(path).is_absolute():
            return kind(path).as_uri()
    return quote(path)


def playlist_files(path: Path) -> list[str]:
    """Return the files that a playlist names, as absolute paths, in order.

    LogUnreadable with file and reason when it is not a playlist. Web addresses and lines that
    cannot be used are left out.
    """
    found = []
    for line in read_log(path).lines:
        named = path_of(line.path)
        if named and not line.fault and "://" not in named:
            found.append(str((path.parent / named).absolute()))
    return found


def one_line(text: str) -> str:
    """Return a text without line ends, and with single blanks."""
    return " ".join(text.split())


def _printable(text: str) -> str:
    """Leave out what XML 1.0 cannot hold."""
    return "".join(c for c in text if c in "\t\n\r" or (ord(c) >= 0x20 and c not in "\ufffe\uffff"))
