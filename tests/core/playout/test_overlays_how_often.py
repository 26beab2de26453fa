"""Overlays over hours: how often, how far apart, and what is told of them."""

from dataclasses import replace
from datetime import datetime
from itertools import pairwise

import pytest
from conftest import RATE, make_item
from test_overlays import NOON, aired, on_air, pool, song, station, voice

from nightly_spindle.core.base.timebase import US
from nightly_spindle.core.calendar.recurrence import TimeRule
from nightly_spindle.core.events.steps import PlayItem, SetOverlays
from nightly_spindle.core.events.timed_events import Entry, TimedEvent
from nightly_spindle.core.library.items import Kind
from nightly_spindle.core.overlays.overlay_pools import (
    Edge,
    PoolUse,
)
from nightly_spindle.core.playout.rehearsal import rehearse
from nightly_spindle.core.programme.running_order import (
    OverlayWish,
    Wish,
)

# -- how often -------------------------------------------------------------------------------------


def hours(pools, *, hours=2.0, extra=(), events=(), **settings):
    items = [*(song(n, 50.0 + n, intro=8.0) for n in range(1, 31)), *extra]
    programme = station(items, pools, **settings)
    programme.set_events(list(events), {}, programme.event_sources)
    sequencer = on_air(programme, list(range(1, 31)) * 10)
    return rehearse(programme, sequencer, [], hours), programme


def test_every_so_many_segues_and_so_far_apart():
    extra = [voice(900, 4.0), voice(901, 4.0)]
    night, _ = hours([pool(every=3.0)], extra=extra)
    starts = {row.line.id: n for n, row in enumerate(night.sounding())}
    at = [starts[one.overlay.line_id] for one in night.overlays]
    assert at == list(range(3, 3 * len(at) + 1, 3))
    night, _ = hours([pool(apart_s=600.0)], extra=extra)
    assert len(night.overlays) == pytest.approx(11, abs=1)
    assert all(b.start - a.start >= 600 * RATE - RATE for a, b in pairwise(night.overlays))


def test_pools_are_asked_in_their_order_and_one_may_be_alone():
    extra = [voice(900, 4.0), voice(901, 4.0), voice(902, 2.0)]
    rare, often = pool(carts=(901,), every=4.0), pool(number=2)
    night, _ = hours([rare, often], extra=extra)
    assert [one.overlay.item.cart for one in night.overlays[:8]] == [900, 900, 900, 901] * 2
    night, _ = hours([replace(rare, options=replace(rare.options, alone=True)), often], extra=extra)
    assert {one.overlay.item.cart for one in night.overlays} == {901}


def test_the_same_one_keeps_its_least_time_and_the_fallback_serves():
    extra = [voice(900, 4.0), voice(901, 4.0), voice(902, 2.0)]
    sparse = pool(carts=(900, 901), least_s=900.0, fallback=902.0)
    night, programme = hours([sparse], extra=extra)
    last: dict[int, int] = {}
    for one in night.overlays:
        cart = one.overlay.item.cart
        if cart != 902:
            assert one.start - last.get(cart, -(1 << 60)) >= 900 * RATE
        last[cart] = one.start
    assert {one.overlay.item.cart for one in night.overlays} == {900, 901, 902}
    gone = {900: "the file is not there", 901: "the file is not there"}
    programme.unplayable.update(gone)
    recorder = aired(on_air(programme, [1, 2, 3]), 130)
    assert [one.overlay.origin for one in recorder.overlays] == ["fallback of pool “Pool 1”"] * 2


def test_links_come_as_items_of_their_own():
    extra = [make_item(950 + n, 6.0, Kind.JINGLE, segue_s=5.5) for n in range(3)]
    carts = tuple(item.cart for item in extra)
    night, _ = hours([pool(PoolUse.LINKS, carts, songs=2.0)], extra=extra)
    kinds = [row.play.item.kind is Kind.JINGLE for row in night.sounding()][:30]
    assert kinds == [False, False, True] * 10
    heard = [row.play.item.cart for row in night.sounding() if row.play.item.cart > 900]
    assert heard[:6] == [*carts, *carts]
    night, _ = hours([pool(PoolUse.LINKS, carts, minutes=20.0)], extra=extra)
    links = [row for row in night.sounding() if row.play.item.cart > 900]
    assert len(links) == 6
    night, _ = hours([pool(PoolUse.LINKS, carts, edge=Edge.BOTH)], extra=extra)
    minutes = [row.start / RATE % 3600 / 60 for row in night.sounding() if row.play.item.cart > 900]
    assert [round(minute / 60 * 15) % 15 for minute in minutes] == [0, 14, 0, 14]
    night, _ = hours([pool(PoolUse.LINKS, carts, songs=1.0, hours="03:00-04:00")], extra=extra)
    assert not [row for row in night.sounding() if row.play.item.cart > 900]


def test_nothing_lies_where_the_next_line_may_change_or_something_cuts_in():
    extra = [voice(900, 8.0), make_item(950, 30.0, Kind.NEWS)]
    rule = TimeRule(datetime(2020, 1, 1, 12, 0, 55), "FREQ=DAILY")
    items = [song(1), song(2, intro=8.0), *extra]

    def over(entry):
        programme = station(items, [pool()])
        programme.set_events(
            [TimedEvent(1, "News", rule, entry, (PlayItem(950),))], {}, programme.event_sources
        )
        return aired(on_air(programme, [1, 2]), 58).overlays

    assert not over(Entry.CUT_IN)
    assert not over(Entry.NEXT)  # the news comes between: no sweeper beside it
    assert aired(on_air(station(items, [pool()]), [1, 2]), 58).overlays


def test_overlays_are_switched_off_by_event_and_wait_for_nobody_who_attends():
    extra = [voice(900, 4.0)]
    off = TimedEvent(
        1, "Quiet", TimeRule(datetime(2026, 11, 24, 12, 30)), Entry.NEXT, (SetOverlays(on=False),)
    )
    night, programme = hours([pool()], extra=extra, events=[off])
    assert max(one.start for one in night.overlays) / RATE < NOON / US + 1800
    sequencer = on_air(programme, [1, 2, 3])
    sequencer.set_unattended(False)
    assert not aired(sequencer, 100).overlays


def codes(sequencer, hours=0.05):
    night = rehearse(sequencer.programme, sequencer, [], hours)
    return {one.code: one for one in night.findings}


def test_what_is_placed_by_hand_is_told_where_it_goes_wrong():
    extra = [voice(900, 5.0), voice(901, 5.0)]
    items = [song(n, 50.0, intro=4.0, vocal_end=40.0) for n in (1, 2, 3)] + extra

    def told(*wishes, **options):
        lines = {f"line{n}": {"overlay": wish} for n, wish in enumerate(wishes, 1)}
        rest = [pool(carts=(901,), **options)] if options else []
        return codes(on_air(station(items, rest), [1, 2, 3], **lines))

    over = told(OverlayWish(Wish.THIS, 900, at_s=1.0))["overlay-over-vocal"]
    assert over.text.endswith("plays over the vocal of “Title 2”.")
    early = told(OverlayWish(Wish.THIS, 900, at_s=-9.0))["overlay-over-vocal"]
    assert early.text.endswith("plays over the vocal of “Title 1”.")
    assert "overlay-over-vocal" not in told(OverlayWish(Wish.THIS, 900, at_s=-2.0))
    # the same one again after 46 s, though it is to rest for ten minutes
    again = OverlayWish(Wish.THIS, 901)
    soon = told(again, again, least_s=600.0)["overlay-too-soon"]
    assert "“Title 901” comes again at" in soon.text
    assert "after 46 s (by hand); it is to rest for 10 min" in soon.text
    assert "overlay-too-soon" in told(again, again, least_s=46.01)
    assert "overlay-too-soon" not in told(again, again, least_s=46.0), "exactly as long is enough"


def test_overlays_that_touch_and_a_switch_that_is_off_are_told():
    items = [
        song(1, 50.0),
        song(2, 50.0, intro=9.0, points=(2.0,), own_sweeper=901),
        voice(900, 5.0),
        voice(901, 4.0),
    ]
    wish = OverlayWish(Wish.THIS, 900, at_s=-3.5)
    programme = station(items, [pool(carts=(900,), enabled=False)])
    found = codes(on_air(programme, [1, 2], line1={"overlay": wish}))
    assert "overlays-touch" not in found  # the point waits for a second after the other
    items[0] = song(1, 50.0, points=(40.0,), own_sweeper=901)
    programme = station(items, programme.pools)
    near = OverlayWish(Wish.THIS, 900, at_s=-1.5)
    found = codes(on_air(programme, [1, 2], line1={"overlay": near}))
    assert "are less than 1 s apart on “Title 1” into “Title 2”" in found["overlays-touch"].text
    sequencer = on_air(programme, [1, 2])
    sequencer.edits.set_overlays(on=False)
    assert codes(sequencer)["overlays-off"].severity == "warning"
