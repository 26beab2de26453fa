"""Joins of real music: every ordered pair of two Debian packages of free songs, by the usual rules.

The packages (`asc-music`, `singularity-music`: Ogg and MP3) are fetched and unpacked into build/,
nothing is installed. A hole lies more than 10 dB under both songs until the incoming one is there.
Exit status 1 where one lasts longer than 0.7 s though an earlier start would fill it, or where two
songs clash.
"""

from __future__ import annotations

import subprocess
import sys
from concurrent.futures import ProcessPoolExecutor
from dataclasses import replace
from itertools import permutations
from pathlib import Path

import numpy as np

from nightly_spindle.audio.join_level import (
    CLASH_S,
    STEP_S,
    JoinLevels,
    Side,
    assess,
    join_levels,
    side_of,
)
from nightly_spindle.audio.measure import Measured, measure_file
from nightly_spindle.core.library.items import HOLE_DB, Item, Kind
from nightly_spindle.core.segues.joins import Join, plan_join, span
from nightly_spindle.core.segues.segue_rules import JoinEdit, Segues
from nightly_spindle.core.station.settings import StationSettings

_PACKAGES = ("asc-music", "singularity-music")
_THERE = Path(__file__).parent.parent / "build" / "real-music"
_MOST_S = 0.7
_SOONER_S = tuple(n / 4 for n in range(1, 17))  # tried by hand, up to 4 s
_SETTINGS = StationSettings("Real music", "UTC")
_REACH_S = 5.0


def fetched() -> list[Path]:
    """Return the songs, fetched where they are not there."""
    _THERE.mkdir(parents=True, exist_ok=True)
    for package in _PACKAGES:
        if not list(_THERE.glob(f"{package}_*.deb")):
            subprocess.run(["apt-get", "download", package], cwd=_THERE, check=True)
    for archive in _THERE.glob("*.deb"):
        subprocess.run(["dpkg-deb", "-x", archive, _THERE / "unpacked"], check=True)
    return sorted(p for p in _THERE.rglob("*") if p.suffix in {".ogg", ".mp3"} and p.is_file())


def hole_s(levels: JoinLevels) -> float:
    """Return how long both are 10 dB down before the incoming item is at its level (s)."""
    low = min(levels.out_ref, levels.in_ref) - HOLE_DB
    reach = round(_REACH_S / STEP_S)
    up = np.flatnonzero(levels.into[levels.start : levels.start + reach] >= levels.in_ref - HOLE_DB)
    at = levels.start + (int(up[0]) if len(up) else reach)
    quiet = levels.both[levels.begins : at] < low
    loud = np.flatnonzero(~quiet)
    return (len(quiet) - (int(loud[-1]) + 1 if len(loud) else 0)) * STEP_S


def _sides(songs: list[Path]) -> list[Side]:
    with ProcessPoolExecutor() as pool:
        found: list[Measured] = list(pool.map(measure_file, map(str, songs)))
    return [
        side_of(
            Item(number, Kind.SONG, path.stem, "", str(path), one.measure), one.envelope, _SETTINGS
        )
        for number, (path, one) in enumerate(zip(songs, found, strict=True), 1)
    ]


def _planned(out: Side, into: Side, edit: JoinEdit | None = None) -> Join:
    begin = span(out.item, _SETTINGS.rate).cue_in
    return plan_join(out.item, begin, into.item, Segues(), _SETTINGS.rate, edit)


def _looked_at(out: Side, into: Side) -> tuple[float, float, bool]:
    """Return how long the hole of a join is, the least of an earlier start, and a clash."""
    rate, join = _SETTINGS.rate, _planned(out, into)
    levels = join_levels(out, into, join, rate)
    hole, clash = hole_s(levels), assess(levels).clash_s > CLASH_S
    least = hole
    for sooner in _SOONER_S if hole > _MOST_S else ():
        edit = JoinEdit(out_cart=out.item.cart, segue_s=join.segue / rate - sooner)
        least = min(least, hole_s(join_levels(out, into, _planned(out, into, edit), rate)))
    return hole, least, clash


def main() -> int:
    """Print what was found."""
    sides = _sides(fetched())
    without = [
        replace(one, item=replace(one.item, measure=replace(one.item.measure, rise_s=None)))
        for one in sides
    ]
    bad = clashes = 0
    for name, those in (("levels at the beginning not known", without), ("as they are", sides)):
        found = [(a, b, *_looked_at(a, b)) for a, b in permutations(those, 2)]
        holes = [one for one in found if one[2] > _MOST_S]
        fillable = [one for one in holes if one[3] <= _MOST_S]
        clashes = sum(one[4] for one in found)
        bad = len(fillable)
        longest = max((one[2] for one in found), default=0.0)
        print(
            f"{name}: {len(found)} joins, {len(holes)} with a hole of more than {_MOST_S} s "
            f"(longest {longest:.1f} s), {bad} of them an earlier start would fill, "
            f"{clashes} clashes"
        )
        for a, b, hole, least, _ in holes if those is sides else ():
            print(f"  {a.item.title} into {b.item.title}: {hole:.1f} s, {least:.1f} s at best")
    return 1 if bad or clashes else 0


if __name__ == "__main__":
    sys.exit(main())
