"""Rules of rotation at their bounds: exactly as far apart as is set is far enough."""

from datetime import datetime

import pytest
from test_making import DAY, LISBON, song

from nightly_spindle.core.base.timebase import US
from nightly_spindle.core.calendar.local_hours import LocalHours
from nightly_spindle.core.music.play_columns import PlayColumns
from nightly_spindle.core.music.rotation_columns import RotationColumns, RotationTrack
from nightly_spindle.core.music.rotation_rules import RotationRule, RuleSubject
from nightly_spindle.core.music.rule_costs import RuleCosts

NOON = DAY / US + 12 * 3600
OWN_HOURS = "It may not air at this hour or on this day."


def judge_of(items, *rules):
    from test_making import DAY_START

    table = RotationColumns([RotationTrack(item, 200.0) for item in items], {})
    judge = RuleCosts(table, rules, LocalHours(LISBON, DAY_START))

    def broken(lines, when, cart):
        lined = PlayColumns((at, table.row(one)) for at, one in lines)
        return [words for words, _ in judge.told(lined, when, table.row(cart))]

    return broken


@pytest.mark.parametrize("subject", [RuleSubject.ARTIST, RuleSubject.TITLE, RuleSubject.ITEM])
@pytest.mark.parametrize(("off_s", "kept"), [(-0.5, False), (0.0, True), (0.5, True)])
@pytest.mark.parametrize("way", [-1, 1])
def test_a_distance_is_kept_exactly_at_it(subject, off_s, kept, way):
    rule = RotationRule(subject, 30)
    broken = judge_of([song(1, 200, "A"), song(2, 200, "B")], rule)
    away = way * (30 * 60 + off_s)
    assert (broken([(NOON + away, 1)], NOON, 1) == []) == kept
    assert broken([(NOON + away, 1)], NOON, 2) == []


def test_own_hours_count_where_no_item_has_a_date_and_the_other_way_round():
    hours_only = judge_of([song(1, 200, "A", hours="mon 06-07"), song(2, 200, "B")])
    dates_only = judge_of([song(1, 200, "A", first="2026-11-03"), song(2, 200, "B")])
    last_only = judge_of([song(1, 200, "A", last="2026-11-01"), song(2, 200, "B")])
    neither = judge_of([song(1, 200, "A"), song(2, 200, "B")])
    monday_half_six = DAY / US + 6.5 * 3600
    assert datetime.fromtimestamp(monday_half_six, LISBON).strftime("%a %H:%M") == "Mon 06:30"
    assert hours_only([], monday_half_six, 1) == []
    assert hours_only([], NOON, 1) == [OWN_HOURS]
    assert dates_only([], NOON, 1) == [OWN_HOURS]
    assert dates_only([], NOON + 24 * 3600, 1) == []
    assert last_only([], NOON, 1) == [OWN_HOURS]
    assert last_only([], NOON - 24 * 3600, 1) == []
    for judge in (hours_only, dates_only, last_only, neither):
        assert judge([], NOON, 2) == []
