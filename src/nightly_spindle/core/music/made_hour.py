"""What a filled hour comes to: its lines with why, what could not be kept, how it lands."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from nightly_spindle.core.base.timebase import length
from nightly_spindle.core.music.format_clocks import SlotKind
from nightly_spindle.core.music.hour_segments import EVENTS, FILLS
from nightly_spindle.core.music.made_logs import MadeHour, MadeLine, Note
from nightly_spindle.core.music.rule_costs import FIRM

if TYPE_CHECKING:
    from collections.abc import Sequence

    from nightly_spindle.core.music.candidate_costs import CandidateCosts
    from nightly_spindle.core.music.hour_judge import Broken
    from nightly_spindle.core.music.hour_segments import HourTask
    from nightly_spindle.core.music.making_stock import Stock
    from nightly_spindle.core.music.segment_draft import Seat, SegmentDraft


def finished(
    task: HourTask,
    drafts: Sequence[SegmentDraft],
    judged: Sequence[Sequence[Broken]],
    choice: CandidateCosts,
    said: Sequence[str],
    stock: Stock,
) -> MadeHour:
    """Return the hour as it is kept, with all that has to be told of it.

    `judged` is what each of its songs breaks, in their order.
    """
    lines: list[MadeLine] = []
    notes = [Note(-1, f"{text[0].upper()}{text[1:]}.") for text in said]
    cost = 0.0
    each = iter(judged)
    for draft in drafts:
        for place, seat in enumerate(draft.seats):
            if not seat.row and (seat.need.kind is not SlotKind.BREAK or seat.need.slot == EVENTS):
                continue  # nothing that could be found, told already; or what comes by itself
            broken = next(each) if seat.need.music else []
            cost += sum(one.cost for one in broken)
            line = _line(task, seat, broken, stock)
            if any(one.firm for one in broken):
                notes.append(_stopped(len(lines), line, draft, place, choice))
            lines.append(line)
    off = drafts[-1].off_s if drafts else 0.0
    notes += _landings(drafts)
    fixed = drafts[-1].segment.fixed if drafts else False
    return MadeHour(
        task.slot.start_us,
        task.clock.id,
        task.clock.name,
        task.comes_from,
        tuple(lines),
        tuple(notes),
        round(off, 3),
        fixed,
        round(cost, 4),
    )


def _line(task: HourTask, seat: Seat, broken: Sequence[Broken], stock: Stock) -> MadeLine:
    at = round(seat.at_s - task.begin_s, 3)
    need = seat.need
    if need.kind is SlotKind.BREAK:
        pattern = stock.breaks.get(need.name.strip().casefold(), (0, 0.0))[0]
        return MadeLine(
            0,
            at,
            need.slot,
            f"The break “{need.name}” of the clock.",
            pattern=pattern,
            mark=need.mark,
        )
    cart = int(stock.table.carts[seat.row])
    if need.music:
        known = stock.formats.categories.get(need.category)
        name = known.name if known and known.name else "all songs"
        how = "by weights" if need.slot == FILLS else f"slot {need.slot + 1}"
        why = f"Chosen from “{name}” ({how})."
        rules = tuple(one.words for one in broken)
        return MadeLine(cart, at, need.slot, why, need.category, mark=need.mark, broken=rules)
    return MadeLine(cart, at, need.slot, seat.why or f"The clock: {need.words}.", mark=need.mark)


def _stopped(
    line: int, made: MadeLine, draft: SegmentDraft, place: int, choice: CandidateCosts
) -> Note:
    """Say what a line breaks, and which item nearly fitted instead and what stopped it."""
    seat = draft.seats[place]
    draft.lines.remove(seat.at_s, seat.row)
    rows = choice.rows(seat.need.category)
    rows = rows[rows != seat.row]
    near = ""
    if rows.size:
        costs = choice.tight.costs(draft.lines, seat.at_s, rows)
        best = int(rows[int(np.argmin(costs))])
        told = choice.tight.told(draft.lines, seat.at_s, best)
        item = draft.table.item(best)
        if any(cost >= FIRM for _, cost in told):
            near = f" Nothing of its category fits here; “{item.label}” nearly does, stopped by: "
            near += " ".join(words for words, cost in told if cost >= FIRM)
        else:
            near = f" “{item.label}” would fit, at another length."
    draft.lines.insert(seat.at_s, seat.row)
    item = draft.table.item(seat.row)
    return Note(line, f"“{item.label}” breaks: {' '.join(made.broken)}{near}", True)


def _landings(drafts: Sequence[SegmentDraft]) -> list[Note]:
    """Say which segments do not end on time."""
    found = []
    for at, draft in enumerate(drafts):
        if abs(draft.off_s) <= draft.segment.tolerance_s:
            continue
        what = "The hour" if at == len(drafts) - 1 else "What comes before the mark"
        way = "late" if draft.off_s > 0 else "early"
        fixed = ", though its end is fixed" if draft.segment.fixed else ""
        text = f"{what} lands {length(abs(draft.off_s))} {way}{fixed}."
        found.append(Note(-1, text, draft.segment.fixed))
    return found
