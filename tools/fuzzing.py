"""Odd files for every reader: mutations of valid samples, by a seed.

A reader of foreign files ends in a result or in our own error (`NightlySpindleError`), never
otherwise, and never takes long.
"""

from __future__ import annotations

import json
import random
import time
import traceback
from collections.abc import Callable
from contextlib import suppress
from copy import deepcopy
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path
from typing import Any
from zoneinfo import ZoneInfo

import numpy as np
import soundfile

from nightly_spindle.audio.chunks import read_points
from nightly_spindle.audio.measure import measure_file
from nightly_spindle.audio.tags import read_tags
from nightly_spindle.core.base.errors import NightlySpindleError
from nightly_spindle.core.base.timebase import US
from nightly_spindle.core.events.event_icalendar import from_calendar
from nightly_spindle.core.logs.log_reading import LogFormat, read_log
from nightly_spindle.core.logs.log_sample import worked_out
from nightly_spindle.core.logs.log_text import decode
from nightly_spindle.core.logs.playlists import playlist_files
from nightly_spindle.core.segues.marker_files import from_sidecar
from nightly_spindle.core.traffic.campaign_csv import orders_from_csv
from nightly_spindle.store.base.transaction import LibraryTransaction
from nightly_spindle.store.library.exchange import read_table
from nightly_spindle.store.playout.side_file import SideFile
from nightly_spindle.store.playout.state_file import read_kept
from nightly_spindle.store.station.book_reading import read_book, read_json
from nightly_spindle.store.station.station_book import apply_book, changes, read_station

ZONE = ZoneInfo("Europe/Lisbon")
NOW = round(datetime(2026, 11, 24, tzinfo=UTC).timestamp()) * US
LONGEST_S = 5.0
_TOKENS = [
    b"\0",
    b"\xff\xfe",
    b"\xef\xbb\xbf",
    b"9" * 40,
    b"-1",
    b"1e400",
    b"NaN",
    b"\r",
    b"\n\n",
    b'"',
    b";",
    b",",
    b"%00",
    b"../" * 40,
    b"<!ENTITY a 'b'>",
    b"\xf0\x9f\x8e\xb5",
    b"A" * 5000,
    b"{",
    b"]",
]
_VALUES: list[Any] = [
    None,
    True,
    -1,
    0,
    10**30,
    1e308,
    "",
    "x" * 3000,
    [],
    {},
    [[]],
    "NaN",
    "2026-13-45",
    "\ud800",
    0.1,
    "-5",
    "99:99",
]


@dataclass(frozen=True)
class Reader:
    """A reader: its name, the ending of its files, valid samples, and what reads one.

    `json` samples are changed value by value as well, so that they pass validation now and then.
    """

    name: str
    suffix: str
    samples: tuple[bytes, ...]
    read: Callable[[Path], object]
    json: bool = False


def readers(work: Path, station: Path) -> list[Reader]:
    """Return all readers, with samples; `station` is one whose book is a sample."""
    wave = work / "sample.wav"
    soundfile.write(wave, np.zeros((2000, 2)), 44_100)
    names = "song/a.wav\n#EXTINF:180,Wren - Lamp\nC:\\Music\\b.mp3\n../c.flac\n"
    m3u = b"#EXTM3U\n" + names.encode()
    xspf = (
        b'<?xml version="1.0"?><playlist version="1" xmlns="http://xspf.org/ns/0/"><trackList>'
        b"<track><location>file:///a/b%20c.wav</location><title>Lamp</title><duration>180000"
        b"</duration></track></trackList></playlist>"
    )
    pls = b"[playlist]\nFile1=/a/b.wav\nTitle1=Lamp\nLength1=180\nNumberOfEntries=1\nVersion=2\n"
    csv = (
        b"time,artist,title,file,length\n00:00:00,Wren,Lamp,a.wav,3:00\n"
        b"00:03:00,Gull,Pier,b.wav,180\n"
    )
    columns = b"00:00:00 1001 WREN            LAMP            3:00\n" * 4
    ics = (
        b"BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:-//x//y//EN\r\nBEGIN:VEVENT\r\nUID:1\r\n"
        b"DTSTAMP:20261101T000000Z\r\nSUMMARY:Bell\r\n"
        b"DTSTART;TZID=Europe/Lisbon:20261124T090000\r\nDURATION:PT1H\r\n"
        b"RRULE:FREQ=WEEKLY;BYDAY=MO,TU;UNTIL=20270101T000000Z\r\n"
        b"EXDATE;TZID=Europe/Lisbon:20261201T090000\r\nEND:VEVENT\r\n"
        b"END:VCALENDAR\r\n"
    )
    orders = (
        b"campaign,advertiser,first,last,amount,per,hours\n"
        b"Rolls,Baker,2026-12-01,2026-12-24,6,day,mon-sat 06-19\n"
    )
    table = b"cart,title,artist,year\n1001,Lamp,Wren,1999\n"
    side = json.dumps(
        {"format": "nightly-spindle-markers-1", "markers": {"cue_in": 0.5, "segue": 12.0}}
    ).encode()
    book = json.dumps(read_station(station)).encode()
    kept = (station / "air-state").read_bytes() if (station / "air-state").exists() else b"x"
    return [
        Reader("M3U", ".m3u", (m3u, m3u.replace(b"\n", b"\r\n")), read_log),
        Reader("XSPF", ".xspf", (xspf,), read_log),
        Reader("PLS", ".pls", (pls,), read_log),
        Reader("CSV log", ".csv", (csv,), read_log),
        Reader("fixed columns", ".txt", (columns,), lambda p: read_log(p, LogFormat.COLUMNS)),
        Reader("sample of a log", ".txt", (csv, columns, m3u, xspf), worked_out),
        Reader("playlist", ".m3u8", (m3u, pls), playlist_files),
        Reader("iCalendar", ".ics", (ics,), lambda p: from_calendar(p.read_bytes(), ZONE, NOW)),
        Reader("orders", ".csv", (orders,), _orders),
        Reader("table of items", ".csv", (table,), read_table),
        Reader("markers", ".json", (side,), lambda p: from_sidecar(read_json(p)), json=True),
        Reader("station book", ".json", (book,), lambda p: _book(p, station), json=True),
        Reader("WAV chunks", ".wav", (wave.read_bytes(),), read_points),
        Reader("audio", ".wav", (wave.read_bytes(),), lambda p: measure_file(str(p))),
        Reader(
            "tags",
            ".mp3",
            (b"ID3\x03\0\0\0\0\0\x0fTIT2\0\0\0\x05\0\0\0Lamp" + bytes(200),),
            read_tags,
        ),
        Reader("state file", "", (kept,), _state),
        Reader("side file", "", (b'{"key": "a", "at_us": 1}\n' * 3,), _side),
    ]


def _orders(path: Path) -> object:
    text, _ = decode(path.read_bytes(), path.name)
    return orders_from_csv(text, [], path.name)


def _book(path: Path, station: Path) -> object:
    book = read_book(path)
    found = changes(station, book)

    with suppress(_Undone), LibraryTransaction(station) as library:
        apply_book(library, book)
        _undo()
    return found


class _Undone(Exception):
    """Leaves the station as it was."""


def _undo() -> None:
    raise _Undone


def _state(path: Path) -> object:
    place = path.parent / "state"
    place.mkdir(exist_ok=True)
    (place / "air-state").write_bytes(path.read_bytes())
    return read_kept(place)


def _side(path: Path) -> object:
    place = path.parent / "side"
    place.mkdir(exist_ok=True)
    side = SideFile(place, 1 << 16)
    side.path.write_bytes(path.read_bytes())
    rows = side.open()
    side.append([b"{}"])
    side.close()
    assert side.open() == [*rows, b"{}"]
    side.close()
    return rows


def mutated(sample: bytes, dice: random.Random) -> bytes:
    """Return a sample with one to six things wrong."""
    data = bytearray(sample)
    for _ in range(dice.randrange(1, 7)):
        at = dice.randrange(len(data) + 1)
        to = min(len(data), at + dice.randrange(1, 40))
        match dice.randrange(8):
            case 0:
                data[at:to] = b""
            case 1:
                data[at:at] = dice.choice(_TOKENS)
            case 2:
                data[at:at] = data[at:to]
            case 3 if at < len(data):
                data[at] = dice.randrange(256)
            case 4:
                data[at:to] = dice.choice(_TOKENS)
            case 5:
                lines = bytes(data).split(b"\n")
                lines.insert(dice.randrange(len(lines) + 1), dice.choice(lines))
                data = bytearray(b"\n".join(lines))
            case 6:
                del data[at:]
            case _:
                data[at:at] = dice.randbytes(dice.randrange(1, 9))
    return bytes(data)


def mutated_json(sample: bytes, dice: random.Random) -> bytes:
    """Return a JSON sample with one to three values or names exchanged."""
    body = json.loads(sample)
    for _ in range(dice.randrange(1, 4)):
        here: Any = body
        while isinstance(here, dict | list) and here:
            key = dice.choice(list(here)) if isinstance(here, dict) else dice.randrange(len(here))
            inner = here[key]
            if isinstance(inner, dict | list) and inner and dice.random() < 0.85:
                here = inner
                continue
            match dice.randrange(4):
                case 0 if isinstance(here, dict):
                    del here[key]
                case 1 if isinstance(here, list):
                    here.append(deepcopy(inner))
                case 2 if isinstance(inner, int | float) and not isinstance(inner, bool):
                    here[key] = dice.choice([-inner, inner * 1e6, inner + 0.5, 2**40])
                case _:
                    here[key] = deepcopy(dice.choice(_VALUES))
            break
    return json.dumps(body).encode("utf-8", "surrogatepass")


def tried(reader: Reader, data: bytes, place: Path) -> str:
    """Read odd bytes; returns what is wrong with the reader, empty when nothing is."""
    path = place / f"odd{reader.suffix}"
    path.write_bytes(data)
    begun = time.monotonic()
    try:
        reader.read(path)
    except NightlySpindleError as error:
        if len(str(error)) > 4000:
            return f"{reader.name}: a sentence of {len(str(error))} characters"
    except Exception:  # noqa: BLE001 - that is what is looked for
        return f"{reader.name}: {traceback.format_exc(limit=-4)}"
    took = time.monotonic() - begun
    return f"{reader.name}: took {took:.1f} s" if took > LONGEST_S else ""


def fuzz(work: Path, station: Path, seconds: float, seed: int) -> tuple[int, list[str]]:
    """Try odd files on every reader in turn; returns how many, and what was wrong, each once."""
    dice = random.Random(seed)
    known, wrong = set(), []
    count = 0
    all_of = readers(work, station)
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        for reader in all_of:
            sample = dice.choice(reader.samples)
            by_value = reader.json and dice.random() < 0.8
            data = mutated_json(sample, dice) if by_value else mutated(sample, dice)
            count += 1
            found = tried(reader, data, work)
            mark = found.strip().splitlines()[-1:] and (reader.name, found.strip().splitlines()[-1])
            if found and mark not in known:
                known.add(mark)
                wrong.append(f"{found}\n  with {data[:300]!r}")
    return count, wrong
