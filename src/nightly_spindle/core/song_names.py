"""Artist and title as they are compared, and the closest ones to what a log says.

What does not count: capitals, accents, punctuation, a leading "the", "feat." and who follows,
what stands in brackets, "&" for "and".
"""

from __future__ import annotations

import re
import unicodedata
from dataclasses import dataclass
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from collections.abc import Sequence

_GUEST = re.compile(r"\b(feat|ft|featuring|with guests?)\b.*")
_BRACKETS = re.compile(r"[(\[{][^)\]}]*[)\]}]?")
_AND = re.compile(r"\s*[&+]\s*|\band\b")
_LEAST_SCORE = 72.0  # below this a person would not call two names alike
_SPARSE = 400  # items that share a word beyond which the word tells too little


def song_key(artist: str, title: str) -> str:
    """Return artist and title as they are compared; "" when there is no title."""
    bare = _plain(title)
    return f"{_plain(artist)}|{bare}" if bare else ""


def exact_key(artist: str, title: str) -> str:
    """Return artist and title with what stands in brackets: tells versions of a song apart."""
    return "|".join(_words(_folded(text)).removeprefix("the ") for text in (artist, title))


def _plain(text: str) -> str:
    folded = _folded(text)
    bare = _words(_GUEST.sub("", _BRACKETS.sub(" ", folded)))
    # a name that is all brackets or all guests is itself
    bare = bare or _words(folded)
    return bare.removeprefix("the ") or bare


def _folded(text: str) -> str:
    marked = unicodedata.normalize("NFKD", text.casefold())
    return "".join(c for c in marked if not unicodedata.combining(c))


def _words(text: str) -> str:
    # an apostrophe holds a word together, every other sign parts two
    text = _AND.sub(" and ", text.replace("'", "").replace("\u2019", ""))
    return " ".join("".join(c if c.isalnum() else " " for c in text).split())


@dataclass(frozen=True, slots=True)
class Proposal:
    """An item that a log line may mean; `score` 0 to 100 (Indel similarity, RapidFuzz)."""

    cart: int
    score: float


class Likeness:
    """Finds the items whose names are closest; made once for many lines.

    `names` are (cart, song_key). Items are compared that share a word, or its beginning.
    """

    def __init__(self, names: Sequence[tuple[int, str]]) -> None:
        self._names = [(cart, key) for cart, key in names if key]
        self._by_word: dict[str, list[int]] = {}
        self._by_start: dict[str, list[int]] | None = None
        for at, (_, key) in enumerate(self._names):
            for word in set(key.replace("|", " ").split()):
                self._by_word.setdefault(word, []).append(at)

    def closest(self, key: str, most: int = 3) -> list[Proposal]:
        """Return the items closest to a song key, best first."""
        from rapidfuzz import fuzz, process

        near = self._near(key)
        found = process.extract(
            key,
            {at: self._names[at][1] for at in near},
            scorer=fuzz.ratio,
            limit=most,
            score_cutoff=_LEAST_SCORE,
        )
        return [Proposal(self._names[at][0], round(score, 1)) for _, score, at in found]

    def _near(self, key: str) -> set[int]:
        words = key.replace("|", " ").split()
        lists = [self._by_word[word] for word in words if word in self._by_word]
        lists = [one for one in lists if len(one) <= _SPARSE] or sorted(lists, key=len)[:1]
        near: set[int] = set().union(*lists)
        starts = self._starts()
        for word in words:
            if len(word) > 3:
                near.update(starts.get(word[:4], ())[:_SPARSE])
                near.update(starts.get("\0" + word[-4:], ())[:_SPARSE])
        return near

    def _starts(self) -> dict[str, list[int]]:
        """Return the items by the beginnings and the ends of their words: slips fall between."""
        if self._by_start is None:
            self._by_start = {}
            for word, places in self._by_word.items():
                if len(word) > 3:
                    for part in (word[:4], "\0" + word[-4:]):
                        self._by_start.setdefault(part, []).extend(places)
        return self._by_start
