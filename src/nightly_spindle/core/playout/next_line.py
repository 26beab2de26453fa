"""What comes after the item on air: the next line, the join into it, what lies over both.

The part of the sequencer that looks; what it finds is decided in `sequencer`.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

from nightly_spindle.core.base.timebase import to_frames
from nightly_spindle.core.events.timed_events import Entry, Firing
from nightly_spindle.core.playout.away_lines import go_on, hold, keeps_time, skip_line
from nightly_spindle.core.playout.break_fill import fill_break
from nightly_spindle.core.playout.event_firing import order_firing
from nightly_spindle.core.playout.log_loading import load_early, top_up
from nightly_spindle.core.playout.overlay_playout import REACH_S, Due, NextJoin, overlay_on_segue
from nightly_spindle.core.playout.safety_net import line_up
from nightly_spindle.core.programme.running_order import NET, Line, Play
from nightly_spindle.core.segues.joins import MOST_GAP_S, Join, plan_join, soonest_pass, span

if TYPE_CHECKING:
    from nightly_spindle.core.library.items import Item
    from nightly_spindle.core.programme.air_state import AirState
    from nightly_spindle.core.programme.programme import Programme
    from nightly_spindle.core.programme.sequencer_actions import Action
    from nightly_spindle.core.segues.segue_rules import Segues


class NextLine:
    """Looks on from one `AirState` by one `Programme`."""

    def __init__(self, programme: Programme, state: AirState) -> None:
        self.programme, self.state = programme, state
        self._planned: tuple[tuple[Play, Line, Item, Segues], Join] | None = None

    def forget(self) -> None:
        """Plan the join anew: lines or what they mean have changed."""
        self._planned = None

    def go_by(self, programme: Programme) -> None:
        """Look things up in another programme from here on."""
        self.programme = programme
        self.forget()

    # -- what is due ---

    def firings(self) -> list[Firing]:
        """Return what is due next: the programme's firings, and what was told to load by hand."""
        firings = self.programme.next_firings(self.state.clock.fired_until_us)
        orders = self.state.logs.orders
        if not orders or (firings and firings[0].at_us < orders[0].at_us):
            return firings
        at = orders[0].at_us
        by_hand = [order_firing(order) for order in orders if order.at_us == at]
        return [*by_hand, *(firing for firing in firings if firing.at_us == at)]

    def early(self, firings: list[Firing]) -> int:
        """Return by how many frames what is due next may come early, to land on time."""
        if not self.state.order.unattended or any(f.event.entry is Entry.CUT_IN for f in firings):
            return 0
        near = [f.event.options.tolerance_s for f in firings if f.event.entry is Entry.LAND]
        return to_frames(min(near), self.state.clock.rate) if near else 0

    # -- the item on air and the next -----

    def passes_at(self, actions: list[Action], before: int) -> int | None:
        """Return the frame at which the item on air gives way, None while stopped.

        Nothing is lined up earlier than it is needed: a firing due before may change all.
        """
        state = self.state
        if state.order.stopped:
            return None
        playing = state.order.playing
        if playing is None:
            return state.clock.frame
        if not state.order.unattended:
            return max(self.natural_end(playing), state.clock.frame)
        if not state.order.upcoming or keeps_time(self.programme, state):
            soonest = soonest_pass(playing.item, self.programme.segues, state.clock.rate)
            reach = to_frames(REACH_S, state.clock.rate) if state.overlays.on else 0
            if playing.start + soonest - playing.begin - reach >= before:
                return None
        at = playing.start + self.join(actions).segue - playing.begin
        if state.order.silent_at:
            # the fader is down already: another next line must not leave a hole behind it
            at = min(at, state.order.silent_at + to_frames(MOST_GAP_S, state.clock.rate))
        return max(at, state.clock.frame)

    def natural_end(self, playing: Play) -> int:
        """Return the frame at which an item on air is over when nothing follows it."""
        end = playing.start + span(playing.item, self.state.clock.rate).cue_out - playing.begin
        return min(end, self.state.order.silent_at or end)

    def fades_at(self, actions: list[Action]) -> int | None:
        """Return when the fader goes down ahead of the next item's start, None when it does not."""
        playing = self.state.order.playing
        if playing is None or self.state.order.silent_at or not self.state.order.unattended:
            return None
        join = self.join(actions)
        if not join.fade_out or join.fade_at >= join.segue:
            return None
        return max(playing.start + join.fade_at - playing.begin, self.state.clock.frame)

    def kept_clear(self, firings: list[Firing], ends: int | None) -> tuple[int | None, int | None]:
        """Return when the next line may become another, and when something cuts in, if it does."""
        acting = [firing for firing in firings if firing.event.acts]
        if not acting:
            return ends, ends
        at = max(self.state.clock.frame_of(acting[0].at_us), self.state.clock.frame)
        settled, cut = at - self.early(firings), ends
        if any(f.event.entry is Entry.CUT_IN and f.event.line_steps for f in acting):
            cut = at if ends is None else min(at, ends)
        return (settled if ends is None else min(settled, ends)), cut

    def over_join(
        self, actions: list[Action], passes: int, settled: int | None, cut: int | None
    ) -> Due | None:
        """Return the overlay on the join into the next line, which starts at frame `passes`.

        None where the next line may become another before that.
        """
        if settled is not None and settled <= passes:
            return None
        line, item = self.line(actions)
        begin = max(span(item, self.state.clock.rate).cue_in, line.begin)
        coming = NextJoin(line, item, passes, begin)
        return overlay_on_segue(self.programme, self.state, coming, cut)

    def join(self, actions: list[Action]) -> Join:
        """Return the join between the item on air and the next line, planned once."""
        playing = self.state.order.playing
        assert playing is not None
        line, item = self.line(actions)
        segues = self.programme.segues
        found = self._planned
        if found is None or not (
            found[0][0] is playing
            and found[0][1] is line
            and found[0][2] is item
            and found[0][3] is segues
        ):
            join = plan_join(
                playing.item, playing.begin, item, segues, self.state.clock.rate, line.join
            )
            self._planned = found = ((playing, line, item, segues), join)
        return found[1]

    def line(self, actions: list[Action]) -> tuple[Line, Item]:
        """Return the next line that can be played, dropping those before it that cannot.

        A break is filled when it comes next. A line whose folder is away keeps its time.
        """
        state = self.state
        while True:
            if not state.order.upcoming:
                top_up(self.programme, state, actions, self.expected_end)
            if not state.order.upcoming:
                load_early(self.programme, state, self.expected_end(), actions)
            if not state.order.upcoming:
                line_up(self.programme, state, self.expected_end(), actions)
            line = state.order.upcoming[0]
            if line.opens is not None:
                fill_break(self.programme, state, self.expected_end(), actions)
                continue
            item, at = self.programme.playable(line.cart), self.expected_end()
            if item is not None:
                if go_on(self.programme, state, at, actions):
                    continue
                return line, item
            away = self.programme.away_of(line.cart)
            if away is not None and line.origin.source not in NET:
                hold(self.programme, state, at, away, actions)
            else:
                skip_line(self.programme, state, at, actions)

    def expected_end(self) -> int:
        """Return the frame at which the item on air would end by itself."""
        playing = self.state.order.playing
        if playing is None:
            return self.state.clock.frame
        here = span(playing.item, self.state.clock.rate, self.programme.segues)
        return playing.start + here.segue - playing.begin
