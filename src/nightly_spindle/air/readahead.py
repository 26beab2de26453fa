"""Reading ahead, each source in a thread of its own: one that hangs delays no other."""

from __future__ import annotations

import logging
import threading
import time
from typing import TYPE_CHECKING

import numpy as np

from nightly_spindle.air.player import file_source
from nightly_spindle.air.streams import LiveStream
from nightly_spindle.core.base.errors import AudioUnreadable
from nightly_spindle.core.library.items import Kind

if TYPE_CHECKING:
    from collections.abc import Callable, Iterable

    from numpy.typing import NDArray

    from nightly_spindle.core.programme.sequencer_actions import Start

AHEAD_S = 12.0
_CHUNK = 65_536
_SPARE_RINGS = 4
_HUNGRY_S = 3.0  # what sounds and has less than this read goes before what only will sound
_STUCK_S = 4.0  # a call for one chunk that takes so long hangs
_DRY_S = 1.0  # or so long, when nothing is left to sound
Key = tuple[str, int]  # path and item position that it starts from
_log = logging.getLogger(__name__)


class Buffered:
    """A source read ahead into a ring; the mixer takes from it without waiting for a disk.

    An underrun gives silence, keeps time, and is counted; a `patient` one, for rendering
    offline, waits instead. `ended_at` is the item position (frames) at which the file
    turned out to end, -1 while unknown; `problem` says why it broke off.
    """

    def __init__(
        self,
        order: Start,
        rate: int,
        ring: NDArray[np.float32],
        hungry: Callable[[], bool],
        *,
        patient: bool,
    ) -> None:
        self.key = key_of(order)
        self.ring = ring
        self.problem = ""
        self.ended_at = -1
        self.underruns = 0
        self.closed = False
        self.taken = False  # a voice plays from it
        self._order, self._rate, self._hungry, self._patient = order, rate, hungry, patient
        self.given_up = False
        self._came, self._wake = threading.Event(), threading.Event()
        self._filled = 0  # frames written since the start
        self._used = 0  # frames taken since the start
        self._behind = 0  # frames of silence given out instead of sound
        self._asked_at = 0.0  # when the disk was asked for what it has not given yet, else 0
        self._thread = threading.Thread(target=self._run, name="reader", daemon=True)
        self._thread.start()

    # -- for whoever plays -------------------------------------------------------------------------

    @property
    def held(self) -> int:
        """Frames read ahead."""
        return self._filled - self._used

    @property
    def held_s(self) -> float:
        """Seconds read ahead."""
        return self.held / self._rate

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
        self._wake.set()
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
        """Mark it as no longer needed; its thread gives the handle back."""
        self.closed = True
        self._wake.set()

    # -- for the engine's watch --------------------------------------------------------------------

    @property
    def stuck_s(self) -> float:
        """For how long the disk has not given what it was asked for, 0 when it has."""
        asked_at = self._asked_at
        return time.monotonic() - asked_at if asked_at and self.ended_at < 0 else 0.0

    @property
    def hangs(self) -> bool:
        """Whether its disk does not answer: for long, or while nothing is left to sound."""
        stuck = self.stuck_s
        return stuck > _STUCK_S or (self.taken and not self.held and stuck > _DRY_S)

    def give_up(self, why: str) -> None:
        """Go no further than what is read; whatever its disk still gives does not count."""
        self.given_up = True
        self.problem = why
        self.ended_at = self.key[1] + self._filled
        self._came.set()

    @property
    def idle(self) -> bool:
        """Whether its thread is over: the ring can be used again."""
        return not self._thread.is_alive()

    # -- the thread --------------------------------------------------------------------------------

    def _run(self) -> None:
        source = None
        try:
            self._asked_at = time.monotonic()
            source = file_source(self._order, self._rate)
            self._asked_at = 0.0
            while not self.closed and self.ended_at < 0:
                if len(self.ring) - self.held < _CHUNK or (not self.taken and self._hungry()):
                    self._wake.wait(0.02 if self.held < _CHUNK else 0.2)
                    self._wake.clear()
                    continue
                at = self._filled % len(self.ring)
                count = min(_CHUNK, len(self.ring) - self.held, len(self.ring) - at)
                self._asked_at = time.monotonic()
                got = source.read_into(self.ring[at : at + count])
                self._asked_at = 0.0
                if self.given_up:
                    return
                self._filled += got
                if got < count:
                    self._end(source.problem)
                self._came.set()
        except AudioUnreadable as error:
            self._end(str(error))
        except Exception as error:  # noqa: BLE001 - the edge of a thread: the item ends here
            _log.exception("%s could not be read", self.key[0])
            self._end(f"{self.key[0]} could not be read ({type(error).__name__}: {error})")
        finally:
            self._asked_at = 0.0
            self._came.set()
            if source is not None:
                source.close()

    def _end(self, problem: str) -> None:
        if not self.given_up:
            self.problem = problem
            self.ended_at = self.key[1] + self._filled


class ReadAhead:
    """Keeps at least ten seconds read of everything that sounds or is about to.

    `patient` sources never give silence for want of reading; the render uses them.
    """

    def __init__(self, rate: int, *, patient: bool = False) -> None:
        self._patient = patient
        self._rate = rate
        self._frames = round(AHEAD_S * rate)
        self._sources: list[Buffered | LiveStream] = []
        self._rings: list[NDArray[np.float32]] = []
        self._lock = threading.Lock()
        self._underruns = 0  # of sources that are gone

    @property
    def underruns(self) -> int:
        """How often a source had nothing when it was needed."""
        return self._underruns + sum(one.underruns for one in self._sources)

    def want(self, orders: Iterable[Start]) -> None:
        """Read ahead for these, and give up what is wanted no longer."""
        wanted = {key_of(order): order for order in orders}
        with self._lock:
            for source in self._sources:
                if not source.taken and source.key not in wanted:
                    source.close()
            self._sweep()
            for order in wanted.values():
                self._untaken(order)

    def make_source(self, order: Start, rate: int) -> Buffered | LiveStream:
        """Return the source for a voice that starts now."""
        del rate  # the station has one
        with self._lock:
            self._sweep()
            source = self._untaken(order)
            source.taken = True
        return source

    def breaks(self) -> list[tuple[Key, int, str]]:
        """Return (key, position, why) of every source that is known to end, and where."""
        with self._lock:
            return [
                (one.key, one.ended_at, one.problem) for one in self._sources if one.ended_at >= 0
            ]

    def hanging(self) -> list[Buffered]:
        """Return the sources whose disk does not answer."""
        with self._lock:
            return [one for one in self._sources if isinstance(one, Buffered) and one.hangs]

    def forget_given_up(self) -> None:
        """Close the sources that were given up before anything played from them."""
        with self._lock:
            for source in self._sources:
                if isinstance(source, Buffered) and source.given_up and not source.taken:
                    source.close()

    def ready(self, order: Start, seconds: float) -> bool:
        """Whether so much of an order is read, or all that there is."""
        key = key_of(order)
        with self._lock:
            return any(
                one.held >= seconds * self._rate or one.ended_at >= 0
                for one in self._sources
                if one.key == key
            )

    def stop(self) -> None:
        """End the threads; one that hangs is left behind."""
        with self._lock:
            for source in self._sources:
                source.close()

    def _untaken(self, order: Start) -> Buffered | LiveStream:
        """Return the source that waits for this order, a new one when there is none."""
        key = key_of(order)
        for source in self._sources:
            if source.key == key and not source.taken and not source.closed:
                return source
        made: Buffered | LiveStream
        if order.play.item.kind is Kind.STREAM:
            made = LiveStream(order, self._rate, patient=self._patient)
        else:
            ring = self._rings.pop() if self._rings else np.zeros((self._frames, 2), np.float32)
            made = Buffered(order, self._rate, ring, self._hungry, patient=self._patient)
        self._sources.append(made)
        return made

    def _hungry(self) -> bool:
        """Whether something that sounds is near to running dry."""
        return any(
            one.taken and not one.closed and one.ended_at < 0 and one.held_s < _HUNGRY_S
            for one in list(self._sources)
            if isinstance(one, Buffered) and not one.stuck_s
        )

    def _sweep(self) -> None:
        """Forget what is closed; the ring of a thread that still hangs is never used again."""
        for source in [one for one in self._sources if one.closed]:
            self._sources.remove(source)
            self._underruns += source.underruns
            if isinstance(source, Buffered) and source.idle and len(self._rings) < _SPARE_RINGS:
                self._rings.append(source.ring)


def key_of(order: Start) -> Key:
    """Return what tells one reading from another: the file, and the position it starts from."""
    return (order.play.item.path, order.play.begin)
