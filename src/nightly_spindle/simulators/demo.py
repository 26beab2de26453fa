"""Building the demo station: a harbour's night radio, made up from end to end."""

from __future__ import annotations

import multiprocessing
import os
import shutil
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from datetime import timedelta
from pathlib import Path
from typing import TYPE_CHECKING
from zoneinfo import ZoneInfo

from nightly_spindle.core.base.timebase import local_from
from nightly_spindle.core.library.intake import FileFate, IntakeJob, IntakeOptions, Numbering
from nightly_spindle.core.library.items import Kind
from nightly_spindle.core.library.markers import Marks, Shaping
from nightly_spindle.core.outputs.outputs import Output, RecordingOptions, StreamOptions
from nightly_spindle.core.outputs.stream_codecs import Codec
from nightly_spindle.core.segues.segue_rules import ANY, pair_rule
from nightly_spindle.intake.bring_in import Intake, bring_in
from nightly_spindle.simulators.demo_campaigns import FILLER, demo_breaks, demo_orders
from nightly_spindle.simulators.demo_catalogue import (
    ALBUMS,
    SHORTS,
    SONGS,
    STATION,
    ShortSound,
    Song,
)
from nightly_spindle.simulators.demo_events import demo_events
from nightly_spindle.simulators.demo_formats import demo_formats
from nightly_spindle.simulators.demo_logs import night_hours
from nightly_spindle.simulators.demo_pools import demo_pools
from nightly_spindle.simulators.demo_shorts import short_sound
from nightly_spindle.simulators.demo_songs import pieces, tune_of, write_song, write_sound
from nightly_spindle.simulators.streaming_server import PASSWORD, STREAMING_PORT
from nightly_spindle.store.base.database import DATABASE
from nightly_spindle.store.base.station_folder import new_station
from nightly_spindle.store.base.transaction import LibraryTransaction, now_us
from nightly_spindle.store.events.events import save_events
from nightly_spindle.store.library.catalogue import Catalogue, Query
from nightly_spindle.store.library.intake_jobs import save_job
from nightly_spindle.store.library.lists import make_list, set_target
from nightly_spindle.store.library.marking import set_by_hand
from nightly_spindle.store.logs.log_source_edits import save_drop
from nightly_spindle.store.outputs.passwords import set_password
from nightly_spindle.store.overlays.pools import save_pool
from nightly_spindle.store.segues.segues import set_rule
from nightly_spindle.store.traffic.campaigns import save_break, save_campaigns

if TYPE_CHECKING:
    from collections.abc import Callable

SEED = 7  # of the first song; each has the next
_CATEGORY = {
    "song": "Quay rotation",
    "id": "Station IDs",
    "sweeper": "Night sweepers",
    "spot": "Harbour spots",
    "jingle": "Jingles",
    "promo": "Promos",
    "voiceover": "Voiceovers",
    "psa": FILLER,
}
_BY_EAR = "Gull Arithmetic"  # its intro was marked by hand
_STREAM = 1  # the number of the demo's stream


@dataclass(frozen=True, slots=True)
class _Job:
    path: str
    song: Song | None
    short: ShortSound | None
    seed: int


def build(folder: Path, timezone: str, progress: Callable[[str, float], None]) -> None:
    """Make the demo station in `folder`, unless it is there already.

    `progress` gets what is being done and how much of it all is done (0 to 1).
    """
    if (folder / DATABASE).exists():
        return
    jobs = [
        _Job(str(_place(folder, "song", s.artist, s.title, s.suffix)), s, None, SEED + i)
        for i, s in enumerate(SONGS)
    ]
    jobs += [
        _Job(str(_place(folder, s.kind, s.artist, s.title, s.suffix)), None, s, SEED + 100 + i)
        for i, s in enumerate(SHORTS)
    ]
    for job in jobs:
        Path(job.path).parent.mkdir(parents=True, exist_ok=True)
    # what takes longest first, so that both cores are busy to the end
    jobs.sort(key=lambda job: (job.song is None, job.path.endswith(".mp2")))
    context = multiprocessing.get_context("forkserver")
    context.set_forkserver_preload(["nightly_spindle.simulators.demo"])
    with ProcessPoolExecutor(max(1, os.cpu_count() or 1), mp_context=context) as pool:
        for done, _ in enumerate(pool.map(_make, jobs), 1):
            progress("making the audio", 0.6 * done / len(jobs))
    _take_in(folder, timezone, progress)


def _outputs() -> tuple[Output, ...]:
    """Return where the demo goes: a stream to the stand-in that runs with it."""
    address = f"http://127.0.0.1:{STREAMING_PORT}/lantern-quay"
    stream = StreamOptions(address, codec=Codec.MP3, genre="harbour night music")
    kept = RecordingOptions(keep_days=7.0, most_gb=2.0)
    return (Output(_STREAM, "Quay stream", stream), Output(2, "Night tape", kept, on=False))


def _take_in(folder: Path, timezone: str, progress: Callable[[str, float], None]) -> None:
    # built beside and renamed, so that a build that was broken off is not taken for a station
    (folder / "building" / DATABASE).unlink(missing_ok=True)
    new_station(folder / "building", {"name": STATION, "timezone": timezone}, _outputs())
    kinds = sorted({"song", *(short.kind for short in SHORTS)})
    building = folder / "building"
    if (building / "audio").exists():
        shutil.rmtree(building / "audio")
    (folder / "audio").rename(building / "audio")
    intakes = [
        Intake([building / "audio" / kind], IntakeOptions(Kind(kind), (_CATEGORY.get(kind, kind),)))
        for kind in kinds
    ]
    bring_in(building, intakes, lambda done, of: progress("measuring", 0.6 + 0.4 * done / of))
    _leave_arrivals(building / "arrivals")
    _programme(building, timezone)
    for entry in sorted(building.iterdir()):
        entry.rename(folder / entry.name)
    building.rmdir()
    set_password(folder, _STREAM, PASSWORD)


def _leave_arrivals(folder: Path) -> None:
    """Put files into the watched folder: two new, one known, one nameless, one that is none."""
    folder.mkdir(exist_ok=True)
    for artist, title, seed in (
        ("Tam Reddick", "Slack Water Radio", 61),
        ("Odile Faraday", "Bell Buoy", 62),
    ):
        song = Song(artist, title, 160, "mp2", 2, drive_db=1)
        write_song(str(folder / f"{artist} - {title}.mp2"), song, seed, "")
    nameless = pieces(Song("", "", 150, "flac", 2, fade_s=6), 63)
    write_sound(str(folder / "tape 14 side b.flac"), nameless.whole(), 44_100, "", "", "")
    audio = folder.parent / "audio" / "song"
    shutil.copy(audio / "Harrow Point - Ballast.flac", folder / "Ballast (harbour mix).flac")
    (folder / "interview.mp3").write_text("to be recorded on Thursday\n", encoding="utf-8")


def _programme(folder: Path, timezone: str) -> None:
    """Program an intake job, two lists, timed events, pools of overlays and campaigns."""
    catalogue = Catalogue(folder)
    carts = catalogue.find(Query(kinds=("song",), sort="cart")).carts.tolist()
    tides = int(catalogue.find(Query("last boat", ("jingle",))).carts[0])
    promo = int(catalogue.find(Query(kinds=("promo",))).carts[0])
    titles = {item.title: cart for cart, item in catalogue.items(range(1001, 1300)).items()}
    catalogue.close()
    with LibraryTransaction(folder) as library:
        options = IntakeOptions(categories=("New songs",), source=FileFate.COPY)
        save_job(library, IntakeJob(0, "Label post", "arrivals", options))
        news = IntakeOptions(Kind.NEWS, numbering=Numbering.NAME)
        save_job(library, IntakeJob(0, "Hourly news", "newsdesk", news))
        fog = make_list(library, "Fog night", carts[::16])
        set_target(library, fog, 900.0)
        make_list(library, "If all else fails", carts[1::8])
        _programme_segues(library, titles)
        for pool in demo_pools(titles.__getitem__):
            save_pool(library, pool)
        for pattern in demo_breaks(titles.__getitem__):
            save_break(library, pattern)
        save_drop(library, night_hours(folder))
        today = local_from(now_us(), ZoneInfo(timezone)).date()
        save_events(library, demo_events(tides, promo, today + timedelta(days=13)))
        save_campaigns(library, demo_orders(titles.__getitem__, today))
        demo_formats(library, titles.__getitem__, today)
    for name in ("newsdesk", "night-logs"):
        (folder / name).mkdir()


def _programme_segues(library: LibraryTransaction, titles: dict[str, int]) -> None:
    """Program a few segue rules, and mark two songs by hand; one has a sweeper of its own."""
    set_rule(library, pair_rule("song", "spot", {"fade_out_s": "2.0", "longest_s": "3.0"}))
    set_rule(library, pair_rule("spot", "spot", {"overlap": "gap", "gap_s": "0.3"}))
    set_rule(library, pair_rule("spot", ANY, {"overlap": "gap", "gap_s": "0.5"}))
    marks = Marks(hook_start_s=60.0, hook_end_s=69.5, sweepers_s=(45.0, 100.0))
    shaping = Shaping(gain_trim_db=-1.5, own_sweeper=titles["Between two lighthouses"])
    set_by_hand(library, {titles["Ferryman's Ledger"]: (marks, shaping)})
    song, seed = next((one, SEED + n) for n, one in enumerate(SONGS) if one.title == _BY_EAR)
    intro_s = round(song.intro_bars * tune_of(song, seed).bar_s, 1)
    set_by_hand(library, {titles[_BY_EAR]: (Marks(intro_end_s=intro_s), None)})


def _place(folder: Path, kind: str, artist: str, title: str, suffix: str) -> Path:
    name = f"{artist} - {title}.{suffix}".replace("/", "-").replace(":", " -")
    return folder / "audio" / kind / name


def _make(job: _Job) -> str:
    if job.song is not None:
        write_song(job.path, job.song, job.seed, ALBUMS[job.song.artist])
    else:
        assert job.short is not None
        sound = short_sound(job.short, job.seed)
        write_sound(job.path, sound, 44_100, job.short.title, job.short.artist, "")
    return job.path
