"""When alerts are sent: by hand in small cases, and by laws over random nights."""

from zoneinfo import ZoneInfo

import pytest
from conftest import examples
from hypothesis import given
from hypothesis import strategies as st

from nightly_spindle.core.alerts.alert_texts import body, subject, trial, values
from nightly_spindle.core.alerts.alert_turns import AlertTurns
from nightly_spindle.core.alerts.alerts import When
from nightly_spindle.core.alerts.troubles import (
    Heard,
    Trouble,
    TroubleKind,
    troubles_of,
    with_cause,
)
from nightly_spindle.core.base.timebase import US
from nightly_spindle.core.outputs.output_health import OutputSight, OutputState
from nightly_spindle.core.outputs.output_health import Trouble as OutputTrouble
from nightly_spindle.core.outputs.outputs import OutputKind
from nightly_spindle.core.programme.running_order import LineSource

TZ = ZoneInfo("Europe/Lisbon")
MIDNIGHT = 1_764_720_000 * US  # 2025-12-03 00:00 in Lisbon


def one(kind, key=""):
    return Trouble(kind, key or str(kind), str(kind), f"It is the {kind}.", "Mend it.")


SILENCE, TONE = one(TroubleKind.SILENCE), one(TroubleKind.TONE)
CARD, STREAM = one(TroubleKind.OUTPUT, "output 1"), one(TroubleKind.OUTPUT, "output 2")


def run(when, *looks):
    """Messages by second, from (second, troubles): told keys, and whether it is the end."""
    turns, found = AlertTurns(when), []
    for second, troubles in looks:
        for message in turns.look(MIDNIGHT + second * US, troubles):
            keys = [told.trouble.key for told in message.troubles]
            found.append((second, keys, message.over))
    return found


def every(step, *stretches, until):
    """Looks every so many seconds; each stretch is (from, to, trouble)."""
    return [
        (at, [trouble for begin, end, trouble in stretches if begin <= at < end])
        for at in range(0, until, step)
    ]


def test_what_lasts_is_told_once_and_its_end_once():
    when = When(after_s=30, quiet_min=15)
    looks = every(2, (10, 100, SILENCE), until=200)
    # seen from second 10 on: 30 s later it has lasted; last seen at 98, gone for 10 s at 108
    assert run(when, *looks) == [(40, ["silence"], False), (108, ["silence"], True)]
    assert run(When(ends=False), *looks) == [(40, ["silence"], False)]
    assert run(When(silence=False), *looks) == []


def test_what_is_shorter_is_not_told_and_a_moment_without_it_begins_anew():
    when = When(after_s=30)
    assert run(when, *every(2, (10, 40, SILENCE), until=100)) == []
    assert run(when, *every(2, (10, 42, SILENCE), until=100))[0] == (40, ["silence"], False)
    assert run(when, *every(2, (10, 38, SILENCE), (40, 69, SILENCE), until=100)) == []
    # once told a moment without it is no end
    looks = every(2, (10, 60, SILENCE), (68, 90, SILENCE), until=120)
    assert run(when, *looks) == [(40, ["silence"], False), (98, ["silence"], True)]


def test_what_lasts_beside_is_told_with_it_the_gravest_first_and_the_end_when_all_is_over():
    when = When(after_s=30)
    looks = every(2, (0, 200, STREAM), (20, 100, TONE), (90, 200, CARD), until=300)
    assert run(when, *looks) == [
        (30, ["tone", "output 2"], False),
        (208, ["tone", "output 2"], True),
    ], "the other output is of a kind that has just been told"


def test_the_same_kind_waits_for_the_quiet_time_and_is_counted_meanwhile():
    when = When(after_s=10, quiet_min=5)
    looks = every(2, (0, 20, TONE), (40, 60, TONE), (100, 120, TONE), (290, 400, TONE), until=500)
    turns, told = AlertTurns(when), []
    for second, troubles in looks:
        told += [(second, m.over, m.troubles) for m in turns.look(MIDNIGHT + second * US, troubles)]
    assert [(second, over) for second, over, _ in told] == [
        (10, False),
        (28, True),
        (310, False),
        (408, True),
    ]
    assert [m[0].before for _, _, m in told] == [0, 0, 2, 2]
    assert "It came and went 2 times before that." in body("Pier", _message(told[2]), TZ)


def _message(told):
    from nightly_spindle.core.alerts.alert_turns import Message

    return Message(MIDNIGHT + told[0] * US, told[2])


@examples(300)
@given(
    st.lists(
        st.tuples(
            st.sampled_from([1, 2, 3, 7, 40]), st.sets(st.sampled_from(["a", "b", "c"]), max_size=3)
        ),
        min_size=1,
        max_size=120,
    ),
    st.sampled_from([0, 5, 30, 61]),
    st.sampled_from([0, 1, 15]),
    st.booleans(),
)
def test_nothing_is_told_too_soon_too_often_or_without_its_end(looks, after, quiet, ends):
    kinds = {"a": TroubleKind.SILENCE, "b": TroubleKind.TONE, "c": TroubleKind.OUTPUT}
    when = When(after_s=after, quiet_min=quiet, ends=ends)
    turns, now = AlertTurns(when), 0
    since, last, open_, opened = {}, {}, False, 0
    for wait, keys in looks:
        now += wait
        for key in kinds:
            since[key] = since.get(key, now) if key in keys else None
        since = {key: at for key, at in since.items() if at is not None}
        for message in turns.look(MIDNIGHT + now * US, [one(kinds[key], key) for key in keys]):
            told = {told.trouble.key for told in message.troubles}
            if message.over:
                assert ends
                assert open_, "an end has a beginning"
                assert not told & keys
                open_ = False
                continue
            due = {k for k in told & set(since) if now - since[k] >= after}
            due = {k for k in due if k not in last or now - last[k] >= 60 * quiet}
            assert due, "at least one has lasted, and was not told lately"
            last.update(dict.fromkeys(due, now))
            open_, opened = True, opened + 1
    if opened and ends:
        for _ in range(12):
            now += 1
            turns.look(MIDNIGHT + now * US, [])
        assert not turns._now


# -- what is wrong now ---------------------------------------------------------------------------


def heard(**facts):
    usual = {"peak_db": -12.0, "playing": LineSource.LOG, "waits": False, "outputs": ()}
    return Heard(**(usual | facts))


def kinds(found):
    return [trouble.kind for trouble in found]


def sight(number, kind, trouble=OutputTrouble.NONE, problem=""):
    state = OutputState.DOWN if problem else OutputState.UP
    return OutputSight(number, f"Out {number}", kind, state, MIDNIGHT, trouble, problem)


def test_what_is_wrong_is_told_and_nothing_else():
    assert kinds(troubles_of(None)) == [TroubleKind.OFF_AIR]
    assert troubles_of(heard()) == []
    assert troubles_of(heard(peak_db=-60.0)) == []
    assert kinds(troubles_of(heard(peak_db=-60.1))) == [TroubleKind.SILENCE]
    assert troubles_of(heard(peak_db=-200.0, playing=None, waits=True)) == [], "somebody is there"
    assert kinds(troubles_of(heard(playing=LineSource.TONE))) == [TroubleKind.TONE]
    for net in (LineSource.ROTATION, LineSource.DAY_LOG_AGAIN):
        assert kinds(troubles_of(heard(playing=net))) == [TroubleKind.NET]
    down = sight(1, OutputKind.STREAM, OutputTrouble.NO_ANSWER, "no answer from pier.example")
    disk = sight(2, OutputKind.RECORDING, OutputTrouble.DISK, "the disk is full")
    (found,) = troubles_of(heard(outputs=(down, disk, sight(3, OutputKind.CARD))))
    assert found.text == "The output “Out 1” is down: no answer from pier.example."
    assert found.mend == "See whether the server runs, and whether a firewall is between."


def test_the_cause_is_the_last_alarm_but_an_output_says_its_own():
    told = with_cause(TONE, "The folder /music is away: it is not there.", "Mount it.")
    assert (told.why, told.mend) == ("The folder /music is away: it is not there.", "Mount it.")
    assert with_cause(CARD, "The folder is away.", "Mount it.") == CARD
    assert with_cause(TONE, "", "") == TONE


def test_the_words_of_a_mail():
    turns = AlertTurns(When(after_s=30))
    tone = with_cause(TONE, "The folder /music is away: it is not there.", "Mount it.")
    turns.look(MIDNIGHT, [tone, CARD])
    (message,) = turns.look(MIDNIGHT + 30 * US, [tone, CARD])
    assert subject("Pier Nine", message, TZ) == (
        "Pier Nine: tone since 00:00:00, and 1 more trouble"
    )
    assert body("Pier Nine", message, TZ) == (
        "Pier Nine, 2025-12-03 00:00\n\n"
        "It is the tone.\nSince 00:00:00, for 30 s so far.\n"
        "Why: The folder /music is away: it is not there.\nTo do: Mount it.\n\n"
        "It is the output.\nSince 00:00:00, for 30 s so far.\nTo do: Mend it.\n"
    )
    (over,) = turns.look(MIDNIGHT + 90 * US, [])
    assert subject("Pier Nine", over, TZ) == "Pier Nine: all is well again (tone)"
    assert "Over: from 00:00:00 to 00:00:30, 30 s." in body("Pier Nine", over, TZ)
    plain = values("Pier Nine", over, TZ)
    assert (plain["event"], plain["troubles"][0]["kind"]) == ("over", "tone")
    assert plain["troubles"][0]["until"].startswith("2025-12-03T00:00:30")
    tried = values("Pier Nine", trial(MIDNIGHT), TZ)
    assert tried["subject"] == "Pier Nine: a trial since 00:00:00"
    assert "Nothing is wrong." in tried["text"]


@pytest.mark.parametrize("kind", TroubleKind)
def test_each_kind_has_words_and_a_switch(kind):
    assert kind.words
    switches = {
        TroubleKind.OFF_AIR: "off_air",
        TroubleKind.SILENCE: "silence",
        TroubleKind.TONE: "tone",
        TroubleKind.OUTPUT: "outputs",
        TroubleKind.NET: "net",
    }
    off = dict.fromkeys(switches.values(), False)
    assert When(**(off | {switches[kind]: True})).wants(kind)
    assert not When(**(dict.fromkeys(switches.values(), True) | {switches[kind]: False})).wants(
        kind
    )


def test_an_item_that_may_be_silent_for_long_is_given_that_time():
    (quiet,) = troubles_of(heard(peak_db=-90.0, patience_s=45.0))
    assert quiet.patient_s == 45.0
    looks = every(5, (0, 60, quiet), until=60)
    assert run(When(after_s=30), *looks) == [(45, ["silence"], False)]
    assert run(When(after_s=50), *looks) == [(50, ["silence"], False)]
