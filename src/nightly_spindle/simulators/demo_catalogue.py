"""What the demo station plays: all names are made up for it."""

from __future__ import annotations

from dataclasses import dataclass

STATION = "Lantern Quay Radio"


@dataclass(frozen=True, slots=True)
class Song:
    """A song to be made. `ending` is cold, or fade with its seconds; levels in dBFS."""

    artist: str
    title: str
    seconds: int
    suffix: str
    intro_bars: int
    fade_s: float = 0.0
    peak_db: float = -0.5
    drive_db: float = 0.0
    head_s: float = 0.0
    tail_s: float = 0.0
    click: bool = False
    rate: int = 44_100


_CHOIR, _FARADAY, _PELL = "The Breakwater Choir", "Odile Faraday", "Pell & Daughters"
_CALLOWAY, _REDDICK, _VENN = "Ines Calloway", "Tam Reddick", "Marisol Venn"
_HARROW, _GRAIN, _SALT = "Harrow Point", "Low Grain", "Saltmarsh Motor Company"

SONGS = (
    Song(_CHOIR, "Saltgrass and Iron", 84, "flac", 4, fade_s=9, drive_db=2),
    Song(_FARADAY, "Lamp Room Waltz", 68, "wav", 6, drive_db=1, tail_s=1.2),
    Song(_PELL, "Cold Harbour, Warm Tin", 56, "flac", 2, peak_db=-1, drive_db=3),
    Song(_CALLOWAY, "Ferryman's Ledger", 91, "wav", 8, fade_s=12, drive_db=1),
    Song(_CHOIR, "Nine Fathom Lullaby", 59, "flac", 4, fade_s=10, peak_db=-6),
    Song(_HARROW, "Slow Rope", 56, "wav", 4, peak_db=-18, head_s=0.8, tail_s=2.0, click=True),
    Song(_FARADAY, "First Light on the Slip", 71, "flac", 6, fade_s=8, peak_db=-3),
    Song(_REDDICK, "Pilot Boat Blues", 73, "wav", 2, drive_db=3),
    Song(_PELL, "Gull Arithmetic", 64, "flac", 4, peak_db=-12, tail_s=0.9),
    Song(_VENN, "Kelp Lantern", 65, "wav", 4, fade_s=7, drive_db=1),
    Song(_GRAIN, "Bollard Song", 60, "wav", 2, peak_db=-24, head_s=1.5, tail_s=3.0, click=True),
    Song(_SALT, "Two Stroke Moon", 60, "wav", 2, drive_db=5, peak_db=-0.1),
    Song(_REDDICK, "Letters to the Dredger", 58, "flac", 6, fade_s=11),
    Song(_VENN, "Tide Table for Two", 63, "ogg", 4, drive_db=1),
    Song(_GRAIN, "Wet Rope, Dry Land", 69, "flac", 4, peak_db=-8, fade_s=6),
    Song(_HARROW, "The Customs Shed", 62, "wav", 2, drive_db=2, rate=48_000),
    Song(_CALLOWAY, "Unladen", 66, "flac", 2, peak_db=-20, tail_s=1.0),
    Song(_SALT, "Gearbox Hymn", 71, "wav", 4, drive_db=4, fade_s=5),
    Song(_FARADAY, "Half a Mile of Fog", 240, "flac", 8, fade_s=14, peak_db=-2),
    Song(_CHOIR, "Ropewalk Girls", 57, "wav", 4, drive_db=1, head_s=0.4),
    Song(_GRAIN, "Night Watch at Pier Four", 63, "flac", 4, fade_s=8),
    Song(_REDDICK, "Copper Bottom", 56, "wav", 2, drive_db=2, rate=48_000),
    Song(_VENN, "Small Hours, Small Craft", 56, "flac", 4, peak_db=-10),
    Song(_PELL, "The Marrow Street Reel", 45, "wav", 1, drive_db=1),
    Song(_HARROW, "Ballast", 56, "flac", 2, peak_db=-15, fade_s=5),
)


@dataclass(frozen=True, slots=True)
class ShortSound:
    """A short item to be made: voice (Hz, 0 for none), bells or a bed under it."""

    kind: str
    title: str
    artist: str
    seconds: float
    suffix: str
    voice_hz: float = 0.0
    music: str = ""  # "bells", "bed" or none


_STATION = "Station"
SHORTS = (
    ShortSound("id", "Quay bell, short", _STATION, 6.0, "mp3", 128, "bells"),
    ShortSound("id", "Quay bell, long", _STATION, 9.5, "flac", 180, "bells"),
    ShortSound("jingle", "Harbour lights", _STATION, 7.0, "mp3", 0, "bells"),
    ShortSound("jingle", "Last boat home", _STATION, 11.0, "ogg", 0, "bed"),
    ShortSound("sweeper", "Still lit", _STATION, 3.2, "wav", 122),
    ShortSound("sweeper", "All night on the quay", _STATION, 4.1, "wav", 190),
    ShortSound("sweeper", "Between two lighthouses", _STATION, 3.6, "flac", 118),
    ShortSound("voiceover", "New on the quay", _STATION, 5.2, "wav", 175),
    ShortSound("voiceover", "Asked for from the night ferry", _STATION, 6.8, "wav", 120),
    ShortSound(
        "spot", "Marrow's Chandlery, rope week", "Marrow's Chandlery", 29.0, "flac", 126, "bed"
    ),
    ShortSound("spot", "Tern Line night ferry", "Tern Line", 24.0, "flac", 182, "bed"),
    ShortSound("spot", "Lowtide Oysters", "Lowtide Oysters", 20.0, "flac", 116, "bed"),
    ShortSound("spot", "Hebble & Son, outboard motors", "Hebble & Son", 27.0, "flac", 133, "bed"),
    ShortSound("sweeper", "Lamp, bell, horn", _STATION, 2.6, "wav", 126),
    ShortSound("sweeper", "The quay after dark", _STATION, 4.6, "flac", 184),
    ShortSound("voiceover", "First landed here", _STATION, 3.0, "wav", 178),
    ShortSound("promo", "Sunday: the drowned bells", _STATION, 22.0, "flac", 170, "bed"),
    ShortSound("spot", "Tern Line, winter timetable", "Tern Line", 18.0, "flac", 176, "bed"),
    ShortSound("spot", "Grey Seal Crossings", "Grey Seal Crossings", 26.0, "flac", 121, "bed"),
    ShortSound("psa", "Light your boat", "Harbour Office", 16.0, "flac", 140),
    ShortSound("psa", "Mind the slipway", "Harbour Office", 14.0, "flac", 187),
)
