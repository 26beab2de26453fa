"""Whether tonight works: findings by cause, what is left as it is, hour by hour."""

import random
import re
from pathlib import Path
from zoneinfo import ZoneInfo

import pytest

from nightly_spindle.core.base.findings import Severity
from nightly_spindle.core.base.timebase import US, iso
from nightly_spindle.core.library.markers import Curve
from nightly_spindle.core.reports.timeline import Block, Mark, Night, Pin
from nightly_spindle.core.reports.tonight import (
    Answer,
    Heard,
    Left,
    by_cause,
    counts,
    heard_of,
    tonight_of,
)

TZ = ZoneInfo("Europe/Lisbon")
FROM = 1_796_200_000 * US  # 2026-12-02 08:26:40 UTC
HOUR = 3600 * US
ONE = "Tonight works, with 1 thing to know."


def mark(code, after_min=10, severity=Severity.WARNING, text="It goes wrong.", mend="Mend it."):
    return Mark(FROM + after_min * 60 * US, str(severity), text, mend, 0, code)


def block(after_s, lasts_s, brief="log line 1", kind="song", *, net=False, in_break=False):
    at = FROM + after_s * US
    return Block(
        1, 1, kind, "Slip", "Tern", at, at + lasts_s * US, 0.0, lasts_s, 0.0, Curve.LINEAR, "", (),
        "", brief, "", "aired", net, False, "", in_break=in_break,
    )  # fmt: skip


def night(*marks, blocks=None, hours=12, pins=()):
    blocks = [block(0, 600)] if blocks is None else blocks
    return Night(FROM, FROM + hours * HOUR, list(blocks), list(pins), list(marks))


@pytest.mark.parametrize(
    ("marks", "answer", "sentence"),
    [
        ([], Answer.WORKS, "Tonight works."),
        ([mark("landing", severity=Severity.NOTE)], Answer.WORKS, "Tonight works."),
        ([mark("log-late")], Answer.KNOWN, "Tonight works, with 1 thing to know."),
        (
            [mark("log-late"), mark("net-rotation")],
            Answer.KNOWN,
            "Tonight works, with 2 things to know.",
        ),
        ([mark("only-tone")], Answer.NEEDS_YOU, "Tonight needs you: 1 thing before 08:36."),
        (
            [mark("x", 33, Severity.ALARM), mark("not-heard", 0), mark("net-rotation")],
            Answer.NEEDS_YOU,
            "Tonight needs you: 2 things now.",
        ),
        # what a start passes over, and what is told of the past, needs nobody
        ([mark("log-missing", -90, Severity.ALARM)], Answer.KNOWN, ONE),
        ([mark("event-missed", 0, Severity.ALARM)], Answer.KNOWN, ONE),
    ],
)  # fmt: skip
def test_the_verdict_in_one_sentence(marks, answer, sentence):
    found = tonight_of(night(*marks), TZ, {})
    assert (found.answer, found.sentence) == (answer, sentence)


def test_an_empty_night_needs_you():
    found = tonight_of(night(blocks=()), TZ, {})
    assert found.answer is Answer.NEEDS_YOU
    assert "nothing to play" in found.sentence


def test_one_folder_that_is_gone_is_one_cause_however_many_lines_lie_there():
    lost = [mark("folder-away", n, Severity.ALARM, f"“Song {n}” is away.") for n in range(1700)]
    found = by_cause([*lost, mark("folder-away", 5, mend="Mount the other.")], {})
    assert [(one.many, one.first_us, one.last_us) for one in found] == [
        (1700, FROM, FROM + 1699 * 60 * US),
        (1, FROM + 300 * US, FROM + 300 * US),
    ]
    assert found[0].text == "“Song 0” is away."


def test_what_counts_comes_first_by_time_what_was_left_last():
    marks = [
        mark("landing", 1, Severity.NOTE),
        mark("cut-short", 30, mend="Swap."),
        mark("net-rotation", 20),
        mark("log-late", 2, mend="Wait."),
        mark("log-missing", -60),
    ]
    left = {"log-late|Wait.": Left((), "it always is", 0)}
    found = by_cause(marks, left, FROM)
    assert [one.code for one in found] == [
        "net-rotation",
        "cut-short",
        "landing",
        "log-missing",
        "log-late",
    ]
    assert [counts(one) for one in found] == [True, True, False, True, False]


def test_what_is_left_as_it_is_counts_again_when_something_is_added():
    one, two = (mark("unplayable", n, text=f"“Song {n}” cannot be played.") for n in (1, 2))
    (cause,) = by_cause([one, two], {})
    left = {cause.key: Left(cause.names, "they are being recorded", 7)}
    more = mark("unplayable", 9, text="“X”")
    for marks, holds in (([one, two], True), ([two], True), ([one, more], False)):
        (again,) = by_cause(marks, left)
        assert (again.left is not None) == holds
        assert again.needs_you is False


def test_severity_is_what_listeners_hear():
    assert heard_of("not-heard", "alarm") is Heard.SILENCE
    assert heard_of("only-tone", "alarm") is Heard.TONE
    assert heard_of("cut-short", "note") is Heard.CUT_OFF
    assert heard_of("landing", "note") is Heard.NOTHING
    assert heard_of("landing", "warning") is Heard.CUT_OFF
    assert heard_of("log-missing", "alarm") is Heard.WRONG
    assert heard_of("something new", "warning") is Heard.WRONG
    assert heard_of("something new", "note") is Heard.NOTHING
    assert [one.words for one in sorted(Heard)][:2] == ["silence", "the tone"]


def test_each_code_that_is_named_is_one_that_the_documents_explain():
    documented = set(re.findall(r"`([a-z-]+)`", Path("docs/troubleshooting.md").read_text()))
    source = Path("src/nightly_spindle/core/reports/tonight.py").read_text()
    named = set(re.findall(r'"([a-z]+(?:-[a-z]+)+)"', source))
    assert named - documented == set()


def test_hours_hold_what_sounds_in_them_and_the_first_is_a_part():
    seed = random.randrange(2**32)
    print(f"seed {seed}")
    dice = random.Random(seed)
    blocks, at = [], 0
    while at < 5 * 3600:
        lasts = dice.randrange(5, 400)
        what = dice.choice([("log line 7", False), ("rotation", True), ("safety net", True)])
        blocks.append(block(at, lasts, what[0], net=what[1]))
        at += lasts
    pin = Pin(FROM + 2 * HOUR, "Bell", "", "wait", 3.0)
    hours = tonight_of(night(*[mark("x", 90)], blocks=blocks, hours=5, pins=[pin]), TZ, {}).hours
    assert iso(hours[0].start_us, TZ).startswith("2026-12-02T08:26:40")
    assert iso(hours[1].start_us, TZ).startswith("2026-12-02T09:00:00")
    assert len(hours) == 6
    inside = [min(one.end_us, FROM + 5 * HOUR) - one.start_us for one in blocks]
    assert sum(s for hour in hours for _, s in hour.fills) == pytest.approx(sum(inside) / US)
    assert sum(hour.items for hour in hours) == len(blocks)
    assert {what for hour in hours for what, _ in hour.fills} <= {"log", "rotation", "tone"}
    assert [len(hour.pins) for hour in hours] == [0, 0, 1, 0, 0, 0]
    assert [hour.causes for hour in hours] == [0, 1, 0, 0, 0, 0]
    net = sum(b.end_us - b.start_us for b in blocks if b.net) / US
    assert sum(hour.net_s for hour in hours) == pytest.approx(net, abs=400)


@pytest.mark.parametrize(("day", "count"), [("2026-10-25", 4), ("2026-03-29", 2)])
def test_an_hour_that_comes_twice_is_two_and_one_that_does_not_come_is_none(day, count):
    """Lisbon: clocks go back from 02:00 to 01:00 on 25 October 2026, forward on 29 March."""
    from datetime import datetime

    begin = int(datetime.fromisoformat(f"{day}T00:00").replace(tzinfo=TZ).timestamp()) * US
    end = int(datetime.fromisoformat(f"{day}T03:00").replace(tzinfo=TZ).timestamp()) * US
    found = tonight_of(Night(begin, end, [block(0, 1)]), TZ, {})
    assert len(found.hours) == count
