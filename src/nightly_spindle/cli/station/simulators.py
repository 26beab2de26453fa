"""`standin stream`, `standin streaming`: the simulated web stream and streaming server."""

from __future__ import annotations

import json
import ssl
import time
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING

from nightly_spindle.core.base.errors import EnvironmentFault, InputFault
from nightly_spindle.simulators.mail_server import MailFault, MailManner, MailServer, Taken
from nightly_spindle.simulators.stream_server import Manner, StreamFault, StreamServer
from nightly_spindle.simulators.streaming_server import (
    ServerFault,
    ServerManner,
    StreamingServer,
)
from nightly_spindle.simulators.web_receiver import WebFault, WebReceiver

if TYPE_CHECKING:
    import argparse
    from collections.abc import Callable, Iterator


@contextmanager
def _port(port: int) -> Iterator[None]:
    """Say in a sentence that a port cannot be served."""
    try:
        yield
    except OSError as error:
        raise EnvironmentFault(
            f"port {port} cannot be served: {error.strerror}; give another --port"
        ) from error


def stream(options: argparse.Namespace) -> int:
    """Serve a stream until interrupted, or for so long."""
    manner = Manner(options.hz, StreamFault(options.fault), options.after)
    with _port(options.port):
        server = StreamServer(manner, options.port).start()
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


def mail(options: argparse.Namespace) -> int:
    """Run a mail server until interrupted, or for so long; each mail is printed."""
    manner = MailManner(options.user, options.password, MailFault(options.fault))

    def told(taken: Taken) -> None:
        print(f"To {', '.join(taken.receivers)}: {taken.mail['Subject']}")
        print(taken.mail.get_content(), flush=True)

    with _port(options.port):
        server = MailServer(manner, options.port, told=told).start()
    print(f"Taking mail at {server.address}", flush=True)
    return _until(options.seconds, server.stop)


def web(options: argparse.Namespace) -> int:
    """Run a web address that takes JSON until interrupted, or for so long; it is printed."""
    with _port(options.port):
        receiver = WebReceiver(
            WebFault(options.fault),
            options.port,
            lambda taken: print(json.dumps(taken, ensure_ascii=False), flush=True),
        ).start()
    print(f"Taking alerts at {receiver.url}", flush=True)
    return _until(options.seconds, receiver.stop)


def _until(seconds: float | None, stop: Callable[[], None]) -> int:
    end = time.monotonic() + seconds if seconds else None
    try:
        while end is None or time.monotonic() < end:
            time.sleep(0.2)
    finally:
        stop()
    return 0
