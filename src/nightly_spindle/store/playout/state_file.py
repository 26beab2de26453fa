"""What an engine needs to take the air, in one small file beside the database.

With the database locked, damaged or gone, the folders away and no sound device, an engine that
starts still knows where the station was, what comes next and what rotation can take.

Layout: a page of 4,096 bytes, then two slots of the same size. The page holds the last sign of
life (µs, 20 digits) and whether the engine was told to leave. Each slot holds a line (generation,
length, CRC-32, in decimal and hexadecimal) in its first 64 bytes, then JSON. Writes go into the
older slot, in place: a kill leaves the other whole, and a full disk has the room already.
"""

from __future__ import annotations

import logging
import os
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any
from zlib import crc32

import msgspec

from nightly_spindle.core.base.plain_files import read_plain
from nightly_spindle.core.library.items import Item
from nightly_spindle.core.programme.air_state import AirState
from nightly_spindle.store.playout.state_coding import in_parts

if TYPE_CHECKING:
    from collections.abc import Sequence
    from pathlib import Path

STATE_FILE = "air-state"
_MAGIC = b"nightly-spindle air-state 1\n"
_PAGE = 4096
_FRONT = 64
_LEAST_SLOT = 512 * 1024
_log = logging.getLogger(__name__)


@dataclass(slots=True)
class Kept:
    """`settings` are the station's as texts; `items` what the running order and rotation name.

    `pool` are the carts of rotation in the order of their turn, `roots` the folders of audio,
    `outputs` where the sound goes as plain values (None: an older program's),
    `seen_us` is the last sign of life, `left` whether the engine was told to leave.
    """

    settings: dict[str, str]
    state: AirState | None = None
    items: list[Item] = field(default_factory=list)
    pool: list[int] = field(default_factory=list)
    seen_us: int = 0
    left: bool = False
    roots: list[str] = field(default_factory=list)
    outputs: list[dict[str, Any]] | None = None


def pack(
    settings: dict[str, str],
    state: bytes,
    items: list[Item],
    pool: list[int],
    roots: Sequence[str] = (),
    outputs: Sequence[dict[str, Any]] = (),
) -> bytes:
    """Return the body of a slot. `state` is the encoded state."""
    return msgspec.json.encode(
        {
            "settings": settings,
            "state": msgspec.Raw(state),
            "items": items,
            "pool": pool,
            "roots": roots,
            "outputs": outputs,
        }
    )


class StateFile:
    """Writes the file. Every method may raise OSError: the disk refuses."""

    def __init__(self, folder: Path) -> None:
        self.path = folder / STATE_FILE
        self._handle = -1
        self._slot = 0  # bytes of a slot
        self._generation = 0
        self._turn = 0  # the slot to be written next
        self._beside: Path | None = None  # a new file that is not in its place yet

    def write(self, body: bytes, seen_us: int) -> None:
        """Keep a body: it is on the disk when this returns."""
        if self._handle < 0:
            self._open()
        if len(body) + _FRONT > self._slot:
            self._make(max(_LEAST_SLOT, -(-2 * (len(body) + _FRONT) // _PAGE) * _PAGE))
        self._generation += 1
        at = _PAGE + self._turn * self._slot
        _put(self._handle, body, at + _FRONT)
        front = b"%020d %012d %08x\n" % (self._generation, len(body), crc32(body))
        _put(self._handle, front.ljust(_FRONT), at)
        self.sign(seen_us)
        os.fsync(self._handle)
        self._turn = 1 - self._turn
        if self._beside is not None:  # the old one stood under its name until this one was whole
            self._beside.replace(self.path)
            self._beside = None

    def sign(self, seen_us: int, *, left: bool = False) -> None:
        """Give a sign of life, where there is a file; nothing waits for the disk."""
        if self._handle < 0 and self.path.exists():
            self._open()
        if self._handle >= 0:
            _put(self._handle, b"%020d %d\n" % (seen_us, left), len(_MAGIC))

    def close(self) -> None:
        """Let go of the file."""
        if self._handle >= 0:
            os.close(self._handle)
            self._handle = -1

    def _open(self) -> None:
        """Go on with the file that is there, or make one."""
        try:
            data = read_plain(self.path)
        except OSError:
            data = b""
        if not data.startswith(_MAGIC) or len(data) < _PAGE + 2 * _FRONT:
            self._make(_LEAST_SLOT)
            return
        self._handle = os.open(self.path, os.O_RDWR | os.O_CLOEXEC)
        self._slot = (len(data) - _PAGE) // 2
        generations = [found[0] if (found := _slot_of(data, n)) else 0 for n in (0, 1)]
        self._generation = max(generations)
        self._turn = 0 if generations[0] < generations[1] else 1

    def _make(self, slot: int) -> None:
        """Make a file with its room, beside, and put it in place."""
        beside = self.path.with_name(f".{STATE_FILE}.part")
        handle = os.open(beside, os.O_RDWR | os.O_CREAT | os.O_TRUNC | os.O_CLOEXEC, 0o644)
        try:
            os.posix_fallocate(handle, 0, _PAGE + 2 * slot)
            _put(handle, _MAGIC + b"%020d 0\n" % 0, 0)
        except OSError:
            os.close(handle)
            beside.unlink(missing_ok=True)
            raise
        self.close()
        self._handle, self._slot, self._turn, self._beside = handle, slot, 0, beside


def read_kept(folder: Path) -> Kept | None:
    """Return what the engine kept last; None when there is nothing that can be read."""
    try:
        data = read_plain(folder / STATE_FILE)
    except FileNotFoundError:
        return None
    except OSError as error:
        _log.warning("%s cannot be read: %s", folder / STATE_FILE, error.strerror or error)
        return None
    if not data.startswith(_MAGIC):
        _log.warning("%s is none that this program knows", folder / STATE_FILE)
        return None
    slots = sorted(filter(None, (_slot_of(data, n) for n in (0, 1))), reverse=True)
    for _, body in slots:
        try:
            kept = _decoded(body)
        except (msgspec.MsgspecError, ValueError, RecursionError) as error:
            _log.warning("%s holds a state that cannot be read: %s", folder / STATE_FILE, error)
            continue
        seen, _, left = data[len(_MAGIC) : len(_MAGIC) + 22].partition(b" ")
        kept.seen_us = int(seen) if seen.isdigit() else 0
        kept.left = left[:1] == b"1"
        return kept
    return None


def _decoded(body: bytes) -> Kept:
    plain = msgspec.json.decode(body)
    if isinstance(plain, dict):
        plain["state"] = in_parts(plain.get("state"))
    return msgspec.convert(plain, Kept, str_keys=True)


def _slot_of(data: bytes, number: int) -> tuple[int, bytes] | None:
    """Return generation and body of a slot, None when it is not whole."""
    size = (len(data) - _PAGE) // 2
    at = _PAGE + number * size
    parts = data[at : at + _FRONT].split()
    if size < _FRONT or len(parts) != 3:
        return None
    try:
        generation, length, crc = int(parts[0]), int(parts[1]), int(parts[2], 16)
    except ValueError:
        return None
    body = data[at + _FRONT : at + _FRONT + length]
    if not 0 < length <= size - _FRONT or crc32(body) != crc:
        return None
    return generation, body


def _put(handle: int, data: bytes, at: int) -> None:
    done = 0
    while done < len(data):
        done += os.pwrite(handle, data[done:], at + done)
