"""An order as a sentence: every part that is set stands in it."""

import pytest

from nightly_spindle.core.traffic.campaigns import Campaign, CampaignOptions, Per


def said(**options):
    return Campaign(1, "Rolls", (), CampaignOptions(**options)).sentence()


@pytest.mark.parametrize(
    ("options", "parts"),
    [
        (
            {"hours": "mon-fri 06-10", "shows": "Harbour hour"},
            ["06:00 to 10:00", "and within Harbour hour"],
        ),
        ({"shows": "Harbour hour"}, ["within Harbour hour"]),
        ({"hours": "06-10"}, ["06:00 to 10:00"]),
        ({"first": "2026-12-01"}, ["from 1 Dec 2026"]),
        ({"last": "2026-12-24"}, ["up to 24 Dec 2026"]),
        ({"first": "2026-12-01", "last": "2026-12-24"}, ["from 1 Dec 2026 to 24 Dec 2026"]),
        ({"breaks": "News, Quarters"}, ["in breaks of News or Quarters"]),
        ({"clocks": "Morning"}, ["in hours of Morning"]),
        ({"apart_s": 1800.0}, ["30 min apart"]),
        ({"group": "bakeries", "rivals_s": 600.0}, ["10 min from others of “bakeries”"]),
        ({"group": "bakeries", "rivals_s": 0.0}, ["never in a break with others of “bakeries”"]),
        ({"per": Per.BREAK, "breaks": "News"}, ["one in every break of News"]),
        ({"advertiser": "Lowtide", "product": "rolls"}, ["Lowtide (rolls): "]),
    ],
)
def test_what_is_set_is_said(options, parts):
    sentence = said(**options)
    for part in parts:
        assert part in sentence


def test_what_is_not_set_is_not_said():
    plain = said(apart_s=0.0, rivals_s=0.0)
    for word in ("within", "in breaks", "in hours of", "apart", "others of", "from ", "up to"):
        assert word not in plain
    assert "within" not in said(hours="06-10")
    assert "06:00" not in said(shows="Harbour hour")
