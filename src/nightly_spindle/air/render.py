"""Rendering offline: the very audio that the engine would put out, into a file."""

from __future__ import annotations

import contextlib
from typing import TYPE_CHECKING

import numpy as np
import soundfile

from nightly_spindle.air.player import Player
from nightly_spindle.core.errors import InputFault, StorageFault
from nightly_spindle.core.rehearsal import Recorder, Row

if TYPE_CHECKING:
    from collections.abc import Callable, Iterable
    from pathlib import Path

    from nightly_spindle.core.actions import Action
    from nightly_spindle.core.sequencer import Sequencer

BLOCK = 8192  # also the most frames of Vorbis that libsndfile takes at once
_FORMATS = {".wav": "PCM_16", ".flac": "PCM_16", ".ogg": "VORBIS"}


def render(
    sequencer: Sequencer,
    begun: Iterable[Action],
    seconds: float,
    out: Path,
    progress: Callable[[float], None] = lambda _part: None,
) -> list[Row]:
    """Write `seconds` of the station's sound to `out`; returns the rows that sound in it.

    The file appears under its name only when it is whole. InputFault for an ending that
    cannot be written, StorageFault when the disk refuses.
    """
    subtype = _FORMATS.get(out.suffix.lower())
    if subtype is None:
        raise InputFault(f"{out} cannot be written: choose .wav, .flac or .ogg")
    rate = sequencer.state.rate
    recorder = Recorder()
    player = Player(sequencer, begun, BLOCK)
    begin = player.at
    left = total = round(seconds * rate)
    bus = np.empty((BLOCK, 2), dtype=np.float32)
    part = out.with_name(f".{out.stem}.part{out.suffix}")
    try:
        with soundfile.SoundFile(part, "w", rate, 2, subtype) as file:
            while left > 0:
                recorder.take(player.pull(bus))
                file.write(bus[: min(BLOCK, left)])
                left -= BLOCK
                progress(1 - max(0, left) / total)
        part.replace(out)
    except (soundfile.LibsndfileError, OSError) as error:
        raise StorageFault(f"{out} cannot be written: {error}") from error
    finally:
        player.mixer.close()
        with contextlib.suppress(OSError):
            part.unlink(missing_ok=True)
    end = begin + total
    return [row for row in recorder.rows if row.start < end]
