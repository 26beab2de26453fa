"""A further sound card: not the one that paces the pump.

Its clock is another than the pacing one's, by some ten parts in a million. When more has gathered
than its buffer should hold a block is left out; when too little, the card gives one of silence.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

from nightly_spindle.core.outputs.output_health import OutputState, Trouble
from nightly_spindle.core.outputs.outputs import CardOptions
from nightly_spindle.outputs.queued_output import Heard, QueuedOutput

if TYPE_CHECKING:
    from collections.abc import Callable

    from nightly_spindle.core.outputs.outputs import Output
    from nightly_spindle.outputs.pacing import PacingOutput

_GATHERED = 12  # blocks that may wait besides those in the card's own buffer
_TAKE_S = 0.5


class CardOutput(QueuedOutput):
    """Plays on a card that `make` opens."""

    def __init__(
        self, output: Output, rate: int, block: int, make: Callable[[CardOptions], PacingOutput]
    ) -> None:
        super().__init__(output, rate, block)
        assert isinstance(output.options, CardOptions)
        self._card_options, self._open = output.options, make

    def work(self) -> None:
        """Play what comes."""
        card = self._open(self._card_options)
        left_out = 0
        try:
            while not self.leaving.is_set():
                what = self.take(_TAKE_S)
                if self.waiting() > _GATHERED and not card.problem:
                    left_out += 1
                elif isinstance(what, Heard):
                    card.write(what.frames)
                down = bool(card.problem)
                self.see(
                    OutputState.DOWN if down else OutputState.UP,
                    Trouble.DEVICE if down else Trouble.NONE,
                    card.problem,
                    late=left_out + card.late,
                )
        finally:
            card.close()
