"""The as-run log looked through, and added up as a report of use: what licences are paid by."""

from __future__ import annotations

import csv
import io
from collections.abc import Mapping
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from nightly_spindle.core.base.timebase import US
from nightly_spindle.core.library.items import Kind
from nightly_spindle.core.programme.running_order import Outcome

if TYPE_CHECKING:
    from collections.abc import Iterable, Sequence

    from nightly_spindle.core.reports.as_run import AsRun

AS_RUN_COLUMNS = (
    "start",
    "end",
    "cart",
    "kind",
    "title",
    "artist",
    "origin",
    "why",
    "state",
    "note",
    "over",
    "campaign",
    "file",
)
USE_COLUMNS = ("title", "artist", "album", "label", "isrc", "plays", "seconds")
# passed over while it sounded counts with what was heard of it
_HEARD = frozenset(
    {Outcome.AIRED, Outcome.CUT, Outcome.SKIPPED, Outcome.INTERRUPTED, Outcome.BROKE_OFF}
)
_LABELS = ("organization", "label", "publisher")  # as tags call it: ID3 TPUB, Vorbis comments


@dataclass(frozen=True, slots=True)
class About:
    """What is known of an item beyond its as-run lines."""

    album: str
    tags: Mapping[str, str]


@dataclass(frozen=True, slots=True)
class Use:
    """How often an item was heard, and for how many seconds in all."""

    title: str
    artist: str
    album: str
    label: str
    isrc: str
    plays: int
    seconds: float


def found_in(run: AsRun, words: str) -> bool:
    """Whether a line holds all of some words: title, artist, kind, origin, outcome, why, file."""
    told = (run.title, run.artist, run.kind, run.origin, run.outcome, run.why, run.note, run.file)
    text = " ".join((*told, str(run.cart or ""))).casefold()
    return all(word in text for word in words.casefold().split())


def uses(runs: Iterable[AsRun], about: Mapping[int, About], kind: str = Kind.SONG) -> list[Use]:
    """Return what was heard of a kind, most plays first; what is cut counts with its seconds.

    An item that is in the library no more is told by its title and artist alone.
    """
    heard: dict[tuple[int, str, str], list[float]] = {}
    for run in runs:
        if run.kind != kind or run.outcome not in _HEARD or run.end_us <= run.start_us:
            continue
        key = run.cart or 0, run.title, run.artist
        heard.setdefault(key, []).append((run.end_us - run.start_us) / US)
    found = []
    for (cart, title, artist), seconds in heard.items():
        known = about.get(cart, About("", {}))
        label = next((known.tags[name] for name in _LABELS if known.tags.get(name)), "")
        isrc = known.tags.get("isrc", "").replace("-", "").upper()
        total = round(sum(seconds), 3)
        found.append(Use(title, artist, known.album, label, isrc, len(seconds), total))
    return sorted(found, key=lambda one: (-one.plays, one.artist, one.title))


def as_run_table(lines: Iterable[Mapping[str, Any]]) -> str:
    """Return lines of the as-run log (`as_run_view`) as CSV (RFC 4180)."""
    text = io.StringIO()
    writer = csv.DictWriter(text, AS_RUN_COLUMNS, lineterminator="\r\n")
    writer.writeheader()
    writer.writerows(lines)
    return text.getvalue()


def use_table(found: Sequence[Use]) -> str:
    """Return a report of use as CSV (RFC 4180), seconds to the thousandth."""
    text = io.StringIO()
    writer = csv.writer(text, lineterminator="\r\n")
    writer.writerow(USE_COLUMNS)
    for one in found:
        row = (one.title, one.artist, one.album, one.label, one.isrc, one.plays)
        writer.writerow((*row, f"{one.seconds:.3f}"))
    return text.getvalue()
