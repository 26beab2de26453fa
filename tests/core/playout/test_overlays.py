"""Overlays: whose turn, where they lie, never over a vocal, whatever the size of the steps."""

import random
from dataclasses import replace
from datetime import date, datetime
from itertools import pairwise
from zoneinfo import ZoneInfo

import pytest
from conftest import RATE, examples, make_item
from hypothesis import given
from hypothesis import strategies as st
from test_sequencer import Logs, state_at

from nightly_spindle.core.base.timebase import US, resolve_local, to_frames
from nightly_spindle.core.calendar.recurrence import TimeRule
from nightly_spindle.core.events.steps import LoadLog, PlayItem
from nightly_spindle.core.events.timed_events import Entry, TimedEvent
from nightly_spindle.core.library.items import Kind
from nightly_spindle.core.library.markers import Marks, Shaping
from nightly_spindle.core.logs.log_meanings import meaning_from
from nightly_spindle.core.overlays.overlay_pools import (
    Edge,
    Lies,
    Member,
    Pool,
    PoolOptions,
    PoolUse,
    TurnOrder,
    VoiceoverFit,
)
from nightly_spindle.core.playout.air_start import take_the_air
from nightly_spindle.core.playout.rehearsal import Recorder
from nightly_spindle.core.playout.sequencer import Sequencer
from nightly_spindle.core.programme.programme import Programme
from nightly_spindle.core.programme.running_order import (
    Line,
    LineSource,
    Origin,
    OverlayPlace,
    OverlayWish,
    Wish,
)
from nightly_spindle.core.segues.effective_markers import cues_of
from nightly_spindle.core.station.log_sources import DropOptions, Loads, LogDrop
from nightly_spindle.core.station.settings import OverlayRules, StationSettings
from nightly_spindle.store.playout.state_coding import decode_state, encode_state

TZ = ZoneInfo("Europe/Lisbon")
NOON = resolve_local(datetime(2026, 11, 24, 12), TZ)

OPTIONS = st.fixed_dictionaries(
    {},
    optional={
        "order": st.sampled_from(TurnOrder),
        "lies": st.sampled_from(Lies),
        "fits": st.sampled_from(VoiceoverFit),
        "edge": st.sampled_from(Edge),
        "every": st.integers(1, 9).map(float),
        "hours": st.sampled_from(["", "22:00-06:00", "0:00-24:00"]),
        "alone": st.booleans(),
        "days": st.sampled_from(["", "fri", "mon-thu, sun"]),
        "least_s": st.floats(0, 9000),
        "pairs": st.sampled_from(["song>song", "any>song, jingle>song"]),
        "tags": st.just("request"),
    },
)


def song(cart, seconds=60.0, intro=None, *, vocal_end=None, **more):
    item = make_item(cart, seconds)
    marks = Marks(intro_end_s=intro, vocal_end_s=vocal_end, sweepers_s=more.pop("points", ()))
    return replace(item, marks=marks, shaping=Shaping(**more))


def voice(cart, seconds, kind=Kind.SWEEPER):
    return make_item(cart, seconds, kind, segue_s=seconds)


def pool(use=PoolUse.SWEEPERS, carts=(900,), number=1, **options):
    members = tuple(one if isinstance(one, Member) else Member(one) for one in carts)
    return Pool(number, f"Pool {number}", use, members, PoolOptions(**options), number)


def station(items, pools, **settings):
    known = {item.cart: item for item in items}
    songs = [item for item in items if item.kind is Kind.SONG]
    return Programme(
        StationSettings("Pier", "Europe/Lisbon", **settings), Logs(), known, pool=songs, pools=pools
    )


def on_air(programme, carts, us=NOON, **more):
    state = state_at(us, carts)
    for at, line in enumerate(state.order.upcoming):
        state.order.upcoming[at] = replace(line, **more.get(f"line{at}", {}))
    return Sequencer(programme, state)


def aired(sequencer, seconds, steps=()):
    recorder = Recorder()
    begin = sequencer.state.clock.frame
    for step in [*steps, seconds]:
        recorder.take(sequencer.advance(begin + round(step * RATE)))
    return recorder


# -- where they lie --------------------------------------------------------------------------------


def one_segue(incoming, *, out=None, length=5.0, kind=Kind.SWEEPER, line1=None, **options):
    out = out or song(1, 60.0)
    items = [out, incoming, voice(900, length, kind)]
    sequencer = on_air(station(items, [pool(**options)]), [1, 2], line1=line1 or {})
    recorder = aired(sequencer, 70)
    start = next(row.start for row in recorder.rows if row.line.cart == 2)
    return recorder, [
        ((one.start - start) / RATE, (one.end - start) / RATE, one.overlay)
        for one in recorder.overlays
    ]


@pytest.mark.parametrize(
    ("incoming", "options", "begins", "ends"),
    [
        (song(2, intro=20.0), {}, -5.0, 0.0),
        (song(2, intro=20.0), {"lies": Lies.STARTS}, 0.0, 5.0),
        (song(2, intro=20.0), {"lies": Lies.CENTRED}, -2.5, 2.5),
        (song(2, intro=20.0), {"lies": Lies.STARTS, "offset_s": 3.0}, 3.0, 8.0),
        (song(2, intro=20.0), {"offset_s": -2.0}, -7.0, -2.0),
        # the vocal comes in at 3 s: 0.8 s before it all is said, and the programme is up then
        (song(2, intro=3.0), {"lies": Lies.STARTS}, -2.8, 2.2),
        # nobody knows where the vocal comes in: not over it at all
        (song(2), {"lies": Lies.STARTS}, -5.0, 0.0),
        (song(2, talk_over=True), {"lies": Lies.STARTS}, 0.0, 5.0),
        (song(2, intro=20.0, talk_over=False), {"lies": Lies.CENTRED}, -5.0, 0.0),
    ],
)
def test_a_sweeper_lies_on_the_segue_as_it_is_set(incoming, options, begins, ends):
    _, laid = one_segue(incoming, **options)
    assert len(laid) == 1
    assert laid[0][0] == pytest.approx(begins, abs=1e-4)
    assert laid[0][1] == pytest.approx(ends, abs=1e-4)
    assert laid[0][2].where is OverlayPlace.SEGUE


def test_a_sweeper_keeps_off_the_last_word_and_does_not_fit_between_words():
    # the segue is at 56 s of 60: the last word ends at 53, then at 58 s
    _, laid = one_segue(song(2, intro=9.0), out=song(1, 60.0, vocal_end=53.0))
    assert laid[0][0] == pytest.approx(-3.0, abs=1e-4)
    _, laid = one_segue(song(2, intro=3.0), out=song(1, 60.0, vocal_end=58.0))
    assert not laid
    _, laid = one_segue(song(2, intro=3.6), out=song(1, 60.0, vocal_end=58.0), length=0.7)
    assert laid[0][0] == pytest.approx(2.0, abs=1e-4)


def test_kinds_decide_and_none_lies_beside_a_spot():
    spot = replace(make_item(2, 30.0, Kind.SPOT), title="Spot")
    jingle = make_item(2, 8.0, Kind.JINGLE)
    assert not one_segue(spot)[1]
    assert not one_segue(spot, pairs="any>any")[1]
    assert one_segue(spot, pairs="any>any", beside="")[1]
    assert not one_segue(jingle, pairs="song>jingle")[1]  # a jingle, unless it is allowed
    assert one_segue(jingle, pairs="song>jingle", beside="spot")[1]


def test_the_lines_word_beats_the_songs_own_that_beats_the_pools():
    own = song(2, intro=9.0, own_sweeper=901)
    extra = [voice(901, 3.0), voice(902, 4.0), voice(903, 4.0), voice(904, 4.0, Kind.VOICEOVER)]
    pools = [pool(), pool(carts=(903,), number=2, days="sun")]

    def over(item, wish):
        items = [song(1), item, voice(900, 5.0), *extra]
        line = {"overlay": wish}
        recorder = aired(on_air(station(items, pools), [1, 2], line1=line), 75)
        return [
            (one.overlay.item.cart, one.overlay.origin, one.overlay.where)
            for one in recorder.overlays
            if one.overlay.line_id == 2
        ]

    segue = OverlayPlace.SEGUE
    assert over(own, None) == [(901, "the song's own", segue)]
    assert over(own, OverlayWish(Wish.POOL, pool=2)) == [(901, "the song's own", segue)]
    assert over(own, OverlayWish(Wish.THIS, 902)) == [(902, "by hand", segue)]
    assert over(own, OverlayWish(Wish.NONE)) == []
    plain = song(2, intro=9.0)
    assert over(plain, None) == [(900, "pool “Pool 1”", segue)]
    assert over(plain, OverlayWish(Wish.POOL, pool=2)) == [(903, "pool “Pool 2”", segue)]
    assert over(plain, OverlayWish(Wish.THIS, 904)) == [(904, "by hand", OverlayPlace.INTRO)]


def test_what_is_placed_by_hand_lies_there_and_what_cannot_is_told():
    wish = OverlayWish(Wish.THIS, 900, at_s=-1.5)
    _, laid = one_segue(song(2, intro=2.0), line1={"overlay": wish})
    assert laid[0][0] == pytest.approx(-1.5, abs=1e-4)
    assert laid[0][2].by_hand
    recorder, laid = one_segue(
        song(2, intro=2.0),
        out=song(1, 60.0, vocal_end=59.0),
        line1={"overlay": OverlayWish(Wish.THIS, 900)},
    )
    assert not laid
    told = [one.text for one in recorder.findings if one.code == "overlay-left-out"]
    left_out = "“Title 900”, chosen by hand, is left out over the segue into “Title 2”: there is "
    assert told == [f"{left_out}no room for it."]


def voiceovers(items, carts, *, pools=None, line=None, **options):
    kind = Kind.VOICEOVER
    spoken = [voice(900 + n, seconds, kind) for n, seconds in enumerate(carts)]
    own = [pool(PoolUse.VOICEOVERS, [one.cart for one in spoken], **options)]
    programme = station([*items, *spoken], own if pools is None else pools)
    sequencer = on_air(programme, [item.cart for item in items], line0=line or {})
    recorder = aired(sequencer, 55)
    return [
        ((one.start - recorder.rows[0].start) / RATE, one.overlay.item.cart)
        for one in recorder.overlays
    ]


def test_a_voiceover_ends_at_the_post_or_starts_when_set():
    assert voiceovers([song(1, intro=8.0)], [5.0]) == [(pytest.approx(2.2, abs=1e-4), 900)]
    late = voiceovers([song(1, intro=8.0)], [5.0], at_post=False, after_s=1.0)
    assert late == [(pytest.approx(1.0, abs=1e-4), 900)]
    pushed = voiceovers([song(1, intro=8.0)], [5.0], at_post=False, after_s=6.0)
    assert pushed == [(pytest.approx(2.2, abs=1e-4), 900)]
    assert voiceovers([song(1, intro=4.0)], [5.0]) == []  # too short an intro
    assert voiceovers([song(1)], [5.0]) == []  # never without the mark
    assert voiceovers([song(1, talk_over=True)], [5.0], at_post=False, after_s=2.0) == [
        (pytest.approx(2.0, abs=1e-4), 900)
    ]


def test_of_those_that_fit_the_longest_or_whose_turn_it_is():
    assert voiceovers([song(1, intro=8.0)], [2.0, 6.0, 7.0, 9.0])[0][1] == 900
    assert (
        voiceovers([song(1, intro=8.0)], [2.0, 6.0, 7.0, 9.0], fits=VoiceoverFit.LONGEST)[0][1]
        == 902
    )


def test_voiceovers_keep_to_categories_and_to_tags():
    spoken = voice(900, 4.0, Kind.VOICEOVER)

    def over(options, tag="", inside=()):
        programme = station([song(1, intro=8.0), spoken], [pool(PoolUse.VOICEOVERS, **options)])
        programme.in_category = {"new releases": frozenset(inside)}
        sequencer = on_air(programme, [1], line0={"tag": tag})
        return len(aired(sequencer, 20).overlays)

    new = {"categories": "New releases"}
    assert (over(new), over(new, inside=[1]), over(new, inside=[2])) == (0, 1, 0)
    asked = {"tags": "request, greeting"}
    assert (over(asked), over(asked, "Request"), over(asked, "show")) == (0, 1, 0)


def test_measured_intro_ends_count_when_they_are_sure_enough():
    spoken = voice(900, 4.0, Kind.VOICEOVER)

    def over(sure, wanted):
        item = make_item(1, 60.0, intro_end_s=9.0, sure_intro_end=sure)
        rules = OverlayRules(intro_sure=wanted)
        programme = station([item, spoken], [pool(PoolUse.VOICEOVERS)], overlay=rules)
        return len(aired(on_air(programme, [1]), 20).overlays)

    assert (over(0.4, 0.5), over(0.6, 0.5), over(1.0, 1.01)) == (0, 1, 0)


def test_sweeper_points_take_the_songs_own_or_the_pools_next():
    items = [song(1, 60.0, points=(20.0, 40.0)), voice(900, 5.0), voice(901, 5.0)]
    found = aired(on_air(station(items, [pool(carts=(900, 901))]), [1]), 50).overlays
    at = [((one.start - found[0].start) / RATE, one.overlay.item.cart) for one in found]
    assert at == [(0.0, 900), (pytest.approx(20.0, abs=1e-4), 901)]
    items[0] = replace(items[0], shaping=Shaping(own_sweeper=901))
    found = aired(on_air(station(items, [pool(carts=(900,))]), [1]), 50).overlays
    assert [one.overlay.origin for one in found] == ["the song's own"] * 2
    items[0] = replace(items[0], shaping=Shaping())
    assert len(aired(on_air(station(items, [pool()]), [1]), 50).overlays) == 2
    assert not aired(on_air(station(items, [pool(points=False)]), [1]), 50).overlays


# -- whatever happens ------------------------------------------------------------------------------

POOLS = st.lists(
    st.tuples(
        st.sampled_from([PoolUse.SWEEPERS, PoolUse.VOICEOVERS]),
        st.lists(st.integers(900, 911), min_size=0, max_size=5, unique=True),
        OPTIONS,
    ),
    max_size=4,
)


@examples(30)
@given(
    POOLS,
    st.lists(st.floats(0.01, 1500), max_size=25).map(sorted),
    st.integers(0, 10_000),
    st.sets(st.integers(900, 911), max_size=4),
    st.booleans(),
)
def test_whatever_the_pools_and_the_steps_overlays_keep_clear(made, steps, seed, broken, fired):
    dice = random.Random(seed)
    songs = [
        song(
            n,
            dice.uniform(20, 80),
            dice.choice([None, dice.uniform(0.5, 18)]),
            vocal_end=dice.choice([None, 19.0]),
            points=dice.choice([(), (0.8,), (9.0, 15.0)]),
            own_sweeper=dice.choice([None, None, 905]),
        )
        for n in range(1, 16)
    ]
    spoken = [
        voice(900 + n, dice.uniform(0.5, 12), dice.choice([Kind.SWEEPER, Kind.VOICEOVER]))
        for n in range(12)
    ]
    pools = [pool(use, carts, n, **options) for n, (use, carts, options) in enumerate(made, 1)]
    rule = TimeRule(datetime(2020, 1, 1, 12, 7, 3), "FREQ=HOURLY")
    cuts = [TimedEvent(1, "News", rule, dice.choice(list(Entry)), (PlayItem(3),))] * fired

    def run(steps, *, saved):
        programme = station([*songs, *spoken], pools)
        programme.set_events(cuts, {}, programme.event_sources)
        programme.unplayable.update(dict.fromkeys(broken, "the file is not there"))
        sequencer = on_air(programme, [1, 2, 3, 4, 5, 6])
        recorder, begin = Recorder(), sequencer.state.clock.frame
        for step in [*steps, 1500]:
            recorder.take(sequencer.advance(begin + round(step * RATE)))
            if saved:
                state = decode_state(encode_state(sequencer.state))
                sequencer = Sequencer(programme, state)
        return recorder

    whole, parts = run([], saved=False), run(steps, saved=True)
    assert [row.start for row in whole.rows] == [row.start for row in parts.rows]
    assert whole.overlays == parts.overlays
    gap = to_frames(OverlayRules().gap_s, RATE)
    assert all(b.start - a.end >= gap or a.outcome != "aired" for a, b in pairwise(whole.overlays))
    for one in whole.overlays:
        assert one.overlay.item.cart not in broken
        for row in whole.rows:
            if row.play is None or one.end <= row.start or one.start >= row.end:
                continue
            clear_of_vocals(one, row)


def clear_of_vocals(one, row):
    """An overlay lies in the intro, after the last word, or at a point that was set for it."""
    cues = cues_of(row.play.item)
    if one.overlay.where is OverlayPlace.POINT:
        return
    own = one.overlay.line_id == row.line.id
    if own and one.end > row.start:
        until = cues.intro_end_s or 0.0
        assert one.end <= row.start + to_frames(until, RATE) - row.play.begin
    elif not own and cues.vocal_end_s is not None:
        assert one.start >= row.start + to_frames(cues.vocal_end_s, RATE) - row.play.begin


def test_a_voiceover_ends_before_a_short_item_gives_way():
    """Its vocal would come in at 19 s, but the next item starts some seconds before."""
    items = [song(1, 20.0, 19.0), song(2, 60.0, 8.0), voice(900, 7.0, Kind.VOICEOVER)]
    programme = station(items, [pool(PoolUse.VOICEOVERS, (900,), lies=Lies.ENDS)])
    recorder = aired(on_air(programme, [1, 2]), 60)
    first = recorder.overlays[0]
    played = [row for row in recorder.rows if row.play]
    assert first.overlay.line_id == played[0].line.id
    assert played[1].start < played[0].start + to_frames(19.0, RATE), "or it is no such case"
    assert first.end <= played[1].start


def test_a_restart_goes_on_with_the_next_in_turn():
    """Killed in an overlay: neither the programme's place nor the pool's turn is lost."""
    carts = (900, 901, 902, 903)
    items = [*(song(n, 50.0, intro=9.0) for n in range(1, 9)), *(voice(c, 6.0) for c in carts)]
    programme = station(items, [pool(carts=carts, lies=Lies.STARTS)])
    through = aired(on_air(programme, [1, 2, 3, 4, 5, 6, 7, 8]), 350)
    cut = through.overlays[2]
    sequencer = on_air(programme, [1, 2, 3, 4, 5, 6, 7, 8])
    sequencer.advance(cut.start + RATE)
    body = encode_state(sequencer.state)
    again, begun = take_the_air(programme, decode_state(body), (cut.start + 3 * RATE) * US // RATE)
    recorder = Recorder()
    recorder.take(begun)
    recorder.take(again.advance(through.rows[0].start + 350 * RATE))
    assert recorder.overlays[0].start == through.overlays[3].start
    assert [o.overlay.item.cart for o in recorder.overlays] == [903, 900, 901, 902][
        : len(recorder.overlays)
    ]
    assert [row.start for row in recorder.rows[1:] if row.play] == [
        row.start for row in through.rows if row.start > cut.start + 4 * RATE
    ]


def test_a_log_tags_its_lines_for_voiceovers():
    spoken = voice(900, 4.0, Kind.VOICEOVER)
    items = [song(1, intro=9.0), song(2, intro=9.0), spoken]
    load = TimedEvent(1, "Load", TimeRule(datetime(2026, 11, 24, 12)), Entry.CUT_IN, (LoadLog(1),))
    drop = LogDrop(
        1,
        "Day log",
        "/logs",
        "%Y-%m-%d.m3u",
        DropOptions(loads=Loads.OTHERWISE, expected=""),
        meanings=(meaning_from("2.*=tag"),),
    )
    programme = Programme(
        StationSettings("Pier", "Europe/Lisbon"),
        Logs(d2026_11_24=[1, 2, 1]),
        {item.cart: item for item in items},
        [load],
        {1: drop},
        pools=[pool(PoolUse.VOICEOVERS, tags="2.")],
    )
    found = aired(on_air(programme, []), 150)
    assert [one.overlay.over for one in found.overlays] == ["the intro of “Title 2”"]


def test_a_line_and_a_date_say_it_in_the_origin():
    line = Line(1, 1, Origin(LineSource.HAND), overlay=OverlayWish(Wish.NONE), tag="request")
    state = state_at(NOON)
    state.order.upcoming = [line]
    assert decode_state(encode_state(state)).order.upcoming == [line]
    assert pool(first=str(date(2026, 11, 24))).open_at(NOON, TZ)
