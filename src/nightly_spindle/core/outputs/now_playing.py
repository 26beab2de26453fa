"""What listeners' players show of what is on air.

Songs always show themselves. What is between them shows the station's name, what was on before, or
itself, as the station likes; a timed event may put its own name in place of all titles while what
it put in sounds.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from enum import StrEnum
from typing import TYPE_CHECKING

from nightly_spindle.core.base.declared import choice, flag, number, text
from nightly_spindle.core.base.errors import SettingRefused
from nightly_spindle.core.library.items import TONE_CART, Kind

if TYPE_CHECKING:
    from nightly_spindle.core.library.items import Item

FIELDS = ("artist", "title", "album", "station")
LONGEST = 250  # characters: what is longer players cut off, and one block of titles takes
_FIELD = re.compile(r"\{([^{}]*)\}")
# what is a programme of its own, and not between songs
PROGRAMMES = frozenset({Kind.SONG, Kind.NEWS, Kind.PROGRAMME, Kind.STREAM})


class Between(StrEnum):
    """What is shown while something between the songs sounds."""

    STATION = "the station's name"
    BEFORE = "what was on before"
    ITSELF = "itself"


@dataclass(frozen=True, slots=True)
class TitleRules:
    """What players and the station's page show."""

    pattern: str = text("{artist} - {title}", "Of artist, title, album and station, in braces.")
    between: Between = choice(
        Between.STATION, "What is shown while an ID, a spot, a sweeper or a promo plays."
    )
    coming: bool = flag(False, "The station's page tells what comes next as well.")
    kept: float = number(20.0, "", 0.0, 500.0, "So many past titles are on the page.")


@dataclass(frozen=True, slots=True)
class Shown:
    """What is shown from an instant (µs) on: the whole text, and its parts where it has any.

    `cart` is the item's, 0 where it is none that is shown; `kind` what sounds.
    """

    at_us: int
    text: str
    artist: str = ""
    title: str = ""
    cart: int = 0
    kind: Kind = Kind.SONG


def check_pattern(pattern: str) -> None:
    """Raise SettingRefused where a pattern names what there is not, or shows nothing."""
    named = _FIELD.findall(pattern)
    strange = sorted(set(named) - set(FIELDS))
    if strange:
        raise SettingRefused(
            f"the pattern of titles names {{{strange[0]}}}; there are "
            f"{', '.join('{' + name + '}' for name in FIELDS)}"
        )
    if not named or "{" in _FIELD.sub("", pattern) or "}" in _FIELD.sub("", pattern):
        raise SettingRefused(
            f"the pattern of titles '{pattern}' shows nothing of what plays, or has a single brace"
        )


def pattern_text(pattern: str, item: Item, station: str) -> str:
    """Return a pattern filled in; the title alone where something that it names is not known."""
    known = {
        "artist": item.artist,
        "title": item.title,
        "album": item.album,
        "station": station,
    }
    if not all(known[name].strip() for name in _FIELD.findall(pattern)):
        return in_one_line(item.title)
    return in_one_line(_FIELD.sub(lambda found: known[found.group(1)], pattern))


def in_one_line(said: str) -> str:
    """Return a text as players take it: printable, in one line, not too long."""
    line = " ".join("".join(c if c.isprintable() else " " for c in said).split())
    return line if len(line) <= LONGEST else f"{line[: LONGEST - 1]}…"


class NowPlaying:
    """Follows what starts, and says what is shown from then on."""

    def __init__(self, rules: TitleRules, station: str) -> None:
        self.rules, self.station = rules, station
        self.shown: Shown | None = None

    def started(self, item: Item, at_us: int, event: str = "") -> Shown | None:
        """An item starts at an instant; returns what is shown now, None where that is as before.

        `event` is the name that a timed event puts in place of the titles.
        """
        made = self._shown(item, at_us, event)
        if made is None or (self.shown is not None and made.text == self.shown.text):
            return None
        self.shown = made
        return made

    def _shown(self, item: Item, at_us: int, event: str) -> Shown | None:
        if event:
            return Shown(at_us, in_one_line(event), title=in_one_line(event), kind=item.kind)
        itself = item.kind in PROGRAMMES or self.rules.between is Between.ITSELF
        if itself and item.cart != TONE_CART:
            said = pattern_text(self.rules.pattern, item, self.station)
            artist, title = in_one_line(item.artist), in_one_line(item.title)
            return Shown(at_us, said, artist, title, item.cart, item.kind)
        if self.rules.between is Between.BEFORE and self.shown is not None:
            return None
        name = in_one_line(self.station)
        return Shown(at_us, name, title=name, kind=item.kind)
