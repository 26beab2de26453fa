"""The places that are made when they are first gone to, so that the desk opens sooner."""

from __future__ import annotations

from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from collections.abc import Callable

    from nightly_spindle.core.programme.air_state import AirState
    from nightly_spindle.core.station.settings import StationSettings
    from nightly_spindle.desk.kit.engine_link import EngineLink
    from nightly_spindle.desk.kit.library_worker import LibraryWorker
    from nightly_spindle.desk.kit.place import Place
    from nightly_spindle.desk.kit.theme import Palette

NAMES = ("Tonight", "Events", "Formats", "Campaigns", "Overlays", "Morning")


class LatePlaces:
    """`made` are those that were gone to, by name."""

    def __init__(
        self,
        shelf: LibraryWorker,
        link: EngineLink,
        settings: StationSettings,
        now_us: Callable[[], int],
        state: Callable[[], AirState | None],
    ) -> None:
        self._shelf, self._link, self._settings = shelf, link, settings
        self._now_us, self._state = now_us, state
        self.made: dict[str, Place] = {}

    def make(self, name: str, palette: Palette) -> Place:
        """Make a place; each name once."""
        makers = {
            "Tonight": self._tonight,
            "Events": self._events,
            "Formats": self._formats,
            "Campaigns": self._campaigns,
            "Overlays": self._overlays,
            "Morning": self._morning,
        }
        self.made[name] = made = makers[name](palette)
        return made

    def _tonight(self, palette: Palette) -> Place:
        from nightly_spindle.desk.tonight.tonight_place import TonightPlace

        return TonightPlace(self._shelf, palette, self._now_us)

    def _morning(self, palette: Palette) -> Place:
        from nightly_spindle.desk.morning.morning_place import MorningPlace

        return MorningPlace(self._shelf.folder, self._settings, palette, self._now_us)

    def _events(self, palette: Palette) -> Place:
        from nightly_spindle.desk.events.events_place import EventsPlace

        return EventsPlace(self._shelf, self._link, self._settings, palette, self._now_us)

    def _formats(self, palette: Palette) -> Place:
        from nightly_spindle.desk.music.formats_place import FormatsPlace

        return FormatsPlace(self._shelf, self._settings, palette, self._now_us)

    def _campaigns(self, palette: Palette) -> Place:
        from nightly_spindle.desk.traffic.campaigns_place import CampaignsPlace

        return CampaignsPlace(self._shelf, self._settings, palette, self._now_us)

    def _overlays(self, palette: Palette) -> Place:
        from nightly_spindle.desk.overlays.overlays_place import OverlaysPlace

        return OverlaysPlace(
            self._shelf, self._link, self._settings, palette, self._now_us, self._state
        )
