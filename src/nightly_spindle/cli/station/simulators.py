"""`standin stream`, `standin streaming`: the simulated web stream and streaming server."""

from __future__ import annotations

import ssl
import time
from pathlib import Path
from typing import TYPE_CHECKING

from nightly_spindle.core.base.errors import EnvironmentFault, InputFault
from nightly_spindle.simulators.stream_server import Manner, StreamFault, StreamServer
from nightly_spindle.simulators.streaming_server import (
    ServerFault,
    ServerManner,
    StreamingServer,
)

if TYPE_CHECKING:
    import argparse
    from collections.abc import Callable


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
    return _until(options.seconds, server.stop)


def streaming(options: argparse.Namespace) -> int:
    """Run a streaming server until interrupted, or for so long."""
    manner = ServerManner(options.password, ServerFault(options.fault), options.after)
    certificate = Path(options.certificate) if options.certificate else None
    try:
        server = StreamingServer(manner, options.port, certificate).start()
    except ssl.SSLError as error:
        raise InputFault(f"{certificate} holds no certificate with its key: {error}") from error
    except OSError as error:
        if certificate is not None and error.filename:
            raise InputFault(f"{certificate} cannot be read: {error.strerror}") from error
        raise EnvironmentFault(
            f"port {options.port} cannot be served: {error.strerror}; give another --port"
        ) from error
    print(f"Taking streams at {server.url('/…')}", flush=True)
    return _until(options.seconds, server.stop)


def _until(seconds: float | None, stop: Callable[[], None]) -> int:
    end = time.monotonic() + seconds if seconds else None
    try:
        while end is None or time.monotonic() < end:
            time.sleep(0.2)
    finally:
        stop()
    return 0
