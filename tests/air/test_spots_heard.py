"""Campaigns as heard: spots in the sound at their second, kills, commands."""

import csv
import json
import os
import shutil
import signal
import time
from datetime import datetime, timedelta

import numpy as np
import pytest
import soundfile
from conftest import beep, build_station, wait
from test_campaign_air import DAY, TZ, at
from test_campaign_week import Life
from test_engine import Air

from nightly_spindle.air.render import render
from nightly_spindle.cli.main import main
from nightly_spindle.core.base.timebase import US
from nightly_spindle.core.library.intake import IntakeOptions
from nightly_spindle.core.library.items import Kind
from nightly_spindle.core.playout.air_start import take_the_air
from nightly_spindle.core.traffic.break_patterns import (
    BreakOptions,
    BreakPattern,
)
from nightly_spindle.core.traffic.campaigns import Campaign, CampaignOptions, Copy, Per
from nightly_spindle.intake.bring_in import Intake, bring_in
from nightly_spindle.store.base.database import connect
from nightly_spindle.store.base.transaction import LibraryTransaction
from nightly_spindle.store.playout.journal import as_run_between
from nightly_spindle.store.programme.snapshot import open_station
from nightly_spindle.store.reports.campaign_board import proof_of_play
from nightly_spindle.store.reports.spot_placements import place
from nightly_spindle.store.traffic.campaigns import save_break, save_campaigns

# -- as heard --------------------------------------------------------------------------------------


@pytest.fixture(scope="module")
def selling(tmp_path_factory):
    """A station with long songs and six spots of tones that nothing else has."""
    folder = build_station(tmp_path_factory.mktemp("selling") / "pier", 6, 240, 8000)
    (folder / "audio/spot").mkdir()
    for n in range(6):
        wave = beep(7 + n, 2000 + 211 * n, 8000, channels=1, level=0.2)
        soundfile.write(folder / f"audio/spot/Firm - Spot {n}.wav", wave, 8000)
    bring_in(folder, [Intake([folder / "audio/spot"], IntakeOptions(Kind("spot")))])
    with LibraryTransaction(folder) as library:
        options = BreakOptions(minutes="5, 15, 25, 35, 45, 55", spots=2.0)
        save_break(library, BreakPattern(0, "Tens", options))
        rows = library.run(open_items()).mappings()
        carts = {int(row["title"].split()[-1]): row["cart"] for row in rows}
        orders = [
            Campaign(
                0,
                f"Firm {n}",
                (Copy(carts[n]),),
                CampaignOptions(
                    advertiser="Firm & Sons",
                    amount=1.0,
                    per=Per.HOUR,
                    first=str(DAY),
                    last=str(DAY + timedelta(days=1)),
                    apart_s=600.0,
                ),
            )
            for n in range(6)
        ]
        save_campaigns(library, orders)
    return folder


def open_items():
    from nightly_spindle.store.base import tables as t

    return t.item.select().where(t.item.c.kind == "spot")


@pytest.fixture
def sold(selling, tmp_path):
    return shutil.copytree(selling, tmp_path / "pier")


def test_each_spot_is_in_the_rendered_sound_at_the_second_that_the_report_says(sold, tmp_path):
    place(open_station(sold), at(8))
    other = shutil.copytree(sold, tmp_path / "other")  # what has aired would turn the rotation on
    life = Life(other)
    life.start(at(8))
    life.run(at(9))
    report = proof_of_play(open_station(other), at(9), at(8), at(9), set(range(1, 7)), "Hour")
    rows = [row for row in report.proofs if row.counts]
    assert len(rows) >= 6
    snapshot = open_station(sold)
    snapshot.prepare(at(8), at(9))
    sequencer, begun = take_the_air(snapshot.programme, None, at(8))
    out = tmp_path / "hour.wav"
    render(sequencer, begun, 3600, out)
    heard = tones_heard(out, [2000 + 211 * n for n in range(6)])
    reported = {n: [] for n in range(6)}
    for row in rows:
        reported[int(row.title.split()[-1])].append((row.at_us - at(8)) / US)
        assert row.length_s == pytest.approx(row.whole_s, abs=0.5)
    for n, runs in enumerate(heard):
        # as many as are reported, each from the second on that is reported, for as long
        assert len(runs) == len(reported[n]), n
        for (begin, end), second in zip(runs, reported[n], strict=True):
            assert begin == pytest.approx(second, abs=0.3)
            assert end - begin == pytest.approx(7 + n, abs=0.8)


def tones_heard(path, tones, block=11_025):
    """Return the stretches (s) in which each tone sounds, found in the audio alone."""
    rate = soundfile.info(path).samplerate
    window, bins = np.hanning(block), np.rint(np.array(tones) * block / rate).astype(int)
    levels = [
        np.abs(np.fft.rfft(part[:, 0] * window)[bins]) / block
        for part in soundfile.blocks(path, block, dtype="float32")
        if len(part) == block
    ]
    found = []
    for level in np.array(levels).T:
        on = np.flatnonzero(np.diff(np.r_[0, level > level.max() / 4, 0]))
        found.append([(a * block / rate, b * block / rate) for a, b in on.reshape(-1, 2)])
    return found


@pytest.mark.engine
def test_a_spot_cut_by_a_kill_is_not_counted_and_made_good(sold):
    engine = Air(sold, "--clock", "2026-11-30T08:12:00", "--pace", "40", "--no-supervisor")
    again = None
    try:
        wait(lambda: spot_rows(sold, "on air"), engine.told)  # it placed them by itself
        os.kill(ask_pid(sold), signal.SIGKILL)
        engine.process.wait(30)
        seen = connect(sold).execute("SELECT seen_us FROM air_state").fetchone()[0]
        back = datetime.fromtimestamp(seen / 1e6, TZ) + timedelta(seconds=60)
        again = Air(sold, "--clock", back.isoformat(), "--pace", "150", "--no-supervisor")
        broken = wait(lambda: spot_rows(sold, "interrupted"), again.told)[0]
        assert broken.share < 0.99
        made = wait(
            lambda: [r for r in spot_rows(sold, "aired") if r.campaign == broken.campaign],
            again.told,
        )[0]
        assert made.share == 1.0
    finally:
        engine.end()
        if again is not None:
            again.end()


def ask_pid(folder):
    from nightly_spindle.air.places import engine_pid

    return engine_pid(folder)


def spot_rows(folder, outcome):
    time.sleep(0.05)
    rows = as_run_between(connect(folder), 0, 2**62)
    return [row for row in rows if row.campaign and row.outcome == outcome]


# -- by command ------------------------------------------------------------------------------------


def told(capsys, *words, status=0):
    assert main([str(word) for word in words]) == status
    out = capsys.readouterr()
    return out.out if status == 0 else out.err


def test_campaigns_by_command(sold, capsys, tmp_path):
    listed = json.loads(told(capsys, "campaigns", "list", sold, "--json"))
    one, two = listed[0]["copies"][0]["cart"], listed[1]["copies"][0]["cart"]
    table = tmp_path / "orders.csv"
    table.write_text(
        "campaign;advertiser;copies;amount;per;first;last;hours;group\r\n"
        f'"Rolls; fresh";Harbour Bakery;{one} {two}:2;3;a day;2026-11-30;2026-12-06;'
        "mon-fri 06-10;food\r\n",
        encoding="utf-8-sig",
    )
    told(capsys, "campaigns", "import", sold, table)
    shown = json.loads(
        told(capsys, "campaigns", "list", sold, "--json", "--at", "2026-11-29T12:00")
    )[-1]
    assert (shown["name"], shown["wanted"], shown["state"]) == ("Rolls; fresh", 15, "to come")
    assert shown["copies"] == [{"cart": one, "weight": 1.0}, {"cart": two, "weight": 2.0}]
    number = shown["id"]
    made = json.loads(
        told(capsys, "campaigns", "place", sold, "--at", "2026-11-29T12:00", "--json")
    )
    assert made["placed"] == 6 * 48 + 15
    assert made["short"] == []
    said = told(
        capsys,
        "campaigns",
        "plan",
        sold,
        "--from",
        "2026-11-30",
        "--to",
        "2026-12-01",
        "--campaign",
        number,
        "--csv",
    )
    rows = list(csv.DictReader(said.splitlines()))
    assert len(rows) == 3
    assert {row["break_or_show"] for row in rows} == {"Tens"}
    told(capsys, "campaigns", "pin", sold, number, "Tens", "2026-11-30T09:55:00")
    told(capsys, "campaigns", "place", sold, "--at", "2026-11-29T12:00")
    said = told(
        capsys,
        "campaigns",
        "plan",
        sold,
        "--from",
        "2026-11-30T09:50",
        "--to",
        "2026-11-30T10:00",
        "--campaign",
        number,
    )
    assert "(by hand)" in said
    error = told(capsys, "campaigns", "pin", sold, number, "Tens", "2026-11-30T09:56", status=2)
    assert "no break of “Tens” is due at 2026-11-30T09:56" in error
    error = told(capsys, "campaigns", "set", sold, number, "--set", "amount=much", status=2)
    assert "setting campaign.amount is 'much'" in error
    error = told(capsys, "campaigns", "set", sold, "New", "--copies", "9999", status=2)
    assert "no item has the cart number 9999" in error
    told(capsys, "campaigns", "break", sold, "Tens", "--set", "spots=1")
    wrong = json.loads(
        told(capsys, "campaigns", "check", sold, "--at", "2026-11-29T12:00", "--json")
    )
    assert {one["code"] for one in wrong} == {"break-overfull"}
    assert wrong[0]["text"].endswith("holds too much: 2 spots in 1 seat.")
    book = tmp_path / "book.json"
    told(capsys, "station", "export", sold, book)
    was = json.loads(book.read_text())
    told(capsys, "campaigns", "remove", sold, number)
    told(capsys, "station", "apply", sold, book)
    told(capsys, "station", "export", sold, tmp_path / "again.json")
    assert (tmp_path / "again.json").read_bytes() == book.read_bytes()
    assert was["campaigns"][-1]["pins"][0]["break"] == 1
    error = told(capsys, "campaigns", "report", sold, "--month", "2026-13", status=2)
    assert "'2026-13' is not a valid month" in error
    assert {one.limit for one in place(open_station(sold), at(0))[1].short} == {"room"}
