"""The sound device: lost, late, opened again; by a library that stands in for PortAudio's."""

import sys
import time
from types import SimpleNamespace

import numpy as np
import pytest
from conftest import wait

from nightly_spindle.core.base.errors import OutputFault
from nightly_spindle.outputs.device import DeviceOutput

RATE, BLOCK = 44_100, 2048


class FakeLibrary:
    """What `sounddevice` gives; `plug` says whether there is a device."""

    class PortAudioError(Exception):
        """As the library raises."""

    def __init__(self):
        self.plug, self.opened, self.restarts = True, [], 0

    def OutputStream(self, **given):  # noqa: N802 - its name in the library
        if not self.plug:
            raise self.PortAudioError("no such device")
        stream = SimpleNamespace(**given, playing=False)
        stream.start = lambda: setattr(stream, "playing", True)
        stream.close = lambda: setattr(stream, "playing", False)
        self.opened.append(stream)
        return stream

    def _terminate(self):
        self.restarts += 1

    def _initialize(self):
        pass


@pytest.fixture
def library(monkeypatch):
    made = FakeLibrary()
    monkeypatch.setitem(sys.modules, "sounddevice", made)
    monkeypatch.setattr(DeviceOutput, "_RETRY_S", (0.02,))
    monkeypatch.setattr(DeviceOutput, "_STALLS_S", 0.05)
    return made


@pytest.fixture
def output(library):
    made = DeviceOutput(RATE, BLOCK, "2", buffer_s=0.2)
    wait(lambda: not made.problem)
    yield made
    made.close()


def block(value):
    return np.full((BLOCK, 2), value, np.float32)


def pulled(stream):
    out = np.empty((BLOCK, 2), np.float32)
    stream.callback(out, BLOCK, None, None)
    return float(out[0, 0])


def test_what_is_written_is_played_in_order_and_silence_counts_as_late(library, output):
    (stream,) = library.opened
    assert (stream.samplerate, stream.blocksize, stream.channels) == (RATE, BLOCK, 2)
    assert stream.device == 2, "a number is a number"
    written = block(0.5)
    output.write(written)
    written[:] = 9.0
    output.write(block(0.25))
    assert output.waiting_frames() == 2 * BLOCK
    assert [pulled(stream) for _ in range(3)] == [0.5, 0.25, 0.0]
    assert (output.late, output.waiting_frames()) == (1, 0)


def test_a_device_that_takes_nothing_is_opened_again_and_old_sound_is_thrown_away(library, output):
    for _ in range(round(0.2 * RATE / BLOCK)):
        output.write(block(0.5))
    assert not output.problem
    output.write(block(0.5))
    assert output.problem == "the sound device takes no more sound"
    assert output.waiting_frames() == 0
    output.write(block(0.1))
    wait(lambda: not output.problem)
    assert library.restarts == 1, "the library knows only devices that were there when it began"
    first, second = library.opened
    assert (first.playing, second.playing) == (False, True)
    output.write(block(0.7))
    assert pulled(second) != 0.5, "what waited for the former is no longer of now"


def test_a_device_that_is_pulled_out_is_tried_until_it_is_there_and_time_goes_on(library, output):
    library.plug = False
    library.opened[0].finished_callback()
    begun, frames = time.monotonic(), 0
    while time.monotonic() - begun < 0.4:
        output.write(block(0.5))
        frames += BLOCK
    assert "cannot be opened: no such device" in output.problem
    assert output.problem.startswith("the sound device 2 ")
    # passed over at the pace of sound, one second of lead at the most
    assert frames <= (0.4 + 1.0 + 0.2) * RATE + BLOCK
    library.plug = True
    wait(lambda: not output.problem)
    assert library.restarts >= 1


def test_at_once_or_not_at_all(library):
    library.plug = False
    with pytest.raises(OutputFault, match="the sound device Hall cannot be opened"):
        DeviceOutput(RATE, BLOCK, "Hall", at_once=True)
    library.plug = True
    made = DeviceOutput(RATE, BLOCK, None, at_once=True)
    assert library.opened[-1].device is None
    assert made.problem == ""
    begun = time.monotonic()
    made.write(block(0.5))
    made.close()
    assert 0.9 <= time.monotonic() - begun < 10, "what was taken may still be heard"
    assert not library.opened[-1].playing
