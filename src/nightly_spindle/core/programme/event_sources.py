"""What timed events can take from: lists, folders, categories, streams."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import TYPE_CHECKING

from nightly_spindle.core.events.steps import (
    PlayCategory,
    PlayFolder,
    PlayItem,
    PlayList,
    PlayStep,
    PlayStream,
)
from nightly_spindle.core.library.items import Ending, Item, Kind, Measure

if TYPE_CHECKING:
    from collections.abc import Iterable

    from nightly_spindle.core.events.timed_events import TimedEvent

_MOST_STEPS = 100  # steps of one event that have a number of their own
_STREAM_FADE_S = 1.0


@dataclass(frozen=True, slots=True)
class EventSources:
    """The carts of what the station's events name, each in its own order.

    Lists in the order of their lines, folders by file name, categories longest unheard first.
    `strays` counts the files of a folder that are audio but not in the library.
    """

    lists: dict[str, tuple[int, ...]] = field(default_factory=dict)
    folders: dict[str, tuple[int, ...]] = field(default_factory=dict)
    categories: dict[str, tuple[int, ...]] = field(default_factory=dict)
    strays: dict[str, int] = field(default_factory=dict)

    def carts(self, step: PlayStep) -> tuple[int, ...] | None:
        """Return what a step takes from, None when there is no such thing."""
        if isinstance(step, PlayItem):
            return (step.cart,) if step.cart > 0 else None  # 0 is the station tone, never meant
        if isinstance(step, PlayList):
            return self.lists.get(step.name.casefold())
        if isinstance(step, PlayFolder):
            return self.folders.get(step.folder)
        if isinstance(step, PlayCategory):
            return self.categories.get(step.name.casefold())
        return ()


def stream_cart(event_id: int, index: int) -> int:
    """Return the cart number that stands for the stream of an event's step: below 0."""
    return -(event_id * _MOST_STEPS + index + 1)


def streams_of(events: Iterable[TimedEvent], rate: int) -> dict[int, Item]:
    """Return the streams that events take over, as items by their numbers."""
    return {
        stream_cart(event.id, index): stream_item(event, index, step, rate)
        for event in events
        for index, step in enumerate(event.steps)
        if isinstance(step, PlayStream)
    }


def stream_item(event: TimedEvent, index: int, step: PlayStream, rate: int) -> Item:
    """Return a stream as an item that lasts as long as it is to be taken over."""
    lasts = step.length_s or event.options.length_s
    segue = max(0.0, lasts - _STREAM_FADE_S)
    measure = Measure(
        lasts, rate, 2, None, cue_out_s=lasts, segue_s=segue, fade_start_s=segue, ending=Ending.FADE
    )
    cart = stream_cart(event.id, index)
    return Item(cart, Kind.STREAM, step.name, "", step.url, measure, patience_s=step.patience_s)
