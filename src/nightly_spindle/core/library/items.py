"""Items of the library, their kinds, their measured facts and their markers."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

from nightly_spindle.core.library.markers import AS_USUAL, UNMARKED, Marks, Shaping
from nightly_spindle.core.library.rotation_card import ANY_TURN, RotationCard

MOST_CART = 999_999_999


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

    @property
    def words(self) -> str:
        """The kind as it is read: "ID", "voice track"."""
        return {"id": "ID", "psa": "PSA"}.get(self.value, self.value.replace("-", " "))


# Voiceovers, IDs and beds carry their own shape: no trimming, no fades, full level
# (common practice, no source).
UNTOUCHED = frozenset({Kind.VOICEOVER, Kind.ID, Kind.BED})

# What may be talked over unless the item says otherwise: music, not words.
TALKED_OVER = frozenset({Kind.SONG, Kind.BED, Kind.FILLER})

# The levels under an item's own loudness of `Measure.fall`, dB.
FALL_DB = tuple(range(-4, -50, -2))


HOLE_DB = 10.0  # so far under both songs a join has a hole (common practice, no source)


class Ending(StrEnum):
    """How the sound of an item ends."""

    COLD = "cold"
    FADE = "fade"


@dataclass(frozen=True, slots=True)
class Measure:
    """What was measured from the decoded audio of one file.

    Times are seconds in the file. `duration_s` is what was decoded, never what a
    header said. `integrated_lufs` is None for silence and clips under 400 ms.

    `fall` says for each level of `FALL_DB` when the sound was last above it, empty when that
    was not measured; `sag_s` when it had fallen 6 dB under what it ended with, for good. `rise_s`
    is how long after its cue in it comes within `HOLE_DB` of what it begins with, `soft_s` when it
    was last within that of what it ended with; both over 400 ms.
    `intro_end_s` is a proposal. `sure_...` is how little a marker would move with another
    threshold, 0 (a guess) to 1.
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
    intro_end_s: float | None = None
    sag_s: float | None = None
    fall: tuple[float, ...] = ()
    rise_s: float | None = None
    soft_s: float | None = None
    sure_cue_in: float = 0.0
    sure_intro_end: float = 0.0
    sure_segue: float = 0.0
    sure_fade_start: float = 0.0
    sure_cue_out: float = 0.0


@dataclass(frozen=True, slots=True)
class Item:
    """One piece of audio in the library.

    `path` is absolute and empty only for the built-in station tone. `marks` and `shaping` are
    what was set by hand; `effective_markers` says what holds in the end. `turn` is what
    the item says of its own turns in rotation. Of a web stream `path` is the address, and
    `patience_s` how long nothing may come from it before the next line starts.
    """

    cart: int
    kind: Kind
    title: str
    artist: str
    path: str
    measure: Measure
    marks: Marks = UNMARKED
    shaping: Shaping = AS_USUAL
    patience_s: float = 0.0
    album: str = ""
    turn: RotationCard = ANY_TURN

    @property
    def untouched(self) -> bool:
        """Whether it plays without trimming and fades: it carries its own shape."""
        own = self.shaping.untouched
        return self.kind in UNTOUCHED if own is None else own

    @property
    def talked_over(self) -> bool:
        """Whether it may be talked over."""
        own = self.shaping.talk_over
        return self.kind in TALKED_OVER if own is None else own

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
