"""All outputs of a station: every one gets the programme, one of them paces it.

The pump is paced by the first sound card that is on, else by a simulated one. All others have a
queue of their own. They can be added, changed and switched between two blocks; those that stay as
they are go on without a gap.
"""

from __future__ import annotations

import logging
import threading
import time
from typing import TYPE_CHECKING

from nightly_spindle.core.base.findings import Severity
from nightly_spindle.core.outputs.output_health import (
    ALARM_S,
    OutputSight,
    OutputState,
    Trouble,
    heard_by,
)
from nightly_spindle.core.outputs.outputs import CardOptions, OutputKind, same_sound
from nightly_spindle.outputs.queued_output import Heard

if TYPE_CHECKING:
    from collections.abc import Callable, Sequence

    import numpy as np
    from numpy.typing import NDArray

    from nightly_spindle.core.outputs.now_playing import Shown
    from nightly_spindle.core.outputs.outputs import Output
    from nightly_spindle.outputs.pacing import PacingOutput
    from nightly_spindle.outputs.queued_output import QueuedOutput

_CLOSE_S = 3.0
_log = logging.getLogger(__name__)


class OutputRack:
    """Gives each block to every output. `write` is the pump's; all else may be called from any
    thread.

    `make` makes an output with a queue, `pace` what paces the pump (None: a simulated card).
    """

    def __init__(
        self,
        make: Callable[[Output], QueuedOutput],
        pace: Callable[[CardOptions | None], PacingOutput],
    ) -> None:
        self._make, self._pace = make, pace
        self._changing = threading.Lock()
        self._outputs: tuple[Output, ...] = ()
        self._queued: tuple[QueuedOutput, ...] = ()
        self._paced_by: Output | None = None
        self._pacing = pace(None)
        self._pacing_since = time.time_ns() // 1000
        self._shown: Shown | None = None

    # -- the pump's --------------------------------------------------------------------------------

    @property
    def late(self) -> int:
        """Blocks that came too late for what paces."""
        return self._pacing.late

    @property
    def problem(self) -> str:
        """Why the sound card that paces cannot be heard, empty while it can."""
        return self._pacing.problem

    @property
    def simulated(self) -> bool:
        """Whether only stand-ins take the sound."""
        return heard_by(self.sights()).simulated

    def write(self, block: NDArray[np.float32], at_us: int = 0) -> None:
        """Give a block (frames, 2) to all, waiting for what paces alone."""
        queued = self._queued
        if queued:
            frames = block.copy()
            frames.flags.writeable = False
            heard = Heard(at_us, frames)
            for one in queued:
                one.put(heard)
        self._pacing.write(block)

    def show(self, shown: Shown) -> None:
        """Have players shown this from the next block on."""
        self._shown = shown
        for one in self._queued:
            one.put(shown)

    def waiting_frames(self) -> int:
        """Return the frames taken but not yet heard."""
        return self._pacing.waiting_frames()

    def close(self) -> None:
        """End all of them."""
        with self._changing:
            queued, self._queued = self._queued, ()
            for one in queued:
                one.leave()
            self._pacing.close()
            end = time.monotonic() + _CLOSE_S
            for one in queued:
                one.join(max(0.0, end - time.monotonic()))

    # -- from other threads ------------------------------------------------------------------------

    def go_to(self, outputs: Sequence[Output]) -> None:
        """Have these outputs from now on. Waits for those that end, a few seconds at most."""
        with self._changing:
            wanted = tuple(outputs)
            if wanted == self._outputs:
                return
            card = next((o for o in wanted if o.on and o.kind is OutputKind.CARD), None)
            self._pace_by(card)
            left = {one.output.id: one for one in self._queued}
            now: list[QueuedOutput] = []
            for output in wanted:
                if not output.on or output is card or output.kind is OutputKind.SIMULATED:
                    continue
                running = left.get(output.id)
                if running is not None and same_sound(running.output, output):
                    running.rename(output)
                    now.append(left.pop(output.id))
                else:
                    now.append(self._begun(output))
            self._outputs, self._queued = wanted, tuple(now)
            for gone in left.values():
                gone.leave()
            for gone in left.values():
                gone.join(_CLOSE_S)

    @property
    def outputs(self) -> tuple[Output, ...]:
        """All outputs, also those that are off."""
        return self._outputs

    def sights(self) -> tuple[OutputSight, ...]:
        """Return how each output does."""
        queued = {one.output.id: one.sight for one in self._queued}
        return tuple(queued.get(one.id) or self._seen(one) for one in self._outputs)

    def _begun(self, output: Output) -> QueuedOutput:
        made = self._make(output)
        if self._shown is not None:
            made.put(self._shown)
        made.start()
        return made

    def _pace_by(self, card: Output | None) -> None:
        before = self._paced_by
        if before is not None and card is not None and same_sound(before, card):
            self._paced_by = card
            return
        if before is None and card is None:
            return
        options = card.options if card is not None else None
        assert options is None or isinstance(options, CardOptions)
        former, self._pacing = self._pacing, self._pace(options)
        self._paced_by, self._pacing_since = card, time.time_ns() // 1000
        former.close()

    def _seen(self, output: Output) -> OutputSight:
        """Return how an output without a queue does."""
        since, pacing = self._pacing_since, self._pacing
        state, trouble, problem = OutputState.OFF, Trouble.NONE, ""
        if output is self._paced_by:
            problem = pacing.problem
            state = OutputState.DOWN if problem else OutputState.UP
            trouble = Trouble.DEVICE if problem else Trouble.NONE
        elif output.on and output.kind is OutputKind.SIMULATED:
            state = OutputState.UP
        simulated = output.kind is OutputKind.SIMULATED
        late = pacing.late if output is self._paced_by else 0
        return OutputSight(
            output.id,
            output.name,
            output.kind,
            state,
            since,
            trouble,
            problem,
            simulated=simulated,
            late=late,
        )


class OutputWatch:
    """Tells an alarm when an output has been down for 20 s, and its end. Looked at by a thread."""

    def __init__(self, rack: OutputRack, tell: Callable[[str, str, str, Severity], None]) -> None:
        self._rack, self._tell = rack, tell
        self._told: dict[int, Trouble] = {}

    def look(self, now_us: int) -> None:
        """Tell what is to be told now."""
        seen = self._rack.sights()
        for one in seen:
            down = one.state is OutputState.DOWN
            for_long = now_us - one.since_us >= ALARM_S * 1_000_000
            if one.problem and (for_long or not down):
                if self._told.get(one.id) != one.trouble:
                    self._told[one.id] = one.trouble
                    said = "is down" if down else "is not heard"
                    text = f"The output “{one.name}” {said}: {one.problem}."
                    code = "output-down" if down else "output-unheard"
                    self._tell(code, text, one.mend, Severity.ALARM)
            elif one.state is OutputState.UP and not one.problem and one.id in self._told:
                del self._told[one.id]
                text = f"The output “{one.name}” is up again."
                self._tell("output-back", text, "Nothing needs to be done.", Severity.NOTE)
        for gone in set(self._told) - {one.id for one in seen}:
            del self._told[gone]
