"""Blocks of sound into the bytes of a stream, through PyAV.

A title that stands in the stream itself (Ogg) begins a new chain: the former stream is ended and
another begins at that very frame with the title among its comments (RFC 3533 section 4, RFC 7845
section 5.2). For other codecs the title is told to the server, and nothing happens here.
"""

from __future__ import annotations

import time
from fractions import Fraction
from types import MappingProxyType
from typing import TYPE_CHECKING, Any

import numpy as np

from nightly_spindle.core.base.errors import OutputFault
from nightly_spindle.core.outputs.outputs import BitRate, Channels
from nightly_spindle.core.outputs.stream_codecs import FACTS, Codec, rate_of

if TYPE_CHECKING:
    from collections.abc import Mapping

    from numpy.typing import NDArray

    from nightly_spindle.core.outputs.outputs import StreamOptions

_PAGE_US = 200_000  # of sound in a page of Ogg: what is held back at most, twice
NO_COMMENTS: Mapping[str, str] = MappingProxyType({})
_MP3 = {"write_xing": "0", "id3v2_version": "0"}  # a stream has no length to tell


class _Bytes:
    """What a container is written into: it is not sought in."""

    def __init__(self) -> None:
        self.written = bytearray()

    def write(self, data: bytes) -> int:
        """Take bytes."""
        self.written += data
        return len(data)

    def take(self) -> bytes:
        """Return what was written since the last time."""
        taken, self.written = bytes(self.written), bytearray()
        return taken


class StreamEncoder:
    """Encodes blocks (frames, 2), float32 at `mixed` Hz, as the options of a stream say.

    `busy_s` and `heard_s` add up how long encoding took and how much sound that was.
    """

    def __init__(
        self, options: StreamOptions, mixed: int, comments: Mapping[str, str] = NO_COMMENTS
    ) -> None:
        """OutputFault where the encoder is not there."""
        if not has_encoder(options.codec):
            said = f"{FACTS[options.codec].words} cannot be encoded here; choose another codec"
            raise OutputFault(said)
        self._options, self._mixed = options, mixed
        self._facts = FACTS[options.codec]
        self.rate = rate_of(options.codec, options.rate.hz, mixed)
        self._mono = options.channels is Channels.MONO
        self._resampler: Any = None
        if self.rate != mixed:
            import soxr

            self._resampler = soxr.ResampleStream(
                mixed, self.rate, 1 if self._mono else 2, dtype="float32"
            )
        self._comments = dict(comments)
        self._out = _Bytes()
        self._container: Any = None
        self._stream: Any = None
        self._at = 0
        self.busy_s = self.heard_s = 0.0

    def encode(self, block: NDArray[np.float32]) -> bytes:
        """Return the bytes that are ready once this block is taken."""
        begun = time.thread_time()
        frames = block.mean(axis=1, keepdims=True) if self._mono else block
        if self._resampler is not None:
            frames = self._resampler.resample_chunk(np.ascontiguousarray(frames))
        self._put(frames)
        self.busy_s += time.thread_time() - begun
        self.heard_s += len(block) / self._mixed
        return self._out.take()

    def tell(self, comments: Mapping[str, str]) -> bytes:
        """Have other comments (TITLE, ARTIST) from here on; returns what ends the former chain."""
        self._comments = dict(comments)
        if self._facts.in_band:
            self._end()  # the next frame begins another
        return self._out.take()

    def close(self) -> bytes:
        """Return the last bytes."""
        if self._resampler is not None:
            none = np.empty((0, 1 if self._mono else 2), dtype=np.float32)
            self._put(self._resampler.resample_chunk(none, last=True))
        self._end()
        return self._out.take()

    def _put(self, frames: NDArray[np.float32]) -> None:
        if not len(frames):
            return
        if self._container is None:
            self._begin()
        for packet in self._stream.encode(self._frame(frames)):
            self._container.mux(packet)

    def _begin(self) -> None:
        import av

        options, facts = self._options, self._facts
        muxer = {"flush_packets": "1"}
        if facts.container == "ogg":
            muxer["page_duration"] = str(_PAGE_US)
        elif facts.container == "mp3":
            muxer |= _MP3
        self._container = av.open(
            self._out, "w", format=facts.container, container_options=muxer, buffer_size=4096
        )
        stream = self._container.add_stream(
            facts.encoder, rate=self.rate, options=_encoder_options(options)
        )
        stream.layout = "mono" if self._mono else "stereo"
        stream.time_base = Fraction(1, self.rate)
        if facts.kbps is not None:
            stream.bit_rate = round(options.kbps * 1000)
        for name, value in self._comments.items():
            self._container.metadata[name] = value
        self._stream, self._at = stream, 0
        self._container.start_encoding()

    def _end(self) -> None:
        if self._container is None:
            return
        for packet in self._stream.encode(None):
            self._container.mux(packet)
        self._container.close()
        self._container = None

    def _frame(self, frames: NDArray[np.float32]) -> Any:
        import av

        layout = "mono" if self._mono else "stereo"
        if self._options.codec is Codec.FLAC:
            whole = np.rint(frames * np.float32(32767)).astype(np.int16)
            packed, form = whole.reshape(1, -1), "s16"
        else:
            packed, form = np.ascontiguousarray(frames.T), "fltp"
        frame = av.AudioFrame.from_ndarray(packed, format=form, layout=layout)
        frame.sample_rate = self.rate
        frame.time_base = Fraction(1, self.rate)
        frame.pts = self._at
        self._at += len(frames)
        return frame


def _encoder_options(options: StreamOptions) -> dict[str, str]:
    """Return what FFmpeg's encoder is told besides the bit rate."""
    variable = options.bit_rate is BitRate.VARIABLE
    if options.codec is Codec.OPUS:
        return {"vbr": "on" if variable else "off", "application": "audio"}
    if options.codec is Codec.MP3:
        return {"abr": "1" if variable else "0"}
    if options.codec is Codec.AAC:
        return {"aac_coder": "fast"}  # a third of the default's work: 1.6 % of a core, not 5
    return {}


def has_encoder(codec: Codec) -> bool:
    """Return whether this machine can encode it."""
    import av

    try:
        av.Codec(FACTS[codec].encoder, "w")
    except (av.FFmpegError, ValueError):
        return False
    return True
