"""Made hours as blocks of the night line: what they hold, marks where they land."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

from nightly_spindle.core.base.findings import Severity
from nightly_spindle.core.base.timebase import US
from nightly_spindle.core.library.items import Kind
from nightly_spindle.core.library.markers import Curve
from nightly_spindle.core.music.hour_segments import FILLS, LINKS
from nightly_spindle.core.reports.timeline import Block, Mark, Night, Pin

if TYPE_CHECKING:
    from collections.abc import Iterable, Mapping

    from nightly_spindle.core.library.items import Item
    from nightly_spindle.core.music.made_logs import MadeHour, MadeLine

_MOST_LINES = 1000  # lines of one hour that have a number of their own


def line_number(hour: int, place: int) -> int:
    """Return what a line is called on the night line: the hour's place among all, its own."""
    return hour * _MOST_LINES + place + 1


def line_place(number: int) -> tuple[int, int]:
    """Return the hour's place and the line's own of a number of `line_number`."""
    return (number - 1) // _MOST_LINES, (number - 1) % _MOST_LINES


def made_night(
    hours: Iterable[MadeHour],
    items: Mapping[int, Item],
    from_us: int,
    until_us: int,
    shift_us: int = 0,
) -> Night:
    """Return made hours as a night; `shift_us` is taken off every instant."""
    night = Night(from_us - shift_us, until_us - shift_us)
    for number, hour in enumerate(hours):
        begin = hour.start_us - shift_us
        ends = [line.at_s for line in hour.lines[1:]]
        last = (until_us - hour.start_us) / US if not ends else 3600 + hour.lands_s
        for place, (line, end) in enumerate(zip(hour.lines, [*ends, last], strict=True)):
            block = _block(line_number(number, place), line, begin, end, items)
            night.blocks.append(block)
            if line.mark:
                night.pins.append(Pin(block.start_us, line.mark, line.mark, "mark", 0.0))
        end_us = begin + 3600 * US
        night.pins.append(Pin(end_us, "End of the hour", _lands(hour), "hour", hour.lands_s))
        for note in hour.notes:
            at = begin if note.line < 0 else night.blocks[note.line - len(hour.lines)].start_us
            grave = Severity.ALARM if note.firm else Severity.WARNING
            line_id = line_number(number, max(0, note.line))
            night.marks.append(Mark(at, grave, note.text, "", line_id))
    return night


def pattern_night(hour: MadeHour, items: Mapping[int, Item]) -> Night:
    """Return an hour as the pattern it was made from: what filled it by weights as one block.

    It begins at 1970-01-01 00:00, so that times read as minutes of the hour.
    """
    end = hour.start_us + 3600 * US
    night = made_night([hour], items, hour.start_us, end, hour.start_us)
    blocks: list[Block] = []
    songs = 0
    for line, block in zip(hour.lines, night.blocks, strict=True):
        filling = line.slot in {FILLS, LINKS}
        if filling and songs and not line.mark:
            songs += line.slot == FILLS
            blocks[-1] = replace(blocks[-1], end_us=block.end_us, title=_filled(songs))
            continue
        songs = int(filling)
        blocks.append(
            replace(block, kind=str(Kind.FILLER), title=_filled(1), artist="") if filling else block
        )
    return Night(night.from_us, max(night.until_us, 3600 * US), blocks, night.pins, [])


def _filled(songs: int) -> str:
    return f"music by weights, {songs} songs" if songs > 1 else "music by weights"


def _lands(hour: MadeHour) -> str:
    way = "late" if hour.lands_s > 0 else "early"
    return f"The hour lands {abs(hour.lands_s):.1f} s {way}."


def _block(
    number: int, line: MadeLine, begin_us: int, end_s: float, items: Mapping[int, Item]
) -> Block:
    item = items.get(line.cart)
    start = begin_us + round(line.at_s * US)
    end = begin_us + round(end_s * US)
    seconds = item.measure.duration_s if item else (end - start) / US
    kind = str(item.kind) if item else str(Kind.SPOT)
    return Block(
        number,
        line.cart,
        kind,
        item.title if item else "Break",
        item.artist if item else "",
        start,
        end,
        item.measure.cue_in_s if item else 0.0,
        seconds,
        0.0,
        Curve.STRAIGHT,
        "",
        (),
        line.why,
        line.category or line.mark,
        line.why,
        "",
        net=False,
        movable=True,
        path=item.path if item else "",
        in_break=bool(line.pattern),
    )
