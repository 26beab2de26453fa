"""What places ask of the window: to go where something is done."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING, Protocol

from nightly_spindle.desk.kit.paged_place import PagedPlace
from nightly_spindle.desk.station.station_place import StationPlace
from nightly_spindle.store.reports.first_steps import Step

if TYPE_CHECKING:
    from PySide6.QtWidgets import QStackedWidget

    from nightly_spindle.desk.kit.place import Place
    from nightly_spindle.desk.kit.planner import Planner
    from nightly_spindle.desk.library.library_place import LibraryPlace
    from nightly_spindle.desk.playout.air_place import AirPlace
    from nightly_spindle.desk.tonight.cause_places import DeskPage
    from nightly_spindle.desk.tonight.tonight_place import TonightPlace


class DeskParts(Protocol):
    """The parts of the window that places are linked to."""

    stage: QStackedWidget
    air: AirPlace
    library: LibraryPlace
    station: StationPlace
    planner: Planner

    def go_to(self, name: str) -> None:
        """Go to one of the places."""

    def hand(self, order: str) -> None:
        """Carry out what a hand asked for."""

    def plan(self) -> None:
        """Work the night out anew."""


def go_to_page(window: DeskParts, page: DeskPage) -> None:
    """Go to a page of a place."""
    window.go_to(page.place)
    there = window.stage.currentWidget()
    if page.page and isinstance(there, PagedPlace | StationPlace):
        there.show_page(page.page)


def link_place(window: DeskParts, place: Place) -> None:
    """Have the window do what is asked at Tonight and at Morning."""
    from nightly_spindle.desk.morning.morning_place import MorningPlace
    from nightly_spindle.desk.tonight.tonight_place import TonightPlace

    if isinstance(place, TonightPlace):
        _link_tonight(window, place)
    elif isinstance(place, MorningPlace):
        place.gone_to.connect(partial(go_to_page, window))


def _link_tonight(window: DeskParts, place: TonightPlace) -> None:
    def see_line(line_id: int) -> None:
        window.go_to("Air")
        window.air.pick(line_id)

    place.gone_to.connect(partial(go_to_page, window))
    place.asked.connect(window.hand)
    place.anew.connect(window.plan)
    place.chosen.connect(see_line)
    window.planner.asked.connect(place.set_working)

    def drill() -> None:
        asked, planned = window.planner.asked_last, place.planned
        if asked is not None and planned is not None:
            place.drills.begin(asked, planned.settings.tz)

    place.drills.wanted.connect(drill)


def begin_step(window: DeskParts, step: Step) -> None:
    """Go where one of the first steps is done."""
    if step is Step.MUSIC:
        window.go_to("Library")
        window.library.show_page("Items")
        window.library.items.adding.ask_folder()
    elif step is Step.LOG:
        window.go_to("Logs")
    else:
        window.go_to("Station")
        window.station.show_page("Outputs" if step is Step.OUTPUT else "Safety net")
