"""The level of an item's head and tail, kept small, so that markers can be found again.

Mean power of every hop of about 5 ms, against the item's own, in quarters of a dB from
-52 dB up, one byte each. Of long items only what can matter is kept: the head until 20 s after
the first sound, the tail from 40 s before the last.

Packed layout (little endian), version 1: version (byte), hop in seconds (double), hops in the
file, bytes of the head, bytes of the tail (three unsigned ints), then head and tail by zlib.
"""

from __future__ import annotations

import struct
import zlib
from dataclasses import dataclass
from math import ceil

import numpy as np
from numpy.typing import NDArray

HOP_S = 0.005
LOWEST_DB = -52.0
_STEP_DB = 0.25
_HEAD_S, _TAIL_S = 20.0, 40.0
_VERSION = 1
_BLOCK_S, _ABSOLUTE_GATE_DB, _RELATIVE_GATE_DB = 0.4, -90.0, -10.0
_FRONT = struct.Struct("<BdIII")
_MOST_HOPS = 50_000_000  # three days


@dataclass(frozen=True, slots=True, eq=False)
class Envelope:
    """Levels of head and tail; `tail` is empty where `head` holds the whole item.

    `hops` counts those of the whole item, `hop_s` is the length of one in seconds.
    """

    hop_s: float
    hops: int
    head: NDArray[np.uint8]
    tail: NDArray[np.uint8]

    def end_codes(self) -> tuple[NDArray[np.uint8], int]:
        """Return the stored levels of the end, and the hop they begin at."""
        part = self.tail if len(self.tail) else self.head
        return part, self.hops - len(part)

    def ending(self) -> tuple[NDArray[np.float64], int]:
        """Return the levels of the end (dB against own loudness) and the hop they begin at."""
        part, first = self.end_codes()
        return decibels(part), first

    def beginning(self) -> NDArray[np.float64]:
        """Return the levels of the beginning (dB against own loudness)."""
        return decibels(self.head)

    def pack(self) -> bytes:
        """Return the envelope as it is stored."""
        front = _FRONT.pack(_VERSION, self.hop_s, self.hops, len(self.head), len(self.tail))
        return front + zlib.compress(self.head.tobytes() + self.tail.tobytes(), 6)


def decibels(codes: NDArray[np.uint8]) -> NDArray[np.float64]:
    """Return stored levels as dB."""
    return LOWEST_DB + _STEP_DB * codes.astype(np.float64)


_POWERS = 10 ** ((LOWEST_DB + _STEP_DB * np.arange(256)) / 10)


def powers(codes: NDArray[np.uint8]) -> NDArray[np.float64]:
    """Return stored levels as power against the item's own."""
    return np.asarray(_POWERS[codes])


def code_of(db: float) -> int:
    """Return the lowest stored level that is not below so many dB."""
    return min(255, max(0, ceil((db - LOWEST_DB) / _STEP_DB - 1e-9)))


def own_power(power: NDArray[np.float64], hop_s: float) -> float:
    """Return the power that an item goes on at, 0 for silence.

    It is the gated mean of BS.1770 (blocks of 400 ms, gates at -90 dB and 10 dB under the mean)
    without the weighting: a filter would lengthen the clicks that are to be told from sound.
    """
    width = min(max(1, round(_BLOCK_S / hop_s)), max(1, len(power)))
    blocks = power[: len(power) // width * width].reshape(-1, width).mean(axis=1)
    blocks = blocks[blocks > 10 ** (_ABSOLUTE_GATE_DB / 10)]
    if not len(blocks):
        return 0.0
    return float(blocks[blocks > blocks.mean() * 10 ** (_RELATIVE_GATE_DB / 10)].mean())


def envelope_of(power: NDArray[np.float64], hop_s: float) -> Envelope | None:
    """Make the envelope from the mean power per hop; None for silence."""
    own = own_power(power, hop_s)
    if own <= 0:
        return None
    with np.errstate(divide="ignore"):
        levels = 10 * np.log10(power / own)
    codes = np.clip(np.rint((levels - LOWEST_DB) / _STEP_DB), 0, 255).astype(np.uint8)
    sounding = np.flatnonzero(codes)
    first, last = (int(sounding[0]), int(sounding[-1])) if len(sounding) else (0, len(codes))
    head_end = first + round(_HEAD_S / hop_s)
    tail_begin = last - round(_TAIL_S / hop_s)
    if head_end >= tail_begin:
        return Envelope(hop_s, len(codes), codes, codes[:0])
    return Envelope(hop_s, len(codes), codes[:head_end], codes[tail_begin:])


def unpack(packed: bytes) -> Envelope | None:
    """Read an envelope back; None when nothing, or nothing that is known, is stored."""
    if len(packed) < _FRONT.size:
        return None
    version, hop_s, hops, head, tail = _FRONT.unpack_from(packed)
    if version != _VERSION or hops > _MOST_HOPS or head + tail > hops:
        return None
    try:
        body = zlib.decompressobj().decompress(packed[_FRONT.size :], head + tail)
    except zlib.error:
        return None
    if len(body) != head + tail:
        return None
    codes = np.frombuffer(body, np.uint8)
    return Envelope(hop_s, hops, codes[:head], codes[head:])
