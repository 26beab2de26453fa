"""Web streams as sources: each is opened and decoded in a thread of its own.

PyAV (FFmpeg's libraries) speaks the protocols and formats. A stream is opened ahead of its time,
tried again while it cannot be, and given up when nothing has come for its patience while it is
on air.
"""

from __future__ import annotations

import threading
from typing import TYPE_CHECKING

from nightly_spindle.audio.web_streams import decoded
from nightly_spindle.core.base.errors import AudioUnreadable
from nightly_spindle.core.base.timebase import to_frames

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    from nightly_spindle.core.programme.sequencer_actions import Start

_OPEN_S = 4.0  # a server that does not answer for so long is tried again
_READ_S = 2.0
_RETRY_S = 0.5
_PIECE_S = 0.1
_AHEAD_S = 12.0


class LiveStream:
    """A stream read ahead into a ring; silence, and time kept, where nothing comes.

    It has the shape of `air.readahead.Buffered`: `key`, `taken`, `held`, `problem`, `underruns`,
    `ended_at` (frames of the item, -1 while it goes on).
    """

    def __init__(self, order: Start, rate: int, *, patient: bool = False) -> None:
        item = order.play.item
        self.key = (item.path, order.play.begin)
        self.problem = ""
        self.ended_at = -1
        self.underruns = 0
        self.closed = False
        self.taken = False
        self._url = item.path
        self._rate = rate
        self._patience = to_frames(item.patience_s, rate)
        self._patient = patient
        self._quiet = 0  # frames for which nothing has come
        self._given = 0
        self._pieces: list[NDArray[np.float32]] = []
        self._held = 0
        self._change = threading.Condition()
        self._thread = threading.Thread(target=self._run, name="stream", daemon=True)
        self._thread.start()

    @property
    def held(self) -> int:
        """Frames that have come and are not used."""
        return self._held

    def read_into(self, out: NDArray[np.float32]) -> int:
        """Take the next frames; fewer than asked for once the stream is given up."""
        if self.ended_at >= 0:
            return 0
        done = self._take(out)
        self._given += len(out)
        if done == len(out):
            self._quiet = 0
            return done
        out[done:] = 0
        self._quiet += len(out) - done
        self.underruns += 1
        if self._quiet <= self._patience:
            return len(out)
        lasted = self._quiet / self._rate
        self.problem = self.problem or f"nothing came from {self._url} for {lasted:.0f} s"
        self.ended_at = self.key[1] + self._given
        return done

    def _take(self, out: NDArray[np.float32]) -> int:
        done = 0
        with self._change:
            while done < len(out):
                # faster than real time the clock waits a moment for the network
                if not self._pieces and not (
                    self._patient and self._change.wait(_PIECE_S) and self._pieces
                ):
                    break
                piece = self._pieces[0]
                count = min(len(piece), len(out) - done)
                out[done : done + count] = piece[:count]
                done += count
                self._held -= count
                self._pieces[0] = piece[count:]
                if not len(self._pieces[0]):
                    del self._pieces[0]
            self._change.notify_all()
        return done

    def close(self) -> None:
        """Mark it as no longer needed."""
        self.closed = True
        with self._change:
            self._change.notify_all()

    def _run(self) -> None:
        while not self.closed:
            try:
                for piece in decoded(self._url, self._rate, _OPEN_S, _READ_S):
                    self._put(piece)
                    if self.closed:
                        return
                self.problem = f"the stream {self._url} has ended"
            except AudioUnreadable as error:
                self.problem = str(error)
            with self._change:
                self._change.wait_for(lambda: self.closed, _RETRY_S)

    def _put(self, piece: NDArray[np.float32]) -> None:
        most = round(_AHEAD_S * self._rate)
        with self._change:
            self._change.wait_for(lambda: self.closed or self._held < most)
            self._pieces.append(piece)
            self._held += len(piece)
            self.problem = ""
            self._change.notify_all()
