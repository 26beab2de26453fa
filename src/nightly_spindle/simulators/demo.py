"""Building the demo station: a harbour's night radio, made up from end to end."""

from __future__ import annotations

import multiprocessing
import os
import shutil
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from datetime import timedelta
from pathlib import Path
from typing import TYPE_CHECKING, Any
from zoneinfo import ZoneInfo

import numpy as np

from nightly_spindle.core.base.timebase import local_from
from nightly_spindle.core.library.intake import FileFate, IntakeJob, IntakeOptions, Numbering
from nightly_spindle.core.library.items import Kind
from nightly_spindle.core.library.markers import Marks, Shaping
from nightly_spindle.core.outputs.outputs import Output, RecordingOptions, StreamOptions
from nightly_spindle.core.outputs.stream_codecs import Codec
from nightly_spindle.core.segues.segue_rules import ANY, pair_rule
from nightly_spindle.intake.bring_in import Intake, bring_in
from nightly_spindle.simulators import synth
from nightly_spindle.simulators.demo_campaigns import FILLER, demo_breaks, demo_orders
from nightly_spindle.simulators.demo_catalogue import SHORTS, SONGS, STATION, ShortSound, Song
from nightly_spindle.simulators.demo_events import demo_events
from nightly_spindle.simulators.demo_formats import demo_formats
from nightly_spindle.simulators.demo_logs import night_hours
from nightly_spindle.simulators.demo_pools import demo_pools
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

    from numpy.typing import NDArray

_SEED = 7
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
_STREAM = 1  # the number of the demo's stream
_VORBIS_BLOCK = 8192  # more at once overflows the stack inside libsndfile


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
        _Job(str(_place(folder, "song", s.artist, s.title, s.suffix)), s, None, _SEED + i)
        for i, s in enumerate(SONGS)
    ]
    jobs += [
        _Job(str(_place(folder, s.kind, s.artist, s.title, s.suffix)), None, s, _SEED + 100 + i)
        for i, s in enumerate(SHORTS)
    ]
    for job in jobs:
        Path(job.path).parent.mkdir(parents=True, exist_ok=True)
    # the longest first, so that both cores are busy to the end
    jobs.sort(key=lambda job: -(job.song.seconds if job.song else 10))
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
    progress("done", 1.0)


def _leave_arrivals(folder: Path) -> None:
    """Put files into the watched folder: two new, one known, one nameless, one that is none."""
    folder.mkdir(exist_ok=True)
    for artist, title, seed in (
        ("Tam Reddick", "Slack Water Radio", 61),
        ("Odile Faraday", "Bell Buoy", 62),
    ):
        sound = _song(Song(artist, title, 40, "flac", 2, drive_db=1), seed)
        _write(str(folder / f"{artist} - {title}.flac"), sound, 44_100, title, artist, "")
    sound = _song(Song("", "", 40, "flac", 2, fade_s=6), 63)
    _write(str(folder / "tape 14 side b.flac"), sound, 44_100, "", "", "")
    audio = folder.parent / "audio" / "song"
    shutil.copy(audio / "Harrow Point - Ballast.flac", folder / "Ballast (harbour mix).flac")
    (folder / "interview.mp3").write_text("to be recorded on Thursday\n", encoding="utf-8")


def _programme(folder: Path, timezone: str) -> None:
    """Program an intake job, two lists, timed events, pools of overlays and campaigns."""
    catalogue = Catalogue(folder)
    carts = catalogue.find(Query(kinds=("song",), sort="cart")).carts.tolist()
    tides = int(catalogue.find(Query("last boat", ("jingle",))).carts[0])
    promo = int(catalogue.find(Query(kinds=("promo",))).carts[0])
    titles = {item.title: cart for cart, item in catalogue.items(range(1001, 1100)).items()}
    catalogue.close()
    with LibraryTransaction(folder) as library:
        options = IntakeOptions(categories=("New songs",), source=FileFate.COPY)
        save_job(library, IntakeJob(0, "Label post", "arrivals", options))
        news = IntakeOptions(Kind.NEWS, numbering=Numbering.NAME)
        save_job(library, IntakeJob(0, "Hourly news", "newsdesk", news))
        fog = make_list(library, "Fog night", carts[::2])
        set_target(library, fog, 900.0)
        make_list(library, "If all else fails", carts[1:12:3])
        _programme_segues(library, carts, titles["Between two lighthouses"])
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


def _programme_segues(library: LibraryTransaction, songs: list[int], sweeper: int) -> None:
    """Program a few segue rules, and mark two songs by hand; one has a sweeper of its own."""
    set_rule(library, pair_rule("song", "spot", {"fade_out_s": "2.0", "longest_s": "3.0"}))
    set_rule(library, pair_rule("spot", "spot", {"overlap": "gap", "gap_s": "0.3"}))
    set_rule(library, pair_rule("spot", ANY, {"overlap": "gap", "gap_s": "0.5"}))
    marks = Marks(hook_start_s=40.0, hook_end_s=49.5, sweepers_s=(30.0, 62.0))
    set_by_hand(
        library,
        {cart: (marks, Shaping(gain_trim_db=-1.5, own_sweeper=sweeper)) for cart in songs[3:4]},
    )
    set_by_hand(library, {cart: (Marks(intro_end_s=9.9), None) for cart in songs[8:9]})


def _place(folder: Path, kind: str, artist: str, title: str, suffix: str) -> Path:
    name = f"{artist} - {title}.{suffix}".replace("/", "-").replace(":", " -")
    return folder / "audio" / kind / name


def _make(job: _Job) -> str:
    if job.song is not None:
        sound = _song(job.song, job.seed)
        _write(job.path, sound, job.song.rate, job.song.title, job.song.artist, "Harbour Tapes")
    else:
        assert job.short is not None
        sound = _short(job.short, job.seed)
        _write(job.path, sound, 44_100, job.short.title, job.short.artist, "")
    return job.path


def _song(song: Song, seed: int) -> NDArray[np.float32]:
    dice = np.random.default_rng(seed)
    tune = synth.Tune(
        seed,
        int(dice.integers(48, 60)),
        bool(dice.integers(2)),
        float(dice.uniform(76, 124)),
        song.intro_bars,
    )
    body = synth.song(tune, song.rate, song.seconds)
    length = min(len(body), song.seconds * song.rate)
    if song.fade_s:
        body = body[:length].copy()
        fade = round(song.fade_s * song.rate)
        # an engineer's hand on the fader: quick at first, long at the end
        body[-fade:] *= (np.linspace(1, 0, fade, dtype=np.float32) ** 1.6)[:, None]
    else:
        # a cold end: the last chord is damped within half a second of its bar
        bar = round(240.0 / tune.bpm * song.rate)
        end = max(bar, length // bar * bar)
        body = body[: end + song.rate // 2].copy()
        damp = np.exp(-np.arange(song.rate // 2, dtype=np.float32) / (0.09 * song.rate))
        body[end:] *= damp[: len(body) - end, None]
    body = synth.to_peak(body, song.peak_db, song.drive_db)
    head = np.zeros((round(song.head_s * song.rate), 2), dtype=np.float32)
    tail = np.zeros((round(song.tail_s * song.rate), 2), dtype=np.float32)
    if song.click and len(tail):
        at = len(tail) // 2
        tail[at : at + song.rate // 200] = 10 ** ((song.peak_db - 6) / 20)
    return np.concatenate([head, body, tail])


def _short(short: ShortSound, seed: int) -> NDArray[np.float32]:
    rate = 44_100
    canvas = synth.Canvas(rate, short.seconds)
    dice = np.random.default_rng(seed)
    key = int(dice.integers(60, 67))
    if short.music == "bells":
        for index, step in enumerate((0, 7, 4, 12)):
            bell = synth.tone(rate, key + step, 2.6, synth.BELL)
            canvas.put(bell, 0.28 * index, 0.4, index * 0.4 - 0.6)
        if not short.voice_hz:
            for index, step in enumerate((12, 9, 7, 4, 0)):
                bell = synth.tone(rate, key + step, 2.6, synth.BELL)
                canvas.put(bell, 1.9 + 0.4 * index, 0.4, 0.6 - index * 0.3)
    elif short.music == "bed":
        tune = synth.Tune(seed, key - 12, minor=False, bpm=104.0, intro_bars=2)
        bars = max(1, round(short.seconds * 104 / 240))
        bed = synth.section(tune, rate, bars, "pkbd", 5)[: len(canvas.sound)]
        canvas.sound[: len(bed)] += bed * np.float32(0.35 if short.voice_hz else 1.0)
        edge = round(0.6 * rate)
        canvas.sound[-edge:] *= np.linspace(1, 0, edge, dtype=np.float32)[:, None]
    if short.voice_hz:
        lead = 1.3 if short.music == "bells" else 0.15
        talk = synth.voice(rate, short.seconds - lead - 0.3, short.voice_hz, seed)
        canvas.put(talk, lead, 0.7)
    return synth.to_peak(canvas.sound, -3.0, 3.0)


def _write(
    path: str, sound: NDArray[np.float32], rate: int, title: str, artist: str, album: str
) -> None:
    import soundfile

    settings: dict[str, Any] = {}
    if path.endswith(".mp3"):
        settings = {"compression_level": 0.6, "bitrate_mode": "CONSTANT"}
    elif path.endswith(".flac"):
        settings = {"compression_level": 0.1}  # building fast matters more than size
    with soundfile.SoundFile(path, "w", rate, 2, **settings) as file:
        if title:
            file.title, file.artist = title, artist
        if album:
            file.album = album
        for at in range(0, len(sound), _VORBIS_BLOCK):
            file.write(sound[at : at + _VORBIS_BLOCK])
    if path.endswith(".mp3"):
        from mutagen.easyid3 import EasyID3

        tags = EasyID3()  # type: ignore[no-untyped-call]
        tags["title"], tags["artist"] = title, artist
        if album:
            tags["album"] = album
        tags.save(path)
