"""Decoding a stream from the web, piece by piece, through PyAV (FFmpeg's libraries)."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from nightly_spindle.audio.files import tame
from nightly_spindle.core.base.errors import AudioUnreadable

if TYPE_CHECKING:
    from collections.abc import Iterator

    from numpy.typing import NDArray

_SOON = {"probesize": "65536", "analyzeduration": "300000"}  # bytes, µs: enough to know the format


def decoded(
    url: str, rate: int, open_s: float, read_s: float, authority: str = ""
) -> Iterator[NDArray[np.float32]]:
    """Give the frames (n, 2) of a stream at a rate, within bounds, as they come.

    AudioUnreadable says why it cannot be opened or read on; a server that does not answer for
    `open_s`, or sends nothing for `read_s`, is one that cannot. `authority` names a file with the
    certificate that https is checked against.
    """
    import av
    from av.error import FFmpegError

    options = _SOON | ({"ca_file": authority, "tls_verify": "1"} if authority else {})
    try:
        with av.open(url, timeout=(open_s, read_s), options=options) as container:
            if not container.streams.audio:
                raise AudioUnreadable(f"{url} is no sound")
            resampler = av.AudioResampler(format="flt", layout="stereo", rate=rate)
            for frame in container.decode(audio=0):
                for part in resampler.resample(frame):
                    piece = part.to_ndarray().reshape(-1, 2).astype(np.float32)
                    tame(piece)
                    yield piece
    except FFmpegError as error:
        said = error.strerror or type(error).__name__
        raise AudioUnreadable(f"the stream {url} cannot be read: {said}") from error
