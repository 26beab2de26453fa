"""M3U and M3U8.

Lines that begin with `#` are comments; `#EXTINF:` gives seconds and a label for the next line
(RFC 8216 section 4.3.2.1 describes the tag; -1 means an unknown length). Everything else names
one item: an absolute path, a path relative to the log, a path from a Windows machine, a bare
file name, a `file:` URI (RFC 8089), or a cart number.
"""

from __future__ import annotations

import re

from nightly_spindle.core.logs.log_line import LONGEST_LINE, Keys, LogLine, bare_cart, too_long
from nightly_spindle.core.logs.log_text import split_label

_EXTINF = re.compile(r"#EXTINF:\s*(-?\d+(?:\.\d+)?)?[^,]*,?(.*)", re.IGNORECASE | re.DOTALL)
_SILENT = ("#EXTM3U", "#EXTENC", "#EXT-X-", "#PLAYLIST")  # what says nothing to an operator


def parse_lines(numbered: list[tuple[int, str]]) -> list[LogLine]:
    """Return the lines of an M3U log."""
    lines: list[LogLine] = []
    keys = Keys()
    label, length_s = "", None
    for number, line in numbered:
        text = line.strip()
        if text.startswith("#"):
            tag = _EXTINF.fullmatch(text)
            if tag:
                label = tag[2].strip()[:LONGEST_LINE]
                length_s = float(tag[1]) if tag[1] and 0 < float(tag[1]) < 1e6 else None
            elif not text.upper().startswith(_SILENT) and text.strip("# "):
                said = text.lstrip("# ")[:LONGEST_LINE]
                said_so = text[:LONGEST_LINE]
                lines.append(
                    LogLine(number, said_so, said, remark=True, comment=said, key=keys.key(said_so))
                )
            continue
        fault = too_long(text)
        if fault:
            text = text[:80] + "..."
        artist, title = split_label(label)
        lines.append(
            LogLine(
                number,
                text,
                label,
                fault,
                text,
                bare_cart(text),
                artist,
                title,
                length_s,
                key=keys.key(text),
            )
        )
        label, length_s = "", None
    return lines
