"""What is wanted over one line: read as it was written, and refused in a sentence."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from nightly_spindle.core.base.errors import InputFault
from nightly_spindle.core.playout.overlay_playout import REACH_S
from nightly_spindle.core.playout.overlay_wishes import wish_from, wish_values
from nightly_spindle.core.programme.running_order import OverlayWish, Wish

seconds = st.floats(-REACH_S, 600.0).map(lambda s: round(s, 4))
this = st.builds(
    OverlayWish, st.just(Wish.THIS), st.integers(1, 9999), st.just(0), st.none() | seconds
)
pools = st.builds(OverlayWish, st.just(Wish.POOL), pool=st.integers(0, 99))
none = st.just(OverlayWish(Wish.NONE))


@given(this | pools | none | st.none())
def test_a_wish_is_read_as_it_was_written(wish):
    assert wish_from(wish_values(wish)) == wish


def test_only_what_is_wanted_stands_in_the_values():
    assert wish_values(None) is None
    assert wish_values(OverlayWish(Wish.THIS, 12)) == {"wish": str(Wish.THIS), "cart": 12}
    assert wish_values(OverlayWish(Wish.POOL, pool=3)) == {"wish": str(Wish.POOL), "pool": 3}
    assert wish_values(OverlayWish(Wish.THIS, 12, at_s=0.0))["at_s"] == 0.0
    assert wish_from({}) is None


@pytest.mark.parametrize(
    ("values", "why"),
    [
        ({"wish": "loud"}, "'loud' is none of what a line may want"),
        ({"cart": 3}, "'None' is none of what a line may want"),
        ({"wish": str(Wish.NONE), "volume": 3}, "'volume' is none"),
        ({"wish": str(Wish.THIS)}, "lacks the cart number"),
        ({"wish": str(Wish.THIS), "cart": 0}, "lacks the cart number"),
        ({"wish": str(Wish.POOL), "at_s": 1.0}, "only an overlay that is named"),
        ({"wish": str(Wish.THIS), "cart": 1, "at_s": "soon"}, "seconds from the start"),
        ({"wish": str(Wish.THIS), "cart": 1, "at_s": float("nan")}, "seconds from the start"),
        ({"wish": str(Wish.THIS), "cart": 1, "at_s": -REACH_S - 0.1}, "is outside"),
        ({"wish": str(Wish.THIS), "cart": 1, "at_s": 600.1}, "is outside"),
    ],
)
def test_what_cannot_be_is_refused_in_a_sentence(values, why):
    with pytest.raises(InputFault, match=why):
        wish_from(values)


@pytest.mark.parametrize("at_s", [-REACH_S, 600.0, 0])
def test_the_bounds_themselves_are_taken(at_s):
    assert wish_from({"wish": str(Wish.THIS), "cart": 1, "at_s": at_s}).at_s == at_s
