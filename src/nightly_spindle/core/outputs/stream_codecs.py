"""In which codecs a stream can be sent, and what each can and cannot do.

Sources: media types of RFC 7845 section 9 (Ogg Opus), RFC 5334 (Ogg), RFC 3003 (MP3), RFC 8216
section 3.4 (AAC in ADTS, packed audio); sample rates of RFC 6716 section 2 (Opus) and ISO/IEC
11172-3 and 13818-3 (MP3, from memory).
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum


class Codec(StrEnum):
    """How a stream is coded."""

    MP3 = "mp3"
    OPUS = "opus"
    FLAC = "flac"
    AAC = "aac"
    VORBIS = "vorbis"


@dataclass(frozen=True, slots=True)
class CodecFacts:
    """What there is to know of a codec.

    `encoder` and `container` are FFmpeg's names. `in_band`: titles are in the stream itself, as
    comments of a new chain; else the server is told them. `kbps` are the bit rates it can be asked
    for, for two channels, None where there are none to ask for.
    """

    words: str
    encoder: str
    container: str
    media_type: str
    rates: tuple[int, ...]
    kbps: tuple[int, int] | None
    in_band: bool


FACTS = {
    Codec.MP3: CodecFacts(
        "MP3", "libmp3lame", "mp3", "audio/mpeg", (32_000, 44_100, 48_000), (32, 320), False
    ),
    Codec.OPUS: CodecFacts("Ogg Opus", "libopus", "ogg", "audio/ogg", (48_000,), (16, 510), True),
    Codec.FLAC: CodecFacts(
        "Ogg FLAC", "flac", "ogg", "audio/ogg", (32_000, 44_100, 48_000), None, True
    ),
    Codec.AAC: CodecFacts(
        "AAC", "aac", "adts", "audio/aac", (32_000, 44_100, 48_000), (32, 320), False
    ),
    Codec.VORBIS: CodecFacts(
        "Ogg Vorbis", "libvorbis", "ogg", "audio/ogg", (32_000, 44_100, 48_000), (48, 500), True
    ),
}


def rate_of(codec: Codec, wanted: int, mixed: int) -> int:
    """Return the sample rate that a codec is sent at: as wanted (0: as mixed), else its nearest."""
    rates = FACTS[codec].rates
    rate = wanted or mixed
    return rate if rate in rates else min(rates, key=lambda one: (abs(one - rate), -one))
