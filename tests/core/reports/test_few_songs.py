"""What a library is too small for, said before anything is made."""

import pytest
from conftest import make_item

from nightly_spindle.core.calendar.day_plans import Plans
from nightly_spindle.core.music.format_clocks import FormatClock
from nightly_spindle.core.music.formats import FormatPlan, Rotating
from nightly_spindle.core.music.rotation_rules import RotationRule, RuleSubject
from nightly_spindle.core.reports.format_findings import KnownNames, check_formats


def told(artists, seconds=180.0, rules=(), separation_s=3600.0, **formats):
    """The findings of a station of songs of three minutes by these artists."""
    items = {n: make_item(n, seconds, artist=artist) for n, artist in enumerate(artists, 1)}
    known = KnownNames(items, (), (), (), {}, separation_s)
    return check_formats(FormatPlan(rules=tuple(rules), **formats), known)


def test_it_is_said_how_far_apart_and_how_many_more_songs_it_takes():
    # 20 songs of 3 minutes come round in an hour: titles just keep it; of one artist's four
    # songs one comes every 15 minutes, and it takes three times as many others besides
    (finding,) = told([*["Quay"] * 4, *(f"Other {n}" for n in range(16))])
    assert finding.code == "few-artists"
    assert finding.text == (
        "Artists can be kept 15 min apart, not 1 h: too few songs (“Quay” has 4 of 20)."
    )
    assert finding.mend.startswith("Import about 60 more songs, ask for less")


@pytest.mark.parametrize(("songs", "codes"), [(20, []), (19, ["few-artists", "few-songs"])])
def test_at_the_bound(songs, codes):
    findings = told([f"Other {n}" for n in range(songs)])
    assert [one.code for one in findings] == codes
    if codes:
        assert "57 min apart, not 1 h" in findings[0].text
        assert "Import about 1 more song, " in findings[0].mend


def test_what_is_asked_counts_by_category_weight_and_rule():
    artists = [f"Other {n}" for n in range(20)]
    soft = RotationRule(RuleSubject.ARTIST, 90.0, firm=False)
    assert told(artists, rules=[soft]) == []
    assert [one.code for one in told(artists, rules=[RotationRule(RuleSubject.TITLE, 61.0)])] == [
        "few-songs"
    ]
    assert told(artists, rules=[RotationRule(RuleSubject.TITLE, 60.0)]) == []
    assert told(artists, separation_s=0.0) == []
    assert told([]) == [], "an empty library is another matter"
    # a category that has half of the plays comes round half as often: it can keep twice as much
    half = {
        name: Rotating(name.title(), carts=carts)
        for name, carts in (("gold", (*range(1, 11),)), ("rest", (*range(11, 21),)))
    }
    clock = FormatClock(3, "Even", weights=(("Gold", 1.0), ("Rest", 1.0)))
    used = {"clocks": {3: clock}, "plans": Plans(week=(3,) * 168), "categories": half}
    assert told(artists, rules=[RotationRule(RuleSubject.ARTIST, 60.0)], **used) == []
    both = told(artists, rules=[RotationRule(RuleSubject.ARTIST, 61.0)], **used)
    assert [one.clock for one in both] == [3, 3]
    assert "Artists of “Gold” can be kept 1 h apart in “Even”, not 1 h 1 min" in both[0].text
    one = told(artists, rules=[RotationRule(RuleSubject.ARTIST, 61.0, category="rest")], **used)
    assert len(one) == 1
    assert "“Rest”" in one[0].text
