"""`formats make` and its kin: the station's own logs."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import TYPE_CHECKING, Any

from nightly_spindle.cli.base.common import answer, checked_length, instant, now_us, print_json
from nightly_spindle.core.base.errors import InputFault
from nightly_spindle.core.base.plain_files import replace_file
from nightly_spindle.core.base.timebase import US, clock, iso, local_from
from nightly_spindle.core.base.wording import counted
from nightly_spindle.core.calendar.log_periods import Period, slot_at
from nightly_spindle.core.logs.log_reading import LogFormat
from nightly_spindle.core.logs.log_writers import write_log
from nightly_spindle.core.music.made_logs import MadeHour, Mode, line_values, note_values
from nightly_spindle.store.base.transaction import LibraryTransaction
from nightly_spindle.store.music.made_hours import made_instants, read_made, write_made
from nightly_spindle.store.programme.snapshot import Snapshot, open_station
from nightly_spindle.store.reports.format_board import FormatBoard
from nightly_spindle.store.reports.log_makings import make_logs

if TYPE_CHECKING:
    import argparse
    from zoneinfo import ZoneInfo

_FORMATS = {
    ".m3u": LogFormat.M3U,
    ".m3u8": LogFormat.M3U,
    ".xspf": LogFormat.XSPF,
    ".csv": LogFormat.CSV,
}
_SHOWN = 10  # lines of statistics that are printed


def _stretch(options: argparse.Namespace, snapshot: Snapshot) -> tuple[int, int]:
    """Return from when to when, whole hours: from the next one on where nothing is said."""
    settings = snapshot.programme.settings
    hours = options.days * 24 if options.days is not None else options.hours or 24.0
    hours = checked_length(hours, "hours")
    at = instant(options.from_ or getattr(options, "at", None), settings.tz)
    here = slot_at(Period.HOUR, settings.tz, settings.day_start, at)
    begin = here.start_us if options.from_ is not None else here.end_us
    return begin, begin + round(hours * 3600) * US


def make(options: argparse.Namespace) -> int:
    """Make the logs of a stretch, and say what could not be kept."""
    snapshot = open_station(Path(options.folder))
    begin, end = _stretch(options, snapshot)

    def progress(done: int, whole: int) -> bool:
        if options.progress:
            print(f"{done}/{whole}", file=sys.stderr, flush=True)
        return True

    now = instant(options.at, snapshot.programme.settings.tz)
    made = make_logs(snapshot, begin, end, now, Mode(options.mode), progress)
    with LibraryTransaction(snapshot.folder) as library:
        write_made(library, made.hours)
    tz = snapshot.programme.settings.tz
    broken = sum(hour.broken for hour in made.hours)
    lines = sum(len(hour.lines) for hour in made.hours)
    if options.json:
        print_json(
            {
                "hours": [_view(hour, tz) for hour in made.hours],
                "kept": made.kept,
                "begun": made.begun,
                "lines": lines,
                "broken": broken,
                "cost": round(sum(hour.cost for hour in made.hours), 3),
            }
        )
        return 0
    print(
        f"{counted(len(made.hours), 'hour')} made with {counted(lines, 'line')}, {made.kept} kept."
    )
    for hour in made.hours:
        for note in hour.notes:
            print(f"{local_from(hour.start_us, tz):%a %d %b %H:%M}  {note.text}")
    if lines and not broken:
        print("No firm rule is broken.")
    return 0


def _view(hour: MadeHour, tz: ZoneInfo) -> dict[str, Any]:
    return {
        "start": iso(hour.start_us, tz),
        "clock": hour.clock_name,
        "from": hour.comes_from,
        "lands_s": hour.lands_s,
        "fixed": hour.fixed,
        "cost": hour.cost,
        "lines": [
            {"at": iso(hour.start_us + round(line.at_s * US), tz), **line_values(line)}
            for line in hour.lines
        ],
        "notes": [note_values(note) for note in hour.notes],
    }


def show(options: argparse.Namespace) -> int:
    """Show made hours line by line."""
    snapshot = open_station(Path(options.folder))
    begin, end = _stretch(options, snapshot)
    hours = read_made(snapshot.connection, begin, end)
    snapshot.reach(line.cart for hour in hours for line in hour.lines)
    tz = snapshot.programme.settings.tz
    if options.json:
        print_json([_view(hour, tz) for hour in hours])
        return 0
    for hour in hours:
        lands = f"lands {abs(hour.lands_s):.0f} s {'late' if hour.lands_s > 0 else 'early'}"
        print(f"{local_from(hour.start_us, tz):%a %d %b %H:%M}  {hour.clock_name}, {lands}")
        for line in hour.lines:
            item = snapshot.programme.item(line.cart) if line.cart else None
            what = item.label if item else "break" if line.pattern else f"cart {line.cart}"
            at = clock(hour.start_us + round(line.at_s * US), tz)
            print(f"    {at}  {what}{'  ! ' + ' '.join(line.broken) if line.broken else ''}")
    if not hours:
        print("Nothing is made there; `nightly-spindle formats make` makes it.")
    return 0


def clear(options: argparse.Namespace) -> int:
    """Take made hours out again."""
    snapshot = open_station(Path(options.folder))
    begin, end = _stretch(options, snapshot)
    begin = max(begin, now_us())  # what is on air stays
    gone = made_instants(snapshot.connection, begin, end)
    with LibraryTransaction(snapshot.folder) as library:
        write_made(library, (), gone)
    return answer(options, {"cleared": len(gone)}, f"{counted(len(gone), 'hour')} cleared.")


def export(options: argparse.Namespace) -> int:
    """Write made hours to a file, as another machine can use them."""
    out = Path(options.file)
    form = _FORMATS.get(out.suffix.lower())
    if form is None:
        raise InputFault(f"{out}: the name must end in {', '.join(_FORMATS)}")
    folder = Path(options.folder)
    begin, end = _stretch(options, open_station(folder))
    entries = FormatBoard(folder).entries(begin, end)
    if not entries:
        raise InputFault("nothing is made there; `nightly-spindle formats make` makes it")
    replace_file(out, write_log(entries, form, "Formats"))
    return answer(
        options,
        {"out": str(out), "lines": len(entries)},
        f"{counted(len(entries), 'line')} written to {out}.",
    )


def explain(options: argparse.Namespace) -> int:
    """Say what an hour gets and why; of a line of it, what would fit there best."""
    now = now_us()
    board = FormatBoard(Path(options.folder))
    settings = open_station(Path(options.folder)).programme.settings
    at = instant(options.at, settings.tz)
    slot = slot_at(Period.HOUR, settings.tz, settings.day_start, at)
    row = board.hours(slot.start_us, slot.start_us + 1)[0]
    if options.line is not None:
        return _candidates(options, board, slot.start_us, now)
    if options.json:
        print_json(
            {
                "hour": iso(slot.start_us, settings.tz),
                "clock": row.clock.name if row.clock else None,
                "from": row.gets.comes_from,
                "made": _view(row.made, settings.tz) if row.made else None,
            }
        )
        return 0
    name = f"the format clock “{row.clock.name}”" if row.clock else "no format clock"
    print(f"{slot.text} has {name}: {row.gets.comes_from}.")
    if row.clock:
        print(row.clock.sentence())
    if row.made is None:
        print("It is not made yet." if row.clock else "Logs from outside, or rotation, fill it.")
    else:
        print(f"It is made with {counted(len(row.made.lines), 'line')}.")
        for note in row.made.notes:
            print(note.text)
    return 0


def _candidates(options: argparse.Namespace, board: FormatBoard, start_us: int, now: int) -> int:
    found = board.candidates(start_us, options.line - 1, now)
    if options.json:
        print_json(
            [
                {
                    "cart": one.item.cart,
                    "title": one.item.label,
                    "cost": round(one.cost, 4),
                    "firm": one.firm,
                    "lands_s": round(one.lands_s, 3),
                    "breaks": list(one.words),
                }
                for one in found
            ]
        )
        return 0
    for one in found:
        way = "late" if one.lands_s > 0 else "early"
        breaks = " ".join(one.words) or "keeps every rule"
        lands = f"the hour lands {abs(one.lands_s):.0f} s {way}"
        print(f"{one.item.cart}  {one.item.label}: {breaks}; {lands}")
    return 0


def stats(options: argparse.Namespace) -> int:
    """Say how often what airs, and how evenly."""
    found = FormatBoard(Path(options.folder)).statistics(now_us(), options.back, options.ahead)
    if options.json:
        print_json(
            {
                "categories": [
                    {
                        "category": c.name,
                        "items": c.items,
                        "plays": c.plays,
                        "share": round(c.share, 4),
                        "wanted": round(c.wanted, 4),
                        "gini": round(c.gini, 4),
                        "never": c.never,
                    }
                    for c in found.categories
                ],
                "items": [
                    {
                        "cart": i.item.cart,
                        "title": i.item.label,
                        "category": i.category,
                        "plays": i.plays,
                        "apart_s": i.apart_s,
                        "least_s": i.least_s,
                        "never": i.never or None,
                    }
                    for i in found.items
                ],
                "artists": [
                    {"artist": a.name, "plays": a.plays, "apart_s": a.apart_s, "least_s": a.least_s}
                    for a in found.artists
                ],
            }
        )
        return 0
    for one in found.categories:
        print(
            f"{one.name}: {one.plays} plays of {counted(one.items, 'item')}, {one.share:.0%} "
            f"(wanted {one.wanted:.0%}), Gini {one.gini:.2f}, {one.never} never"
        )
    for artist in found.artists[:_SHOWN]:
        print(f"  {artist.name}: {counted(artist.plays, 'play')}")
    return 0
