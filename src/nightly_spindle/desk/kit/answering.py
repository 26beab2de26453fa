"""How the desk's helping processes are asked: requests and answers through pipes.

Such a process reads requests from its standard input and writes an answer to each to its standard
output, each a MessagePack body behind its length in four bytes. It ends with its input. Nothing
here knows Qt.
"""

from __future__ import annotations

import logging
import struct
from typing import TYPE_CHECKING, Any, BinaryIO, TypeVar

import msgspec

from nightly_spindle.core.base.errors import NightlySpindleError
from nightly_spindle.store.base.database import DatabaseRefused

if TYPE_CHECKING:
    from collections.abc import Callable

Request = TypeVar("Request")
Reply = TypeVar("Reply")
LENGTH = struct.Struct("<I")
_log = logging.getLogger(__name__)


def frame(value: Any) -> bytes:
    """Return a message as it goes through the pipe."""
    body = msgspec.msgpack.encode(value)
    return LENGTH.pack(len(body)) + body


def unframed(held: bytes) -> tuple[bytes | None, bytes]:
    """Return the first whole body of what has come so far (None: not there yet), and the rest."""
    if len(held) < LENGTH.size:
        return None, held
    end = LENGTH.size + LENGTH.unpack(held[: LENGTH.size])[0]
    if len(held) < end:
        return None, held
    return held[LENGTH.size : end], held[end:]


def serve(
    pipes: tuple[BinaryIO, BinaryIO],
    asked: type[Request],
    answer: Callable[[Request], Reply],
    refused: Callable[[str], Reply],
    what: str,
) -> None:
    """Answer requests until they end; `refused` makes an answer of a sentence that says why.

    `what` names what could not be done in that sentence: "The night could not be planned".
    """
    requests, replies = pipes
    while len(head := requests.read(LENGTH.size)) == LENGTH.size:
        body = requests.read(LENGTH.unpack(head)[0])
        try:
            reply = answer(msgspec.msgpack.decode(body, type=asked))
        except (NightlySpindleError, DatabaseRefused) as error:
            reply = refused(str(error))
        except Exception as error:  # noqa: BLE001 - the edge of one request: each has an answer
            _log.exception("%s", what)
            reply = refused(f"{what} ({type(error).__name__}: {error}).")
        replies.write(frame(reply))
        replies.flush()
