"""Changing a log that is not on air yet, without touching its file.

An edited log is its file and a list of edits, applied in order. Lines are named by their keys,
which hold when the file is written anew; an edit whose line is gone is told, not applied. Taking
the last edit off the list is undo.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from enum import StrEnum
from typing import TYPE_CHECKING

from nightly_spindle.core.base.errors import InputFault
from nightly_spindle.core.logs.log_line import LogLine
from nightly_spindle.core.logs.log_matching import Match, MatchStatus

if TYPE_CHECKING:
    from collections.abc import Sequence


class Op(StrEnum):
    """What an edit does."""

    SETTLE = "settle"
    DROP = "drop"
    INSERT = "insert"
    MOVE = "move"


@dataclass(frozen=True, slots=True)
class LogEdit:
    """One edit. `line` is the key of the line that it is about, or the one a new line gets.

    SETTLE makes the line mean `cart`; DROP leaves it out; INSERT puts `cart` before the line
    `before` ("": the end); MOVE puts the line before it. `why` is shown with the line.
    """

    op: Op
    line: str
    cart: int = 0
    before: str = ""
    why: str = ""

    def values(self) -> dict[str, str | int]:
        """Return the edit as it is stored."""
        return {
            "op": str(self.op),
            "line": self.line,
            "cart": self.cart,
            "before": self.before,
            "why": self.why,
        }


def edit_from_values(values: object) -> LogEdit:
    """Read a stored edit; InputFault when it is none."""
    if not isinstance(values, dict):
        raise InputFault("an edit of a log is a JSON object")
    try:
        return LogEdit(
            Op(values["op"]),
            str(values["line"]),
            int(values.get("cart", 0)),
            str(values.get("before", "")),
            str(values.get("why", "")),
        )
    except (KeyError, ValueError, TypeError) as error:
        raise InputFault(f"an edit of a log lacks or misstates {error}") from error


def next_key(edits: Sequence[LogEdit]) -> str:
    """Return a key for a line that is put in."""
    return f"+{sum(edit.op is Op.INSERT for edit in edits) + 1}"


def applied(
    matches: Sequence[Match], edits: Sequence[LogEdit]
) -> tuple[tuple[Match, ...], tuple[str, ...]]:
    """Return the edited lines, and in words the edits whose line is gone."""
    lines = list(matches)
    lost: list[str] = []
    for edit in edits:
        at = next((i for i, match in enumerate(lines) if match.key == edit.line), None)
        if edit.op is Op.INSERT:
            line = LogLine(0, f"cart {edit.cart}", key=edit.line)
            new = Match(line, MatchStatus.MATCHED, edit.why or "put in by hand", edit.cart)
            lines.insert(_place(lines, edit.before), new)
        elif at is None:
            lost.append(f"{edit.op} of a line that is not in the log any more")
        elif edit.op is Op.MOVE:
            moved = lines.pop(at)
            lines.insert(_place(lines, edit.before), moved)
        elif edit.op is Op.DROP:
            lines[at] = replace(
                lines[at], status=MatchStatus.IGNORED, how=edit.why or "dropped by hand", cart=None
            )
        else:
            why = edit.why or "chosen by hand"
            lines[at] = replace(lines[at], status=MatchStatus.MATCHED, how=why, cart=edit.cart)
    return tuple(lines), tuple(lost)


def _place(lines: Sequence[Match], before: str) -> int:
    return next((i for i, match in enumerate(lines) if match.key == before), len(lines))
