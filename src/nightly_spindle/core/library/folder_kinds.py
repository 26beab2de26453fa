"""What the name of a folder says about the kind of audio in it.

Words are those that stations call such folders by (common practice, no source); the most telling
one wins: "Sweepers and IDs" holds sweepers.
"""

from __future__ import annotations

import re
from itertools import pairwise

from nightly_spindle.core.library.items import Kind

_WORDS: tuple[tuple[Kind, tuple[str, ...]], ...] = (
    (Kind.VOICE_TRACK, ("voicetrack", "voicetracks", "tracking", "vt")),
    (Kind.VOICEOVER, ("voiceover", "voiceovers", "talkover", "talkovers", "dry")),
    (Kind.SWEEPER, ("sweeper", "sweepers", "liner", "liners")),
    (Kind.JINGLE, ("jingle", "jingles")),
    (Kind.PROMO, ("promo", "promos", "trailer", "trailers", "promotion", "promotions")),
    (Kind.PSA, ("psa", "psas")),
    (Kind.SPOT, ("spot", "spots", "ad", "ads", "advert", "adverts", "advertising", "commercial",
                 "commercials", "sponsor", "sponsors", "traffic")),
    (Kind.NEWS, ("news", "headlines", "bulletin", "bulletins", "weather")),
    (Kind.BED, ("bed", "beds", "underscore")),
    (Kind.PROGRAMME, ("programme", "programmes", "program", "programs", "show", "shows",
                      "podcast", "podcasts", "episode", "episodes", "mixes")),
    (Kind.ID, ("id", "ids", "ident", "idents", "stationid", "stationids", "legal")),
    (Kind.FILLER, ("filler", "fillers", "fill", "emergency", "instrumentals")),
)  # fmt: skip


def kind_of_folder(name: str) -> Kind:
    """Return the kind that a folder's name speaks of; songs where it speaks of none."""
    split = re.sub(r"(?<=[a-z])(?=[A-Z])", " ", name)
    words = re.findall(r"[^\W\d_]+", split.casefold())
    pairs = {first + second for first, second in pairwise(words)}
    said = {*words, *pairs}
    return next((kind for kind, known in _WORDS if said & set(known)), Kind.SONG)
