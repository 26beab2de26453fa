"""Taking an Ogg stream apart into pages, as a server must that lets listeners in in the middle.

RFC 3533 section 6: a page begins with "OggS", a flag says that a logical stream begins, and pages
that hold headers alone have the granule position 0.
"""

from __future__ import annotations

from dataclasses import dataclass

_FRONT = 27
_BEGINS = 0x02
_NO_PACKET_ENDS = 0xFFFF_FFFF_FFFF_FFFF


@dataclass(frozen=True, slots=True)
class OggPage:
    """One page: its bytes, whether a logical stream begins with it, its granule position."""

    data: bytes
    begins: bool
    granule: int


class OggPages:
    """Gives whole pages of bytes that come in any pieces; what is no page is passed over."""

    def __init__(self) -> None:
        self._rest = b""

    def take(self, data: bytes) -> list[OggPage]:
        """Return the pages that are whole now."""
        self._rest += data
        pages: list[OggPage] = []
        while True:
            at = self._rest.find(b"OggS")
            if at < 0:
                self._rest = self._rest[-3:]
                return pages
            self._rest = self._rest[at:]
            if len(self._rest) < _FRONT or len(self._rest) < _FRONT + self._rest[26]:
                return pages
            segments = self._rest[_FRONT : _FRONT + self._rest[26]]
            length = _FRONT + len(segments) + sum(segments)
            if len(self._rest) < length:
                return pages
            page, self._rest = self._rest[:length], self._rest[length:]
            pages.append(
                OggPage(page, bool(page[5] & _BEGINS), int.from_bytes(page[6:14], "little"))
            )


class OggHeads:
    """Remembers the headers of the logical stream that runs: who joins late is given them first."""

    def __init__(self) -> None:
        self.head = b""
        self._heading = False

    def follow(self, page: OggPage) -> bool:
        """Take the next page; returns whether it is one of headers."""
        if page.begins:
            self.head, self._heading = b"", True
        self._heading = self._heading and page.granule in {0, _NO_PACKET_ENDS}
        if self._heading:
            self.head += page.data
        return self._heading
