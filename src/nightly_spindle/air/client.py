"""Asking a running engine, and waiting for the answer: for the command line and tests."""

from __future__ import annotations

import socket
from typing import TYPE_CHECKING, Any

import msgspec

from nightly_spindle.air.places import socket_path
from nightly_spindle.core.base.errors import EnvironmentFault, NotOnAir

if TYPE_CHECKING:
    from pathlib import Path


def ask(folder: Path, op: str, timeout_s: float = 15.0, **args: Any) -> Any:
    """Ask the station's engine one thing; NotOnAir when none answers."""
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
