"""Streams for tests: what is sent, a stand-in that takes it, a listener that decodes it."""

import errno
import socket
import threading
import time
from contextlib import contextmanager
from itertools import pairwise

import av
import numpy as np
from conftest import PATIENCE_S, wait

from nightly_spindle.core.outputs.now_playing import Shown
from nightly_spindle.core.outputs.outputs import Output, StreamOptions
from nightly_spindle.outputs.queued_output import Heard
from nightly_spindle.outputs.stream_output import StreamOutput
from nightly_spindle.simulators.streaming_server import PASSWORD, ServerManner, StreamingServer

RATE, BLOCK = 44_100, 2048
EPOCH_US = 1_796_000_000_000_000


def music(seconds, rate=RATE, seed=7):
    """Stereo sound that is like itself at one lag only, and that codecs keep: noise up to 4 kHz."""
    many = round(seconds * rate)
    spectrum = np.fft.rfft(np.random.default_rng(seed).normal(0, 1, (many, 2)), axis=0)
    spectrum[round(4000 * seconds) :] = 0
    noise = np.fft.irfft(spectrum, many, axis=0)
    return (0.15 * noise / noise.std()).astype(np.float32)


def stream(server, path="/live", number=1, **more):
    """An output that sends to a stand-in."""
    return Output(number, f"Stream {number}", StreamOptions(address=server.url(path), **more))


@contextmanager
def sending(output, password=PASSWORD):
    made = StreamOutput(output, RATE, BLOCK, "Pier", lambda: password)
    made.start()
    try:
        yield made
    finally:
        made.leave()
        made.join(10)


class Pump:
    """Puts sound into outputs, block by block, at a pace (0: as fast as they take it)."""

    def __init__(self, outputs, sound, pace=1.0, titles=(), epoch_us=EPOCH_US):
        self.outputs, self.sound, self.pace = outputs, sound, pace
        self.titles = dict(titles)  # block: text
        self.stopping = threading.Event()
        self.epoch_us = epoch_us
        self.at = 0
        self.longest_s = 0.0
        self._thread = threading.Thread(target=self._run)

    def __enter__(self):
        self._thread.start()
        return self

    def __exit__(self, *_):
        self.stopping.set()
        self._thread.join()

    def wait(self):
        self._thread.join(PATIENCE_S)

    def _run(self):
        begun = time.monotonic()
        for number in range(len(self.sound) // BLOCK):
            if self.stopping.is_set():
                return
            at_us = self.epoch_us + number * BLOCK * 1_000_000 // RATE
            frames = self.sound[number * BLOCK : (number + 1) * BLOCK]
            before = time.perf_counter()
            for one in self.outputs:
                if number in self.titles:
                    one.put(Shown(at_us, self.titles[number], title=self.titles[number]))
                one.put(Heard(at_us, frames))
            self.longest_s = max(self.longest_s, time.perf_counter() - before)
            self.at = number
            if self.pace:
                due = begun + (number + 1) * BLOCK / RATE / self.pace
                self.stopping.wait(max(0.0, due - time.monotonic()))
            else:
                while any(one.waiting() > 50 for one in self.outputs):
                    time.sleep(0.001)


class Listener:
    """Hears a stream until it ends, with PyAV; `sound` is (n, 2)."""

    def __init__(self, url):
        self.url, self.rate, self.error = url, 0, None
        self._parts = []
        self._thread = threading.Thread(target=self._run, daemon=True)
        self._thread.start()

    @property
    def sound(self):
        return np.concatenate(self._parts) if self._parts else np.empty((0, 2), np.float32)

    @property
    def seconds(self):
        return sum(map(len, self._parts)) / max(self.rate, 1)

    def finish(self):
        self._thread.join(PATIENCE_S)
        return self.sound

    def _run(self):
        try:
            with av.open(self.url, timeout=(10, 30)) as container:
                found = container.streams.audio[0]
                resampler = av.AudioResampler("flt", "stereo", found.rate)
                for frame in container.decode(audio=0):
                    self.rate = frame.sample_rate
                    for one in resampler.resample(frame):
                        self._parts.append(one.to_ndarray().reshape(-1, 2))
        except (av.FFmpegError, OSError) as error:
            # FFmpeg has it that a stream without a length never ends as it should
            if getattr(error, "errno", 0) != errno.EIO or not self._parts:
                self.error = error


def lag_of(sent, got, rate=RATE):
    """How many frames later `got` has what `sent` has at its middle, by cross-correlation."""
    from scipy.signal import correlate

    middle = len(sent) // 2
    piece = sent[middle : middle + rate, 0]
    found = correlate(got[:, 0], piece, mode="valid", method="fft")
    return int(np.argmax(found)) - middle


def chains_of(data):
    """The logical streams of a chained Ogg: title and length (s) of each, as mutagen reads them."""
    import io

    import mutagen

    begins = [at for at in range(len(data)) if data[at : at + 4] == b"OggS" and data[at + 5] & 2]
    found = []
    for begin, end in pairwise([*begins, len(data)]):
        file = mutagen.File(io.BytesIO(data[begin:end]))
        found.append(((file.get("title") or [""])[0], file.info.length))
    return found


def closed_port():
    with socket.socket() as one:
        one.bind(("127.0.0.1", 0))
        return one.getsockname()[1]


@contextmanager
def served(**more):
    more.setdefault("manner", ServerManner(stays_s=0.5))
    server = StreamingServer(**more).start()
    try:
        yield server
    finally:
        server.stop()


def up(made):
    wait(lambda: made.sight.state == "up")
