"""What runs beside the demo station: the stream that it relays, the server that it streams to."""

from __future__ import annotations

import logging
from typing import TYPE_CHECKING

from nightly_spindle.simulators.demo_events import RELAY_PORT
from nightly_spindle.simulators.stream_server import StreamServer
from nightly_spindle.simulators.streaming_server import STREAMING_PORT, StreamingServer

if TYPE_CHECKING:
    from collections.abc import Callable

_log = logging.getLogger(__name__)


def serve_demo() -> None:
    """Serve both for as long as this process runs; one that is served already is left as it is."""
    servers: tuple[tuple[str, Callable[[], StreamServer | StreamingServer]], ...] = (
        ("stream", lambda: StreamServer(port=RELAY_PORT)),
        ("streaming", lambda: StreamingServer(port=STREAMING_PORT)),
    )
    for what, make in servers:
        try:
            make().start()
        except OSError as error:
            _log.info("the %s stand-in is not served here: %s", what, error.strerror)
