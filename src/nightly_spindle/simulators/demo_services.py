"""What runs beside the demo station: the stream that it relays, the server that it streams to."""

from __future__ import annotations

import logging

from nightly_spindle.simulators.demo_events import RELAY_PORT
from nightly_spindle.simulators.stream_server import StreamServer
from nightly_spindle.simulators.streaming_server import STREAMING_PORT, StreamingServer

_log = logging.getLogger(__name__)


def serve_demo() -> None:
    """Serve both for as long as this process runs; one that is served already is left as it is."""
    for what, server in (
        ("stream", StreamServer(port=RELAY_PORT)),
        ("streaming", StreamingServer(port=STREAMING_PORT)),
    ):
        try:
            server.start()
        except OSError as error:
            _log.warning("the %s stand-in is not served: %s", what, error.strerror)
