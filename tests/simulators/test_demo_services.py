"""What runs beside the demo: served once, whoever asks again."""

import logging
import socket
from contextlib import closing

import pytest

from nightly_spindle.simulators import demo_services
from nightly_spindle.simulators.stream_server import StreamServer
from nightly_spindle.simulators.streaming_server import StreamingServer


def free_port():
    with closing(socket.create_server(("127.0.0.1", 0))) as held:
        return held.getsockname()[1]


@pytest.fixture
def ports(monkeypatch):
    made = free_port(), free_port()
    monkeypatch.setattr(demo_services, "RELAY_PORT", made[0])
    monkeypatch.setattr(demo_services, "STREAMING_PORT", made[1])
    return made


def test_a_port_that_is_taken_is_left_to_whoever_has_it(ports, monkeypatch, caplog):
    caplog.set_level(logging.INFO)
    begun = []
    for kind in (StreamServer, StreamingServer):
        start = kind.start
        monkeypatch.setattr(kind, "start", lambda self, s=start: begun.append(self) or s(self))
    with closing(socket.create_server(("127.0.0.1", ports[0]))):
        demo_services.serve_demo()
        assert [type(one).__name__ for one in begun] == ["StreamingServer"]
        demo_services.serve_demo()
    assert len(begun) == 1
    assert "the stream stand-in is not served here" in caplog.text
    for one in begun:
        one.stop()
