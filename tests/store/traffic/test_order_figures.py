"""Orders, reports, the plan and the commands say the same figures of each order."""

import csv
import io
import json
import os
import random
import shutil
from collections import Counter
from dataclasses import replace
from datetime import timedelta

import pytest
from test_campaign_week import MONDAY, TZ, Life, instant, spot_carts, spots_station

from nightly_spindle.cli.main import main
from nightly_spindle.core.base.timebase import iso
from nightly_spindle.core.station.log_sources import DropOptions, Loads, LogDrop
from nightly_spindle.core.traffic.break_patterns import BreakOptions, BreakPattern
from nightly_spindle.core.traffic.campaigns import Campaign, CampaignOptions, Copy, Per, Terms
from nightly_spindle.store.base.transaction import LibraryTransaction
from nightly_spindle.store.logs.log_source_edits import save_drop
from nightly_spindle.store.programme.snapshot import open_station
from nightly_spindle.store.reports.campaign_board import plan_of_play, proof_of_play, spot_sheet
from nightly_spindle.store.reports.spot_placements import place
from nightly_spindle.store.traffic.campaigns import save_break, save_campaigns

__all__ = ["spots_station"]
WEDNESDAY = MONDAY + timedelta(days=2)
LONG_AGO = (1_700_000_000, 1_700_000_000)


def orders(carts, dice):
    """One of each way to order, flights that are over, that run, that are to come, without end."""
    found = []
    for n, per in enumerate(Per):
        for kind, (first, last) in enumerate(((0, 1), (-3, 6), (1, 20), (3, 4), (0, None))):
            if per is Per.TOTAL and last is None:
                continue  # those need an end
            options = CampaignOptions(
                amount=float(dice.randint(1, 12)),
                per=per,
                first=str(MONDAY + timedelta(days=first)),
                last="" if last is None else str(MONDAY + timedelta(days=last)),
                hours=dice.choice(("", "06-20", "mon-fri 07-10")),
                apart_s=600.0,
                terms=dice.choice(list(Terms)),
            )
            copies = (Copy(dice.choice(carts)),)
            found.append(Campaign(0, f"Order {n} {kind}", copies, options))
    return found


@pytest.fixture
def midweek(spots_station, tmp_path):
    """A Wednesday at noon: some has aired, logs that are there bring more."""
    folder = shutil.copytree(spots_station, tmp_path / "pier")
    seed = random.randrange(2**32)
    print(f"seed {seed}")
    dice = random.Random(seed)
    files = spot_carts(folder)
    with LibraryTransaction(folder) as library:
        options = BreakOptions(minutes="12, 42", spots=3.0)
        save_break(library, BreakPattern(0, "Quarters", options))
        save_campaigns(library, orders([cart for cart, _ in files], dice))
        (folder / "traffic").mkdir()
        drop = LogDrop(0, "Traffic", str(folder / "traffic"), "%Y-%m-%d.m3u")
        save_drop(library, replace(drop, options=DropOptions(loads=Loads.AT_TIME)))
    for day in (WEDNESDAY, WEDNESDAY + timedelta(days=1)):
        log = folder / "traffic" / f"{day}.m3u"
        lines = [str(path) for _, path in dice.choices(files, k=60)]
        log.write_text("\n".join(lines) + "\n", encoding="utf-8")
        os.utime(log, LONG_AGO)
    life = Life(folder)
    life.start(instant(MONDAY))
    for day in range(3):
        life.place()
        life.run(instant(MONDAY + timedelta(days=day), "12:00"))
    life.place()
    now = life.now_us
    life.kill()
    return folder, now


def asked(capsys, *words):
    assert main([str(word) for word in words]) in {0, 1}
    return capsys.readouterr().out


@pytest.mark.slow
def test_orders_reports_plan_and_commands_agree(midweek, capsys, monkeypatch):
    folder, now = midweek
    snapshot = open_station(folder)
    sheet = spot_sheet(snapshot, now)
    numbers = {order.campaign.id for order in sheet.orders}
    begin, end = instant(MONDAY - timedelta(days=30)), instant(MONDAY + timedelta(days=60))
    report = proof_of_play(snapshot, now, begin, end, numbers, "All of it")
    reported = {total.campaign.id: total.standing for total in report.totals}
    planned = Counter(row.campaign.id for row in plan_of_play(snapshot, now, now, end, numbers))
    proved = Counter(row.campaign.id for row in report.proofs if row.counts)
    at = iso(now, TZ)
    shown = asked(capsys, "campaigns", "list", folder, "--at", at, "--json")
    listed = {one["id"]: one for one in json.loads(shown)}
    assert sum(proved.values()) > 20
    assert sum(planned.values()) > 20
    for order in sheet.orders:
        number, stands, said = order.campaign.id, order.standing, order.campaign.sentence()
        there = reported.get(number)
        if order.campaign.last is not None and there is not None:
            assert there == stands, said
        elif there is not None:  # without end: as much of it as is looked at
            assert (there.aired, there.to_come, there.owed) == (
                stands.aired,
                stands.to_come,
                stands.owed,
            ), said
        assert stands.aired == proved[number], said
        # what is lined up is to come as well, and stands in no plan any more
        assert 0 <= stands.to_come - planned[number] <= 3, said
        one = listed[number]
        assert (one["wanted"], one["aired"], one["to_come"], one["owed"]) == (
            stands.of,
            stands.aired,
            stands.to_come,
            stands.owed,
        )
        last = order.campaign.last
        if last is not None and last < WEDNESDAY:
            assert stands.to_come == 0, "its flight is over, whatever logs bring"
    capsys.readouterr()


@pytest.mark.slow
def test_the_plan_tells_the_hour_that_comes_twice_apart(spots_station, tmp_path, capsys):
    """On 25 October 2026 clocks in Lisbon go back from 02:00 to 01:00 (IANA database)."""
    folder = shutil.copytree(spots_station, tmp_path / "pier")
    (cart, _), *_ = spot_carts(folder)
    day = "2026-10-25"
    options = CampaignOptions(
        amount=2.0, per=Per.HOUR, first=day, last=day, hours="01-02", apart_s=0.0
    )
    with LibraryTransaction(folder) as library:
        save_break(library, BreakPattern(0, "Quarters", BreakOptions(minutes="12, 42")))
        save_campaigns(library, [Campaign(0, "Night owls", (Copy(cart),), options)])
    snapshot = open_station(folder)
    place(snapshot, instant("2026-10-24"))
    stretch = ("--from", day, "--to", "2026-10-26")
    shown = asked(capsys, "campaigns", "plan", folder, *stretch, "--csv")
    rows = list(csv.DictReader(io.StringIO(shown)))
    told = [(row["time"], row["utc_offset"]) for row in rows]
    assert len(set(told)) == len(told) >= 2
    assert {offset for _, offset in told} <= {"+01:00", "+00:00"}
