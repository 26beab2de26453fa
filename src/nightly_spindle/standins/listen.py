"""Listening to an item for oneself, apart from what is on air: a small process of its own.

Orders come as JSON lines on standard input, `{"play": path, "from_s": s, "gain_db": g}` and
`{"stop": true}`; places go out on standard output, `{"at_s": s}` ten times a second while it
plays, `{"ended": true}` at the end, `{"problem": "a sentence"}` when it cannot be played. It
ends with its input. Where there is no sound device, the stand-in plays at the same pace.
"""

from __future__ import annotations

import json
import sys
import threading
from typing import TYPE_CHECKING, Any

import numpy as np

from nightly_spindle.audio.files import FileSource
from nightly_spindle.core.errors import AudioUnreadable, OutputFault

if TYPE_CHECKING:
    from nightly_spindle.air.outputs import Output

_RATE = 48_000
_BLOCK = 1024
_TELL = 5  # blocks between two places told


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
            if order is not None and "play" in order:
                self._play(order)

    def _play(self, order: dict[str, Any]) -> None:
        begin = round(max(0.0, float(order.get("from_s", 0.0))) * _RATE)
        gain = np.float32(10 ** (min(24.0, float(order.get("gain_db", 0.0))) / 20))
        try:
            source = FileSource(str(order["play"]), _RATE, begin)
        except AudioUnreadable as error:
            _say(problem=str(error))
            return
        block = np.empty((_BLOCK, 2), dtype=np.float32)
        count = 0
        try:
            while not self._new.is_set():
                got = source.read_into(block)
                block[got:] = 0
                np.clip(block * gain, -1.0, 1.0, out=block)
                self._output.write(block)
                if count % _TELL == 0:
                    heard = source.position - self._output.waiting_frames()
                    _say(at_s=max(begin, heard) / _RATE)
                count += 1
                if got < _BLOCK:
                    _say(ended=True, **({"problem": source.problem} if source.problem else {}))
                    return
        finally:
            source.close()


def _say(**what: Any) -> None:
    print(json.dumps(what), flush=True)


def _output() -> Output:
    from nightly_spindle.air.outputs import DeviceOutput
    from nightly_spindle.standins.soundcard import StandInSoundCard

    try:
        return DeviceOutput(_RATE, _BLOCK)
    except (OutputFault, OSError):
        return StandInSoundCard(_RATE)


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
