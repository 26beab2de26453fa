"""From bytes to lines: character sets, line ends, what no text file holds."""

from __future__ import annotations

import codecs
import re
import unicodedata

from nightly_spindle.core.base.errors import LogUnreadable

# what can be chosen; the eight-bit ones in the order in which they are tried
CHARSETS = (
    "auto",
    "utf-8",
    "cp1252",
    "cp1250",
    "iso-8859-15",
    "cp850",
    "cp437",
    "cp1251",
    "cp1253",
    "cp1254",
    "utf-16",
)
_EIGHT_BIT = CHARSETS[2:-1]
_BOMS = (
    (codecs.BOM_UTF8, "utf-8"),
    (codecs.BOM_UTF32_LE, "utf-32-le"),
    (codecs.BOM_UTF32_BE, "utf-32-be"),
    (codecs.BOM_UTF16_LE, "utf-16-le"),
    (codecs.BOM_UTF16_BE, "utf-16-be"),
)
_CONTROL = re.compile(r"[\x00-\x08\x0e-\x19\x1b-\x1f]")
_SAMPLE = 20_000


def decode(data: bytes, name: str, charset: str = "auto") -> tuple[str, str]:
    """Return the text and the character set it was read in; LogUnreadable when it is no text."""
    for bom, known in _BOMS:
        if data.startswith(bom):
            try:
                return _checked(data[len(bom) :].decode(known), name), known
            except UnicodeDecodeError as error:
                raise LogUnreadable(
                    f"{name} begins as {known} text but breaks off at byte {error.start}"
                ) from error
    if charset == "auto":
        charset = likely_charsets(data)[0]
    try:
        text = data.decode(_wide(data) if charset == "utf-16" else charset)
    except UnicodeDecodeError as error:
        raise LogUnreadable(
            f"{name} is not {charset} text (byte {error.start}); let the character set be worked "
            "out, or choose another"
        ) from error
    except LookupError as error:
        raise LogUnreadable(f"there is no character set '{charset}'") from error
    return _checked(text, name), charset


def likely_charsets(data: bytes) -> list[str]:
    """Return the character sets that text without a mark may be in, likeliest first.

    UTF-8 is what decodes as it; UTF-16 shows by its zeros. The eight-bit sets are ranked by
    how many of their letters stand among letters of the same case, as they do in words.
    """
    head = data[:_SAMPLE]
    zeros = head.count(0)
    if zeros * 3 > len(head) > 3:
        return ["utf-16"]
    try:
        data.decode("utf-8")
    except UnicodeDecodeError:
        return sorted(_EIGHT_BIT, key=lambda charset: -_sense(head, charset))
    return ["utf-8"]


def _wide(data: bytes) -> str:
    """Return which of the two orders of UTF-16 the zeros speak for."""
    return "utf-16-le" if data[1:200:2].count(0) >= data[0:200:2].count(0) else "utf-16-be"


def _sense(data: bytes, charset: str) -> float:
    text = data.decode(charset, errors="replace")
    score = 0.0
    for at, char in enumerate(text):
        if char < "\x80":
            continue
        if char == "\ufffd" or unicodedata.category(char) == "Cc":
            score -= 5
        elif char.isalpha():
            beside = [c for c in text[max(0, at - 1) : at] + text[at + 1 : at + 2] if c.isalpha()]
            score += 1 if all(c.islower() == char.islower() for c in beside) else 0.2
            # letters of one script stand together
            latin = "LATIN" in unicodedata.name(char, "")
            score -= 2 * (not latin and any(c < "\x80" for c in beside))
        else:
            score -= 1
    return score


def _checked(text: str, name: str) -> str:
    """Refuse text with control characters that no text file has."""
    found = _CONTROL.search(text)
    if found:
        line = text.count("\n", 0, found.start()) + 1
        raise LogUnreadable(
            f"{name}, line {line}: holds the control byte 0x{ord(found[0]):02x}, so this is not a "
            "text file; export the log again"
        )
    return text


def lines_of(text: str, name: str) -> list[tuple[int, str]]:
    """Return the lines that hold something, with their numbers; line ends may be mixed."""
    from nightly_spindle.core.logs.log_line import MOST_LINES

    # no splitlines(): it also breaks at form feeds and Unicode separators inside names
    lines = re.split(r"\r\n|\n|\r", text.removesuffix("\x1a"))
    if len(lines) > MOST_LINES + 1:
        raise LogUnreadable(f"{name} has more than {MOST_LINES:,} lines: check what wrote it")
    return [(number, line) for number, line in enumerate(lines, 1) if line.strip()]


def split_label(label: str) -> tuple[str, str]:
    """Return artist and title of a label "Artist - Title"; no artist when there is no dash."""
    artist, dash, title = label.partition(" - ")
    return (artist.strip(), title.strip()) if dash else ("", label.strip())


def time_of_day(text: str) -> float | None:
    """Return the seconds since midnight of the first time of day in a text, None without one."""
    found = re.search(r"(?<![\d:])([01]?\d|2[0-4]):([0-5]\d)(?::([0-5]\d))?(?![\d:])", text)
    if found is None:
        return None
    hour, minute, second = int(found[1]), int(found[2]), int(found[3] or 0)
    return float(hour * 3600 + minute * 60 + second)
