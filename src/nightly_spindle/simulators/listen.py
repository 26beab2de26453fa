"""Listening to an item for oneself, apart from what is on air: a small process of its own.

Orders come as JSON lines on standard input:

- `{"play": path, "from_s": s, "gain_db": g, "to_s": end, "loop": true}`, the last two if wanted,
- `{"join": {"voices": [{"path", "from_s", "to_s", "start_s", "gain_db", "fade_in_s", "in_curve",
  "fade_at_s", "fade_s", "out_curve"}, ...], "from_s": s, "to_s": end}}`: several files at once,
  each at its start on a common time line, faded from its position `fade_at_s` on; with
  `"over": [{"path", "from_s", "to_s", "start_s", "gain_db", "duck": {...}}, ...]` overlays, for
  which those go down (`ducking.Ducking`),
- `{"stop": true}`, and `{"ready": true}` to be told when it can play.

On standard output it says `{"at_s": s}` ten times a second while it plays (the place in the file,
or on the line of the join), `{"ended": true}` at the end, `{"problem": "a sentence"}` when it
cannot be played. It ends with its input. Where there is no sound device, the stand-in plays at
the same pace.
"""

from __future__ import annotations

import json
import sys
import threading
from dataclasses import replace
from typing import TYPE_CHECKING, Any

import numpy as np

from nightly_spindle.audio.files import FileSource
from nightly_spindle.audio.limiter import Limiter
from nightly_spindle.audio.mixer import Mixer, Voice
from nightly_spindle.core.base.errors import AudioUnreadable, OutputFault
from nightly_spindle.core.library.items import STATION_TONE
from nightly_spindle.core.library.markers import Curve
from nightly_spindle.core.programme.running_order import Line, Origin, Overlay, OverlayPlace, Play
from nightly_spindle.core.programme.running_order import LineSource as Origins
from nightly_spindle.core.programme.sequencer_actions import FadeVoice, StartOverlay, StartVoice
from nightly_spindle.core.segues.ducking import DuckCurve, Ducking, duck_frames

if TYPE_CHECKING:
    from nightly_spindle.air.outputs import Output

_RATE = 48_000
_BLOCK = 1024
_TELL = 5  # blocks between two places told
_BUFFER_S = 0.1  # what is asked for next is to be heard soon


class Listener:
    """Plays what it is told last. `orders` is set by the reading thread, taken by `run`."""

    def __init__(self, output: Output) -> None:
        self._output = output
        self._order: dict[str, Any] | None = None
        self._new = threading.Event()
        self._leaving = False

    def tell(self, order: dict[str, Any]) -> None:
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
            if order is None:
                continue
            try:
                if "play" in order:
                    self._play(order)
                elif "join" in order:
                    self._play_join(order["join"])
                elif "ready" in order:
                    _say(ready=True)
            except AudioUnreadable as error:
                _say(problem=str(error))

    def _play(self, order: dict[str, Any]) -> None:
        begin = _frames(order.get("from_s", 0.0))
        end = _frames(order["to_s"]) if "to_s" in order else None
        gain = np.float32(10 ** (min(24.0, float(order.get("gain_db", 0.0))) / 20))
        while not self._new.is_set():
            source = FileSource(str(order["play"]), _RATE, begin)
            try:
                self._run_through(source, begin, end, gain)
            finally:
                source.close()
            if self._new.is_set():
                return
            if not order.get("loop") or end is None or end <= begin:
                _say(ended=True, **({"problem": source.problem} if source.problem else {}))
                return

    def _run_through(self, source: FileSource, begin: int, end: int | None, gain: Any) -> None:
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
                _say(at_s=max(begin, heard) / _RATE)
            count += 1
            if got < _BLOCK:
                return

    def _play_join(self, join: dict[str, Any]) -> None:
        """Play a few files on one time line through the station's own mixer."""
        at, end = _frames(join["from_s"]), _frames(join["to_s"])
        mixer = Mixer(_BLOCK)
        try:
            for number, voice in enumerate(join["voices"], 1):
                _add_voice(mixer, number, voice, at)
            for number, over in enumerate(join.get("over", ()), 101):
                _add_overlay(mixer, number, over, at)
            block = np.empty((_BLOCK, 2), dtype=np.float32)
            limiter, count = Limiter(_RATE), 0
            while at < end and not self._new.is_set():
                mixer.mix(block, at)
                limiter.process(block)
                at += _BLOCK
                self._output.write(block)
                if count % _TELL == 0:
                    _say(at_s=(at - self._output.waiting_frames()) / _RATE)
                count += 1
            if not self._new.is_set():
                _say(ended=True)
        finally:
            mixer.close()


def _frames(seconds: Any) -> int:
    return round(max(0.0, float(seconds)) * _RATE)


def _add_voice(mixer: Mixer, number: int, told: dict[str, Any], at: int) -> None:
    """Add one file of a join, begun where the line stands at frame `at`."""
    start, begin, end = (_frames(told[name]) for name in ("start_s", "from_s", "to_s"))
    late = max(0, at - start)
    if begin + late >= end:
        return
    item = replace(STATION_TONE, path=str(told["path"]))
    line = Line(number, number, Origin(Origins.HAND))
    # the voice stands as if it had begun at its start: fades count from there
    play = Play(number, line, item, start + late, begin + late)
    fade_in = max(0, _frames(told.get("fade_in_s", 0.0)) - late)
    gain = min(24.0, float(told["gain_db"]))
    curve = Curve(told.get("in_curve", Curve.EQUAL_POWER))
    order = StartVoice(play, end, gain, fade_in, None, curve)
    voice = Voice(order, FileSource(item.path, _RATE, begin + late))
    mixer.start(voice)
    if told.get("fade_s"):
        at_frame = start + _frames(told["fade_at_s"]) - begin
        voice.fade(FadeVoice(at_frame, number, _frames(told["fade_s"]), Curve(told["out_curve"])))


def _add_overlay(mixer: Mixer, number: int, told: dict[str, Any], at: int) -> None:
    """Add an overlay; one that begins before the line does is heard from there."""
    begin, end = (_frames(told[name]) for name in ("from_s", "to_s"))
    start = round(float(told["start_s"]) * _RATE)
    late = max(0, at - start)
    if begin + late >= end:
        return
    duck = dict(told["duck"])
    ducking = Ducking(**{**duck, "curve": DuckCurve(duck["curve"])})
    item = replace(STATION_TONE, path=str(told["path"]))
    start, begin = start + late, begin + late
    sound = Overlay(
        number, item, start, begin, start + end - begin, 0, OverlayPlace.SEGUE, "", "", ""
    )
    gain = min(24.0, float(told["gain_db"]))
    order = StartOverlay(sound, end, gain, duck_frames(ducking, _RATE))
    mixer.overlay(Voice(order, FileSource(item.path, _RATE, begin)), order)


def _say(**what: Any) -> None:
    print(json.dumps(what), flush=True)


def _output() -> Output:
    from nightly_spindle.air.outputs import DeviceOutput
    from nightly_spindle.simulators.soundcard import StandInSoundCard

    try:
        return DeviceOutput(_RATE, _BLOCK, buffer_s=_BUFFER_S, at_once=True)
    except (OutputFault, OSError):
        return StandInSoundCard(_RATE, buffer_s=_BUFFER_S)


def main() -> None:
    """Listen as told on standard input."""
    listener = Listener(_output())

    def read() -> None:
        for line in sys.stdin:
            listener.tell(json.loads(line))
        listener.leave()

    threading.Thread(target=read, name="orders", daemon=True).start()
    listener.run()


if __name__ == "__main__":
    main()
