"""`campaigns plan` and `campaigns report`: what is going to air, and what did."""

from __future__ import annotations

import sys
from datetime import datetime, time
from pathlib import Path
from typing import TYPE_CHECKING

from nightly_spindle.cli.base.common import now_us, print_json
from nightly_spindle.core.base.errors import InputFault
from nightly_spindle.core.base.timebase import parse_instant, resolve_local
from nightly_spindle.core.base.wording import counted
from nightly_spindle.core.calendar.local_days import day_start, local_day
from nightly_spindle.core.reports.spot_reports import (
    PLAN_COLUMNS,
    PROOF_COLUMNS,
    month_span,
    month_text,
    plan_cells,
    proof_cells,
    report_text,
    report_view,
    summary,
    table_csv,
    total_cells,
    total_words,
)
from nightly_spindle.store.base.named import find
from nightly_spindle.store.programme.snapshot import Snapshot, open_station
from nightly_spindle.store.reports.campaign_board import plan_of_play, proof_of_play

if TYPE_CHECKING:
    import argparse
    from zoneinfo import ZoneInfo

_TOTALS = (
    "advertiser",
    "campaign",
    "terms",
    "ordered",
    "aired",
    "cut",
    "missed",
    "made_good",
    "to_come",
    "owed",
    "heard_s",
)


def plan(options: argparse.Namespace) -> int:
    """Say when spots are going to air."""
    snapshot = open_station(Path(options.folder))
    tz = snapshot.programme.settings.tz
    from_us, until_us, _ = _stretch(options, tz, ahead=True)
    rows = plan_of_play(snapshot, now_us(), from_us, until_us, _chosen(options, snapshot))
    cells = [plan_cells(row, tz) for row in rows]
    if options.json:
        print_json(cells)
    elif options.csv:
        sys.stdout.write(table_csv(PLAN_COLUMNS, cells))
    else:
        for one in cells:
            fixed = f"  ({one['fixed']})" if one["fixed"] else ""
            print(
                f"{one['weekday']} {one['date']} {one['time']} {one['utc_offset']}  "
                f"{one['campaign']}  {one['break_or_show']}{fixed}"
            )
        print(f"{counted(len(rows), 'spot')} to come in this stretch.")
    return 0


def report(options: argparse.Namespace) -> int:
    """Print a proof of play."""
    snapshot = open_station(Path(options.folder))
    tz = snapshot.programme.settings.tz
    from_us, until_us, title = _stretch(options, tz, ahead=False)
    made = proof_of_play(snapshot, now_us(), from_us, until_us, _chosen(options, snapshot), title)
    if options.json:
        view = report_view(made, tz)
        print_json({**view, "spots": []} if options.totals else view)
    elif options.csv and options.totals:
        sys.stdout.write(table_csv(_TOTALS, [total_cells(one) for one in made.totals]))
    elif options.csv:
        sys.stdout.write(table_csv(PROOF_COLUMNS, [proof_cells(row, tz) for row in made.proofs]))
    elif options.totals:
        for one in made.totals:
            print(f"{one.campaign.name}: {total_words(one)}")
        print(summary(made.totals))
    else:
        print(report_text(made, tz), end="")
    return 0


def _stretch(options: argparse.Namespace, tz: ZoneInfo, *, ahead: bool) -> tuple[int, int, str]:
    """Return the stretch (from, until, µs) that is asked for, and what it is called."""
    if options.month and (options.from_ or options.to):
        raise InputFault("give either --month, or --from and --to")
    if options.month:
        try:
            first, after = month_span(options.month)
        except ValueError as error:
            raise InputFault(
                f"'{options.month}' is not a valid month; write it like 2026-12"
            ) from error
        begin, end = (resolve_local(datetime.combine(day, time()), tz) for day in (first, after))
        return begin, end, f"Proof of play, {month_text(options.month)}"
    now = now_us()
    today = local_day(now, tz)
    from_us = parse_instant(options.from_, tz) if options.from_ else None
    until_us = parse_instant(options.to, tz) if options.to else None
    if ahead:
        return from_us or now, until_us or day_start(today + 8, tz), "Plan"
    return from_us or day_start(today - 30, tz), until_us or now, "Proof of play"


def _chosen(options: argparse.Namespace, snapshot: Snapshot) -> set[int]:
    """Return the numbers of the campaigns that are asked for."""
    campaigns = snapshot.programme.spots.campaigns
    if options.campaign:
        return {find(campaigns.values(), options.campaign, "campaign").id}
    if options.advertiser:
        wanted = options.advertiser.strip().casefold()
        found = {n for n, c in campaigns.items() if c.options.advertiser.casefold() == wanted}
        if not found:
            names = sorted({c.options.advertiser for c in campaigns.values()} - {""})
            raise InputFault(
                f"there is no advertiser “{options.advertiser}”; there are: "
                f"{', '.join(names) or 'none yet'}"
            )
        return found
    return set(campaigns)
