"""Artist and title as they are compared, and the closest ones to what a log says.

What does not count: capitals, accents, punctuation, a leading "the", "feat." and who follows,
what stands in brackets, "&" for "and".
"""

from __future__ import annotations

import re
import unicodedata
from dataclasses import dataclass
from functools import lru_cache
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from collections.abc import Sequence

_GUEST = re.compile(r"\b(feat|ft|featuring|with guests?)\b.*")
# what stands between several artists ("x" and "vs" with room around them)
_SEVERAL = re.compile(
    r"[,;/&+]|\b(?:and|with|feat|ft|featuring)\b\.?|\s(?:x|vs|versus)\.?\s|\bwith guests?\b"
)
_BRACKETS_ONLY = re.compile(r"[()\[\]{}]")
_BRACKETS = re.compile(r"[(\[{][^)\]}]*[)\]}]?")
_AND = re.compile(r"\s*[&+]\s*|\band\b")
_NO_WORD = re.compile(r"[\W_]+")
_LEAST_SCORE = 72.0  # below this a person would not call two names alike
_MOST_NEAR = 400  # names that are compared with one line
_CACHED = 1 << 16


@lru_cache(maxsize=_CACHED)
def song_key(artist: str, title: str) -> str:
    """Return artist and title as they are compared; "" when there is no title."""
    bare = _plain(title)
    return f"{_plain(artist)}|{bare}" if bare else ""


@lru_cache(maxsize=_CACHED)
def artists_of(artist: str, title: str) -> tuple[str, ...]:
    """Return every artist of a song as they are compared: all of them together, each alone.

    Guests count, whether the artist or the title names them.
    """
    if not artist.strip():
        return ()
    guests = [found[0] for found in _GUEST.finditer(title.casefold())]
    each = _each(" & ".join([artist, *guests]))
    return tuple(dict.fromkeys((_plain(artist), *each)))


@lru_cache(maxsize=_CACHED)
def lead_of(artist: str) -> str:
    """Return the artist credited first, as compared: an album is theirs, whoever else plays."""
    return next(iter(_each(artist)), "")


def _each(artists: str) -> list[str]:
    names = _SEVERAL.split(_folded(artists))
    bare = (_words(_BRACKETS_ONLY.sub(" ", name)).removeprefix("the ") for name in names)
    return [name for name in bare if name]


@lru_cache(maxsize=_CACHED)
def title_of(title: str) -> str:
    """Return a title as it is compared, whoever sings it."""
    return _plain(title)


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
    if text.isascii():
        return text.lower()
    marked = unicodedata.normalize("NFKD", text.casefold())
    return "".join(c for c in marked if not unicodedata.combining(c))


def _words(text: str) -> str:
    # an apostrophe holds a word together, every other sign parts two
    text = _AND.sub(" and ", text.replace("'", "").replace("\u2019", ""))
    return _NO_WORD.sub(" ", text).strip()


@dataclass(frozen=True, slots=True)
class Proposal:
    """An item that a log line may mean; `score` 0 to 100 (Indel similarity, RapidFuzz)."""

    cart: int
    score: float


class Likeness:
    """Finds the items whose names are closest; made once for many lines.

    `names` are (cart, song_key). Compared are items that share a rare word, or the beginning or
    end of both artist and title: whoever slips once in each leaves one such pair standing.
    """

    def __init__(self, names: Sequence[tuple[int, str]]) -> None:
        self._names = [(cart, key) for cart, key in names if key]
        self._by_mark: dict[str, list[int]] = {}
        for at, (_, key) in enumerate(self._names):
            for mark in _marks(key):
                self._by_mark.setdefault(mark, []).append(at)

    def closest(self, key: str, most: int = 3) -> list[Proposal]:
        """Return the items closest to a song key, best first."""
        from rapidfuzz import fuzz, process

        near = self._near(key)
        names = [self._names[at][1] for at in near]
        found = process.extract(
            key, names, scorer=fuzz.ratio, limit=most, score_cutoff=_LEAST_SCORE
        )
        return [Proposal(self._names[near[at]][0], round(score, 1)) for _, score, at in found]

    def _near(self, key: str) -> list[int]:
        lists = [self._by_mark[mark] for mark in _marks(key) if mark in self._by_mark]
        near: dict[int, None] = {}
        # the rarest marks tell most
        for places in sorted(lists, key=len):
            if len(near) + len(places) > _MOST_NEAR and near:
                break
            near.update(dict.fromkeys(places[:_MOST_NEAR]))
        return list(near)


def _marks(key: str) -> list[str]:
    """Return what a name is found by: its longer words, and its ends in pairs."""
    artist, _, title = key.partition("|")
    ends = [
        f"{a}|{t}"
        for a in (f"<{artist[:3]}", f"{artist[-3:]}>")
        for t in (f"<{title[:3]}", f"{title[-3:]}>")
    ]
    # words of a line that does not part artist and title are found in either
    words = {word for word in f"{artist} {title}".split() if len(word) > 2}
    return [*ends, *words, f"|<{title[:5]}", f"|{title[-5:]}>"]
