"""Overlays in the fine: each kind's own ducking, what is left out, and why it was moved."""

import pytest
from conftest import RATE
from test_overlays import aired, on_air, pool, song, station, voice

from nightly_spindle.core.library.items import Kind
from nightly_spindle.core.overlays.overlay_pools import Lies, PoolOptions, PoolUse
from nightly_spindle.core.playout.overlay_choice import ducking_of
from nightly_spindle.core.playout.overlay_position import OverlayWindow, place_sweeper
from nightly_spindle.core.programme.running_order import OverlayWish, Wish
from nightly_spindle.core.programme.sequencer_actions import StartOverlay
from nightly_spindle.core.segues.ducking import Ducking

DEEP, FLAT = Ducking(depth_db=14.0, ahead_s=0.4), Ducking(depth_db=3.0, ahead_s=0.05)


def test_sweepers_and_voiceovers_have_duckings_of_their_own():
    made = station([song(1)], [], duck_sweeper=FLAT, duck_voiceover=DEEP)
    assert ducking_of(made.settings, voice(900, 3.0)) is FLAT
    assert ducking_of(made.settings, voice(901, 3.0, Kind.VOICEOVER)) is DEEP


@pytest.mark.parametrize(
    ("kind", "use", "depth"),
    [(Kind.SWEEPER, PoolUse.SWEEPERS, 3.0), (Kind.VOICEOVER, PoolUse.VOICEOVERS, 14.0)],
)
def test_the_programme_goes_down_as_far_as_the_kind_says(kind, use, depth):
    items = [song(1, intro=9.0), song(2, intro=9.0), voice(900, 4.0, kind)]
    made = station(items, [pool(use)], duck_sweeper=FLAT, duck_voiceover=DEEP)
    sequencer = on_air(made, [1, 2])
    orders = sequencer.advance(sequencer.state.clock.frame + round(75 * RATE))
    begun = [one for one in orders if isinstance(one, StartOverlay)]
    assert begun
    assert {one.duck.depth_db for one in begun} == {depth}


def left_out(wish, items):
    made = station([song(1), *items], [pool(PoolUse.SWEEPERS, carts=(901,))])
    recorder = aired(on_air(made, [1, 2], line1={"overlay": wish}), 75)
    return [one.text for one in recorder.findings if one.code == "overlay-left-out"]


def test_a_voiceover_chosen_by_hand_that_fits_its_intro_is_not_called_left_out():
    spoken, sweeper = voice(900, 4.0, Kind.VOICEOVER), voice(901, 3.0)
    wish = OverlayWish(Wish.THIS, 900)
    assert left_out(wish, [song(2, intro=9.0), spoken, sweeper]) == []
    (text,) = left_out(OverlayWish(Wish.THIS, 902), [song(2, intro=9.0), sweeper])
    assert "item 902, chosen by hand, is left out" in text
    (text,) = left_out(OverlayWish(Wish.THIS, 903), [song(2, intro=0.5), sweeper, voice(903, 58.0)])
    assert "“Title 903”, chosen by hand, is left out" in text
    assert "there is no room for it" in text


@pytest.mark.parametrize(
    ("lies", "offset_s", "low", "high", "at", "why"),
    [
        (Lies.ENDS, 0.0, 0, 2000, 600, "Ends as the next starts."),
        (Lies.STARTS, 0.0, 0, 2000, 1000, "Starts with the next."),
        (Lies.CENTRED, 0.0, 0, 2000, 800, "Lies around the start of the next."),
        (Lies.STARTS, 0.25, 0, 2000, 1250, "Starts with the next, 0.25 s later."),
        (Lies.STARTS, -0.25, 0, 2000, 750, "Starts with the next, 0.25 s sooner."),
        (Lies.STARTS, 0.0, 0, 1200, 800, "Starts with the next; 0.2 s sooner, because BED."),
        (Lies.ENDS, 0.0, 700, 2000, 700, "Ends as the next starts; 0.1 s later, where it is free."),
        (Lies.STARTS, 0.0, 1004, 2000, 1004, "Starts with the next."),
        (Lies.STARTS, 0.0, 0, 399, None, ""),
        (Lies.STARTS, 0.0, 0, 400, 0, "Starts with the next; 1.0 s sooner, because BED."),
    ],
)
def test_where_a_sweeper_lies_and_in_which_way_it_was_moved(lies, offset_s, low, high, at, why):
    options = PoolOptions(lies=lies, offset_s=offset_s)
    found = place_sweeper(OverlayWindow(low, high, "BED"), 400, 1000, options, 1000)
    assert found == (None if at is None else (at, why))


def test_a_voiceover_waits_for_the_last_word_of_the_song_before():
    # the segue is at 56 s of 60, the last word at 58.5: 2.5 s of the intro are sung over
    out, into = song(1, 60.0, vocal_end=58.5), song(2, 60.0, intro=9.0)
    spoken = voice(900, 4.0, Kind.VOICEOVER)
    options = {"at_post": False, "after_s": 0.0}
    for first, begins in ((out, 2.5), (song(1, 60.0), 0.0)):
        made = station([first, into, spoken], [pool(PoolUse.VOICEOVERS, **options)])
        recorder = aired(on_air(made, [1, 2]), 75)
        (laid,) = recorder.overlays
        start = next(row.start for row in recorder.rows if row.line.id == 2)
        assert (laid.start - start) / RATE == pytest.approx(begins, abs=1e-3)
    # where there is no room for it any more it is not laid over the last word
    made = station([out, song(2, 60.0, intro=5.0), spoken], [pool(PoolUse.VOICEOVERS, **options)])
    assert not aired(on_air(made, [1, 2]), 75).overlays


def test_a_pool_that_fell_back_counts_as_used_and_its_turn_stays():
    from test_overlays import pool, station, voice

    from nightly_spindle.core.playout.overlay_playout import use_of_pool
    from nightly_spindle.core.programme.air_state import new_state

    made = pool(carts=(900, 901), fallback=905)
    programme = station([voice(900, 5.0), voice(901, 5.0), voice(905, 4.0)], [made])
    state = new_state(44_100, 1000, 0)
    use_of_pool(programme, state, 1, 900, 2000)
    turn = state.overlays.turns[1]
    state.overlays.since_used[1] = 7
    use_of_pool(programme, state, 1, 905, 9000)
    assert state.overlays.turns[1].at == 9000, "its pause counts from the fallback on"
    assert state.overlays.turns[1] == type(turn)(
        **{**{name: getattr(turn, name) for name in turn.__slots__}, "at": 9000}
    )
    assert state.overlays.since_used[1] == 0
    assert state.overlays.last_used == {900: 2000, 905: 9000}
    use_of_pool(programme, state, 99, 901, 9500)
    assert set(state.overlays.turns) == {1}, "no pool of that number"
