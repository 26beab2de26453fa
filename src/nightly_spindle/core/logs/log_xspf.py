"""XSPF version 1 (Xiph) as a log: one line for each track.

`location` may be there several times: the first is used. A track may have none and be named by
`creator` and `title` alone. A relative location stands against the file, or `xml:base`.
Entities are never expanded (defusedxml).
"""

from __future__ import annotations

from typing import TYPE_CHECKING
from urllib.parse import unquote, urljoin, urlsplit
from xml.etree import ElementTree as ET

from defusedxml.common import DefusedXmlException
from defusedxml.ElementTree import fromstring

from nightly_spindle.core.base.errors import LogUnreadable
from nightly_spindle.core.logs.log_line import Keys, LogLine, bare_cart, too_long

if TYPE_CHECKING:
    from xml.etree.ElementTree import Element

XSPF = "http://xspf.org/ns/0/"
_BASE = "{http://www.w3.org/XML/1998/namespace}base"


def parse_xspf(data: bytes, name: str) -> list[LogLine]:
    """Return the tracks of an XSPF playlist; LogUnreadable says why it is none."""
    try:
        root = fromstring(data)
    except (DefusedXmlException, ET.ParseError, ValueError, LookupError) as error:
        why = str(error) or type(error).__name__
        raise LogUnreadable(f"{name} is not an XSPF playlist: {why}") from error
    space = root.tag.rpartition("}")[0] + "}" if root.tag.startswith("{") else ""
    if root.tag.removeprefix(space) != "playlist":
        raise LogUnreadable(f"{name} is not an XSPF playlist: it begins with <{root.tag[-40:]}>")
    base = root.get(_BASE, "")
    listed = root.find(f"{space}trackList")
    tracks = [] if listed is None else listed.findall(f"{space}track")
    keys = Keys()
    return [_line(number, track, space, base, keys) for number, track in enumerate(tracks, 1)]


def _line(number: int, track: Element, space: str, base: str, keys: Keys) -> LogLine:
    def said(tag: str) -> str:
        return " ".join((track.findtext(f"{space}{tag}") or "").split())

    place = track.findtext(f"{space}location") or ""
    location = place.strip()
    path = _path(location, track.get(_BASE, base))
    artist, title = said("creator"), said("title")
    label = f"{artist} - {title}" if artist and title else title
    fault = too_long(location) or ("" if location or title else "the track names nothing")
    raw = location[:200] or label
    return LogLine(
        number,
        raw,
        label,
        fault,
        path,
        bare_cart(location),
        artist,
        title,
        _milliseconds(said("duration")),
        comment=said("annotation"),
        key=keys.key(raw),
    )


def _path(location: str, base: str) -> str:
    """Return a location as `logs.path_of` takes it; relative ones are encoded (RFC 3986)."""
    if not location:
        return ""
    try:
        scheme = urlsplit(location).scheme
        if not scheme and base:
            location = urljoin(base, location)
            scheme = urlsplit(location).scheme
    except ValueError:
        return location
    # a single letter is a drive, not a scheme
    return location if len(scheme) > 1 else unquote(location)


def _milliseconds(text: str) -> float | None:
    return int(text) / 1000 if text.isdecimal() and 0 < int(text) < 10**9 else None
