"""The outputs of a station made: what an engine gives its sound to."""

from __future__ import annotations

import threading
import time
from functools import partial
from typing import TYPE_CHECKING

from nightly_spindle.air.player import BLOCK
from nightly_spindle.core.outputs.outputs import (
    CardOptions,
    OutputKind,
    PageOptions,
    RecordingOptions,
)
from nightly_spindle.outputs.rack import OutputRack, OutputWatch
from nightly_spindle.store.outputs.passwords import password_of

if TYPE_CHECKING:
    from collections.abc import Callable
    from pathlib import Path

    from nightly_spindle.core.base.findings import Severity
    from nightly_spindle.core.outputs.outputs import Output
    from nightly_spindle.core.station.settings import StationSettings
    from nightly_spindle.outputs.pacing import PacingOutput
    from nightly_spindle.outputs.page_output import FactsSource
    from nightly_spindle.outputs.queued_output import QueuedOutput

_LOOKS_S = 1.0


def rack_for(
    folder: Path,
    settings: StationSettings,
    clock: Callable[[], PacingOutput],
    facts: FactsSource,
) -> OutputRack:
    """Return a rack for a station's outputs; `clock` makes what paces where no sound card does.

    `facts` gives what the station's page says besides what is on.
    """
    rate = settings.rate

    def card(options: CardOptions) -> PacingOutput:
        from nightly_spindle.outputs.device import DeviceOutput

        return DeviceOutput(rate, BLOCK, options.device or None, options.buffer_s)

    def make(output: Output) -> QueuedOutput:
        if output.kind is OutputKind.CARD:
            from nightly_spindle.outputs.card_output import CardOutput

            return CardOutput(output, rate, BLOCK, card)
        if isinstance(output.options, RecordingOptions):
            from nightly_spindle.outputs.recorder import Recorder

            return Recorder(output, rate, BLOCK, folder, settings.tz)
        if isinstance(output.options, PageOptions):
            from nightly_spindle.outputs.page_output import PageOutput

            return PageOutput(output, rate, BLOCK, folder, settings.name, settings.tz, facts)
        from nightly_spindle.outputs.stream_output import StreamOutput

        password = partial(password_of, folder, output.id)
        return StreamOutput(output, rate, BLOCK, settings.name, password)

    def pace(options: CardOptions | None) -> PacingOutput:
        return clock() if options is None else card(options)

    return OutputRack(make, pace)


def watch_outputs(
    rack: OutputRack,
    tell: Callable[[str, str, str, Severity], None],
    leaving: threading.Event,
) -> None:
    """Have a thread tell of outputs that are down, until `leaving` is set."""
    watch = OutputWatch(rack, tell)

    def run() -> None:
        while not leaving.wait(_LOOKS_S):
            watch.look(time.time_ns() // 1000)

    threading.Thread(target=run, name="output-watch", daemon=True).start()
