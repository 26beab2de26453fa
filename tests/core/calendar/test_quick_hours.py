"""Parts of the day that are painted with one click."""

from nightly_spindle.core.calendar.week_grid import QUICK, hour_of_week


def test_the_parts_of_a_day_are_each_hour_once():
    days = range(7)
    parts = [set(QUICK[name]) for name in ("Mornings", "Daytime", "Evenings", "Nights")]
    assert set.union(*parts) == set(range(168))
    assert sum(map(len, parts)) == 168, "no hour in two parts"
    assert set(QUICK["Nights"]) == {
        hour_of_week(day, hour) for day in days for hour in (22, 23, 0, 1, 2, 3, 4, 5)
    }
    assert set(QUICK["Evenings"]) == {
        hour_of_week(day, hour) for day in days for hour in range(16, 22)
    }
    assert set(QUICK["Weekdays"]) | set(QUICK["Weekend"]) == set(range(168))
    assert min(QUICK["Weekend"]) == 5 * 24
    assert max(QUICK["Weekdays"]) == 5 * 24 - 1
