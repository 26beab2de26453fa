"""`campaigns`: orders, break patterns, placing."""

from __future__ import annotations

import sys
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

from nightly_spindle.cli.base.common import answer, instant, print_json
from nightly_spindle.core.base.declared import changed_group
from nightly_spindle.core.base.errors import InputFault
from nightly_spindle.core.base.plain_files import read_plain
from nightly_spindle.core.base.timebase import iso, parse_instant
from nightly_spindle.core.base.wording import counted
from nightly_spindle.core.logs.log_text import decode
from nightly_spindle.core.reports.spot_reports import table_csv
from nightly_spindle.core.traffic.break_patterns import BreakPattern, break_values
from nightly_spindle.core.traffic.campaign_csv import copies_from, orders_from_csv
from nightly_spindle.core.traffic.campaigns import Campaign, campaign_values
from nightly_spindle.store.base.named import find
from nightly_spindle.store.base.transaction import LibraryTransaction
from nightly_spindle.store.programme.snapshot import Snapshot, open_station
from nightly_spindle.store.reports.campaign_board import CampaignSheet, SpotSheet, spot_sheet
from nightly_spindle.store.reports.spot_placements import place
from nightly_spindle.store.traffic.campaigns import (
    pin,
    remove_break,
    remove_campaigns,
    save_break,
    save_campaigns,
)

if TYPE_CHECKING:
    import argparse

    from nightly_spindle.core.reports.spot_findings import SpotFinding

_COLUMNS = (
    "id",
    "advertiser",
    "campaign",
    "state",
    "wanted",
    "due",
    "aired",
    "to_come",
    "owed",
    "short",
    "first",
    "last",
    "terms",
    "importance",
)


def _opened(options: argparse.Namespace) -> Snapshot:
    snapshot = open_station(Path(options.folder))
    snapshot.look_for_files()
    return snapshot


def _sheet(options: argparse.Namespace, at: str | None = None) -> SpotSheet:
    snapshot = _opened(options)
    return spot_sheet(snapshot, instant(at, snapshot.programme.settings.tz))


def list_orders(options: argparse.Namespace) -> int:
    """List the orders, each with its sentence and its counts."""
    sheet = _sheet(options, options.at)
    if options.json:
        print_json([_view(one) for one in sheet.orders])
    elif options.csv:
        sys.stdout.write(table_csv(_COLUMNS, [_cells(one) for one in sheet.orders]))
    else:
        for one in sheet.orders:
            _print(one)
        if not sheet.orders:
            print("No campaigns yet; `nightly-spindle campaigns set --help` says how to make one.")
    return 0


def _cells(one: CampaignSheet) -> dict[str, Any]:
    options = one.campaign.options
    return {
        "id": one.campaign.id,
        "advertiser": options.advertiser,
        "campaign": one.campaign.name,
        "state": one.state,
        "wanted": one.standing.of,
        "due": one.standing.due,
        "aired": one.standing.aired,
        "to_come": one.standing.to_come,
        "owed": one.standing.owed,
        "short": one.short.missing if one.short else 0,
        "first": options.first,
        "last": options.last,
        "terms": str(options.terms),
        "importance": int(options.importance),
    }


def _view(one: CampaignSheet) -> dict[str, Any]:
    return {
        **campaign_values(one.campaign),
        **_cells(one),
        "sentence": one.sentence,
        "findings": [finding.text for finding in one.findings],
    }


def _print(one: CampaignSheet) -> None:
    print(f"{one.campaign.id}  {one.campaign.name} ({one.state}): {one.sentence}")
    owed = f", {one.standing.owed} owed" if one.standing.owed else ""
    print(
        f"    {one.standing.aired} of {one.standing.of} aired, {one.standing.to_come} to come{owed}"
    )
    _print_findings(one.findings)


def _print_findings(findings: tuple[SpotFinding, ...]) -> None:
    for finding in findings:
        print(f"    {finding.severity}: {finding.text} {finding.mend}")


def set_order(options: argparse.Namespace) -> int:
    """Make an order, or change the one of that name or number."""
    folder = Path(options.folder)
    known = open_station(folder).programme.spots.campaigns.values()
    was = next((one for one in known if options.name in {one.name, str(one.id)}), None)
    made = was or Campaign(0, options.name)
    made = replace(made, options=changed_group(made.options, "campaign", options.set))
    if options.copies is not None:
        made = replace(made, copies=copies_from(options.copies, made))
    if options.rename:
        made = replace(made, name=options.rename)
    with LibraryTransaction(folder) as library:
        numbers, _ = save_campaigns(library, [made])
    one = next(one for one in _sheet(options).orders if one.campaign.id == numbers[0])
    if options.json:
        print_json(_view(one))
    else:
        _print(one)
        print("`nightly-spindle campaigns place` puts it into the coming breaks.")
    return 0


def remove(options: argparse.Namespace) -> int:
    """Take an order out."""
    folder = Path(options.folder)
    found = find(
        open_station(folder).programme.spots.campaigns.values(), options.campaign, "campaign"
    )
    with LibraryTransaction(folder) as library:
        remove_campaigns(library, [found.id])
    return answer(
        options,
        {"removed": found.id, "name": found.name},
        f"The campaign “{found.name}” is gone; what aired of it stays in the as-run log.",
    )


def pin_spot(options: argparse.Namespace) -> int:
    """Set a spot into one break by hand, or give the place up."""
    folder = Path(options.folder)
    programme = open_station(folder).programme
    campaign = find(programme.spots.campaigns.values(), options.campaign, "campaign")
    pattern = find(programme.spots.patterns.values(), options.break_, "break pattern")
    at_us = parse_instant(options.time, programme.settings.tz)
    key = (pattern.id, at_us)
    if not options.off and not pattern.rule().firings(programme.settings.tz, at_us - 1, at_us):
        raise InputFault(
            f"no break of “{pattern.name}” is due at {iso(at_us, programme.settings.tz)}; "
            f"its breaks come so: {pattern.sentence()}"
        )
    with LibraryTransaction(folder) as library:
        pin(library, campaign.id, None if options.off else key, key if options.off else None)
    if options.json:
        print_json(
            {
                "campaign": campaign.id,
                "break": pattern.id,
                "fixed": not options.off,
                "at": iso(at_us, programme.settings.tz),
            }
        )
    else:
        how = "has that place no more" if options.off else "has that place by hand"
        print(f"“{campaign.name}” {how}; `campaigns place` puts the others right.")
    return 0


def import_orders(options: argparse.Namespace) -> int:
    """Take orders in from a CSV table, all of them or none."""
    folder, path = Path(options.folder), Path(options.file)
    try:
        text, _ = decode(read_plain(path), path.name)
    except OSError as error:
        raise InputFault(f"{path} cannot be read: {error.strerror}") from error
    known = open_station(folder).programme.spots.campaigns.values()
    orders = orders_from_csv(text, known, path.name)
    with LibraryTransaction(folder) as library:
        numbers, _ = save_campaigns(library, orders)
    new = sum(order.id == 0 for order in orders)
    if options.json:
        print_json(
            [
                {"id": n, "campaign": o.name, "new": o.id == 0}
                for n, o in zip(numbers, orders, strict=True)
            ]
        )
    else:
        print(f"{counted(len(orders), 'order')} imported, {new} of them new.")
    return 0


def list_breaks(options: argparse.Namespace) -> int:
    """List the break patterns."""
    patterns = open_station(Path(options.folder)).programme.spots.patterns.values()
    if options.json:
        print_json([{**break_values(p), "sentence": p.sentence()} for p in patterns])
        return 0
    for pattern in patterns:
        print(f"{pattern.id}  {pattern.name}: {pattern.sentence()}")
    if not patterns:
        print("No breaks yet; `nightly-spindle campaigns break --help` says how to make them.")
    return 0


def set_break(options: argparse.Namespace) -> int:
    """Make a break pattern, or change the one of that name or number."""
    folder = Path(options.folder)
    known = open_station(folder).programme.spots.patterns.values()
    was = next((one for one in known if options.name in {one.name, str(one.id)}), None)
    made = was or BreakPattern(0, options.name)
    made = replace(made, options=changed_group(made.options, "break", options.set))
    if options.rename:
        made = replace(made, name=options.rename)
    with LibraryTransaction(folder) as library:
        number, _ = save_break(library, made)
    made = replace(made, id=number)
    return answer(
        options,
        {**break_values(made), "sentence": made.sentence()},
        f"{number}  {made.name}: {made.sentence()}",
    )


def remove_pattern(options: argparse.Namespace) -> int:
    """Take a break pattern out."""
    folder = Path(options.folder)
    patterns = open_station(folder).programme.spots.patterns.values()
    found = find(patterns, options.break_, "break pattern")
    with LibraryTransaction(folder) as library:
        remove_break(library, found.id)
    return answer(
        options,
        {"removed": found.id, "name": found.name},
        f"The break pattern “{found.name}” is gone.",
    )


def place_all(options: argparse.Namespace) -> int:
    """Place the spots of the coming days, and say what could not be."""
    snapshot = _opened(options)
    tz = snapshot.programme.settings.tz
    at_us = instant(options.at, tz)
    wanted, made = place(snapshot, at_us, anew=options.anew)
    if options.json:
        print_json(
            {
                "placed": len(made.bookings),
                "moved": made.moved,
                "cost": round(made.cost, 4),
                "until": iso(snapshot.programme.spots.until_us, tz),
                "short": [
                    {
                        "campaign": s.campaign,
                        "missing": s.missing,
                        "wanted": s.wanted,
                        "limit": s.limit,
                        "text": s.text,
                    }
                    for s in made.short
                ],
            }
        )
        return 0
    breaks = len(wanted.calendar.places) - wanted.calendar.now
    moved = f", {made.moved} moved" if made.moved else ""
    print(f"{counted(len(made.bookings), 'spot')} placed in {counted(breaks, 'break')}{moved}.")
    for short in made.short:
        print(short.text)
    return 0


def check(options: argparse.Namespace) -> int:
    """Say what is wrong with campaigns and breaks."""
    sheet = _sheet(options, options.at)
    found = [*sheet.findings, *(one for order in sheet.orders for one in order.findings)]
    if options.json:
        print_json(
            [
                {
                    "code": one.code,
                    "severity": str(one.severity),
                    "text": one.text,
                    "mend": one.mend,
                    "campaign": one.campaign or None,
                    "at": iso(one.at_us, sheet.tz) if one.at_us else None,
                }
                for one in found
            ]
        )
        return 0
    for one in found:
        print(f"{one.severity}: {one.text} {one.mend}")
    if not found:
        print("Nothing is wrong with campaigns and breaks.")
    return 0
