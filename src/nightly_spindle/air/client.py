"""Asking a running engine, and waiting for the answer: for the command line and scripts."""

from __future__ import annotations

import socket
import time
from typing import TYPE_CHECKING, Any

import msgspec

from nightly_spindle.air.places import engine_pid, socket_path
from nightly_spindle.core.base.errors import EnvironmentFault, NotOnAir

if TYPE_CHECKING:
    from pathlib import Path

    from nightly_spindle.air.messages import Answer, Operation

_TURN_S = 0.02


def ask(folder: Path, asked: Operation[Answer], timeout_s: float = 15.0) -> Answer:
    """Ask the station's engine one thing; NotOnAir when none answers.

    EnvironmentFault, with the engine's own sentence, when it refuses.
    """
    from nightly_spindle.air.messages import answered  # with all that an answer can hold

    return answered(asked, ask_plainly(folder, asked.op, asked, timeout_s))


def look_for_engine(folder: Path) -> None:
    """Raise NotOnAir when no engine has the station: at once, with nothing loaded for an answer."""
    if engine_pid(folder) is None:
        raise _none_answers(folder)


def ask_plainly(folder: Path, op: str, args: Any, timeout_s: float = 15.0) -> Any:
    """Ask as a script does: arguments and answer are what JSON has. Errors as `ask`."""
    path = socket_path(folder)
    with socket.socket(socket.AF_UNIX, socket.SOCK_STREAM) as link:
        link.settimeout(timeout_s)
        try:
            _connect(link, str(path), timeout_s)
            link.sendall(msgspec.json.encode({"id": 1, "op": op, "args": args}) + b"\n")
            answer = msgspec.json.decode(link.makefile("rb").readline())
        except (OSError, msgspec.DecodeError) as error:
            raise _none_answers(folder) from error
    if "error" in answer:
        raise EnvironmentFault(answer["error"])
    return answer.get("ok")


def _connect(link: socket.socket, path: str, timeout_s: float) -> None:
    """Connect; where a crowd stands before the engine's door, wait for one's turn.

    A local socket with a timeout does not wait by itself then: unix(7), EAGAIN.
    """
    end = time.monotonic() + timeout_s
    while True:
        try:
            link.connect(path)
        except BlockingIOError:
            if time.monotonic() > end:
                raise
            time.sleep(_TURN_S)
        else:
            return


def _none_answers(folder: Path) -> NotOnAir:
    return NotOnAir(f"no engine answers for {folder}; start it with `air`")
