"""Reading ahead in a thread, so that a slow disk is not heard."""

from __future__ import annotations

import threading
from typing import TYPE_CHECKING

import numpy as np

from nightly_spindle.air.player import file_source
from nightly_spindle.air.streams import LiveStream
from nightly_spindle.core.errors import AudioUnreadable
from nightly_spindle.core.items import Kind

if TYPE_CHECKING:
    from collections.abc import Iterable

    from numpy.typing import NDArray

    from nightly_spindle.audio.mixer import Source
    from nightly_spindle.core.actions import Start

AHEAD_S = 12.0
_CHUNK = 65_536
_SPARE_RINGS = 4
Key = tuple[str, int]  # path and item position that it starts from


class Buffered:
    """A source read ahead into a ring; the mixer takes from it without waiting for a disk.

    An underrun gives silence, keeps time, and is counted; a `patient` one, for rendering
    offline, waits instead. `ended_at` is the item position (frames) at which the file
    turned out to end, -1 while unknown.
    """

    def __init__(
        self, key: Key, ring: NDArray[np.float32], wake: threading.Event, *, patient: bool
    ) -> None:
        self.key = key
        self._wake = wake
        self._patient = patient
        self._came = threading.Event()
        self.ring = ring
        self.problem = ""
        self.ended_at = -1
        self.underruns = 0
        self.closed = False
        self.taken = False  # a voice plays from it
        self._filled = 0  # frames written since the start
        self._used = 0  # frames taken since the start
        self._behind = 0  # frames of silence given out instead of sound
        self._source: Source | None = None

    @property
    def room(self) -> int:
        """Frames that can be read ahead now, 0 once the file has ended."""
        if self.ended_at >= 0 or self.closed:
            return 0
        return len(self.ring) - (self._filled - self._used)

    @property
    def held(self) -> int:
        """Frames read ahead."""
        return self._filled - self._used

    def fill(self, order: Start, rate: int) -> None:
        """Read one chunk ahead; called by the reading thread only."""
        if self._source is None:
            try:
                self._source = file_source(order, rate)
            except AudioUnreadable as error:
                self.problem, self.ended_at = str(error), self.key[1]
                self._came.set()
                return
        at = self._filled % len(self.ring)
        count = min(_CHUNK, self.room, len(self.ring) - at)
        got = self._source.read_into(self.ring[at : at + count])
        self._filled += got
        if got < count:
            self.problem = self._source.problem
            self.ended_at = self.key[1] + self._filled
            self._source.close()
        self._came.set()

    def read_into(self, out: NDArray[np.float32]) -> int:
        """Take the next frames; silence where they are not there yet."""
        catch_up = min(self._behind, self.held)
        self._used += catch_up
        self._behind -= catch_up
        done = 0
        while done < len(out) and (self.held or self._wait()):
            at = self._used % len(self.ring)
            count = min(len(out) - done, self.held, len(self.ring) - at)
            out[done : done + count] = self.ring[at : at + count]
            self._used += count
            done += count
        if done < len(out) and self.ended_at < 0:
            out[done:] = 0
            self._behind += len(out) - done
            self.underruns += 1
            return len(out)
        return done

    def _wait(self) -> bool:
        """Wait for more, where that is allowed; returns whether there is any."""
        while self._patient and not self.held and self.ended_at < 0:
            self._came.clear()
            self._wake.set()
            self._came.wait(0.5)
        return self.held > 0

    def close(self) -> None:
        """Mark it as no longer needed; the reading thread gives its handle back."""
        self.closed = True

    def release(self) -> None:
        """Give the file handle back; called by the reading thread only."""
        if self._source is not None:
            self._source.close()
            self._source = None


class ReadAhead:
    """Keeps at least ten seconds read of everything that sounds or is about to.

    `patient` sources never give silence for want of reading; the render uses them.
    """

    def __init__(self, rate: int, *, patient: bool = False) -> None:
        self._patient = patient
        self._rate = rate
        self._frames = round(AHEAD_S * rate)
        self._sources: list[tuple[Buffered | LiveStream, Start]] = []
        self._rings: list[NDArray[np.float32]] = []
        self._lock = threading.Lock()
        self._wake = threading.Event()
        self._leaving = False
        self._thread = threading.Thread(target=self._run, name="read-ahead", daemon=True)
        self.underruns = 0

    def start(self) -> None:
        """Start the reading thread."""
        self._thread.start()

    def want(self, orders: Iterable[Start]) -> None:
        """Read ahead for these, and give up what is wanted no longer."""
        wanted = {_key(order): order for order in orders}
        with self._lock:
            for buffered, _ in self._sources:
                if not buffered.taken and buffered.key not in wanted:
                    buffered.close()
            for order in wanted.values():
                self._untaken(order)
        self._wake.set()

    def make_source(self, order: Start, rate: int) -> Buffered | LiveStream:
        """Return the source for a voice that starts now."""
        del rate  # the station has one
        with self._lock:
            buffered = self._untaken(order)
            buffered.taken = True
        self._wake.set()
        return buffered

    def breaks(self) -> list[tuple[Key, int, str]]:
        """Return (key, position, why) of every source that is known to end, and where."""
        with self._lock:
            return [(b.key, b.ended_at, b.problem) for b, _ in self._sources if b.ended_at >= 0]

    def ready(self, order: Start, seconds: float) -> bool:
        """Whether so much of an order is read, or all that there is."""
        with self._lock:
            return any(
                b.held >= seconds * self._rate or b.ended_at >= 0
                for b, _ in self._sources
                if b.key == _key(order)
            )

    def stop(self) -> None:
        """End the thread."""
        self._leaving = True
        self._wake.set()
        self._thread.join(timeout=5)

    def _untaken(self, order: Start) -> Buffered | LiveStream:
        """Return the source that waits for this order, a new one when there is none."""
        key = _key(order)
        for buffered, _ in self._sources:
            if buffered.key == key and not buffered.taken and not buffered.closed:
                return buffered
        if order.play.item.kind is Kind.STREAM:
            stream = LiveStream(order, self._rate, patient=self._patient)
            self._sources.append((stream, order))
            return stream
        ring = self._rings.pop() if self._rings else np.zeros((self._frames, 2), np.float32)
        buffered = Buffered(key, ring, self._wake, patient=self._patient)
        self._sources.append((buffered, order))
        return buffered

    def _run(self) -> None:
        while not self._leaving:
            with self._lock:
                sources = list(self._sources)
            for entry in sources:
                if entry[0].closed:
                    self._drop(entry)
            open_ = [entry for entry in sources if entry[0].room >= _CHUNK]
            if not open_:
                self._wake.wait(0.02)
                self._wake.clear()
                continue
            # whoever is nearest to running dry comes first
            buffered, order = min(open_, key=lambda entry: (not entry[0].taken, entry[0].held))
            buffered.fill(order, self._rate)

    def _drop(self, entry: tuple[Buffered | LiveStream, Start]) -> None:
        entry[0].release()
        with self._lock:
            self.underruns += entry[0].underruns
            self._sources.remove(entry)
            if len(self._rings) < _SPARE_RINGS and len(entry[0].ring):
                self._rings.append(entry[0].ring)


def _key(order: Start) -> Key:
    return (order.play.item.path, order.play.begin)
