"""The player: sequencer, mixer and limiter together, block by block.

The live engine and the offline render both pull from it; they differ only in where
sources come from and where blocks go.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

import numpy as np

from nightly_spindle.audio.files import FileSource, ToneSource
from nightly_spindle.audio.limiter import Limiter
from nightly_spindle.audio.mixer import Mixer, SoundSource, Voice
from nightly_spindle.core.base.errors import AudioUnreadable
from nightly_spindle.core.library.items import TONE_CART, Kind
from nightly_spindle.core.programme.sequencer_actions import (
    Action,
    FadeVoice,
    Start,
    StartOverlay,
    StartVoice,
)

if TYPE_CHECKING:
    from collections.abc import Iterable

    from numpy.typing import NDArray

    from nightly_spindle.core.playout.sequencer import Sequencer

SourceMaker = Callable[[Start, int], SoundSource]


BLOCK = 2048  # frames of the live engine's blocks: 46 ms at 44,100
_HAND_OVER_S = 0.5


class _Silent:
    """A source that could not be opened."""

    def __init__(self, problem: str) -> None:
        self.problem = problem

    def read_into(self, out: NDArray[np.float32]) -> int:
        """There is nothing."""
        del out
        return 0

    def close(self) -> None:
        """Nothing to give back."""


def file_source(order: Start, rate: int) -> SoundSource:
    """Open the item's own file, or the built-in tone.

    The tone stands in for a web stream too: what it will send some day cannot be rendered now.
    """
    if order.play.item.cart == TONE_CART or order.play.item.kind is Kind.STREAM:
        return ToneSource(rate, order.play.begin)
    return FileSource(order.play.item.path, rate, order.play.begin)


class Player:
    """Gives the station's sound in blocks of `block` frames.

    `at` is the station frame of the next frame that comes out; the sequencer runs ahead
    of it by the limiter's delay, so that what comes out is where it should be.
    """

    def __init__(
        self,
        sequencer: Sequencer,
        begun: Iterable[Action],
        block: int,
        make_source: SourceMaker = file_source,
    ) -> None:
        self.sequencer = sequencer
        self.rate = sequencer.state.clock.rate
        self.mixer = Mixer(block)
        self.limiter = Limiter(self.rate)
        self.at = sequencer.state.clock.frame
        self._make_source = make_source
        self._actions: list[Action] = []
        self._mixed = self.at
        self.apply(begun)
        self._fill(np.zeros((self.limiter.delay, 2), dtype=np.float32))

    def pull(self, out: NDArray[np.float32]) -> list[Action]:
        """Fill `out` (block, 2) with the next frames; returns what was decided meanwhile."""
        self._fill(out)
        self.at += len(out)
        actions, self._actions = self._actions, []
        return actions

    def apply(self, actions: Iterable[Action]) -> None:
        """Carry out actions of the sequencer; they are returned by the next `pull`."""
        for action in actions:
            self._actions.append(action)
            if isinstance(action, StartVoice):
                self.mixer.start(self._voice(action))
            elif isinstance(action, StartOverlay):
                self.mixer.overlay(self._voice(action), action)
            elif isinstance(action, FadeVoice):
                self.mixer.fade(action)

    @property
    def mixed(self) -> int:
        """The station frame that is decided and mixed next."""
        return self._mixed

    def take_over(self, sequencer: Sequencer, begun: Iterable[Action]) -> None:
        """Go on by another sequencer, from its own present frame: what sounds fades out under it.

        Its clock may count other frames than the former one.
        """
        shift = sequencer.state.clock.frame - self._mixed
        self.mixer.hand_over(self._mixed, shift, round(_HAND_OVER_S * self.rate))
        self.sequencer = sequencer
        self._mixed += shift
        self.at += shift
        self.apply(begun)

    def _voice(self, order: Start) -> Voice:
        try:
            source = self._make_source(order, self.rate)
        except AudioUnreadable as error:
            source = _Silent(str(error))
        return Voice(order, source)

    def _fill(self, out: NDArray[np.float32]) -> None:
        self.apply(self.sequencer.advance(self._mixed + len(out)))
        for voice in self.mixer.mix(out, self._mixed):
            why = voice.source.problem or "the file is shorter than it was when measured"
            self.apply(self.sequencer.died(voice.play.id, voice.position, why))
        self._mixed += len(out)
        self.limiter.process(out)
