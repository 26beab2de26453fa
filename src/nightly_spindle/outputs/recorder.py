"""Recording what goes out: an hour a file, whole after a kill but for the last second.

Ogg is written page by page, a fifth of a second each, so a file that was broken off is whole up to
its last page. The instant of the first frame stands in the file's comments, to the microsecond.
"""

from __future__ import annotations

import itertools
import logging
import shutil
import time
from typing import TYPE_CHECKING, BinaryIO

from nightly_spindle.core.outputs.output_health import OutputState, Trouble
from nightly_spindle.core.outputs.outputs import RecordedAs, RecordingOptions, StreamOptions
from nightly_spindle.core.outputs.recording_files import file_name, next_hour, to_remove
from nightly_spindle.core.outputs.stream_codecs import Codec
from nightly_spindle.outputs.queued_output import Heard, QueuedOutput
from nightly_spindle.outputs.recordings import START_US, SUFFIXES, recorded_in
from nightly_spindle.outputs.stream_encoder import StreamEncoder

if TYPE_CHECKING:
    from pathlib import Path
    from zoneinfo import ZoneInfo

    import numpy as np
    from numpy.typing import NDArray

    from nightly_spindle.core.outputs.outputs import Output

_TAKE_S = 0.5
_CLEARS_S = 60.0
_AGAIN_S = 10.0
_GAP_US = 2_000  # a block that begins by more later or sooner than it should is a gap
_GB = 1e9
_OPUS_KBPS = 128.0
_log = logging.getLogger(__name__)


class Recorder(QueuedOutput):
    """Writes files into a folder, relative to the station's where it is not absolute."""

    def __init__(self, output: Output, rate: int, block: int, station: Path, tz: ZoneInfo) -> None:
        super().__init__(output, rate, block)
        assert isinstance(output.options, RecordingOptions)
        self._options = output.options
        self._folder = station / output.options.folder
        self._tz = tz
        self._file: _OpenFile | None = None
        self._next_clearing = 0.0

    def work(self) -> None:
        """Write what comes, until the disk refuses."""
        try:
            self._folder.mkdir(parents=True, exist_ok=True)
            self._write_on()
        except OSError as error:
            said = f"{self._folder} cannot be written: {error.strerror or error}"
            if said != self.sight.problem:
                _log.warning("the output “%s” is down: %s", self.output.name, said)
            self.see(OutputState.DOWN, Trouble.DISK, said)
        finally:
            self._end_file()
        end = time.monotonic() + _AGAIN_S
        while not self.leaving.is_set() and time.monotonic() < end:
            self.take(_TAKE_S)

    def _write_on(self) -> None:
        while not self.is_over():
            if time.monotonic() >= self._next_clearing:
                self._clear()
            what = self.take(_TAKE_S)
            if isinstance(what, Heard):
                self._write(what.at_us, what.frames)
                self.see(OutputState.UP, Trouble.NONE, "")

    def _write(self, at_us: int, frames: NDArray[np.float32]) -> None:
        """Write a block, in two files where a full hour lies inside it."""
        if self._file is not None and abs(at_us - self._file.next_us) > _GAP_US:
            self._end_file()
        if self._file is None:
            self._begin_file(at_us)
        assert self._file is not None
        left = max(0, -((at_us - self._file.until_us) * self.rate // 1_000_000))
        if left < len(frames):
            self._count(self._file.write(frames[:left]))
            self._end_file()
            self._begin_file(at_us + left * 1_000_000 // self.rate)
            frames = frames[left:]
        self._count(self._file.write(frames))

    def _count(self, written: int) -> None:
        self.see(sent=self.sight.sent + written)

    def _begin_file(self, at_us: int) -> None:
        codec = Codec.FLAC if self._options.coded is RecordedAs.FLAC else Codec.OPUS
        name = file_name(at_us, self._tz, SUFFIXES[codec])
        until = next_hour(at_us, self._tz)
        self._file = _OpenFile(self._folder / name, codec, self.rate, at_us, until)

    def _end_file(self) -> None:
        file, self._file = self._file, None
        if file is not None:
            try:
                file.close()
            except OSError as error:
                _log.warning("%s is not ended as it should: %s", file.path, error)

    def _clear(self) -> None:
        """Remove what is too old or too much; OSError where the disk is too full all the same."""
        self._next_clearing = time.monotonic() + _CLEARS_S
        own = self._file.path.name if self._file is not None else ""
        files = [one for one in recorded_in(self._folder) if one.name != own]
        options, free = self._options, shutil.disk_usage(self._folder).free
        lacking = options.leave_gb * _GB - free
        most = options.most_gb * _GB - (self._file.written if self._file is not None else 0)
        now_us = time.time_ns() // 1000
        for one in to_remove(files, now_us, options.keep_days, most, lacking):
            (self._folder / one.name).unlink(missing_ok=True)
            lacking -= one.size
            _log.info("the recording %s is removed", one.name)
        if lacking > 0:
            raise OSError(
                0, f"less than {options.leave_gb:g} GB of the disk are free, so nothing is recorded"
            )


class _OpenFile:
    """A file that is being written: from `start_us` up to the full hour `until_us`."""

    def __init__(self, path: Path, codec: Codec, rate: int, start_us: int, until_us: int) -> None:
        self.until_us = until_us
        self._start_us, self._rate = start_us, rate
        self._frames = self.written = 0
        options = StreamOptions(codec=codec, kbps=_OPUS_KBPS)
        self._encoder = StreamEncoder(options, rate, {START_US: str(start_us)})
        self.path, self._out = _new_file(path)

    @property
    def next_us(self) -> int:
        """When the next frame goes out, if nothing is left out."""
        return self._start_us + self._frames * 1_000_000 // self._rate

    def write(self, frames: NDArray[np.float32]) -> int:
        """Write frames; returns the bytes that were written."""
        self._frames += len(frames)
        return self._put(self._encoder.encode(frames)) if len(frames) else 0

    def close(self) -> None:
        """Write what is left."""
        self._put(self._encoder.close())
        self._out.close()

    def _put(self, data: bytes) -> int:
        if data:
            self._out.write(data)
            self._out.flush()
            self.written += len(data)
        return len(data)


def _new_file(path: Path) -> tuple[Path, BinaryIO]:
    """Make a file; another name where there is one of that name: a clock may be set back."""
    for number in itertools.count(1):
        name = path if number == 1 else path.with_name(f"{path.stem}-{number}{path.suffix}")
        try:
            return name, name.open("xb")
        except FileExistsError:
            continue
    raise AssertionError("there is a number for every file")
