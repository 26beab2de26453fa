"""The proof of play says of each spot what the as-run log knows, and counts by the percentage."""

import pytest

from nightly_spindle.core.reports.as_run import AsRun
from nightly_spindle.core.reports.spot_reports import proofs
from nightly_spindle.core.traffic.campaigns import Campaign, CampaignOptions

S = 1_000_000
ROLLS = Campaign(1, "Winter rolls", (), CampaignOptions())


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
        (0.999, 100.0, "cut, 100%", False),
        (0.95, 95.0, "aired, 95%", True),
        (0.949, 95.0, "cut, 95%", False),
        (0.5, 100.0, "cut, 50%", False),
        (0.0, 100.0, "did not air", False),
    ],
)
def test_a_spot_reads_aired_partly_aired_cut_or_did_not_air(share, counts_from, state, counted):
    (row,) = proofs([line(share)], {1: ROLLS}, counts_from)
    assert (row.state, row.counts) == (state, counted)
    assert row.length_s == pytest.approx(30.0 * share)
    assert row.whole_s == 30.0


def test_what_is_on_air_another_orders_and_what_a_log_lost_is_no_row():
    log_lost = AsRun("k", S, S, 100, "spot", "", "", "", "", "missed", "", campaign=1)
    on_air = line(1.0, outcome="on air")
    assert proofs([on_air, log_lost, line(1.0)], {2: ROLLS}, 100.0) == []
    assert proofs([on_air, log_lost], {1: ROLLS}, 100.0) == []
    (row,) = proofs([line(1.0, good=True)], {1: ROLLS}, 100.0)
    assert row.note == "makes good"
