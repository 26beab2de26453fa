"""Placing the spots of the coming days, in a process of its own: it takes a second or more.

The desk asks it (`desk/kit/answering`) after each edit. Nothing here knows Qt.
"""

from __future__ import annotations

import sys
from dataclasses import dataclass
from pathlib import Path
from typing import BinaryIO

from nightly_spindle.core.base.wording import counted
from nightly_spindle.desk.kit.answering import serve
from nightly_spindle.store.base.messages import begin_messages
from nightly_spindle.store.programme.snapshot import open_station
from nightly_spindle.store.reports.spot_placements import place


@dataclass(frozen=True, slots=True)
class Request:
    """Place what is to come from an instant on; `anew`: going by nothing but what is fixed."""

    now_us: int
    anew: bool = False


@dataclass(frozen=True, slots=True)
class Reply:
    """How many spots were placed, moved, and could not be; or a sentence that says why none was."""

    placed: int = 0
    moved: int = 0
    missing: int = 0
    problem: str = ""

    def sentence(self) -> str:
        """Say what was done."""
        if self.problem:
            return self.problem
        tail = f", {self.moved} moved" if self.moved else ""
        tail += f", {self.missing} could not be" if self.missing else ""
        return f"{counted(self.placed, 'spot')} placed{tail}."


def _place(folder: Path, asked: Request) -> Reply:
    snapshot = open_station(folder)
    try:
        _, made = place(snapshot, asked.now_us, anew=asked.anew)
    finally:
        snapshot.connection.close()
    missing = sum(one.missing for one in made.short)
    return Reply(len(made.bookings), made.moved, missing)


def main(folder: Path, pipes: tuple[BinaryIO, BinaryIO]) -> None:
    """Answer requests until they end."""
    begin_messages(folder, "placing", echo=False)
    serve(
        pipes,
        Request,
        lambda asked: _place(folder, asked),
        lambda why: Reply(problem=why),
        "The spots could not be placed",
    )


if __name__ == "__main__":
    main(Path(sys.argv[1]), (sys.stdin.buffer, sys.stdout.buffer))
