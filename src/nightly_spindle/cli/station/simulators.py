"""`standin stream`: the simulated web stream, by itself."""

from __future__ import annotations

import time
from typing import TYPE_CHECKING

from nightly_spindle.core.base.errors import EnvironmentFault
from nightly_spindle.simulators.stream_server import Manner, StreamFault, StreamServer

if TYPE_CHECKING:
    import argparse


def stream(options: argparse.Namespace) -> int:
    """Serve a stream until interrupted, or for so long."""
    manner = Manner(options.hz, StreamFault(options.fault), options.after)
    try:
        server = StreamServer(manner, options.port).start()
    except OSError as error:
        raise EnvironmentFault(
            f"port {options.port} cannot be served: {error.strerror}; give another --port"
        ) from error
    print(f"Serving {server.url}", flush=True)
    end = time.monotonic() + options.seconds if options.seconds else None
    try:
        while end is None or time.monotonic() < end:
            time.sleep(0.2)
    finally:
        server.stop()
    return 0
