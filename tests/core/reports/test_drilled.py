"""What is told of drills: what each adds, in which words, and which is the worst."""

import pytest

from nightly_spindle.core.playout.drills import Drill
from nightly_spindle.core.reports.drilled import Drilled, compared, worst_sentence


def one(drill, silent=0.0, tone=0.0, net=0.0, lost=0):
    return Drilled(drill, drill.words, 0, silent, tone, net, lost)


CALM = one(Drill.NOTHING, silent=2.0, net=600.0, lost=3)


def test_each_drill_is_told_by_what_it_adds_to_the_undisturbed_night():
    found = compared([CALM, one(Drill.NO_LOG, 2.5, 90.0, 7800.0, 5), one(Drill.ITEM, 3.1, 0, 600)])
    assert [(d.drill, d.longest_s, d.tone_s, d.net_s, d.lost) for d in found] == [
        (Drill.NO_LOG, 0.0, 90.0, 7200.0, 2),
        (Drill.ITEM, 3.1, 0.0, 0.0, 0),
    ]
    assert [d.sentence for d in found] == [
        "2 h of the safety net, 1 min 30 s of the station tone",
        "3 s of silence",
    ]
    assert one(Drill.ITEM, lost=1).sentence == "1 line left out, no silence"
    assert one(Drill.ITEM).sentence == "no difference"


@pytest.mark.parametrize(
    ("drills", "worst"),
    [
        ([], ""),
        ([CALM], ""),
        ([CALM, one(Drill.ITEM)], "Whatever drill breaks something, listeners hear no difference."),
        # while the power is out nothing can sound: the worst is what could have been otherwise
        (
            [CALM, one(Drill.POWER, silent=902.0), one(Drill.FOLDER, net=2880.0)],
            (
                "Worst drill: if the folder with most of the music is away for 30 minutes, "
                "listeners hear 38 min of the safety net."
            ),
        ),
        (
            [CALM, one(Drill.POWER, silent=1000.0), one(Drill.FOLDER, net=2880.0)],
            "Worst drill: if the power is out for 15 minutes, listeners hear 17 min of silence.",
        ),
        (
            [one(Drill.NO_LOG, net=9000.0), one(Drill.ITEM, tone=5.0)],
            "Worst drill: if the next item cannot be read, listeners hear 5 s of the station tone.",
        ),
    ],
)
def test_silence_is_worst_then_the_tone_then_the_net(drills, worst):
    assert worst_sentence(drills) == worst
