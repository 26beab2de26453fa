"""Audio files, opened and read with one clear sentence when something is wrong."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np
import soundfile
import soxr

from nightly_spindle.core.base.errors import AudioUnreadable
from nightly_spindle.core.base.plain_files import check_plain

if TYPE_CHECKING:
    from numpy.typing import NDArray

SUFFIXES = frozenset(
    {".wav", ".flac", ".mp3", ".mp2", ".ogg", ".oga", ".opus", ".aif", ".aiff", ".caf", ".rf64"}
)
NOT_READ = {
    ".m4a": "AAC/M4A",
    ".aac": "AAC",
    ".wma": "WMA",
    ".wv": "WavPack",
    ".ape": "APE",
}
# 18 dB over full scale: damaged MP3 decodes to about 12 dB over it, sound goes no higher
ABSURD = 8.0
_CHUNK = 8192  # frames fed to the resampler at once


def is_sound(samples: NDArray[np.float32]) -> bool:
    """Whether all samples are numbers that sound can have."""
    if not samples.size:
        return True
    # no number is within bounds that it cannot be compared with: NaN fails both
    return bool(samples.max() <= ABSURD and samples.min() >= -ABSURD)


def tame(samples: NDArray[np.float32]) -> None:
    """Replace, in place, samples that no sound has: what is no number is silence, the rest bounded.

    A single NaN would stay in the memory of every filter that it comes through.
    """
    if not is_sound(samples):
        np.nan_to_num(samples, copy=False, nan=0.0, posinf=ABSURD, neginf=-ABSURD)
        np.clip(samples, -ABSURD, ABSURD, out=samples)


class SequentialFile(soundfile.SoundFile):  # type: ignore[misc]  # soundfile ships no types
    """A sound file that is read or written straight on once `straight_on` is set.

    soundfile seeks to where it already stands after every call; libsndfile then decodes
    FLAC a second time, which doubles the cost of reading.
    """

    straight_on = False

    def seekable(self) -> bool:
        """Whether soundfile may seek."""
        return not self.straight_on and bool(super().seekable())


def open_audio(path: str, begin_s: float = 0.0) -> Any:
    """Open a file for reading straight on from a second of it (0: its start).

    AudioUnreadable with file and reason when it is not audio.
    """
    file = Path(path)
    format_name = NOT_READ.get(file.suffix.lower())
    if format_name:
        raise AudioUnreadable(f"{path} is {format_name}, which is not read; convert it to FLAC")
    try:
        found = file.stat()
        check_plain(found.st_mode)
        if found.st_size == 0:
            raise AudioUnreadable(f"{path} is empty (0 bytes); copy it again")
        sound = SequentialFile(path)
    except OSError as error:
        raise AudioUnreadable(f"{path} cannot be read: {error.strerror or error}") from error
    except soundfile.LibsndfileError as error:
        said = error.error_string.strip(". ")
        # libsndfile says this of anything that its MP3 decoder refuses
        why = "" if "does not exist" in said else f" ({said})"
        raise AudioUnreadable(
            f"{path} is not audio that can be decoded{why}; check or replace the file"
        ) from error
    if sound.channels > 2:
        sound.close()
        raise AudioUnreadable(
            f"{path} has {sound.channels} channels; mono and stereo are played: mix it down"
        )
    try:
        sound.seek(min(round(begin_s * sound.samplerate), sound.frames))
    except soundfile.LibsndfileError as error:
        sound.close()
        raise AudioUnreadable(f"{path} cannot be read from the middle: {error}") from error
    sound.straight_on = True
    return sound


class FileSource:
    """Reads one file as stereo float32 at the mix rate, from an item position on.

    A fresh handle is opened and sought once: on a handle in use MP3 and Vorbis land wrong
    now and then. `position` is the item position (frames at the mix rate) read up to;
    `problem` says why reading broke off, empty while it has not.
    """

    def __init__(self, path: str, rate: int, begin: int) -> None:
        self._sound = open_audio(path, begin / rate)
        self._path = path
        file_rate = self._sound.samplerate
        self.position = begin
        self.problem = ""
        self._mono = self._sound.channels == 1
        self._scratch = np.empty((_CHUNK, 1 if self._mono else 2), dtype=np.float32)
        self._resampler = (
            None if file_rate == rate else soxr.ResampleStream(file_rate, rate, 2, "float32")
        )
        self._left = np.empty((0, 2), dtype=np.float32)
        self._drained = False

    def read_into(self, out: NDArray[np.float32]) -> int:
        """Fill `out` (frames, 2) as far as the file goes; returns the frames written.

        Damage ends the file there and is told in `problem`.
        """
        if self.problem:
            return 0
        try:
            if self._resampler is not None:
                got = self._resampled(out)
            elif self._mono:
                got = self._from_mono(out)
            else:
                got = len(self._sound.read(out=out))
                tame(out[:got])
        except soundfile.LibsndfileError as error:
            self.problem = f"{self._path} is damaged ({error.error_string.strip('. ')})"
            got = 0
        self.position += got
        return got

    def _from_mono(self, out: NDArray[np.float32]) -> int:
        done = 0
        while done < len(out):
            part = self._sound.read(out=self._scratch[: min(_CHUNK, len(out) - done)])
            if not len(part):
                break
            tame(part)
            out[done : done + len(part)] = part
            done += len(part)
        return done

    def _resampled(self, out: NDArray[np.float32]) -> int:
        assert self._resampler is not None
        done = 0
        while done < len(out):
            if not len(self._left):
                if self._drained:
                    break
                part = self._sound.read(out=self._scratch)
                self._drained = len(part) < _CHUNK
                tame(part)
                stereo = np.repeat(part, 2, axis=1) if self._mono else part
                self._left = self._resampler.resample_chunk(stereo, last=self._drained)
                continue
            take = min(len(self._left), len(out) - done)
            out[done : done + take] = self._left[:take]
            self._left = self._left[take:]
            done += take
        return done

    def close(self) -> None:
        """Give the file handle back."""
        self._sound.close()


class ToneSource:
    """The built-in station tone: two soft fifths, swelling every four seconds, -20 dBFS."""

    def __init__(self, rate: int, begin: int) -> None:
        self._rate = rate
        self.position = begin
        self.problem = ""

    def read_into(self, out: NDArray[np.float32]) -> int:
        """Fill all of `out` (frames, 2)."""
        at = (self.position + np.arange(len(out))) / self._rate
        swell = 0.6 + 0.4 * np.sin(2 * np.pi * at / 4.0)
        wave = np.sin(2 * np.pi * 220.0 * at) + 0.5 * np.sin(2 * np.pi * 330.0 * at)
        out[:] = (0.0667 * swell * wave)[:, None]
        self.position += len(out)
        return len(out)

    def close(self) -> None:
        """Nothing to give back."""
