"""What the desk and the process that plays for the operator alone say to each other, line by line.

Orders go one way, news of where it is come back. Times are in seconds, gains in dB.
"""

from __future__ import annotations

from typing import Literal

import msgspec

from nightly_spindle.core.library.markers import Curve
from nightly_spindle.core.segues.ducking import Ducking


class HeardVoice(msgspec.Struct, frozen=True, kw_only=True):
    """One file of a join, from `from_s` to `to_s` in it, begun at `start_s` of the join's line.

    It is faded in over `fade_in_s`, and out from its position `fade_at_s` on over `fade_s`.
    """

    path: str
    from_s: float
    to_s: float
    start_s: float
    gain_db: float
    fade_in_s: float = 0.0
    in_curve: Curve = Curve.EQUAL_POWER
    fade_at_s: float = 0.0
    fade_s: float = 0.0
    out_curve: Curve = Curve.EQUAL_POWER


class HeardOverlay(msgspec.Struct, frozen=True, kw_only=True):
    """An overlay on the join's line, for which the voices go down."""

    path: str
    from_s: float
    to_s: float
    start_s: float
    gain_db: float
    duck: Ducking


class PlayFile(msgspec.Struct, frozen=True, tag="file", tag_field="play"):
    """Play a file, from a position on, to one or to its end; from one to the other as a loop."""

    path: str
    from_s: float = 0.0
    gain_db: float = 0.0
    to_s: float | None = None
    loop: bool = False


class PlayJoin(msgspec.Struct, frozen=True, tag="join", tag_field="play"):
    """Play several files on one time line, from one of its instants to another."""

    voices: tuple[HeardVoice, ...]
    over: tuple[HeardOverlay, ...]
    from_s: float
    to_s: float


class PlayStream(msgspec.Struct, frozen=True, tag="stream", tag_field="play"):
    """Play a stream as its listeners hear it, until something else is asked for."""

    url: str
    authority: str = ""


class BeQuiet(msgspec.Struct, frozen=True, tag="nothing", tag_field="play"):
    """Play nothing more."""


class GetReady(msgspec.Struct, frozen=True, tag="soon", tag_field="play"):
    """Say so when playing could begin."""


ListeningOrder = PlayFile | PlayJoin | PlayStream | BeQuiet | GetReady


class ListeningNews(msgspec.Struct, frozen=True, omit_defaults=True):
    """Where it is: in the file or on the line, ten times a second; that it ended, and why."""

    at_s: float | None = None
    ended: bool = False
    problem: str = ""
    ready: Literal[True] | None = None


_READ_ORDER: msgspec.json.Decoder[ListeningOrder] = msgspec.json.Decoder(ListeningOrder)
_READ_TOLD = msgspec.json.Decoder(ListeningNews)


def line_of(message: ListeningOrder | ListeningNews) -> bytes:
    """Return a message as it is sent."""
    return msgspec.json.encode(message) + b"\n"


def order_from(line: bytes) -> ListeningOrder:
    """Read an order; `msgspec.MsgspecError` for what is none."""
    return _READ_ORDER.decode(line)


def news_from(line: bytes) -> ListeningNews:
    """Read what is told; `msgspec.MsgspecError` for what is none."""
    return _READ_TOLD.decode(line)
