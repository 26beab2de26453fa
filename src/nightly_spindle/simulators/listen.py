"""Listening to an item for oneself, apart from what is on air: a small process of its own.

Orders come as JSON lines on standard input, and it tells where it is on standard output: both as
`listening_orders` says. A new order takes the place of the one before; the input's end ends it.
Where there is no sound device, the simulated one plays at the same pace.
"""

from __future__ import annotations

import sys
import threading
from dataclasses import replace
from typing import TYPE_CHECKING

import msgspec
import numpy as np

from nightly_spindle.audio.files import FileSource
from nightly_spindle.audio.limiter import Limiter
from nightly_spindle.audio.mixer import Mixer, Voice
from nightly_spindle.audio.web_streams import decoded
from nightly_spindle.core.base.errors import AudioUnreadable, OutputFault
from nightly_spindle.core.library.items import STATION_TONE
from nightly_spindle.core.programme.running_order import Line, Origin, Overlay, OverlayPlace, Play
from nightly_spindle.core.programme.running_order import LineSource as Origins
from nightly_spindle.core.programme.sequencer_actions import FadeVoice, StartOverlay, StartVoice
from nightly_spindle.core.segues.ducking import duck_frames
from nightly_spindle.simulators.listening_orders import (
    GetReady,
    HeardOverlay,
    HeardVoice,
    ListeningNews,
    ListeningOrder,
    PlayFile,
    PlayJoin,
    PlayStream,
    line_of,
    order_from,
)

if TYPE_CHECKING:
    from nightly_spindle.outputs.pacing import PacingOutput

_RATE = 48_000
_BLOCK = 1024
_TELL = 5  # blocks between two places told
_MOST_DB = 24.0
_OPEN_S, _READ_S = 5.0, 5.0  # of a stream that is listened to
_BUFFER_S = 0.1  # what is asked for next is to be heard soon


class Listener:
    """Plays what it is told last. `orders` is set by the reading thread, taken by `run`."""

    def __init__(self, output: PacingOutput) -> None:
        self._output = output
        self._order: ListeningOrder | None = None
        self._new = threading.Event()
        self._leaving = False

    def tell(self, order: ListeningOrder) -> None:
        """Take an order; it holds from the next block on."""
        self._order = order
        self._new.set()

    def leave(self) -> None:
        """End."""
        self._leaving = True
        self._new.set()

    def run(self) -> None:
        """Play what is asked for until told to leave."""
        while not self._leaving:
            self._new.wait()
            self._new.clear()
            order, self._order = self._order, None
            try:
                if isinstance(order, PlayFile):
                    self._play(order)
                elif isinstance(order, PlayJoin):
                    self._play_join(order)
                elif isinstance(order, PlayStream):
                    self._play_stream(order)
                elif isinstance(order, GetReady):
                    _say(ListeningNews(ready=True))
            except AudioUnreadable as error:
                _say(ListeningNews(problem=str(error)))

    def _play(self, order: PlayFile) -> None:
        begin = _frames(order.from_s)
        end = None if order.to_s is None else _frames(order.to_s)
        gain = np.float32(10 ** (min(_MOST_DB, order.gain_db) / 20))
        while not self._new.is_set():
            source = FileSource(order.path, _RATE, begin)
            try:
                self._run_through(source, begin, end, gain)
            finally:
                source.close()
            if self._new.is_set():
                return
            if not order.loop or end is None or end <= begin:
                _say(ListeningNews(ended=True, problem=source.problem))
                return

    def _run_through(
        self, source: FileSource, begin: int, end: int | None, gain: np.float32
    ) -> None:
        """Play a source to its end, to a position, or until something else is asked for."""
        block = np.empty((_BLOCK, 2), dtype=np.float32)
        count = 0
        while not self._new.is_set():
            wanted = _BLOCK if end is None else min(_BLOCK, max(0, end - source.position))
            got = source.read_into(block[:wanted])
            block[got:] = 0
            np.clip(block * gain, -1.0, 1.0, out=block)
            self._output.write(block)
            if count % _TELL == 0:
                heard = source.position - self._output.waiting_frames()
                _say(ListeningNews(at_s=max(begin, heard) / _RATE))
            count += 1
            if got < _BLOCK:
                return

    def _play_stream(self, order: PlayStream) -> None:
        """Play a stream, in blocks as the output takes them."""
        held = np.empty((0, 2), dtype=np.float32)
        heard = told = 0
        for piece in decoded(order.url, _RATE, _OPEN_S, _READ_S, order.authority):
            held = np.concatenate([held, piece])
            while len(held) >= _BLOCK:
                if self._new.is_set():
                    return
                self._output.write(held[:_BLOCK])
                held = held[_BLOCK:]
                heard += _BLOCK
            if heard - told >= _TELL * _BLOCK:
                told = heard
                _say(ListeningNews(at_s=heard / _RATE))
        _say(ListeningNews(ended=True, problem=f"the stream {order.url} has ended"))

    def _play_join(self, join: PlayJoin) -> None:
        """Play a few files on one time line through the station's own mixer."""
        at, end = _frames(join.from_s), _frames(join.to_s)
        mixer = Mixer(_BLOCK)
        try:
            for number, voice in enumerate(join.voices, 1):
                _add_voice(mixer, number, voice, at)
            for number, over in enumerate(join.over, 101):
                _add_overlay(mixer, number, over, at)
            block = np.empty((_BLOCK, 2), dtype=np.float32)
            limiter, count = Limiter(_RATE), 0
            while at < end and not self._new.is_set():
                mixer.mix(block, at)
                limiter.process(block)
                at += _BLOCK
                self._output.write(block)
                if count % _TELL == 0:
                    _say(ListeningNews(at_s=(at - self._output.waiting_frames()) / _RATE))
                count += 1
            if not self._new.is_set():
                _say(ListeningNews(ended=True))
        finally:
            mixer.close()


def _frames(seconds: float) -> int:
    return round(max(0.0, seconds) * _RATE)


def _add_voice(mixer: Mixer, number: int, told: HeardVoice, at: int) -> None:
    """Add one file of a join, begun where the line stands at frame `at`."""
    start, begin, end = _frames(told.start_s), _frames(told.from_s), _frames(told.to_s)
    late = max(0, at - start)
    if begin + late >= end:
        return
    item = replace(STATION_TONE, path=told.path)
    line = Line(number, number, Origin(Origins.HAND))
    # the voice stands as if it had begun at its start: fades count from there
    play = Play(number, line, item, start + late, begin + late)
    fade_in = max(0, _frames(told.fade_in_s) - late)
    gain = min(_MOST_DB, told.gain_db)
    order = StartVoice(play, end, gain, fade_in, None, told.in_curve)
    voice = Voice(order, FileSource(item.path, _RATE, begin + late))
    mixer.start(voice)
    if told.fade_s:
        at_frame = start + _frames(told.fade_at_s) - begin
        voice.fade(FadeVoice(at_frame, number, _frames(told.fade_s), told.out_curve))


def _add_overlay(mixer: Mixer, number: int, told: HeardOverlay, at: int) -> None:
    """Add an overlay; one that begins before the line does is heard from there."""
    begin, end = _frames(told.from_s), _frames(told.to_s)
    start = round(told.start_s * _RATE)
    late = max(0, at - start)
    if begin + late >= end:
        return
    item = replace(STATION_TONE, path=told.path)
    start, begin = start + late, begin + late
    sound = Overlay(
        number, item, start, begin, start + end - begin, 0, OverlayPlace.SEGUE, "", "", ""
    )
    gain = min(_MOST_DB, told.gain_db)
    order = StartOverlay(sound, end, gain, duck_frames(told.duck, _RATE))
    mixer.overlay(Voice(order, FileSource(item.path, _RATE, begin)), order)


def _say(told: ListeningNews) -> None:
    print(line_of(told).decode(), end="", flush=True)


def _output() -> PacingOutput:
    from nightly_spindle.outputs.device import DeviceOutput
    from nightly_spindle.simulators.soundcard import StandInSoundCard

    try:
        return DeviceOutput(_RATE, _BLOCK, buffer_s=_BUFFER_S, at_once=True)
    except (OutputFault, OSError):
        return StandInSoundCard(_RATE, buffer_s=_BUFFER_S)


def main() -> None:
    """Listen as told on standard input."""
    listener = Listener(_output())

    def read() -> None:
        for line in sys.stdin.buffer:
            try:
                listener.tell(order_from(line))
            except msgspec.MsgspecError as error:
                _say(ListeningNews(problem=f"this is no order: {error}"))
        listener.leave()

    threading.Thread(target=read, name="orders", daemon=True).start()
    listener.run()


if __name__ == "__main__":
    main()
