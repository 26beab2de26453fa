"""An item that begins softly starts sooner, so that no hole is heard before it."""

from dataclasses import replace

import numpy as np
import pytest
from conftest import RATE, examples, make_item
from hypothesis import given
from hypothesis import strategies as st

from nightly_spindle.core.library.items import FALL_DB
from nightly_spindle.core.library.markers import Curve, Marks, Shaping
from nightly_spindle.core.segues.hole_fill import MOST_SOONER_S, sooner_s
from nightly_spindle.core.segues.joins import plan_join, soonest_pass
from nightly_spindle.core.segues.segue_rules import JoinEdit, Overlap, SegueRule, Segues


def outgoing(seconds=60.0, *, sag=2.0, soft=1.5, lowest=0.5, **more):
    """A song that sags, is 10 dB down and has faded so many seconds before its end."""
    falls = np.interp(-np.array(FALL_DB), [4, 10, 48], [sag, soft, lowest])
    measure = replace(
        make_item(1, seconds).measure,
        integrated_lufs=-14.0,
        fall=tuple(float(seconds - one) for one in falls),
        sag_s=seconds - sag,
        soft_s=seconds - soft,
    )
    return replace(make_item(1, seconds), measure=measure, **more)


def incoming(rise, **more):
    measure = replace(make_item(2, 60.0).measure, integrated_lufs=-14.0, rise_s=rise)
    return replace(make_item(2, 60.0), measure=measure, **more)


def start_s(out, into, rule=None, edit=None):
    segues = Segues(rule or SegueRule())
    join = plan_join(out, 0, into, segues, RATE, edit)
    return join.segue / RATE


def test_it_starts_as_much_sooner_as_it_is_softer():
    out = outgoing()
    plain = start_s(out, incoming(0.0))
    assert start_s(out, incoming(None)) == plain
    assert start_s(out, incoming(0.3)) == plain  # no hole worth it
    starts = [start_s(out, incoming(rise)) for rise in (1.0, 1.5, 2.0, 2.5)]
    assert starts == sorted(starts, reverse=True)
    assert plain - starts[-1] > 1.0
    # by its own fall alone: all but 0.4 s of the hole is filled
    dry = replace(out, shaping=Shaping(fade_out_s=0.0))
    assert start_s(dry, incoming(2.0)) + 2.0 - dry.measure.soft_s == pytest.approx(0.4, abs=0.11)


@pytest.mark.parametrize(
    ("out", "rule", "edit"),
    [
        (outgoing(marks=Marks(segue_s=58.0)), None, None),  # set by hand
        (outgoing(), SegueRule(overlap=Overlap.FIXED), None),
        (outgoing(), SegueRule(overlap=Overlap.GAP), None),
        (outgoing(), None, JoinEdit(out_cart=1, segue_s=58.0)),
    ],
)
def test_what_somebody_said_holds(out, rule, edit):
    assert start_s(out, incoming(3.0), rule, edit) == start_s(out, incoming(0.0), rule, edit)


def test_no_word_is_sung_over_and_no_rule_about_overlaps_broken():
    free = start_s(outgoing(), incoming(3.0))
    sung = outgoing(marks=Marks(vocal_end_s=58.0))
    assert start_s(sung, incoming(3.0)) >= 58.0 > free
    segues = Segues(SegueRule(longest_s=2.0))
    assert plan_join(outgoing(), 0, incoming(3.0), segues, RATE).overlap <= 2 * RATE


@given(
    st.floats(0.0, 6.0),
    st.tuples(*[st.floats(0.0, 8.0)] * 3).map(sorted),
    st.sampled_from(list(Curve)),
    st.floats(0.0, 6.0),
    st.floats(0.0, 3.0),
)
@examples(200)
def test_the_hole_is_filled_or_as_small_as_it_gets(rise, falls, curve, fade, earlier):
    lowest, soft, sag = falls
    out, into = outgoing(sag=sag, soft=soft, lowest=lowest), incoming(rise)
    at = 60.0 - earlier
    found = sooner_s(out, into, at, fade, curve)
    assert 0.0 <= found <= MOST_SOONER_S
    if not fade:
        hole = at - found + min(rise, 5.0) - out.measure.soft_s
        before = at + min(rise, 5.0) - out.measure.soft_s
        assert found == 0.0 if before <= 0.7 else hole <= 0.41 or found >= MOST_SOONER_S - 0.101
    # whatever it is: nothing that is lined up for it comes too late
    segues = Segues()
    join = plan_join(out, 0, into, segues, RATE)
    assert soonest_pass(out, segues, RATE) <= join.segue
