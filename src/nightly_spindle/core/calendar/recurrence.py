"""Time rules: RFC 5545 recurrence in local time, fired as instants."""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import date, datetime, time, timedelta
from functools import lru_cache
from typing import TYPE_CHECKING

import numpy as np
from dateutil.rrule import rrulestr

from nightly_spindle.core.base.errors import SettingRefused
from nightly_spindle.core.base.timebase import US, local_from, resolve_local, us_from
from nightly_spindle.core.calendar.day_rules import DAY_S, DayRule, day_rule_from
from nightly_spindle.core.calendar.dayparts import Repeat, seconds_of
from nightly_spindle.core.calendar.rule_words import rule_sentence

if TYPE_CHECKING:
    from collections.abc import Iterable
    from zoneinfo import ZoneInfo

    from dateutil.rrule import rrule, rruleset
    from numpy.typing import NDArray

# Offsets in the IANA database change by at most a few hours at once; a day either
# side of the window finds every local time whose instant lies inside it.
_MARGIN = timedelta(days=1)
_EPOCH = datetime(1970, 1, 1)  # noqa: DTZ001 - local time, as all of a rule
_EPOCH_DAY = _EPOCH.toordinal()


@dataclass(frozen=True, slots=True)
class TimeRule:
    """When something happens: a start in local time and an RFC 5545 RRULE.

    `rrule` is the value of an RRULE property ("FREQ=DAILY"), or empty for once. `rdates` are
    further local times (RDATE), `exdates` those on which it does not fire (EXDATE), `not_on`
    days on which it does not begin. `most` ends it after so many firings, 0 never.
    """

    start: datetime
    rrule: str = ""
    exdates: tuple[datetime, ...] = ()
    rdates: tuple[datetime, ...] = ()
    not_on: tuple[date, ...] = ()
    repeat: Repeat | None = None
    most: int = 0

    def firings(self, tz: ZoneInfo, after_us: int, until_us: int) -> list[int]:
        """Return the instants (µs) with `after_us < instant <= until_us`, ascending.

        A local time that does not exist is read with the offset before the gap, so
        two local times can fall on one instant: it fires once.
        """
        if self.most:
            last = _last_of(self, tz)
            until_us = until_us if last is None else min(until_us, last)
        low = local_from(max(after_us, 0), tz) - _MARGIN
        high = local_from(max(until_us, 0), tz) + _MARGIN
        if self.repeat is not None:
            low -= timedelta(seconds=self.repeat.length_s(self.start.time()))
        found = self._instants(tz, low, high)
        return sorted(us for us in found if after_us < us <= until_us)

    def _instants(self, tz: ZoneInfo, low: datetime, high: datetime) -> set[int]:
        rule = self.days
        plain = self.repeat is None or not self.repeat.every_s
        if rule is not None and plain and not (self.exdates or self.rdates or self.not_on):
            return set(_by_mask(rule, self.start, tz, low, high).tolist())
        locals_ = self._locals(rule, low, high)
        if self.repeat is None or not self.repeat.every_s:
            return {resolve_local(local, tz) for local in locals_}
        grid = range(0, self.repeat.length_s(self.start.time()), self.repeat.every_s)
        return set(_on_the_wall(locals_, grid, tz))

    def _locals(self, rule: DayRule | None, low: datetime, high: datetime) -> list[datetime]:
        if rule is not None:
            found = _local_times(rule, self.start, low, high)
        elif self.rrule:
            found = list(_expansion(self.rrule, self.start).between(low, high, inc=True))
        else:
            found = [self.start] if low <= self.start <= high else []
        found += [local for local in self.rdates if low <= local <= high]
        return [
            local
            for local in found
            if local not in self.exdates and local.date() not in self.not_on
        ]

    @property
    def days(self) -> DayRule | None:
        """The rule as days and times, None for once and for what only dateutil can expand."""
        return day_rule_from(self.rrule, self.start) if self.rrule else None

    @property
    def once(self) -> bool:
        """Whether it can fire only once."""
        return not self.rrule and not self.rdates and not (self.repeat and self.repeat.every_s)

    def dayparts(self, tz: ZoneInfo, after_us: int, until_us: int) -> list[tuple[int, int]]:
        """Return the dayparts of the rule that touch a stretch, as instants (begin, end).

        A rule that does not say until when means until midnight.
        """
        if self.repeat is None:
            lasts = DAY_S - seconds_of(self.start.time())
        else:
            lasts = self.repeat.length_s(self.start.time())
        begun = replace(self, repeat=None).firings(tz, after_us - 2 * DAY_S * US, until_us)
        found = [
            (us, resolve_local(local_from(us, tz) + timedelta(seconds=lasts), tz)) for us in begun
        ]
        return [(begin, end) for begin, end in found if end > after_us]

    def check(self) -> None:
        """SettingRefused when the rule cannot be read."""
        if self.rrule and self.days is None:
            _expansion(self.rrule, self.start)
        if self.repeat is not None and self.repeat.every_s and self.repeat.every_s < 60:
            raise SettingRefused("an event repeats once a minute at the most; give 1 min or more")
        if self.most < 0:
            raise SettingRefused("an event ends after 1 firing or more; 0 means never")

    def sentence(self) -> str:
        """The rule as a plain phrase."""
        return rule_sentence(self)


def _by_mask(
    rule: DayRule, start: datetime, tz: ZoneInfo, low: datetime, high: datetime
) -> NDArray[np.int64]:
    """Return the instants of a day rule, days of a steady offset all at once."""
    first, last = low.toordinal() - _EPOCH_DAY, high.toordinal() - _EPOCH_DAY
    days = rule.days(start.date(), first, last)
    times = np.array(rule.times(start.time()), dtype=np.int64)
    local = (days[:, None] * DAY_S + times).ravel()
    local = local[local >= _since(start)]
    if rule.until is not None:
        local = local[local <= _since(rule.until)]
    if not len(local):
        return local
    offsets = _offsets(tz, first, last)
    at = local // DAY_S - first
    steady = offsets[at] == offsets[at + 1]
    found: NDArray[np.int64] = (local - offsets[at]) * US
    for index in np.flatnonzero(~steady):
        found[index] = resolve_local(_EPOCH + timedelta(seconds=int(local[index])), tz)
    return found


@lru_cache(maxsize=64)
def _offsets(tz: ZoneInfo, first: int, last: int) -> NDArray[np.int64]:
    """Return the offset from UTC (s) at each midnight, one more than there are days."""
    return np.array(
        [
            (_EPOCH + timedelta(days=day)).replace(tzinfo=tz).utcoffset() // timedelta(seconds=1)  # type: ignore[operator]
            for day in range(first, last + 2)
        ],
        dtype=np.int64,
    )


def _since(local: datetime) -> int:
    return (local - _EPOCH) // timedelta(seconds=1)


def _local_times(rule: DayRule, start: datetime, low: datetime, high: datetime) -> list[datetime]:
    days = rule.days(start.date(), low.toordinal() - _EPOCH_DAY, high.toordinal() - _EPOCH_DAY)
    times = rule.times(start.time())
    found = [
        _EPOCH + timedelta(days=day, seconds=seconds) for day in days.tolist() for seconds in times
    ]
    return [
        local for local in found if start <= local and (rule.until is None or local <= rule.until)
    ]


def _on_the_wall(begins: Iterable[datetime], grid: range, tz: ZoneInfo) -> Iterable[int]:
    """Return every instant at which the clock on the wall shows a time of the grid."""
    for begin in begins:
        offsets = {
            (begin + timedelta(days=days)).replace(tzinfo=tz).utcoffset() for days in (0, 1, 2)
        }
        if len(offsets) == 1:
            at = us_from(begin.replace(tzinfo=tz))
            yield from (at + seconds * US for seconds in grid)
            continue
        for seconds in grid:
            local = begin + timedelta(seconds=seconds)
            for fold in (0, 1):
                us = us_from(local.replace(tzinfo=tz, fold=fold))
                if local_from(us, tz) == local:
                    yield us


@lru_cache(maxsize=1024)
def _last_of(rule: TimeRule, tz: ZoneInfo) -> int | None:
    """Return the instant of the last firing that a rule has left; None while it has not enough."""
    endless = replace(rule, most=0)
    begin = resolve_local(rule.start, tz) - 1
    for years in (1, 5, 30):
        found = endless.firings(tz, begin, begin + years * 366 * DAY_S * US)
        if len(found) >= rule.most:
            return found[rule.most - 1]
    return None


@lru_cache(maxsize=512)
def _expansion(rule: str, start: datetime) -> rrule | rruleset:
    try:
        return rrulestr(rule, dtstart=start, cache=False)
    except (ValueError, KeyError, TypeError) as error:
        raise SettingRefused(f"'{rule}' is not a recurrence rule (RFC 5545): {error}") from error


def every_day_at(at: time) -> TimeRule:
    """Return the rule 'every day at that local time'."""
    return TimeRule(datetime.combine(datetime(2020, 1, 1), at), "FREQ=DAILY")  # noqa: DTZ001
