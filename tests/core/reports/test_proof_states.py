"""The proof of play says of each spot what the as-run log knows, and counts by the percentage."""

from dataclasses import replace
from zoneinfo import ZoneInfo

import pytest

from nightly_spindle.core.reports.as_run import AsRun
from nightly_spindle.core.reports.spot_lateness import late_breaks
from nightly_spindle.core.reports.spot_proofs import SpotPlaces, proofs
from nightly_spindle.core.traffic.campaigns import Campaign, CampaignOptions

S = 1_000_000
ROLLS = Campaign(1, "Winter rolls", (), CampaignOptions())
TZ = ZoneInfo("Europe/Lisbon")
PLACES = SpotPlaces(TZ, {3: "Quarters"})


def line(share, *, lasts_s=30.0, outcome="aired", cart=100, **more):
    end = 1_000 * S + round(lasts_s * share * S)
    return AsRun(
        "k",
        1_000 * S,
        end,
        cart,
        "spot",
        "Rolls",
        "",
        "",
        "",
        outcome,
        "",
        campaign=1,
        break_id=3,
        whole_us=round(lasts_s * S),
        share=share,
        **more,
    )


@pytest.mark.parametrize(
    ("share", "counts_from", "state", "counted"),
    [
        (1.0, 100.0, "aired", True),
        (0.999, 100.0, "cut, 99%", False),
        (0.95, 95.0, "aired, 95%", True),
        (0.949, 95.0, "cut, 94%", False),
        (0.5, 100.0, "cut, 50%", False),
        (0.0, 100.0, "did not air", False),
    ],
)
def test_a_spot_reads_aired_partly_aired_cut_or_did_not_air(share, counts_from, state, counted):
    (row,) = proofs([line(share)], {1: ROLLS}, counts_from, PLACES)
    assert (row.state, row.counts) == (state, counted)
    assert row.length_s == pytest.approx(30.0 * share)
    assert row.whole_s == 30.0


def test_what_is_on_air_another_orders_and_what_a_log_lost_is_no_row():
    log_lost = AsRun("k", S, S, 100, "spot", "", "", "", "", "missed", "", campaign=1)
    on_air = line(1.0, outcome="on air")
    assert proofs([on_air, log_lost, line(1.0)], {2: ROLLS}, 100.0, PLACES) == []
    assert proofs([on_air, log_lost], {1: ROLLS}, 100.0, PLACES) == []
    (row,) = proofs([line(1.0, good=True)], {1: ROLLS}, 100.0, PLACES)
    assert row.note == "makes good"


def test_a_row_names_its_break_or_show_or_log_and_when_it_was_due():
    aired = line(1.0)
    due = replace(aired, break_us=940 * S)
    by_log = replace(aired, break_id=0)
    gone = replace(aired, break_id=8)
    rows = proofs([due, by_log, gone], {1: ROLLS}, 100.0, PLACES)
    told = [(row.where, row.planned_us) for row in rows]
    assert told == [("Quarters", 940 * S), ("a log", 0), ("a break that is gone", 0)]
    held = replace(PLACES, shows=((900 * S, 1_000 * S + 1, "Harbour talk"),))
    (row,) = proofs([due], {1: ROLLS}, 100.0, held)
    assert row.where == "Harbour talk"


def test_what_aired_outside_of_the_flight_does_not_count():
    over = replace(ROLLS, options=CampaignOptions(first="1970-01-02"))
    (row,) = proofs([line(1.0)], {1: over}, 100.0, PLACES)
    assert (row.counts, row.state, row.note) == (False, "aired", "outside of its flight dates")
    flies = replace(ROLLS, options=CampaignOptions(first="1970-01-01", last="1970-01-01"))
    (row,) = proofs([line(1.0)], {1: flies}, 100.0, PLACES)
    assert (row.counts, row.note) == (True, "")


def song(title, begin_s, end_s, **more):
    return AsRun("k", begin_s * S, end_s * S, 7, "song", title, "", "", "", "aired", "", **more)


@pytest.mark.parametrize(
    ("due_s", "there", "note"),
    [
        (941, [song("Long one", 700, 1_000)], ""),  # 59 s are not late yet
        (
            940,
            [song("Long one", 700, 1_000)],
            "the break began 1:00 late: “Long one” was on air until 01:16:40",
        ),
        (
            600,
            [
                song("Over it", 500, 900, over="Long one"),
                song("C", 850, 1_000),
                song("A", 500, 700),
                song("B", 700, 850),
                song("Before", 300, 600),
            ],
            "the break began 6:40 late: “B” and “C” were on air until 01:16:40",
        ),
        (600, [], "the break began 6:40 late: nothing was on air before it"),
    ],
)
def test_a_late_break_says_what_was_on_air_instead(due_s, there, note):
    asked = []

    def on_air(begin_us, end_us):
        asked.append((begin_us, end_us))
        return there

    first = replace(line(1.0), break_us=due_s * S)
    second = replace(first, start_us=1_030 * S, end_us=1_060 * S)
    for_another = replace(first, start_us=2_000 * S, end_us=2_030 * S, good=True)
    late = late_breaks([second, for_another, first], on_air, TZ)
    rows = proofs([first, second, for_another], {1: ROLLS}, 100.0, replace(PLACES, late=late))
    assert [row.note for row in rows] == [note, note, "makes good"]
    assert asked == ([(due_s * S, 1_000 * S)] if note else [])
