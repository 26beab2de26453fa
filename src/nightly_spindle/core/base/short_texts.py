"""Reading the short texts of forms and commands: words, days of the week, dates, whole groups."""

from __future__ import annotations

from datetime import date
from functools import lru_cache
from typing import TYPE_CHECKING, Any, TypeVar

from nightly_spindle.core.base.declared import group_from, specs, texts_of
from nightly_spindle.core.base.errors import SettingRefused
from nightly_spindle.core.base.wording import CODES

if TYPE_CHECKING:
    from collections.abc import Callable, Iterable, Mapping

Group = TypeVar("Group")


@lru_cache(maxsize=1024)
def words_of(listing: str) -> tuple[str, ...]:
    """Return the words of a text with commas between, folded, the empty ones left out."""
    return tuple(part.strip().casefold() for part in listing.split(",") if part.strip())


@lru_cache(maxsize=1024)
def weekdays_of(listing: str) -> frozenset[int]:
    """Return the weekdays (0 is Monday) of "fri" or "mon-thu, sun"; all of an empty text."""
    found: set[int] = set()
    short = {code.casefold(): number for number, code in enumerate(CODES)}
    for word in words_of(listing):
        begin, _, end = word.partition("-")
        a, b = short.get(begin.strip()[:2]), short.get((end or begin).strip()[:2])
        if a is None or b is None:
            raise SettingRefused(
                f"'{word}' is not a valid day of the week; write it like fri or mon-thu"
            )
        found |= {(a + n) % 7 for n in range((b - a) % 7 + 1)}
    return frozenset(found) or frozenset(range(7))


@lru_cache(maxsize=1024)
def date_of(written: str) -> date | None:
    """Return the date of a text, None of an empty one."""
    if not written.strip():
        return None
    try:
        return date.fromisoformat(written.strip())
    except ValueError as error:
        raise SettingRefused(
            f"'{written}' is not a valid date; write it like 2026-12-01"
        ) from error


def unreadable(*reads: tuple[Callable[[str], object], str]) -> list[str]:
    """Return what is wrong with texts, each given with the function that reads it."""
    wrong = []
    for read, written in reads:
        try:
            read(written)
        except SettingRefused as error:
            wrong.append(str(error))
    return wrong


def unusual(group: Any) -> dict[str, str]:
    """Return a group's values as texts, those that are as usual left out."""
    usual, texts = texts_of(type(group)(), "x"), texts_of(group, "x")
    return {name[2:]: text for name, text in sorted(texts.items()) if text != usual[name]}


def group_of(group: type[Group], values: Mapping[str, Any], wrong: list[str]) -> Group:
    """Return the group whose unusual values are these texts; what is wrong is added to `wrong`."""
    texts = {f"x.{name}": str(text) for name, text in values.items()}
    strange: Iterable[str] = sorted(set(values) - set(specs(group)))
    wrong += [f"there is no option '{name}'" for name in strange]
    found: list[str] = []
    made = group_from(group, texts, "x", found)
    wrong += [text.replace("setting x.", "option ") for text in found]
    return made
