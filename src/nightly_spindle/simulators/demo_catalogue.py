"""What the demo station plays: all names are made up for it."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

from nightly_spindle.simulators.songwriting import Style

STATION = "Lantern Quay Radio"


class Group(StrEnum):
    """The categories that the station's own hours draw songs from."""

    STANDARDS = "Harbour standards"
    LANDINGS = "New landings"
    SLACK = "Slack water"


@dataclass(frozen=True, slots=True)
class Song:
    """A song to be made. `fade_s` is 0 where it ends cold; levels in dBFS."""

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
    group: Group = Group.STANDARDS

    @property
    def style(self) -> Style:
        """The style of its act."""
        return ACTS.get(self.artist, Style.FOLK)


_CHOIR, _FARADAY, _PELL = "The Breakwater Choir", "Odile Faraday", "Pell & Daughters"
_CALLOWAY, _REDDICK, _VENN = "Ines Calloway", "Tam Reddick", "Marisol Venn"
_HARROW, _GRAIN, _SALT = "Harrow Point", "Low Grain", "Saltmarsh Motor Company"
_KETCH, _BRONA, _FERRY = "Ketch and Yawl Society", "Brona Tideswell", "The Marrow Street Ferrymen"
_GRIEVE, _PARADE, _DUNLIN = "Anselm Grieve-Pott", "Lantern Parade No. 9", "The Dunlin Twins"
_OSRIC, _ANCHOR, _MUDLARK = "Osric Vane-Tully", "Tin Anchor Assembly", "Mudlark Orchestra"
_SIGNE, _FIVE, _CORIN = "Signe Hallorand", "The Slipway Five", "Corin Ashlow"
_JUNO, _TANSY, _IRON, _BUOY = "Weathership Juno", "Tansy Orrelby", "Iron Cormorants", "Hollow Buoy"

ACTS = {
    _CHOIR: Style.CHOIR,
    _FARADAY: Style.WALTZ,
    _PELL: Style.FOLK,
    _CALLOWAY: Style.FOLK,
    _REDDICK: Style.BLUES,
    _VENN: Style.DRONE,
    _HARROW: Style.FOLK,
    _GRAIN: Style.DRONE,
    _SALT: Style.MOTOR,
    _KETCH: Style.FOLK,
    _BRONA: Style.WALTZ,
    _FERRY: Style.BRASS,
    _GRIEVE: Style.CHOIR,
    _PARADE: Style.BRASS,
    _DUNLIN: Style.FOLK,
    _OSRIC: Style.BLUES,
    _ANCHOR: Style.MOTOR,
    _MUDLARK: Style.BRASS,
    _SIGNE: Style.WALTZ,
    _FIVE: Style.BRASS,
    _CORIN: Style.BLUES,
    _JUNO: Style.MOTOR,
    _TANSY: Style.FOLK,
    _IRON: Style.MOTOR,
    _BUOY: Style.DRONE,
}
ALBUMS = {
    _CHOIR: "Saltgrass",
    _FARADAY: "Lamp Room",
    _PELL: "Warm Tin",
    _CALLOWAY: "Ledgers",
    _REDDICK: "Pilot Boat",
    _VENN: "Small Craft",
    _HARROW: "Customs",
    _GRAIN: "Pier Four",
    _SALT: "Two Stroke",
    _KETCH: "Minutes of the Society",
    _BRONA: "Capstan",
    _FERRY: "The Far Side",
    _GRIEVE: "Psalms and Winches",
    _PARADE: "Nine Streets",
    _DUNLIN: "Sandbar",
    _OSRIC: "Sunday Shoes",
    _ANCHOR: "Yard Lights",
    _MUDLARK: "Found Bottle",
    _SIGNE: "Herring Sky",
    _FIVE: "Launch Day",
    _CORIN: "Night Boat",
    _JUNO: "Sea Area Unknown",
    _TANSY: "Samphire",
    _IRON: "Hull Number Nine",
    _BUOY: "Phosphor",
}
_NEW, _SLACK = Group.LANDINGS, Group.SLACK

# most are MPEG layer II, as exchanged between stations; a few are not, as in any library
SONGS = (
    Song(_CHOIR, "Saltgrass and Iron", 204, "mp2", 4, fade_s=9, drive_db=2),
    Song(_FARADAY, "Lamp Room Waltz", 158, "wav", 6, drive_db=1, tail_s=1.2),
    Song(_PELL, "Cold Harbour, Warm Tin", 166, "mp2", 2, peak_db=-1, drive_db=3, group=_NEW),
    Song(_CALLOWAY, "Ferryman's Ledger", 211, "mp2", 8, fade_s=12, drive_db=1),
    Song(_CHOIR, "Nine Fathom Lullaby", 189, "mp2", 4, fade_s=10, peak_db=-6, group=_SLACK),
    Song(_HARROW, "Slow Rope", 152, "flac", 4, peak_db=-18, head_s=0.8, tail_s=2.0, click=True),
    Song(_FARADAY, "First Light on the Slip", 171, "mp2", 6, fade_s=8, peak_db=-3, group=_NEW),
    Song(_REDDICK, "Pilot Boat Blues", 173, "mp2", 2, drive_db=3),
    Song(_PELL, "Gull Arithmetic", 164, "flac", 4, peak_db=-12, tail_s=0.9, group=_SLACK),
    Song(_VENN, "Kelp Lantern", 195, "mp2", 4, fade_s=7, drive_db=1, group=_SLACK),
    Song(
        _GRAIN,
        "Bollard Song",
        160,
        "mp2",
        2,
        peak_db=-24,
        head_s=1.5,
        tail_s=3.0,
        click=True,
        group=_SLACK,
    ),
    Song(_SALT, "Two Stroke Moon", 151, "mp2", 2, drive_db=5, peak_db=-0.1),
    Song(_REDDICK, "Letters to the Dredger", 188, "mp2", 6, fade_s=11, group=_NEW),
    Song(_VENN, "Tide Table for Two", 153, "ogg", 4, drive_db=1, group=_NEW),
    Song(_GRAIN, "Wet Rope, Dry Land", 169, "mp2", 4, peak_db=-8, fade_s=6, group=_NEW),
    Song(_HARROW, "The Customs Shed", 162, "mp2", 2, drive_db=2, rate=48_000),
    Song(_CALLOWAY, "Unladen", 166, "flac", 2, peak_db=-20, tail_s=1.0, group=_NEW),
    Song(_SALT, "Gearbox Hymn", 181, "mp2", 4, drive_db=4, fade_s=5),
    Song(_FARADAY, "Half a Mile of Fog", 268, "mp2", 8, fade_s=14, peak_db=-2, group=_SLACK),
    Song(_CHOIR, "Ropewalk Girls", 177, "mp2", 4, drive_db=1, head_s=0.4, group=_SLACK),
    Song(_GRAIN, "Night Watch at Pier Four", 213, "mp2", 4, fade_s=8),
    Song(_REDDICK, "Copper Bottom", 156, "mp2", 2, drive_db=2, rate=48_000, group=_NEW),
    Song(_VENN, "Small Hours, Small Craft", 176, "mp2", 4, peak_db=-10, group=_SLACK),
    Song(_PELL, "The Marrow Street Reel", 150, "mp2", 1, drive_db=1, group=_SLACK),
    Song(_HARROW, "Ballast", 156, "flac", 2, peak_db=-15, fade_s=5, group=_SLACK),
    Song(_KETCH, "Reckoning by Gulls", 183, "mp2", 4, fade_s=6, drive_db=2),
    Song(_KETCH, "The Oiled Lamp", 154, "mp2", 0, drive_db=1),
    Song(_KETCH, "Barrel Stave Morning", 167, "mp2", 2, drive_db=2, group=_NEW),
    Song(_KETCH, "Halyard Talk", 158, "mp2", 4, peak_db=-9, group=_SLACK),
    Song(_BRONA, "Three Turns of the Capstan", 162, "mp2", 4, drive_db=1),
    Song(_BRONA, "Cork and Candle", 174, "mp2", 8, fade_s=7, peak_db=-4, group=_SLACK),
    Song(_BRONA, "Wind off the Mole", 157, "mp2", 2, drive_db=2, group=_NEW),
    Song(_FERRY, "Sixpence to the Far Side", 155, "mp2", 2, drive_db=3),
    Song(_FERRY, "Bell Tower, Low Water", 178, "mp2", 4, fade_s=6, drive_db=2),
    Song(_FERRY, "Last Crossing but One", 161, "mp2", 1, drive_db=4, group=_NEW),
    Song(_GRIEVE, "Candle in the Wheelhouse", 193, "mp2", 2, fade_s=9, peak_db=-5, group=_SLACK),
    Song(_GRIEVE, "Psalm for a Winch", 205, "mp2", 4, peak_db=-11, tail_s=1.4, group=_SLACK),
    Song(_GRIEVE, "The Slow Bell", 168, "mp2", 2, fade_s=8, peak_db=-7, group=_NEW),
    Song(_PARADE, "Paper Moons on the Quay", 152, "mp2", 2, drive_db=4),
    Song(_PARADE, "Drum Major's Umbrella", 156, "mp2", 1, drive_db=5, peak_db=-0.2),
    Song(_PARADE, "Nine Streets Down", 165, "mp2", 4, fade_s=5, drive_db=3, group=_NEW),
    Song(_DUNLIN, "Sandbar Sister", 159, "mp2", 2, drive_db=2),
    Song(_DUNLIN, "Two Oars, One Boat", 171, "mp2", 4, fade_s=7, drive_db=1),
    Song(_DUNLIN, "Knots We Never Learned", 153, "mp2", 0, drive_db=3, group=_NEW),
    Song(_DUNLIN, "Eelgrass", 186, "mp2", 6, fade_s=10, peak_db=-8, group=_SLACK),
    Song(_OSRIC, "Tar on My Sunday Shoes", 176, "mp2", 2, drive_db=4),
    Song(_OSRIC, "Harbour Dues Again", 163, "mp2", 4, drive_db=3),
    Song(_OSRIC, "Slow Crane Blues", 199, "mp2", 4, fade_s=9, drive_db=2, group=_NEW),
    Song(_ANCHOR, "Rivet Choir", 154, "mp2", 2, drive_db=6, peak_db=-0.1),
    Song(_ANCHOR, "Yard Lights", 172, "mp2", 8, fade_s=6, drive_db=4),
    Song(_ANCHOR, "Graving Dock", 158, "mp2", 4, drive_db=5, group=_NEW),
    Song(_MUDLARK, "Found Bottle Suite", 184, "mp2", 4, fade_s=8, drive_db=1),
    Song(_MUDLARK, "March of the Limpets", 151, "mp2", 2, drive_db=2),
    Song(_MUDLARK, "Green Glass", 169, "mp2", 4, peak_db=-13, group=_SLACK),
    Song(_MUDLARK, "Low Tide, High Collar", 157, "mp2", 1, drive_db=3, group=_NEW),
    Song(_SIGNE, "Herring Sky", 175, "mp2", 4, fade_s=7, drive_db=1),
    Song(_SIGNE, "A Waltz for the Pilot's Wife", 188, "mp2", 8, fade_s=9, peak_db=-3),
    Song(_SIGNE, "Boathook", 152, "mp2", 2, drive_db=2, group=_NEW),
    Song(_SIGNE, "Northerly", 179, "mp2", 4, peak_db=-9, tail_s=0.8, group=_SLACK),
    Song(_FIVE, "Greasing the Ways", 155, "mp2", 2, drive_db=4),
    Song(_FIVE, "Launch Day Stomp", 150, "mp2", 1, drive_db=5),
    Song(_FIVE, "Down to the Keel Blocks", 167, "mp2", 4, fade_s=5, drive_db=3, group=_NEW),
    Song(_CORIN, "Kettle on the Night Boat", 181, "mp2", 2, fade_s=8, drive_db=2),
    Song(_CORIN, "Sixteen Fenders", 159, "mp2", 4, drive_db=3),
    Song(_CORIN, "My Berth Is Let", 164, "mp2", 2, drive_db=2, group=_NEW),
    Song(_JUNO, "Sea Area Unknown", 177, "mp2", 8, fade_s=9, drive_db=3),
    Song(_JUNO, "Barometer Heart", 156, "mp2", 4, drive_db=5),
    Song(_JUNO, "Signal Flags", 163, "mp2", 2, drive_db=4, group=_NEW),
    Song(_JUNO, "Static from the East", 170, "mp2", 4, fade_s=6, drive_db=4, group=_NEW),
    Song(_TANSY, "Samphire", 168, "mp2", 4, fade_s=7, peak_db=-2),
    Song(_TANSY, "Blue Twine", 153, "mp2", 2, drive_db=1),
    Song(_TANSY, "Your Coat Smells of Rain", 182, "mp2", 6, fade_s=10, peak_db=-4, group=_NEW),
    Song(_TANSY, "Mending by Lamplight", 174, "mp2", 4, peak_db=-10, group=_SLACK),
    Song(_IRON, "Black Wings Drying", 161, "mp2", 2, drive_db=6, peak_db=-0.1),
    Song(_IRON, "Piledriver", 154, "mp2", 0, drive_db=6, peak_db=-0.1),
    Song(_IRON, "Hull Number Nine", 158, "mp2", 4, drive_db=5, group=_NEW),
    Song(_BUOY, "Bell without a Rope", 209, "mp2", 4, fade_s=12, peak_db=-6, group=_SLACK),
    Song(_BUOY, "Depth Sounding", 191, "mp2", 2, fade_s=10, peak_db=-8, group=_SLACK),
    Song(_BUOY, "The Quiet Channel", 222, "mp2", 4, fade_s=14, peak_db=-16, group=_SLACK),
    Song(_BUOY, "Phosphor", 185, "mp2", 2, fade_s=9, peak_db=-5, group=_NEW),
)


@dataclass(frozen=True, slots=True)
class ShortSound:
    """A short item to be made: a voice that says a text, bells, a bed under it.

    `voice_hz` 0 is no voice; `seconds` is how long it lasts at least.
    """

    kind: str
    title: str
    artist: str
    seconds: float
    suffix: str
    voice_hz: float = 0.0
    music: str = ""  # "bells", "bed" or none
    text: str = ""


_STATION = "Station"
_CHANDLERY, _HEBBLE = "Marrow's Chandlery", "Hebble & Son"
SHORTS = (
    ShortSound(
        "id",
        "Quay bell, short",
        _STATION,
        6.0,
        "mp3",
        128,
        "bells",
        "This is Lantern Quay Radio.",
    ),
    ShortSound(
        "id",
        "Quay bell, long",
        _STATION,
        9.5,
        "flac",
        180,
        "bells",
        "From the end of the mole, all night and every night: Lantern Quay Radio.",
    ),
    ShortSound("jingle", "Harbour lights", _STATION, 7.0, "mp3", 0, "bells"),
    ShortSound("jingle", "Last boat home", _STATION, 11.0, "ogg", 0, "bed"),
    ShortSound("sweeper", "Still lit", _STATION, 2.4, "wav", 122, text="Lantern Quay. Still lit."),
    ShortSound(
        "sweeper",
        "All night on the quay",
        _STATION,
        2.6,
        "wav",
        190,
        text="All night long, on Lantern Quay.",
    ),
    ShortSound(
        "sweeper",
        "Between two lighthouses",
        _STATION,
        2.8,
        "flac",
        118,
        text="Between two lighthouses: Lantern Quay.",
    ),
    ShortSound(
        "voiceover",
        "New on the quay",
        _STATION,
        3.0,
        "wav",
        175,
        text="New on the quay this week, and still a little wet.",
    ),
    ShortSound(
        "voiceover",
        "Asked for from the night ferry",
        _STATION,
        3.4,
        "wav",
        120,
        text="Somebody asked for this one, from the deck of the night ferry.",
    ),
    ShortSound(
        "spot",
        "Marrow's Chandlery, rope week",
        _CHANDLERY,
        29.0,
        "flac",
        126,
        "bed",
        "It is rope week at Marrow's Chandlery. Three strand, eight plait, tarred or plain, cut to "
        "any length while you wait. Bring an old end and take a tenth off the new one. Marrow's "
        "Chandlery, at the foot of the Customs steps. If it floats, we hold it.",
    ),
    ShortSound(
        "spot",
        "Tern Line night ferry",
        "Tern Line",
        24.0,
        "flac",
        182,
        "bed",
        "Leave at midnight, wake up on the other side. The Tern Line night ferry: a bunk, a "
        "blanket, and breakfast at six. Every night of the week, from pier four.",
    ),
    ShortSound(
        "spot",
        "Lowtide Oysters",
        "Lowtide Oysters",
        20.0,
        "flac",
        116,
        "bed",
        "Lowtide Oysters. Out of the water at five, on your plate by noon. By the dozen, by the "
        "sack, at the green hut.",
    ),
    ShortSound(
        "spot",
        "Hebble & Son, outboard motors",
        _HEBBLE,
        27.0,
        "flac",
        133,
        "bed",
        "Does yours start at the ninth pull? Hebble and Son service every outboard motor, two "
        "stroke or four, before the season begins. We fetch it, we mend it, we bring it back. "
        "Hebble and Son, boat shed eleven.",
    ),
    ShortSound(
        "sweeper", "Lamp, bell, horn", _STATION, 2.2, "wav", 126, text="Lamp. Bell. Horn. Quay."
    ),
    ShortSound(
        "sweeper",
        "The quay after dark",
        _STATION,
        2.6,
        "flac",
        184,
        text="The quay after dark. You are not alone out here.",
    ),
    ShortSound(
        "voiceover", "First landed here", _STATION, 2.0, "wav", 178, text="First landed here."
    ),
    ShortSound(
        "promo",
        "Sunday: the drowned bells",
        _STATION,
        18.0,
        "flac",
        170,
        "bed",
        "Sunday at seven: the drowned bells. An hour of songs from towns that are under the sea "
        "now, told by those who moved uphill. Only on Lantern Quay Radio.",
    ),
    ShortSound(
        "spot",
        "Tern Line, winter timetable",
        "Tern Line",
        18.0,
        "flac",
        176,
        "bed",
        "The Tern Line winter timetable is here. One boat more on Fridays, one boat less on "
        "Sundays. Ask at pier four.",
    ),
    ShortSound(
        "spot",
        "Grey Seal Crossings",
        "Grey Seal Crossings",
        22.0,
        "flac",
        121,
        "bed",
        "Why sleep on a boat when you can be across by lunch? Grey Seal Crossings, six day boats "
        "from the inner harbour. Dogs travel free.",
    ),
    ShortSound(
        "psa",
        "Light your boat",
        "Harbour Office",
        10.0,
        "flac",
        140,
        text="A word from the Harbour Office. A boat without a light is a rock that moves. Light "
        "your boat, from dusk till dawn.",
    ),
    ShortSound(
        "psa",
        "Mind the slipway",
        "Harbour Office",
        9.0,
        "flac",
        187,
        text="The Harbour Office reminds you: the slipway is slippery. That is what it is for. "
        "Please keep to the steps.",
    ),
)
