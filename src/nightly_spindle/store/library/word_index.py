"""Finds the texts in which a word begins with what is typed: of 100,000 in a few ms."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

if TYPE_CHECKING:
    from collections.abc import Sequence

    from numpy.typing import NDArray

_LONGEST = 256  # bytes of a word that are looked at
_KEPT = 12  # of what was typed last: each holds 12 bytes a word at most
_SPACE = ord(" ")

# where words begin (bytes), and which text each stands in
_Left = tuple["NDArray[np.int64]", "NDArray[np.int32]"]


class WordIndex:
    """`texts` as `core.logs.log_matching.search_words` returns them: a space before each word.

    All of them lie behind one another as UTF-8, a line each. A letter that is typed throws out the
    word beginnings whose next byte is another one; who types on goes on from those that are left.
    """

    def __init__(self, texts: Sequence[str]) -> None:
        whole = "\n".join(texts).encode()
        self._count = len(texts)
        # zeros behind the end, so that no word that is looked for runs out of it
        self._bytes = np.frombuffer(whole + bytes(_LONGEST + 1), dtype=np.uint8)
        there = self._bytes[: len(whole)]
        begins = np.flatnonzero(there == _SPACE) + 1
        text_of = np.cumsum(there == ord("\n"), dtype=np.int32)[begins - 1]
        firsts = self._bytes[begins]
        order = np.argsort(firsts, kind="stable")
        self._all: _Left = (begins[order], text_of[order])
        self._edges = np.searchsorted(firsts[order], np.arange(257))  # by their first bytes
        self._left: dict[bytes, _Left] = {}

    def beginning_with(self, word: str) -> NDArray[np.bool_]:
        """Mark the texts that have a word that begins so, shape (number of texts,).

        Of a word only its first 256 bytes are looked at.
        """
        found = np.zeros(self._count, dtype=bool)
        found[self._left_by(word.encode()[:_LONGEST])[1]] = True
        return found

    def _left_by(self, typed: bytes) -> _Left:
        known = next((at for at in range(len(typed), 0, -1) if typed[:at] in self._left), 0)
        begins, text_of = self._left[typed[:known]] if known else self._all
        if typed and not known:
            first = slice(self._edges[typed[0]], self._edges[typed[0] + 1])
            begins, text_of = begins[first], text_of[first]
        for at in range(max(1, known), len(typed)):
            same = np.flatnonzero(self._bytes[begins + at] == typed[at])
            begins, text_of = begins[same], text_of[same]
            self._left[typed[: at + 1]] = (begins, text_of)
        while len(self._left) > _KEPT:
            del self._left[next(iter(self._left))]
        return begins, text_of
