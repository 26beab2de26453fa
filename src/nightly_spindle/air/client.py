"""Asking a running engine, and waiting for the answer: for the command line and scripts."""

from __future__ import annotations

import socket
from typing import TYPE_CHECKING, Any

import msgspec

from nightly_spindle.air.messages import answered
from nightly_spindle.air.places import socket_path
from nightly_spindle.core.base.errors import EnvironmentFault, NotOnAir

if TYPE_CHECKING:
    from pathlib import Path

    from nightly_spindle.air.messages import Answer, Operation


def ask(folder: Path, asked: Operation[Answer], timeout_s: float = 15.0) -> Answer:
    """Ask the station's engine one thing; NotOnAir when none answers.

    EnvironmentFault, with the engine's own sentence, when it refuses.
    """
    return answered(asked, ask_plainly(folder, asked.op, asked, timeout_s))


def ask_plainly(folder: Path, op: str, args: Any, timeout_s: float = 15.0) -> Any:
    """Ask as a script does: arguments and answer are what JSON has. Errors as `ask`."""
    path = socket_path(folder)
    with socket.socket(socket.AF_UNIX, socket.SOCK_STREAM) as link:
        link.settimeout(timeout_s)
        try:
            link.connect(str(path))
            link.sendall(msgspec.json.encode({"id": 1, "op": op, "args": args}) + b"\n")
            answer = msgspec.json.decode(link.makefile("rb").readline())
        except (OSError, msgspec.DecodeError) as error:
            raise NotOnAir(f"no engine answers for {folder}; start it with `air`") from error
    if "error" in answer:
        raise EnvironmentFault(answer["error"])
    return answer.get("ok")
