"""Finding what went out at an instant among the recordings, and copying a stretch of it."""

from __future__ import annotations

import logging
from dataclasses import replace
from itertools import zip_longest
from typing import TYPE_CHECKING

import numpy as np
import soundfile

from nightly_spindle.core.base.errors import InputFault, StorageFault
from nightly_spindle.core.base.timebase import US
from nightly_spindle.core.outputs.recording_files import Recorded, reaching, start_of
from nightly_spindle.core.outputs.stream_codecs import Codec

if TYPE_CHECKING:
    from collections.abc import Iterator
    from pathlib import Path

    import av
    from numpy.typing import NDArray

START_US = "NIGHTLY_SPINDLE_START_US"  # the comment that has the first frame's instant
SUFFIXES = {Codec.FLAC: ".oga", Codec.OPUS: ".opus"}
_NEAR_S = 2  # so much before the place is read as well, for codecs that have to settle
_log = logging.getLogger(__name__)


def recorded_in(folder: Path) -> list[Recorded]:
    """Return the recordings in a folder, the oldest first; none where it cannot be listed."""
    found = []
    try:
        for path in folder.iterdir():
            start = start_of(path.name)
            if start is not None and path.suffix in SUFFIXES.values():
                found.append(Recorded(path.name, start, path.stat().st_size))
    except OSError:
        return []
    return sorted(found, key=lambda one: one.start_us)


def exact(folder: Path, recorded: Recorded) -> Recorded:
    """Return a recording with its first frame's instant to the microsecond, where it says so."""
    import mutagen

    try:
        tags = mutagen.File(folder / recorded.name)
        said = tags.get(START_US) if tags is not None else None
    except (mutagen.MutagenError, OSError):
        return recorded
    return replace(recorded, start_us=int(said[0])) if said and said[0].isdigit() else recorded


def stretch(folder: Path, begin_us: int, end_us: int) -> Iterator[tuple[int, NDArray[np.float32]]]:
    """Give what went out from one instant up to another: sample rate and frames (n, 2), in pieces.

    What was not recorded is silence. InputFault where nothing of it was recorded at all.
    """
    rate = 0
    at_us = begin_us
    found = reaching(recorded_in(folder), begin_us, end_us)
    parts = sorted((exact(folder, one) for one in found), key=lambda one: one.start_us)
    for part, following in zip_longest(parts, (one.start_us for one in parts[1:])):
        until_us = end_us if following is None else min(end_us, following)
        for rate, frames, came_us in _of(folder, part, at_us, until_us):
            if came_us - at_us > US // rate:
                yield rate, _silence(came_us - at_us, rate)
            yield rate, frames
            at_us = came_us + len(frames) * US // rate
    if not rate:
        raise InputFault(f"nothing of that stretch was recorded in {folder}")
    if end_us - at_us > US // rate:
        yield rate, _silence(end_us - at_us, rate)


def _of(
    folder: Path, part: Recorded, begin_us: int, end_us: int
) -> Iterator[tuple[int, NDArray[np.float32], int]]:
    """Give the frames of one file that lie in a stretch, with the instant of each piece's first."""
    import av

    try:
        with av.open(str(folder / part.name)) as file:
            sound = file.streams.audio[0]
            rate = sound.rate
            first = max(0, round((begin_us - part.start_us) * rate / US))
            until = round((end_us - part.start_us) * rate / US)
            pieces = av.AudioResampler("flt", "stereo", rate)
            if first > _NEAR_S * rate:  # a seek lands before it, never behind
                file.seek((first - _NEAR_S * rate) * US // rate)
            for frame in file.decode(sound):
                at = _frame_of(frame, rate)
                for piece in pieces.resample(frame):
                    samples: NDArray[np.float32] = np.asarray(piece.to_ndarray(), np.float32)
                    here = samples.reshape(-1, 2)[max(0, first - at) : max(0, until - at)]
                    if len(here):
                        yield rate, here, part.start_us + max(at, first) * US // rate
                if at >= until:
                    return
    except (av.FFmpegError, IndexError) as error:
        # broken off before its first page: nothing of it can be heard
        _log.warning("%s cannot be read: %s", folder / part.name, error)


def _frame_of(frame: av.AudioFrame, rate: int) -> int:
    """Return the number of a piece's first frame in its file."""
    assert frame.pts is not None
    assert frame.time_base is not None
    return round(frame.pts * frame.time_base * rate)


def _silence(length_us: int, rate: int) -> NDArray[np.float32]:
    return np.zeros((round(length_us * rate / US), 2), dtype=np.float32)


def save_stretch(folder: Path, begin_us: int, end_us: int, out: Path) -> float:
    """Write a stretch of what went out to a file; returns its length in s.

    InputFault for an ending that cannot be written or a stretch that was not recorded, StorageFault
    when the disk refuses. The file appears under its name only when it is whole.
    """
    subtypes = {".wav": "PCM_16", ".flac": "PCM_16", ".ogg": "VORBIS"}
    subtype = subtypes.get(out.suffix.casefold())
    if subtype is None:
        raise InputFault(f"{out} cannot be written: choose .wav, .flac or .ogg")
    if end_us <= begin_us:
        raise InputFault("the stretch ends before it begins")
    part = out.with_name(f".{out.stem}.part{out.suffix}")
    file: soundfile.SoundFile | None = None
    length = 0.0
    try:
        for rate, frames in stretch(folder, begin_us, end_us):
            if file is None:
                file = soundfile.SoundFile(part, "w", rate, 2, subtype)
            for at in range(0, len(frames), 8192):  # the most that Vorbis takes at once
                file.write(frames[at : at + 8192])
            length += len(frames) / rate
        if file is not None:
            file.close()
            part.replace(out)
    except (soundfile.LibsndfileError, OSError) as error:
        raise StorageFault(f"{out} cannot be written: {error}") from error
    finally:
        part.unlink(missing_ok=True)
    return length
