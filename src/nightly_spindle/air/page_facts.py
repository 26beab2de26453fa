"""What the station's page says besides what is on: asked of the engine that runs."""

from __future__ import annotations

from concurrent.futures import TimeoutError as NotYet
from typing import TYPE_CHECKING

from nightly_spindle.core.outputs.now_playing import PROGRAMMES, pattern_text
from nightly_spindle.core.outputs.outputs import StreamOptions, listening_address
from nightly_spindle.core.outputs.stream_codecs import FACTS
from nightly_spindle.core.outputs.web_page import HeardAt, OnToday
from nightly_spindle.core.reports.todays_programme import todays_programme
from nightly_spindle.outputs.page_output import PageFacts

if TYPE_CHECKING:
    from nightly_spindle.air.engine import Engine
    from nightly_spindle.outputs.rack import OutputRack

_COMING = 3
_WAITS_S = 2.0


def page_facts(engine: Engine, rack: OutputRack, now_us: int) -> PageFacts:
    """Return what the page says as of an instant. Not from the pump: it is asked."""
    programme = engine.programme
    titles = programme.settings.titles
    streams = [one for one in rack.outputs if one.on and isinstance(one.options, StreamOptions)]
    delays = [one.delay_s for one in rack.sights() if one.delay_s is not None]
    coming: list[str] = []
    if titles.coming:
        try:
            coming = engine.ask(lambda: _coming(engine)).result(_WAITS_S)
        except NotYet:
            coming = []
    return PageFacts(
        int(titles.kept),
        coming,
        [OnToday(o.name, o.start_us, o.end_us) for o in todays_programme(programme, now_us)],
        [
            HeardAt(
                one.options.title or one.name,
                listening_address(one.options),
                FACTS[one.options.codec].media_type,
            )
            for one in streams
            if isinstance(one.options, StreamOptions)
        ],
        max(delays, default=0.0),
    )


def _coming(engine: Engine) -> list[str]:
    """Return the texts of the next items that show themselves. The pump's own."""
    programme, found = engine.programme, []
    settings = programme.settings
    for line in engine.sequencer.state.order.upcoming:
        item = programme.item(line.cart)
        if item is not None and item.kind in PROGRAMMES:
            found.append(line.shows or pattern_text(settings.titles.pattern, item, settings.name))
        if len(found) == _COMING:
            break
    return found
