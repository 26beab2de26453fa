"""What was not as it was meant: time without sound or of the safety net, lines that were lost."""

import random
from dataclasses import replace

import pytest

from nightly_spindle.core.base.timebase import US
from nightly_spindle.core.programme.running_order import LineSource
from nightly_spindle.core.reports.as_run import OFF_AIR, Alarm, AsRun
from nightly_spindle.core.reports.morning import morning_of
from nightly_spindle.core.reports.tonight import Heard

FROM = 1_796_200_000 * US
NET, TONE, LOG = str(LineSource.ROTATION), str(LineSource.TONE), "2026-12-02.m3u line 7"

TO_LEAVE = "The engine was off: it had been told to leave."


def row(at_s, lasts_s, origin=LOG, outcome="aired", note="", title="Slip", kind="song", over=""):
    at = FROM + round(at_s * US)
    key = f"t/{at_s}/{title}/{outcome}"
    return AsRun(
        key, at, at + round(lasts_s * US), 7, kind, title, "Tern", origin, "", outcome, note, over
    )


def alarm(at_s, code, text="It was so.", severity="alarm", times=1):
    return Alarm(f"{code}/{at_s}", FROM + round(at_s * US), code, severity, text, "Mend it.", times)


def answer(lines, alarms=(), hours=12):
    lines = sorted(lines, key=lambda one: one.start_us)
    return morning_of(lines, list(alarms), FROM, FROM + hours * 3600 * US)


def played(*parts):
    """Rows one after the other: (how long, where from); None is silence."""
    lines, at = [], 0.0
    for lasts, origin in parts:
        if origin is not None:
            lines.append(row(at, lasts, origin))
        at += lasts
    return lines


def test_a_night_as_it_was_meant():
    lines = played((200, LOG), (195, "event “Bell”"), (210, LOG))
    found = answer([*lines, row(10, 4, over="Slip", kind="sweeper"), row(50, 0, outcome="fired")])
    assert found.sentence == "The night went as planned."
    assert found.as_planned
    assert (found.items, found.off_s, found.net_s) == (3, 0, 0)


def test_nothing_at_all():
    assert answer([]).sentence == "Nothing was on air."


@pytest.mark.parametrize(("gap_s", "many"), [(1.9, 0), (2.0, 0), (2.1, 1)])
def test_more_than_a_join_between_two_items_is_off_air(gap_s, many):
    assert len(answer(played((200, LOG), (gap_s, None), (200, LOG))).differences) == many


def test_time_off_air_names_its_cause_and_holds_what_did_not_air():
    lines = [
        *played((200, LOG), (700, None), (200, LOG)),
        row(200, 700, "engine", "missed", TO_LEAVE, OFF_AIR, ""),
        *(row(210 + n, 0, outcome="missed", note="the engine was off", kind="") for n in range(5)),
    ]
    (one,) = answer(lines).differences
    assert (one.heard, one.lasts_s) == (Heard.SILENCE, 700)
    assert one.what == "Off air; 5 lines did not air."
    assert one.why == TO_LEAVE
    # what is told just after it, of something else, is not its cause
    assert answer(lines, [alarm(905, "log-missing")]).differences[0].why == TO_LEAVE
    told = answer(lines, [alarm(899, "engine-restarted", "It was killed.")])
    assert [(d.why, d.code) for d in told.differences] == [("It was killed.", "engine-restarted")]
    assert told.sentence == "11 min 40 s of the night were not as planned."
    assert told.longest_off_s == 700


def test_what_overlaps_is_no_gap():
    lines = [row(0, 300), row(10, 20), row(295, 100)]
    assert answer(lines).as_planned


def test_the_safety_net_is_one_stretch_with_the_alarm_that_says_why():
    lines = played((200, LOG), (180, NET), (170, NET), (160, NET), (200, LOG), (60, TONE), (9, LOG))
    alarms = [
        alarm(201, "net-rotation", "Nothing was lined up.", "warning"),
        alarm(199, "folder-away", "The drive is gone."),
        alarm(705, "folder-back", "It is there again.", "note"),
    ]
    found = answer(lines, alarms)
    assert [(d.what, d.heard, d.why, d.lasts_s) for d in found.differences] == [
        ("The safety net played: 3 items.", Heard.WRONG, "The drive is gone.", 510),
        ("The station tone played.", Heard.TONE, "", 60),
    ]
    assert found.net_s == 570


def test_a_song_that_was_added_to_land_an_event_is_no_safety_net():
    line = row(200, 180, NET)
    landed = replace(line, why="Chosen so that “Bell” lands at 06:00:00.")
    assert answer([row(0, 200), landed, row(380, 200)]).as_planned
    assert not answer([row(0, 200), line, row(380, 200)]).as_planned


def test_lines_of_one_cause_are_one_and_alarms_of_other_things_stand_for_themselves():
    lost = [
        row(20 + n, 0, outcome="skipped", note="the file is not there", kind="") for n in range(3)
    ]
    lost.append(row(90, 0, outcome="broke off", note="it ended early", title="Kelp", kind=""))
    alarms = [alarm(500, "output-down", "The output is down.", times=4), alarm(9, "x", "n", "note")]
    found = answer([*played((600, LOG)), *lost], alarms)
    assert [(d.what, d.many) for d in found.differences] == [
        ("“Slip” and 2 more lines: skipped.", 3),
        ("“Kelp”: broke off.", 1),
        ("The output is down.", 4),
    ]
    assert found.sentence == "The night went as planned, but for 3 things."


def test_seconds_add_up_whatever_the_night():
    seed = random.randrange(2**32)
    print(f"seed {seed}")
    dice = random.Random(seed)
    for _ in range(60):
        parts = [(200, LOG)]
        parts += [
            (dice.randint(5, 300), dice.choice([LOG, LOG, NET, TONE, None])) for _ in range(40)
        ]
        parts.append((200, LOG))
        found = answer(played(*parts), hours=24)
        silent = sum(lasts for lasts, origin in parts if origin is None)
        assert found.off_s == pytest.approx(silent)
        net = sum(lasts for lasts, origin in parts if origin in {NET, TONE})
        assert found.net_s >= net - 1e-6, "what lies between two items of one stretch counts too"
        starts = [one.from_us for one in found.differences]
        assert starts == sorted(starts)
