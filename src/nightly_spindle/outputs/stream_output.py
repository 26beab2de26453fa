"""A stream: encoded, sent to its server, and begun anew for ever when it is lost."""

from __future__ import annotations

import logging
import random
import time
from collections import deque
from typing import TYPE_CHECKING

import numpy as np

from nightly_spindle.core.base.errors import OutputFault
from nightly_spindle.core.outputs.now_playing import Shown
from nightly_spindle.core.outputs.output_health import OutputState, Trouble, wait_s
from nightly_spindle.core.outputs.outputs import StreamOptions
from nightly_spindle.core.outputs.stream_codecs import FACTS
from nightly_spindle.outputs.far_end import FarEnd, FarSight
from nightly_spindle.outputs.queued_output import Heard, QueuedOutput
from nightly_spindle.outputs.source_connection import SourceConnection, SourceRefused
from nightly_spindle.outputs.stream_encoder import StreamEncoder
from nightly_spindle.outputs.title_requests import TitleRequests

if TYPE_CHECKING:
    from collections.abc import Callable

    from numpy.typing import NDArray

    from nightly_spindle.core.outputs.outputs import Output

_TAKE_S = 0.5
_AT_ONCE = 4  # blocks that are encoded together: a fifth of a second, and a third less work
_TOLD_S = 1.0  # how often the figures of a sight are made anew
_log = logging.getLogger(__name__)


class StreamOutput(QueuedOutput):
    """One stream. `password` is asked for at each try: it may have been set meanwhile."""

    def __init__(
        self,
        output: Output,
        rate: int,
        block: int,
        station: str,
        password: Callable[[], str | None],
    ) -> None:
        super().__init__(output, rate, block)
        assert isinstance(output.options, StreamOptions)
        self._options = output.options
        self._station, self._password = station, password
        self._dice = random.Random()
        self._past: deque[Heard] = deque(maxlen=round(self._options.burst_s * rate / block))
        self._shown: Shown | None = None
        self._failed = 0
        self._far = (
            FarEnd(self._options, rate, self._far_end) if self._options.listen_every else None
        )

    def _far_end(self, found: FarSight) -> None:
        """Say what was heard at the far end, while the stream is up."""
        if self.sight.state is OutputState.UP:
            self.see(None, found.trouble, found.problem, delay_s=found.delay_s)

    def leave(self) -> None:
        """End soon; returns at once."""
        if self._far is not None:
            self._far.leave()
        super().leave()

    def work(self) -> None:
        """Connect, send until it is lost, and wait for the next try."""
        try:
            self._send_until_lost()
        except SourceRefused as error:
            self._tell(error.trouble, str(error))
        except OutputFault as error:
            self._tell(Trouble.NO_ENCODER, str(error))
        if self.leaving.is_set():
            return
        self._failed += 1
        self._pass_over(wait_s(self._failed, self._dice.random()))
        self.see(again=self.sight.again + 1)

    def _tell(self, trouble: Trouble, said: str) -> None:
        if said != self.sight.problem:
            _log.warning("the output “%s” is down: %s", self.output.name, said)
        self.see(OutputState.DOWN, trouble, said)

    def _pass_over(self, seconds: float) -> None:
        """Wait for the next try; what airs meanwhile is not sent later."""
        end = time.monotonic() + seconds
        while not self.leaving.is_set():
            left = end - time.monotonic()
            if left <= 0:
                return
            self._note(self.take(min(left, _TAKE_S)))

    def _note(self, what: Heard | Shown | None) -> None:
        """Remember the last seconds, for a burst, and what is on."""
        if isinstance(what, Heard):
            self._past.append(what)
            if self._far is not None:
                self._far.put(what)
        elif what is not None:
            self._shown = what

    def _send_until_lost(self) -> None:
        password = self._password()
        if password is None:
            raise SourceRefused(Trouble.NO_PASSWORD, "its password is not set")
        encoder = StreamEncoder(self._options, self.rate)
        connection = SourceConnection(self._options, password, self._station)
        titles = TitleRequests(self._options, password)
        try:
            self._begin(connection, encoder, titles)
            self._go_on(connection, encoder, titles)
        finally:
            titles.close()
            connection.close()

    def _begin(
        self, connection: SourceConnection, encoder: StreamEncoder, titles: TitleRequests
    ) -> None:
        """Send the burst; what waited while connecting is no longer of now, unless a part of it."""
        self._failed = 0
        while self.waiting():
            self._note(self.take(0))
        if self._options.titles and self._shown is not None:
            self._send(connection, encoder.tell(self._comments(self._shown)))
            titles.tell(self._shown.text)
        for heard in self._past:
            self._send(connection, encoder.encode(heard.frames))
        self.see(OutputState.UP, Trouble.NONE, "", simulated=connection.simulated)
        if self._far is not None:
            self._far.up()
        _log.info("the output “%s” is taken: %s", self.output.name, connection.answer)

    def _go_on(
        self, connection: SourceConnection, encoder: StreamEncoder, titles: TitleRequests
    ) -> None:
        told = time.monotonic()
        gathered: list[NDArray[np.float32]] = []
        while not self.is_over():
            what = self.take(_TAKE_S)
            self._note(what)
            if isinstance(what, Heard):
                gathered.append(what.frames)
            if gathered and (len(gathered) >= _AT_ONCE or not isinstance(what, Heard)):
                self._send(connection, encoder.encode(np.concatenate(gathered)))
                gathered.clear()
            if isinstance(what, Shown) and self._options.titles:
                self._send(connection, encoder.tell(self._comments(what)))
                titles.tell(what.text)
            if time.monotonic() - told >= _TOLD_S:
                told = time.monotonic()
                load = encoder.busy_s / max(encoder.heard_s, 1e-3)
                self.see(load=round(load, 4), simulated=connection.simulated)
        if gathered:
            self._send(connection, encoder.encode(np.concatenate(gathered)))
        self._send(connection, encoder.close())

    def _comments(self, shown: Shown) -> dict[str, str]:
        """Return what players read in the stream itself: an artist apart where there is one."""
        if shown.artist and FACTS[self._options.codec].in_band:
            return {"TITLE": shown.title, "ARTIST": shown.artist}
        return {"TITLE": shown.text}

    def _send(self, connection: SourceConnection, data: bytes) -> None:
        if data:
            connection.send(data)
            self.see(sent=self.sight.sent + len(data))
