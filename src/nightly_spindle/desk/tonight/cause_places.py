"""Where on the desk each finding is mended."""

from __future__ import annotations

from typing import NamedTuple


class DeskPage(NamedTuple):
    """A page of a place; the place alone where `page` is empty."""

    place: str
    page: str = ""

    @property
    def words(self) -> str:
        """What it is called on a button."""
        return f"{self.place} › {self.page}" if self.page else self.place


_PLACES: tuple[tuple[DeskPage, tuple[str, ...]], ...] = (
    (DeskPage("Station", "Outputs"), ("not-heard", "output-down", "output-unheard")),
    (DeskPage("Station", "Folders"), ("folder-away", "folder-hangs")),
    (DeskPage("Station", "Safety net"), ("net-tone", "only-tone")),
    (DeskPage("Station", "Safekeeping"), ("backup-old", "records-wait")),
    (
        DeskPage("Station", "Messages"),
        (
            *("engine-restarted", "engine-started", "net-alone", "thread-stands"),
            *("not-taken-up", "supervisor-gone", "station-unread", "no-socket"),
        ),
    ),
    (
        DeskPage("Logs"),
        (
            *("log-missing", "log-not-loaded", "log-not-here", "log-not-whole", "log-old"),
            *("log-late", "log-changed", "log-lines-missing", "log-through", "net-day-log"),
            *("net-rotation", "event-no-drop"),
        ),
    ),
    (
        DeskPage("Events"),
        (
            *("at-the-end", "cannot-land", "landing", "clears-only", "not-cleared", "no-steps"),
            *("nothing-to-go-back-to", "collides", "does-not-fit", "ends-before", "never-fires"),
            *("once-only", "morning-or-evening", "missing", "event-lacks", "event-not-whole"),
            *("event-waits", "event-dropped", "cut-short"),
        ),
    ),
    (
        DeskPage("Overlays"),
        (
            *("overlays-off", "intro-too-short", "overlay-left-out", "overlay-missing"),
            *("overlay-over-vocal", "overlay-too-soon", "overlays-touch", "pool-empty"),
            *("pool-never", "voice-too-low", "overlay-died"),
        ),
    ),
    (
        DeskPage("Formats"),
        (
            *("format-not-made", "making-failed", "clock-gone", "clock-lacks", "clock-long"),
            *("few-artists", "few-songs", "no-length", "plan-circle"),
        ),
    ),
    (
        DeskPage("Campaigns"),
        (
            *("audio-missing", "spot-no-audio", "break-edge-missing", "break-filler-missing"),
            *("break-late", "break-overfull", "competitors", "no-breaks", "no-break"),
            *("place-lost", "order-short", "never-met", "ends-owed", "flight-over-owed"),
            *("hour-changes", "not-a-spot", "placing-failed", "unknown-category"),
        ),
    ),
    (DeskPage("Library"), ("unplayable", "cannot-play", "item-died", "dead-air")),
)
_BY_CODE = {code: page for page, codes in _PLACES for code in codes}
AIR = DeskPage("Air")


def page_of(code: str) -> DeskPage:
    """Return where a finding is mended; the place Air, where it can be seen at least."""
    return _BY_CODE.get(code, AIR)
