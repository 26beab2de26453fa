"""Trying an output for two seconds, without disturbing what runs."""

from __future__ import annotations

import shutil
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from nightly_spindle.core.base.errors import OutputFault
from nightly_spindle.core.outputs.output_health import MENDS, OutputState, Trouble
from nightly_spindle.core.outputs.outputs import (
    CardOptions,
    PageOptions,
    RecordingOptions,
    StreamOptions,
    host_and_port,
)
from nightly_spindle.outputs.page_server import PageServer
from nightly_spindle.outputs.source_connection import SourceConnection, SourceRefused
from nightly_spindle.outputs.stream_encoder import StreamEncoder

if TYPE_CHECKING:
    from pathlib import Path

    from numpy.typing import NDArray

    from nightly_spindle.core.outputs.output_health import OutputSight
    from nightly_spindle.core.outputs.outputs import Output

_SECONDS, _BLOCK = 2, 2048
_GB = 1e9


@dataclass(frozen=True, slots=True)
class Tried:
    """What came of a try: whether it works, what was found in a sentence, what to do about it."""

    good: bool
    text: str
    mend: str = ""


def try_output(
    output: Output,
    rate: int,
    folder: Path,
    password: str | None,
    running: OutputSight | None = None,
) -> Tried:
    """Try an output; `running` is how a running engine's own does. Takes some seconds."""
    options = output.options
    if running is not None and running.state is OutputState.UP:
        return Tried(True, f"“{output.name}” is up: the engine sends to it now, so it works.")
    if isinstance(options, StreamOptions):
        return _try_stream(options, rate, password)
    if isinstance(options, CardOptions):
        return _try_card(options, rate)
    if isinstance(options, RecordingOptions):
        return _try_recording(options, folder)
    if isinstance(options, PageOptions):
        return _try_page(options, folder)
    return Tried(True, "The simulated card takes everything, and nobody hears it.")


def _try_stream(options: StreamOptions, rate: int, password: str | None) -> Tried:
    if password is None:
        return Tried(False, "Its password is not set.", MENDS[Trouble.NO_PASSWORD])
    quiet = np.zeros((_BLOCK, 2), dtype=np.float32)
    sent = 0
    try:
        encoder = StreamEncoder(options, rate)
        connection = SourceConnection(options, password, "")
        try:
            for _ in range(_SECONDS * rate // _BLOCK + 1):
                data = encoder.encode(quiet)
                connection.send(data)
                sent += len(data)
            connection.send(encoder.close())
        finally:
            connection.close()
    except SourceRefused as error:
        return Tried(False, _sentence(str(error)), MENDS[error.trouble])
    except OutputFault as error:
        return Tried(False, _sentence(str(error)), MENDS[Trouble.NO_ENCODER])
    simulated = " It is a stand-in: nobody hears it." if connection.simulated else ""
    return Tried(
        True,
        f"It works: signed in, {_SECONDS} s of silence sent ({sent / 1000:.0f} kB); the server "
        f"answered {connection.answer}.{simulated}",
    )


def _try_card(options: CardOptions, rate: int) -> Tried:
    from nightly_spindle.outputs.device import DeviceOutput

    try:
        card = DeviceOutput(rate, _BLOCK, options.device or None, options.buffer_s, at_once=True)
    except OutputFault as error:
        return Tried(False, _sentence(str(error)), MENDS[Trouble.DEVICE])
    try:
        for block in _tone(rate):
            card.write(block)
    finally:
        card.close()
    return Tried(True, f"It works: {_SECONDS} s of a soft tone were played there.")


def _tone(rate: int) -> list[NDArray[np.float32]]:
    at = np.arange(_SECONDS * rate // _BLOCK * _BLOCK)
    wave = (0.05 * np.sin(2 * np.pi * 440 * at / rate)).astype(np.float32)
    return list(np.repeat(wave[:, None], 2, axis=1).reshape(-1, _BLOCK, 2))


def _try_recording(options: RecordingOptions, folder: Path) -> Tried:
    place = folder / options.folder
    try:
        place.mkdir(parents=True, exist_ok=True)
        mark = place / ".try"
        mark.write_bytes(b"\0" * 4096)
        mark.unlink()
        free = shutil.disk_usage(place).free / _GB
    except OSError as error:
        said = f"{place} cannot be written: {error.strerror or error}."
        return Tried(False, said, MENDS[Trouble.DISK])
    if free < options.leave_gb:
        said = f"{place} has {free:.1f} GB free; {options.leave_gb:g} GB are to stay free."
        return Tried(False, said, MENDS[Trouble.DISK])
    return Tried(True, f"It works: {place} can be written, and {free:.1f} GB are free.")


def _try_page(options: PageOptions, folder: Path) -> Tried:
    place = folder / options.folder
    try:
        place.mkdir(parents=True, exist_ok=True)
        if options.serve:
            PageServer(place, *host_and_port(options.serve)).stop()
    except OSError as error:
        said = f"{place} cannot be written, or {options.serve} is taken: {error.strerror or error}."
        return Tried(False, said, MENDS[Trouble.PAGE])
    return Tried(True, f"It works: {place} can be written{', and served' * bool(options.serve)}.")


def _sentence(said: str) -> str:
    return f"{said[:1].upper()}{said[1:].rstrip('.')}."
