"""The control socket under hostile hands."""

from __future__ import annotations

import contextlib
import socket
import threading
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from collections.abc import Callable

    from fault_station import Station

    Harm = Callable[[Station], Callable[[], object] | None]


from fault_table import fault


@fault("10,000 connections", lasts_s=12)
def _(at: Station) -> None:
    def crowd() -> None:
        for _ in range(20):
            held = []
            for _ in range(500):
                one = socket.socket(socket.AF_UNIX, socket.SOCK_STREAM)
                one.settimeout(1)
                with contextlib.suppress(OSError):
                    one.connect(str(at.socket()))
                held.append(one)
            for one in held:
                one.close()

    thread = threading.Thread(target=crowd)
    thread.start()
    thread.join(30)
    if not at.wait(at.sight, 10):
        raise AssertionError("the engine does not answer any more")


@fault("slow readers", lasts_s=12)
def _(at: Station) -> Callable[[], object]:
    held = []
    for _ in range(40):
        one = socket.socket(socket.AF_UNIX, socket.SOCK_STREAM)
        one.settimeout(1)
        with contextlib.suppress(OSError):
            one.connect(str(at.socket()))
            one.sendall(b'{"op": "watch", "args": {"version": 1}}\n' + b'{"op": "state"}\n' * 2000)
        held.append(one)

    def undo() -> None:
        for one in held:
            one.close()

    return undo


@fault("a request of 100 MB", lasts_s=8)
def _(at: Station) -> None:
    with contextlib.suppress(OSError), socket.socket(socket.AF_UNIX, socket.SOCK_STREAM) as one:
        one.settimeout(5)
        one.connect(str(at.socket()))
        for _ in range(1600):
            one.sendall(b"x" * 65_536)


@fault("numbers out of all bounds", lasts_s=6)
def _(at: Station) -> None:
    for line in (
        b'{"op": "insert", "args": {"before": 1e300, "cart": 1001}}',
        b'{"op": "overlay", "args": {"line": 1, "wish": {"cart": 99999999999999999999}}}',
        b"[" * 100_000,
        b"\xff\x00\xfe",
    ):
        with contextlib.suppress(OSError), socket.socket(socket.AF_UNIX, socket.SOCK_STREAM) as one:
            one.settimeout(5)
            one.connect(str(at.socket()))
            one.sendall(line + b"\n")
            one.recv(1000)
    if not at.wait(at.sight, 10):
        raise AssertionError("the engine does not answer any more")


@fault("control socket removed", "was removed; it is opened again", lasts_s=6)
def _(at: Station) -> None:
    at.socket().unlink()
    if not at.wait(at.sight, 10):
        raise AssertionError("the engine does not answer any more")


@fault("messages cannot be written", lasts_s=8, before=True)
def _(at: Station) -> None:
    (at.folder / "messages").write_text("a file in their place")
    at.air()
