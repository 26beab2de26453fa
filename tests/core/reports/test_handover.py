"""The handover: what was known, as a text; what aired held against what was planned."""

import json
import random
from zoneinfo import ZoneInfo

import pytest
from test_morning import FROM, answer, row
from test_tonight import TZ, block, mark, night

from nightly_spindle.core.base.timebase import US
from nightly_spindle.core.reports.handover import (
    Handover,
    PlannedItem,
    against_plan,
    handover_from,
    handover_of,
    handover_text,
    handover_values,
)
from nightly_spindle.core.reports.tonight import Left, tonight_of
from nightly_spindle.store.reports.handovers import FOLDER, last_handover, write_handover


def planned(*carts, lasts_s=200):
    return tuple(
        PlannedItem(FROM + n * lasts_s * US, cart, f"Song {cart}", "", "log")
        for n, cart in enumerate(carts)
    )


def heard(*carts, lasts_s=200):
    lines = [row(n * lasts_s, lasts_s, title=f"Song {cart}") for n, cart in enumerate(carts)]
    return [type(line)(**{**values(line), "cart": c}) for line, c in zip(lines, carts, strict=True)]


def values(line):
    return {name: getattr(line, name) for name in line.__slots__}


def handed(plan, at_us=FROM):
    return Handover(at_us, FROM + 12 * 3600 * US, "Tonight works.", (), (), plan)


def test_the_text_says_when_how_it_stood_and_what_was_left():
    left = {"log-late|Mend it.": Left((), "it always is", 0)}
    found = tonight_of(night(mark("log-late"), mark("net-rotation", text="No line.")), TZ, left)
    one = handover_of(found, night(blocks=[block(0, 600)]), FROM)
    assert handover_text(one, "Pier", ZoneInfo("UTC")) == (
        "Pier, handed over on Wednesday 02 December 2026 at 08:26.\n"
        "Tonight works, with 1 thing to know. Rehearsed until Wednesday 20:26: 1 item.\n\n"
        "Known:\n- No line. Mend it.\n\n"
        "Left as it is:\n- It goes wrong. Left as it is: it always is.\n"
    )


def test_it_is_written_down_and_the_newest_that_can_be_read_is_found(tmp_path):
    first, second = handed(planned(1, 2)), handed(planned(3), FROM + 3600 * US)
    for one in (first, second):
        text = write_handover(tmp_path, one, "Pier", TZ)
        assert text.read_text(encoding="utf-8").startswith("Pier, handed over")
    assert last_handover(tmp_path, FROM, FROM + 9000 * US) == second
    assert last_handover(tmp_path, FROM, FROM + 3600 * US) == first
    assert last_handover(tmp_path, FROM + 1, FROM + 3600 * US) is None
    newest = max((tmp_path / FOLDER).glob("*.json"))
    for broken in ("", "{", "[]", '{"at_us": "x"}', json.dumps({"at_us": 1})):
        newest.write_text(broken, encoding="utf-8")
        assert last_handover(tmp_path, FROM, FROM + 9000 * US) == first
    assert last_handover(tmp_path / "nowhere", 0, FROM) is None
    assert handover_from(json.loads(json.dumps(handover_values(second)))) == second


@pytest.mark.parametrize(
    ("plan", "aired", "changes"),
    [
        ((1, 2, 3), (1, 2, 3), []),
        ((1, 2, 3), (1, 3), [("“Song 2”", "nothing")]),
        ((1, 3), (1, 2, 3), [("nothing", "“Song 2”")]),
        ((1, 2, 3, 4), (1, 7, 8, 4), [("“Song 2”, “Song 3”", "“Song 7”, “Song 8”")]),
        (
            (1, 2, 3, 4, 5, 6, 9),
            (1, 9),
            [("“Song 2”, “Song 3”, “Song 4” and 2 more items", "nothing")],
        ),
    ],
)
def test_what_aired_is_held_against_the_plan(plan, aired, changes):
    found = against_plan(planned(*plan), heard(*aired))
    assert [(one.planned, one.aired) for one in found] == changes


def test_whatever_changed_equal_stretches_are_folded_away_and_nothing_else():
    seed = random.randrange(2**32)
    print(f"seed {seed}")
    dice = random.Random(seed)
    for _ in range(50):
        plan = [dice.randrange(1, 400) for _ in range(120)]
        aired = list(plan)
        for _ in range(dice.randrange(4)):
            at = dice.randrange(len(aired))
            aired[at : at + dice.randrange(2)] = [999] * dice.randrange(2)
        changes = against_plan(planned(*plan), heard(*aired))
        assert bool(changes) == (plan != aired)
        assert len(changes) <= 8


def test_a_change_is_told_in_the_morning_but_not_within_what_is_told_already():
    lines = heard(1, 2, 8, 4)
    found = answer_by(lines, handed(planned(1, 2, 3, 4)))
    assert [one.what for one in found.differences] == ["“Song 3” was to air; “Song 8” did."]
    assert found.sentence == "The night went as planned, but for 1 thing."
    assert found.handed_over_us == FROM
    # what had not come yet when it was read is no change
    assert answer_by(heard(1, 2), handed(planned(1, 2, 3, 4))).as_planned
    silent = [*heard(1, 2), row(900, 200, title="Song 4")]
    silent[-1] = type(silent[-1])(**{**values(silent[-1]), "cart": 4})
    told = answer_by(silent, handed(planned(1, 2, 3, 3, 4)))
    assert [one.what for one in told.differences] == ["Off air."]
    assert answer(heard(1, 2)).handed_over_us == 0


def answer_by(lines, handover):
    from nightly_spindle.core.reports.morning import morning_of

    return morning_of(lines, [], FROM, FROM + 12 * 3600 * US, handover)
