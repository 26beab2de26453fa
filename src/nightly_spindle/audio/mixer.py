"""The mixer: voices with gains and fades, summed into one stereo bus."""

from __future__ import annotations

from dataclasses import replace
from math import pi
from typing import TYPE_CHECKING, Protocol

import numpy as np

from nightly_spindle.audio.duck import Duck
from nightly_spindle.core.library.markers import Curve

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from nightly_spindle.core.programme.sequencer_actions import FadeVoice, Start, StartOverlay


class SoundSource(Protocol):
    """Where a voice's frames come from: a file, a read-ahead buffer, a tone."""

    problem: str  # why it broke off, empty while it has not

    def read_into(self, out: NDArray[np.float32]) -> int:
        """Fill `out` (frames, 2) as far as there is sound; returns the frames written."""
        ...

    def close(self) -> None:
        """Give back what it holds."""
        ...


class Voice:
    """One item sounding. Positions are frames since the voice began.

    `over` once nothing more comes of it; `short` when its source ended before it should.
    """

    def __init__(self, order: Start, source: SoundSource) -> None:
        self.play = order.play
        self.source = source
        self.gain = np.float32(10 ** (order.gain_db / 20))
        self.left = order.end - order.play.begin
        self.over = self.left <= 0
        self.short = False
        self._at = 0
        self._fade_in = order.fade_in
        self._in_curve = order.in_curve
        self._fades: list[tuple[int, int, Curve]] = []

    def fade(self, order: FadeVoice) -> None:
        """Fade out from station frame `order.at` on, and be over after it.

        A voice that is cut while it fades goes on from where its fader stands.
        """
        at, frames = order.at - self.play.start, max(1, order.frames)
        self._fades.append((at, frames, order.curve))
        self.left = min(self.left, max(0, at + frames - self._at))

    def hand_over(self, at: int, shift: int, frames: int) -> None:
        """Fade out from station frame `at` on; its clock counts `shift` frames more afterwards."""
        since = at - self.play.start
        self._fades.append((since, max(1, frames), Curve.EQUAL_POWER))
        self.left = min(self.left, max(0, since + frames - self._at))
        self.play = replace(self.play, id=-1, start=self.play.start + shift)

    @property
    def frames_done(self) -> int:
        """Frames that it has given so far."""
        return self._at

    @property
    def ends_at(self) -> int:
        """The station frame at which it is over, as far as is known."""
        return self.play.start + self._at + self.left

    @property
    def position(self) -> int:
        """The item position (frames) that the voice has come to."""
        return self.play.begin + self._at

    def render(self, out: NDArray[np.float32], ramp: NDArray[np.float32]) -> int:
        """Write the voice's next frames, gains applied, into `out`; returns how many.

        `ramp` is 0, 1, 2 ... of at least that length.
        """
        wanted = min(len(out), self.left)
        got = self.source.read_into(out[:wanted])
        part = out[:got]
        part *= self.gain
        if self._at < self._fade_in:
            done = (ramp[:got] + np.float32(self._at)) / np.float32(self._fade_in)
            part *= shape(self._in_curve, 1 - np.minimum(done, 1))[:, None]
        for at, frames, curve in self._fades:
            if self._at + got > at:
                since = (ramp[:got] + np.float32(self._at - at)) / np.float32(frames)
                part *= shape(curve, np.clip(since, 0, 1))[:, None]
        self._at += got
        self.left -= got
        if got < wanted or self.left <= 0:
            self.over, self.short = True, got < wanted
            self.source.close()
        return got


def shape(curve: Curve, part: NDArray[np.float32]) -> NDArray[np.float32]:
    """Return the gains of a fade-out after `part` (0 to 1) of its length.

    The same law as `fade_curve.fade_gain`, on arrays. Turned round it fades in: the
    squares of an equal-power pair add to 1.
    """
    if curve is Curve.EQUAL_POWER:
        return np.asarray(np.cos(part * np.float32(pi / 2)), dtype=np.float32)
    if curve is Curve.LINEAR:
        return np.asarray(1 - part, dtype=np.float32)
    return np.asarray(part < 1, dtype=np.float32)


class Mixer:
    """Sums voices block by block. Voices begin and fade at exact frames.

    `voices` are the programme, `over` the overlays, for which the programme goes down (`Duck`).
    """

    def __init__(self, most_frames: int) -> None:
        self.voices: list[Voice] = []
        self.over: list[tuple[Voice, Duck]] = []
        self._ducks: list[Duck] = []
        self._scratch = np.empty((most_frames, 2), dtype=np.float32)
        self._ramp = np.arange(most_frames, dtype=np.float32)

    def start(self, voice: Voice) -> None:
        """Take a voice that begins in a coming block."""
        self.voices.append(voice)

    def overlay(self, voice: Voice, order: StartOverlay) -> None:
        """Take an overlay that begins in a coming block."""
        duck = Duck(order.play.start, order.play.start + voice.left, order.duck)
        self.over.append((voice, duck))
        self._ducks.append(duck)

    def fade(self, order: FadeVoice) -> None:
        """Fade the voice of that play, if it still sounds."""
        for voice in (*self.voices, *(voice for voice, _ in self.over)):
            if voice.play.id == order.play_id:
                voice.fade(order)

    def hand_over(self, at: int, shift: int, frames: int) -> None:
        """Fade everything out from station frame `at` on; frames count `shift` more afterwards."""
        for voice in (*self.voices, *(voice for voice, _ in self.over)):
            voice.hand_over(at, shift, frames)
        self.voices = [*self.voices, *(voice for voice, _ in self.over)]
        self.over, self._ducks = [], []

    def mix(self, bus: NDArray[np.float32], at: int) -> list[Voice]:
        """Fill `bus` (frames, 2) with the sum of all voices from station frame `at` on.

        Returns the voices whose source ended before it should.
        """
        bus[:] = 0
        for voice in self.voices:
            self._add(voice, bus, at)
        short = [voice for voice in self.voices if voice.short]
        self.voices = [voice for voice in self.voices if not voice.over]
        if self._ducks:
            short += self._lay_over(bus, at)
        return short

    def _add(self, voice: Voice, bus: NDArray[np.float32], at: int) -> None:
        offset = max(0, voice.play.start - at)
        if offset < len(bus) and not voice.over:
            got = voice.render(self._scratch[: len(bus) - offset], self._ramp)
            bus[offset : offset + got] += self._scratch[:got]

    def _lay_over(self, bus: NDArray[np.float32], at: int) -> list[Voice]:
        """Lower the programme in `bus` and add the overlays; returns those that fell short.

        Where two meet, the programme goes down for both.
        """
        heard = {}
        for voice, duck in self.over:
            duck.end = min(duck.end, voice.ends_at)  # it may have been cut since the last block
            if duck.follows:
                heard[voice.play.id] = self._heard_first(voice, duck, len(bus), at)
        ramp = self._ramp[: len(bus)]
        for duck in self._ducks:
            duck.lower(bus, at, ramp)
        done = False
        for voice, duck in self.over:
            if duck.follows:
                bus += heard[voice.play.id]
            else:
                self._add(voice, bus, at)
                if voice.short:  # it broke off: the programme comes up again
                    duck.end = min(duck.end, max(at + len(bus), duck.start))
            done = done or voice.over
        after = at + len(bus)
        short = []
        if done:
            short = [voice for voice, _ in self.over if voice.short]
            self.over = [(voice, duck) for voice, duck in self.over if not voice.over]
        if not self.over:
            self._ducks = [duck for duck in self._ducks if not duck.is_over(after)]
        return short

    def _heard_first(self, voice: Voice, duck: Duck, count: int, at: int) -> NDArray[np.float32]:
        """Return what a voice gives, which its ducking follows."""
        sound = np.zeros((count, 2), dtype=np.float32)
        self._add(voice, sound, at)
        until = voice.play.start + voice.frames_done
        duck.hear(sound[: max(0, until - at)], at)
        if voice.short:
            duck.end = min(duck.end, until)
        return sound

    def close(self) -> None:
        """Give back the sources of all voices."""
        for voice in (*self.voices, *(voice for voice, _ in self.over)):
            voice.source.close()
