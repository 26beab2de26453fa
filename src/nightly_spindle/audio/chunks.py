"""Cue markers in the file itself: the cart chunk of AES46 and the RIFF `cue ` and `adtl` chunks.

Only the small chunks around the sound are written. The bytes of every other chunk are copied as
they are, in their order, into a file beside, which takes the old one's place when it is whole
and on the disk: a crash leaves the old file.

AES46-2002 gives a cart chunk eight post timers: four characters of usage and a sample frame.
Those used here are `AUDs` and `AUDe` (start and end of the sound), `INTe` (end of the intro) and
`SEGs` (segue point); `INT`, `SEG` and `EOD` are read as well (usage codes from memory of the
standard; libsndfile's own functions read the chunk back in a test). The RIFF chunks follow
"Multimedia Programming Interface and Data Specifications 1.0": a `cue ` point for every marker,
its name as a `labl` in the `adtl` list. RF64 files are read and written alike.
"""

from __future__ import annotations

import os
import struct
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, BinaryIO

from nightly_spindle.core.base.errors import AudioUnreadable, InputFault, StorageFault
from nightly_spindle.core.base.plain_files import open_plain
from nightly_spindle.core.library.markers import Marker

if TYPE_CHECKING:
    from collections.abc import Iterable, Mapping, Sequence
    from pathlib import Path

_CART_HEAD = 2048  # bytes of a cart chunk without its tag text (AES46-2002)
_TIMERS_AT = 684  # its eight post timers
_TIMER = struct.Struct("<4sI")
_TIMERS = 8
_POINT = struct.Struct("<II4sIII")
_MOST = 1 << 20  # bytes of a marker chunk that are read
_COPY = 1 << 20
_TIMER_OF = {
    Marker.CUE_IN: b"AUDs",
    Marker.INTRO_END: b"INTe",
    Marker.SEGUE: b"SEGs",
    Marker.CUE_OUT: b"AUDe",
}
_MARKER_OF = {usage: marker for marker, usage in _TIMER_OF.items()} | {
    b"INT": Marker.INTRO_END,
    b"SEG": Marker.SEGUE,
    b"EOD": Marker.CUE_OUT,
}
_KNOWN = {str(marker): marker for marker in Marker}


@dataclass(frozen=True, slots=True)
class Point:
    """A marker in a file: its position in sample frames of the file."""

    marker: Marker
    frame: int


@dataclass(frozen=True, slots=True)
class Told:
    """What the cart chunk says besides; all of it may be empty."""

    title: str = ""
    artist: str = ""
    cut_id: str = ""


@dataclass(slots=True)
class _Chunk:
    name: bytes
    at: int  # of its contents
    size: int


@dataclass(slots=True)
class _Layout:
    """The chunks of a file, and the sample rate that its format chunk tells."""

    form: bytes  # RIFF or RF64
    whole: bool = True  # no chunk says that it is longer than the file
    chunks: list[_Chunk] = field(default_factory=list)
    rate: int = 0


def read_points(path: Path) -> tuple[list[Point], int]:
    """Return the markers that a WAV file says itself, and its sample rate.

    Named `cue ` points come first, post timers fill in what those do not say. AudioUnreadable
    when it is not a WAV file.
    """
    with _opened(path) as file:
        layout = _layout(file, path)
        named = [(_ours(name), frame) for frame, name in _cue_points(file, layout)]
        points = [Point(marker, frame) for marker, frame in named if marker is not None]
        known = {point.marker for point in points}
        points += [point for point in _timers(file, layout) if point.marker not in known]
    return sorted(points, key=lambda point: point.frame), layout.rate


def write_points(path: Path, points: Sequence[Point], told: Told) -> None:
    """Write markers into a WAV file; every other chunk keeps its bytes and its place.

    InputFault when it is no WAV file or changed meanwhile, StorageFault when the disk refuses;
    the file is as it was then.
    """
    if path.suffix.lower() not in {".wav", ".rf64", ".bwf"}:
        raise InputFault(f"{path} is not a WAV file: its markers go into a sidecar instead")
    beside = path.with_name(f".{path.name}.part")
    try:
        before = path.stat()
        with _opened(path) as file, beside.open("wb") as out:
            layout = _layout(file, path)
            if not layout.whole:
                raise InputFault(
                    f"{path} is shorter than it says itself: nothing is written into it; copy it "
                    "again, or write a sidecar"
                )
            _write(file, out, layout, points, told)
            out.flush()
            os.fsync(out.fileno())
        after = path.stat()
        if (before.st_size, before.st_mtime_ns) != (after.st_size, after.st_mtime_ns):
            raise InputFault(f"{path} was written to meanwhile; try again when it is whole")
        os.chmod(beside, before.st_mode)  # noqa: PTH101 - the same on both
        beside.replace(path)
        _sync_folder(path.parent)
    except OSError as error:
        raise StorageFault(f"{path} cannot be written: {error.strerror or error}") from error
    finally:
        beside.unlink(missing_ok=True)


def _sync_folder(folder: Path) -> None:
    handle = os.open(folder, os.O_RDONLY)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)


def _opened(path: Path) -> BinaryIO:
    try:
        return open_plain(path)
    except OSError as error:
        raise AudioUnreadable(f"{path} cannot be read: {error.strerror or error}") from error


def _layout(file: BinaryIO, path: Path) -> _Layout:
    """Find the chunks. A data chunk that says it is longer than the file ends with it."""
    head = file.read(12)
    if len(head) < 12 or head[:4] not in {b"RIFF", b"RF64"} or head[8:] != b"WAVE":
        raise AudioUnreadable(f"{path} is not a WAV file, so it has no marker chunks")
    end = file.seek(0, os.SEEK_END)
    layout = _Layout(head[:4])
    at, data_size = 12, 0
    while at + 8 <= end:
        file.seek(at)
        name, size = struct.unpack("<4sI", file.read(8))
        front = file.read(16)
        if name == b"ds64" and len(front) == 16:
            data_size = struct.unpack("<8xQ", front)[0]
        elif name == b"fmt " and len(front) == 16:
            layout.rate = struct.unpack("<4xI8x", front)[0]
        if name == b"data" and size == 0xFFFFFFFF:
            size = data_size
        if size > end - at - 8:
            layout.whole, size = False, end - at - 8
        layout.chunks.append(_Chunk(name, at + 8, size))
        at += 8 + size + (size & 1)
    names = [chunk.name for chunk in layout.chunks]
    if b"data" not in names or not layout.rate:
        raise AudioUnreadable(f"{path} has no sound data or no format in it; copy it again")
    return layout


def _contents(file: BinaryIO, chunk: _Chunk) -> bytes:
    file.seek(chunk.at)
    return file.read(min(chunk.size, _MOST))


def _cue_points(file: BinaryIO, layout: _Layout) -> list[tuple[int, str]]:
    """Return the frames and names of all cue points, whosever they are."""
    frames: dict[int, int] = {}
    names: dict[int, str] = {}
    for chunk in layout.chunks:
        if chunk.name == b"cue ":
            body = _contents(file, chunk)
            count = struct.unpack_from("<I", body)[0] if len(body) >= 4 else 0
            for number in range(min(count, (len(body) - 4) // _POINT.size)):
                mark, _, _, _, _, at = _POINT.unpack_from(body, 4 + number * _POINT.size)
                frames[mark] = at
        elif chunk.name == b"LIST":
            names |= _labels(_contents(file, chunk))
    return [(frame, names.get(mark, "")) for mark, frame in frames.items()]


def _ours(name: str) -> Marker | None:
    return _KNOWN.get(name.strip().lower().replace(" ", "-"))


def _labels(body: bytes) -> dict[int, str]:
    found: dict[int, str] = {}
    if body[:4] != b"adtl":
        return found
    at = 4
    while at + 12 <= len(body):
        name, size, mark = struct.unpack_from("<4sII", body, at)
        if name == b"labl" and size >= 4:
            text = body[at + 12 : at + 8 + size].split(b"\0")[0]
            found[mark] = text.decode("utf-8", "replace")
        at += 8 + size + (size & 1)
    return found


def _timers(file: BinaryIO, layout: _Layout) -> list[Point]:
    found = []
    for chunk in layout.chunks:
        if chunk.name == b"cart" and chunk.size >= _CART_HEAD:
            body = _contents(file, chunk)
            for number in range(_TIMERS):
                usage, frame = _TIMER.unpack_from(body, _TIMERS_AT + number * _TIMER.size)
                marker = _MARKER_OF.get(usage.strip(b"\0 "))
                if marker is not None:
                    found.append(Point(marker, frame))
    return found


def _write(
    file: BinaryIO, out: BinaryIO, layout: _Layout, points: Sequence[Point], told: Told
) -> None:
    """Write all chunks: those that are not ours as they are, ours in their place or at the end."""
    made = _made(file, layout, points, told)
    written: set[bytes] = set()
    out.write(struct.pack("<4sI4s", layout.form, 0, b"WAVE"))
    for chunk in layout.chunks:
        mark = b"adtl" if _is_adtl(file, chunk) else chunk.name
        if mark not in made:
            _copy(file, out, chunk)
        elif mark not in written and len(made[mark]) <= chunk.size and _before_data(layout, chunk):
            # in its own place, with room left over: what follows stays where it was
            _put(out, chunk.name, made[mark].ljust(chunk.size, b"\0"))
            written.add(mark)
    for mark, body in made.items():
        if mark not in written and body:
            _put(out, b"LIST" if mark == b"adtl" else mark, body)
    size = out.tell() - 8
    if size > 0xFFFFFFFF and layout.form == b"RIFF":
        raise InputFault("the file would be over 4 GB with its markers; they go into a sidecar")
    out.seek(4)
    out.write(struct.pack("<I", min(size, 0xFFFFFFFF)))
    if layout.form == b"RF64":
        _tell_size(out, layout, size)


def _tell_size(out: BinaryIO, layout: _Layout, size: int) -> None:
    first = layout.chunks[0]
    if first.name == b"ds64":
        out.seek(12 + 8)
        out.write(struct.pack("<Q", size))


def _before_data(layout: _Layout, chunk: _Chunk) -> bool:
    data = next(one for one in layout.chunks if one.name == b"data")
    return chunk.at < data.at and chunk.name == b"cart"


def _is_adtl(file: BinaryIO, chunk: _Chunk) -> bool:
    if chunk.name != b"LIST":
        return False
    file.seek(chunk.at)
    return file.read(4) == b"adtl"


def _copy(file: BinaryIO, out: BinaryIO, chunk: _Chunk) -> None:
    file.seek(chunk.at - 8)
    out.write(file.read(8))
    left = chunk.size
    while left > 0:
        part = file.read(min(_COPY, left))
        out.write(part)
        left -= len(part)
    if chunk.size & 1:
        out.write(b"\0")


def _put(out: BinaryIO, name: bytes, body: bytes) -> None:
    out.write(struct.pack("<4sI", name, len(body)) + body)
    if len(body) & 1:
        out.write(b"\0")


def _made(
    file: BinaryIO, layout: _Layout, points: Sequence[Point], told: Told
) -> dict[bytes, bytes]:
    """Return the contents of the chunks that are ours; foreign cue points are kept."""
    others = [(at, name) for at, name in _cue_points(file, layout) if _ours(name) is None]
    numbered = [(point.frame, str(point.marker)) for point in points] + others
    old = next((c for c in layout.chunks if c.name == b"cart" and c.size >= _CART_HEAD), None)
    if old is not None and old.size > _MOST:
        raise InputFault("the file has a cart chunk of over a megabyte; write a sidecar instead")
    return {
        b"cart": _cart(b"" if old is None else _contents(file, old), points, told),
        b"cue ": _cue(numbered),
        b"adtl": _adtl(numbered),
    }


def _cue(numbered: Iterable[tuple[int, str]]) -> bytes:
    rows = [
        _POINT.pack(number, frame, b"data", 0, 0, frame)
        for number, (frame, _) in enumerate(numbered, 1)
    ]
    return struct.pack("<I", len(rows)) + b"".join(rows)


def _adtl(numbered: Iterable[tuple[int, str]]) -> bytes:
    body = b"adtl"
    for number, (_, name) in enumerate(numbered, 1):
        if name:
            text = name.encode() + b"\0"
            part = struct.pack("<4sII", b"labl", 4 + len(text), number) + text
            body += part + (b"\0" if len(part) & 1 else b"")
    return body


def _cart(old: bytes, points: Sequence[Point], told: Told) -> bytes:
    """Return a cart chunk: an old one with other timers, or a new one that says who it is."""
    body = bytearray(old or _new_cart(told))
    frames: Mapping[Marker, int] = {
        point.marker: point.frame for point in reversed(points) if point.marker in _TIMER_OF
    }
    foreign = []
    for number in range(_TIMERS):
        usage, frame = _TIMER.unpack_from(body, _TIMERS_AT + number * _TIMER.size)
        if usage.strip(b"\0 ") and usage.strip(b"\0 ") not in _MARKER_OF:
            foreign.append((usage, frame))
    timers = [(_TIMER_OF[marker], frames[marker]) for marker in _TIMER_OF if marker in frames]
    timers = (foreign + timers)[:_TIMERS]
    timers += [(b"\0\0\0\0", 0)] * (_TIMERS - len(timers))
    for number, (usage, frame) in enumerate(timers):
        _TIMER.pack_into(body, _TIMERS_AT + number * _TIMER.size, usage, frame)
    return bytes(body)


def _new_cart(told: Told) -> bytes:
    def text(value: str, room: int) -> bytes:
        return value.encode("ascii", "replace")[: room - 1].ljust(room, b"\0")

    fields = [
        b"0101",
        *(text(v, 64) for v in (told.title, told.artist, told.cut_id, "", "", "", "")),
    ]
    fields += [b"1900/01/01", b"00:00:00", b"9999/12/31", b"23:59:59"]
    fields += [text("Nightly Spindle", 64), text("", 64), text("", 64), struct.pack("<i", 32_768)]
    return b"".join(fields).ljust(_CART_HEAD, b"\0")
