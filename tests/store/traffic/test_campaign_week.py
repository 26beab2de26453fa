"""A week of thirty campaigns with kills, missing files and a Friday that holds too little.

The engine's own way from the sequencer to the as-run log is driven by a simulated clock; every
order ends met or reported owed, and orders, as-run log and reports say the same counts.
"""

import csv
import io
import random
import shutil
import sqlite3
from collections import Counter
from datetime import date, datetime, timedelta
from zoneinfo import ZoneInfo

import pytest
import soundfile
from conftest import beep, build_station

from nightly_spindle.core.base.timebase import US, resolve_local
from nightly_spindle.core.library.intake import IntakeOptions
from nightly_spindle.core.library.items import Kind
from nightly_spindle.core.playout.air_start import take_the_air
from nightly_spindle.core.reports.as_run import records
from nightly_spindle.core.reports.spot_reports import PROOF_COLUMNS, proof_cells, table_csv
from nightly_spindle.core.traffic.break_patterns import BreakOptions, BreakPattern, IfLate
from nightly_spindle.core.traffic.campaigns import Campaign, CampaignOptions, Copy, Per, Terms
from nightly_spindle.intake.bring_in import Intake, bring_in
from nightly_spindle.store.base.transaction import LibraryTransaction
from nightly_spindle.store.playout.journal import Journal, last_seen, load_state
from nightly_spindle.store.playout.state_coding import encode_state
from nightly_spindle.store.programme.snapshot import open_station
from nightly_spindle.store.reports.campaign_board import proof_of_play, spot_sheet
from nightly_spindle.store.reports.spot_placements import place
from nightly_spindle.store.traffic.campaigns import save_break, save_campaigns

TZ = ZoneInfo("Europe/Lisbon")
MONDAY = date(2026, 11, 30)
HOUR = 3600 * US


def instant(day, clock="00:00"):
    return resolve_local(datetime.fromisoformat(f"{day}T{clock}"), TZ)


@pytest.fixture(scope="module")
def spots_station(tmp_path_factory):
    """Long songs, and forty spots of 8 to 20 s."""
    folder = build_station(tmp_path_factory.mktemp("week") / "pier", 6, 240, 8000)
    (folder / "audio/spot").mkdir()
    for n in range(40):
        wave = beep(8 + n % 7 * 2, 400 + 37 * n, 8000, channels=1)
        soundfile.write(folder / f"audio/spot/Firm {n} - Spot {n}.wav", wave, 8000)
    bring_in(folder, [Intake([folder / "audio/spot"], IntakeOptions(Kind("spot")))])
    return folder


def spot_carts(folder):
    rows = open_station(folder).connection.execute(
        "SELECT cart, path FROM item WHERE kind = 'spot' ORDER BY cart"
    )
    return [(row["cart"], folder / "audio/spot" / row["path"]) for row in rows]


class Life:
    """An engine without sound: it keeps its as-run log and its state, is killed and comes back."""

    def __init__(self, folder):
        self.folder, self.sequencer, self.session = folder, None, 0

    def start(self, at_us):
        self.snapshot = open_station(self.folder)
        self.journal = Journal(self.folder)
        self.journal.close_open(last_seen(self.snapshot.connection) or at_us)
        state = load_state(self.snapshot.connection)
        self.snapshot.prepare(at_us, at_us + 24 * HOUR, state)
        self.sequencer, begun = take_the_air(self.snapshot.programme, state, at_us)
        self.session += 1
        self._write(begun, at_us)

    def run(self, until_us, step_us=10 * 60 * US):
        while self.now_us < until_us - 100:
            at = min(until_us, self.now_us + step_us)
            self._write(self.sequencer.advance(self.sequencer.frame_of(at)), at)

    @property
    def now_us(self):
        return self.sequencer.instant_of(self.sequencer.state.clock.frame)

    def _write(self, actions, at_us):
        state = self.sequencer.state
        lines, alarms = records(actions, state, f"life{self.session}")
        assert self.journal.write(lines, alarms, encode_state(state), at_us), self.journal.problem

    def kill(self):
        self.journal.close()
        self.snapshot.connection.close()
        self.sequencer = None

    def place(self):
        """What the engine has done for it once a day: place the coming days, and go by that."""
        return place(self.snapshot, self.now_us)


def thirty(carts):
    """Thirty orders of every kind; on Friday more is ordered than the breaks hold."""
    dice = random.Random(5)
    week = {"first": str(MONDAY), "last": str(MONDAY + timedelta(days=6))}
    made = []
    for n in range(24):
        per = (Per.DAY, Per.DAY, Per.WEEK, Per.TOTAL, Per.HOUR, Per.DAY)[n % 6]
        amount = {Per.DAY: 2 + n % 3, Per.WEEK: 9, Per.TOTAL: 12, Per.HOUR: 1}[per]
        options = CampaignOptions(
            advertiser=f"Firm {n}",
            product="ware",
            group=("", "", "bakeries", "", "cars")[n % 5],
            amount=amount,
            per=per,
            importance=1 + n % 9,
            apart_s=1800.0,
            hours=("", "mon-fri 06-20", "07-12; sat, sun 10-18", "08-23")[n % 4]
            if per is not Per.HOUR
            else "mon-fri 07-10",
            **week,
        )
        copies = tuple(Copy(cart) for cart in dice.sample(carts[:36], 1 + n % 3))
        made.append(Campaign(0, f"Order {n}", copies, options))
    friday = str(MONDAY + timedelta(days=4))
    for n in range(6):
        options = CampaignOptions(
            advertiser="Friday Fair",
            amount=30.0,
            first=friday,
            last=friday,
            apart_s=1200.0,
            importance=9 if n < 4 else 2,
            terms=Terms.FIXED if n < 5 else Terms.BONUS,
        )
        made.append(Campaign(0, f"Friday {n}", (Copy(carts[36 + n % 4]),), options))
    return made


@pytest.mark.slow
def test_a_week_of_thirty_campaigns_ends_met_or_owed(spots_station, tmp_path):
    folder = shutil.copytree(spots_station, tmp_path / "pier")
    files = spot_carts(folder)
    with LibraryTransaction(folder) as library:
        save_break(
            library,
            BreakPattern(
                0,
                "Quarters",
                BreakOptions(minutes="12, 42", spots=3.0, late=IfLate.LEFT, late_s=600.0),
            ),
        )
        numbers, _ = save_campaigns(library, thirty([cart for cart, _ in files]))
    dice = random.Random(11)
    life = Life(folder)
    life.start(instant(MONDAY))
    gone = {}
    for day in range(7):
        life.place()
        end = instant(MONDAY + timedelta(days=day + 1))
        if day == 2:  # a file goes for a day and comes back
            path = files[1][1]
            gone = {path: path.read_bytes()}
            path.unlink()
            life.snapshot.look_for_files()
        if day == 3:
            for path, sound in gone.items():
                path.write_bytes(sound)
            life.snapshot.look_for_files()
        for _ in range(4):  # killed four times a day, away for seconds, minutes or hours
            at = life.now_us + dice.randrange(end - life.now_us)
            life.run(at)
            life.kill()
            life.start(min(end - 1, at + dice.choice((2, 40, 900, 5400)) * US))
        life.run(end)
    snapshot = open_station(folder)
    end = instant(MONDAY + timedelta(days=7))
    sheet = spot_sheet(snapshot, end + HOUR)
    report = proof_of_play(snapshot, end + HOUR, instant(MONDAY), end, numbers, "Week")
    by_hand, in_table = counted_by_hand(folder), Counter()
    for row in csv.DictReader(io.StringIO(table_csv(PROOF_COLUMNS, proof_cells_of(report)))):
        in_table[row["campaign"]] += row["counts"] == "yes"
    totals = {total.campaign.id: total for total in report.totals}
    for order in sheet.orders:
        number, name = order.campaign.id, order.campaign.name
        stands = order.standing
        assert stands == totals[number].standing, name
        assert stands.aired == by_hand[number] == in_table[name], name
        assert stands.owed == max(0, stands.of - stands.aired), name
        if stands.owed:
            assert any(f.code == "flight-over-owed" for f in order.findings), name
    met = [order for order in sheet.orders if not order.standing.owed]
    friday = {order.campaign.name: order for order in sheet.orders[24:]}
    assert len(met) > 20
    # what weighs less is short on the Friday, not what weighs more
    assert not any(friday[f"Friday {n}"].standing.owed for n in range(4))
    assert friday["Friday 5"].standing.owed > 0
    # what was lost through kills and the missing file was made good
    assert sum(total.made_good for total in report.totals) >= 5
    assert any(row.state == "did not air" for row in report.proofs)


def proof_cells_of(report):
    return [proof_cells(row, TZ) for row in report.proofs]


def counted_by_hand(folder):
    """An independent count over the rows of the as-run log: from start to end, in full."""
    found = Counter()
    with sqlite3.connect(folder / "station.db") as db:
        rows = db.execute(
            "SELECT campaign, outcome, whole_us, start_us, end_us FROM as_run WHERE campaign > 0"
        ).fetchall()
    for campaign, outcome, whole, start, end in rows:
        heard = end - start
        if outcome == "aired" and heard >= whole - 4 * US:  # a segue may take off the tail
            found[campaign] += 1
    return found
