"""Items of the library, their kinds, their measured facts and their markers."""

from __future__ import annotations

from dataclasses import dataclass, replace
from enum import StrEnum


class Kind(StrEnum):
    """What an item is (trade terms)."""

    SONG = "song"
    ID = "id"
    JINGLE = "jingle"
    SWEEPER = "sweeper"
    PROMO = "promo"
    SPOT = "spot"
    PSA = "psa"
    VOICE_TRACK = "voice-track"
    VOICEOVER = "voiceover"
    BED = "bed"
    NEWS = "news"
    PROGRAMME = "programme"
    FILLER = "filler"
    STREAM = "stream"


# Voiceovers, IDs and beds carry their own shape: no trimming, no fades, full level
# (common practice, no source).
UNTOUCHED = frozenset({Kind.VOICEOVER, Kind.ID, Kind.BED})


class Ending(StrEnum):
    """How the sound of an item ends."""

    COLD = "cold"
    FADE = "fade"


@dataclass(frozen=True, slots=True)
class Measure:
    """What was measured from the decoded audio of one file.

    Times are seconds in the file. `duration_s` is what was decoded, never what a
    header said. `integrated_lufs` is None for silence and clips under 400 ms.
    """

    duration_s: float
    sample_rate: int
    channels: int
    integrated_lufs: float | None = None
    loudness_range_lu: float = 0.0
    true_peak_dbtp: float | None = None
    cue_in_s: float = 0.0
    cue_out_s: float = 0.0
    segue_s: float = 0.0
    fade_start_s: float = 0.0
    ending: Ending = Ending.COLD


@dataclass(frozen=True, slots=True)
class Item:
    """One piece of audio in the library.

    `path` is absolute and empty only for the built-in station tone.
    """

    cart: int
    kind: Kind
    title: str
    artist: str
    path: str
    measure: Measure

    @property
    def label(self) -> str:
        """Artist and title as one text."""
        return f"{self.artist} - {self.title}" if self.artist else self.title


TONE_CART = 0

# The last rung of the safety net: always playable, needs no file.
STATION_TONE = Item(
    cart=TONE_CART,
    kind=Kind.FILLER,
    title="Station tone",
    artist="",
    path="",
    measure=Measure(60.0, 44_100, 2, None, 0.0, -20.0, 0.0, 60.0, 60.0, 60.0, Ending.COLD),
)


def kept_markers(old: Measure, new: Measure) -> Measure:
    """Return the measure of new audio with the markers of the old.

    Markers beyond the new end move to it; a cue in beyond it means that nothing of the old
    markers fits, and the new ones hold.
    """
    if old.cue_in_s >= new.duration_s:
        return new
    last = new.duration_s
    return replace(
        new,
        cue_in_s=old.cue_in_s,
        cue_out_s=min(old.cue_out_s, last),
        segue_s=min(old.segue_s, last),
        fade_start_s=min(old.fade_start_s, last),
        ending=old.ending,
    )
