"""Days, times, durations and numbers in words."""

from __future__ import annotations

from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from collections.abc import Sequence
    from datetime import date, datetime, time

CODES = ("MO", "TU", "WE", "TH", "FR", "SA", "SU")  # RFC 5545 weekdays
WEEKDAYS = ("Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday")
MONTHS = (
    "January",
    "February",
    "March",
    "April",
    "May",
    "June",
    "July",
    "August",
    "September",
    "October",
    "November",
    "December",
)
WEEKS = {1: "first", 2: "second", 3: "third", 4: "fourth", 5: "fifth", -1: "last"}


def listed(words: Sequence[str], joined: str = "and") -> str:
    """Return words as "a, b and c"."""
    if len(words) < 2:
        return "".join(words)
    return f"{', '.join(words[:-1])} {joined} {words[-1]}"


def days_text(weekdays: Sequence[int]) -> str:
    """Return weekdays (0 is Monday) as "every weekday", "every Monday and Thursday".

    Three and more in a row are a span: "every Monday to Saturday".
    """
    chosen = tuple(sorted(set(weekdays)))
    if not chosen or len(chosen) == 7:
        return "every day"
    if chosen == (0, 1, 2, 3, 4):
        return "every weekday"
    if chosen == (5, 6):
        return "every Saturday and Sunday"
    if len(chosen) > 2 and chosen[-1] - chosen[0] == len(chosen) - 1:
        return f"every {WEEKDAYS[chosen[0]]} to {WEEKDAYS[chosen[-1]]}"
    return f"every {listed([WEEKDAYS[day] for day in chosen])}"


def time_text(at: time | datetime) -> str:
    """Return a time of day on the 24-hour clock, seconds only when there are any."""
    return at.strftime("%H:%M:%S" if at.second else "%H:%M")


def date_text(day: date) -> str:
    """Return a date as "24 Nov 2026"."""
    return f"{day.day} {day:%b %Y}"


def part_of_day(hour: int) -> str:
    """Return the part of the day of an hour that people mistake, empty where they do not.

    7 is 07:00, not 19:00: people trip over 24-hour time (common practice, no source).
    """
    if hour >= 13 or hour in {0, 12}:
        return "evening" if hour >= 18 else ""
    return "morning" if hour >= 4 else "night"


def span_text(seconds: float) -> str:
    """Return a duration in words: "2 min", "1 h 30 min", "90 s"."""
    whole = round(seconds)
    hours, rest = divmod(whole, 3600)
    minutes, left = divmod(rest, 60)
    parts = [f"{hours} h"] if hours else []
    parts += [f"{minutes} min"] if minutes else []
    parts += [f"{left} s"] if left or not parts else []
    return " ".join(parts)


def counted(number: int, what: str) -> str:
    """Return a number of things: "1 line", "3 lines"."""
    return f"{number} {what}" if number == 1 else f"{number} {what}s"
