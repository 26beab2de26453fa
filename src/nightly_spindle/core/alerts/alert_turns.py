"""When an alert is sent: troubles that last, together, not again and again, and their end."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from nightly_spindle.core.alerts.troubles import Trouble
from nightly_spindle.core.base.timebase import US

if TYPE_CHECKING:
    from collections.abc import Iterable

    from nightly_spindle.core.alerts.alerts import When
    from nightly_spindle.core.alerts.troubles import TroubleKind

_GONE_S = 10.0  # what is away for less has not ended


@dataclass(frozen=True, slots=True)
class Told:
    """A trouble as it is told: since when, and until when, None while it lasts.

    `before` is how often the same was over and began again meanwhile without being told.
    """

    trouble: Trouble
    since_us: int
    until_us: int | None = None
    before: int = 0


@dataclass(frozen=True, slots=True)
class Message:
    """What goes out: troubles that last, or such as are over."""

    at_us: int
    troubles: tuple[Told, ...]

    @property
    def over(self) -> bool:
        """Whether it says that all is well again."""
        return all(one.until_us is not None for one in self.troubles)


@dataclass(slots=True)
class _Standing:
    """A trouble that lasts: when it was seen first and last, and whether it was told."""

    trouble: Trouble
    since_us: int
    seen_us: int
    told: bool = False
    before: int = 0


class AlertTurns:
    """Decides for one alert what is sent, from looks at what is wrong, in the order of time.

    A trouble is told once it has lasted `after_s`, with all others that last then. The same kind is
    not told again for `quiet_min` after that; what comes and goes meanwhile is counted. When all
    that was told is over, that is told (`ends`).
    """

    def __init__(self, when: When) -> None:
        self.when = when
        self._now: dict[str, _Standing] = {}
        self._over: list[Told] = []
        self._last_us: dict[TroubleKind, int] = {}  # when one of a kind was told last
        self._untold: dict[str, int] = {}  # such as ended in the quiet time, by key

    def look(self, now_us: int, troubles: Iterable[Trouble]) -> list[Message]:
        """Return what is to be sent now. Looks come every few seconds, none earlier than before."""
        wanted = {one.key: one for one in troubles if self.when.wants(one.kind)}
        self._follow(now_us, wanted)
        messages = []
        if any(self._due(one, now_us) for one in self._now.values()):
            messages.append(self._tell(now_us))
        if self._over and not any(one.told for one in self._now.values()):
            if self.when.ends:
                messages.append(Message(now_us, tuple(self._over)))
            self._over = []
        return messages

    def _follow(self, now_us: int, wanted: dict[str, Trouble]) -> None:
        for key, trouble in wanted.items():
            known = self._now.get(key)
            if known is None:
                before = self._untold.pop(key, 0)
                self._now[key] = _Standing(trouble, now_us, now_us, before=before)
            else:
                known.trouble, known.seen_us = trouble, now_us
        for key, one in list(self._now.items()):
            if key in wanted or (one.told and now_us - one.seen_us < _GONE_S * US):
                continue
            del self._now[key]
            if one.told:
                self._over.append(Told(one.trouble, one.since_us, one.seen_us, one.before))
            elif self._lasts(one, one.seen_us):
                self._untold[key] = one.before + 1

    def _lasts(self, one: _Standing, now_us: int) -> bool:
        return now_us - one.since_us >= max(self.when.after_s, one.trouble.patient_s) * US

    def _due(self, one: _Standing, now_us: int) -> bool:
        last = self._last_us.get(one.trouble.kind)
        rested = last is None or now_us - last >= self.when.quiet_min * 60 * US
        return not one.told and rested and self._lasts(one, now_us)

    def _tell(self, now_us: int) -> Message:
        """Tell all that lasts, also what was told already: whoever is woken sees the whole."""
        for one in self._now.values():
            if not one.told:
                self._last_us[one.trouble.kind] = now_us
            one.told = True
        standing = sorted(self._now.values(), key=lambda one: one.trouble.kind.rank)
        return Message(
            now_us,
            tuple(Told(one.trouble, one.since_us, None, one.before) for one in standing),
        )
