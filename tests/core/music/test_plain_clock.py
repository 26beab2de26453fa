"""The clock that a station of its own begins with."""

import random

from nightly_spindle.core.library.items import Kind
from nightly_spindle.core.music.format_clocks import check_clock, strip_from, strip_text
from nightly_spindle.core.music.plain_clock import plain_clock


def test_songs_by_size_and_the_stations_own_at_each_quarter():
    clock = plain_clock(
        {
            "Gold": (Kind.SONG, 120),
            "New": (Kind.SONG, 30),
            "Empty": (Kind.SONG, 0),
            "Jingles": (Kind.JINGLE, 4),
            "Our IDs": (Kind.ID, 2),
            "Spots": (Kind.SPOT, 9),
        }
    )
    assert dict(clock.weights) == {"Gold": 120.0, "New": 30.0}
    assert strip_text(clock.slots) == (
        "category Our IDs; music until 15:00; category Our IDs; music until 30:00; "
        "category Our IDs; music until 45:00; category Our IDs; music"
    )


def test_whatever_there_is_the_clock_can_be():
    seed = random.randrange(2**32)
    print(f"seed {seed}")
    dice = random.Random(seed)
    for _ in range(200):
        categories = {
            f"C{n}; “odd”, {n}": (dice.choice(list(Kind)), dice.choice((0, 1, 5000)))
            for n in range(dice.randrange(6))
        }
        clock = plain_clock(categories)
        check_clock(clock)
        assert strip_from(strip_text(clock.slots)) == clock.slots
