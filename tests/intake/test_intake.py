"""The intake as the process it is: watched folders, replaced audio on air, hostile files."""

import json
import os
import resource
import shutil
import subprocess
import sys
import time
from pathlib import Path

import numpy as np
import pytest
import soundfile
from conftest import RATE, ZONE, beep, wait
from test_engine import Air

from nightly_spindle.cli.main import main
from nightly_spindle.core.base.errors import InputFault, StorageFault
from nightly_spindle.core.library.intake import (
    FileFate,
    IntakeJob,
    IntakeOptions,
    Markers,
    Numbering,
    State,
    Waits,
)
from nightly_spindle.core.library.items import Kind
from nightly_spindle.core.library.markers import Marks
from nightly_spindle.core.segues.effective_markers import cues_of
from nightly_spindle.core.station.settings import Trimming
from nightly_spindle.intake.bring_in import Intake, bring_in
from nightly_spindle.intake.look import Task, look
from nightly_spindle.intake.place import intake_pid
from nightly_spindle.intake.take import take
from nightly_spindle.intake.walk import Unusable, audio_below
from nightly_spindle.intake.watch import REST_S, Watch, being_written
from nightly_spindle.simulators import songwriting
from nightly_spindle.store.base.database import connect
from nightly_spindle.store.base.station_folder import new_station
from nightly_spindle.store.base.transaction import LibraryTransaction
from nightly_spindle.store.library import arrivals, intake_jobs, intake_reading, items, marking
from nightly_spindle.store.library.catalogue import Catalogue, Query
from nightly_spindle.store.programme.snapshot import open_station
from nightly_spindle.store.station.backups import backups, verify


@pytest.fixture
def bare(tmp_path):
    folder = tmp_path / "st"
    new_station(folder, {"name": "Bare", "timezone": ZONE})
    return folder


class Running:
    """An intake process; its messages are shown when a test fails."""

    def __init__(self, folder):
        self.folder = folder
        self.log = (folder / "intake-test.log").open("a+", encoding="utf-8")
        command = [sys.executable, "-m", "nightly_spindle", "intake", "run", str(folder)]
        self.process = subprocess.Popen(command, stdout=self.log, stderr=self.log)
        wait(lambda: intake_pid(folder), self.told)

    def told(self):
        return (self.folder / "intake-test.log").read_text(encoding="utf-8")

    def end(self, *, kill=False):
        if self.process.poll() is None:
            self.process.kill() if kill else self.process.terminate()
        self.process.wait(30)
        self.log.close()
        print(self.told())


@pytest.fixture
def intake():
    running = []

    def start(folder):
        running.append(Running(folder))
        return running[-1]

    yield start
    for one in running:
        if not one.log.closed:
            one.end()


def report(folder):
    return {Path(a.path).name: a for a in reversed(intake_reading.read_arrivals(folder, 500))}


def settled(folder, count, running):
    def ready():
        found = report(folder)
        done = [a for a in found.values() if a.state is not State.QUEUED]
        return found if len(done) >= count else None

    return wait(ready, lambda: f"{report(folder)} {running.told()}")


def tagged(path, title, artist, wave):
    with soundfile.SoundFile(path, "w", RATE, wave.shape[1]) as file:
        if artist:
            file.title, file.artist = title, artist
        file.write(wave)
    return path


def song(seed, seconds=6):
    tune = songwriting.Tune(seed, 48 + seed, bool(seed % 2), 90.0, 1)
    bars = int(seconds / tune.bar_s) + 1
    return songwriting.section(tune, RATE, bars, "pkbdv", 2)[: seconds * RATE]


# -- a folder becomes a clean library ------------------------------------------------------------


def test_a_folder_dropped_in_becomes_a_clean_library_without_a_click(bare, tmp_path, intake):
    inbox = tmp_path / "inbox"
    inbox.mkdir()
    with LibraryTransaction(bare) as library:
        options = IntakeOptions(categories=("New",), first=2000, source=FileFate.MOVE)
        intake_jobs.save_job(library, IntakeJob(0, "Songs", str(inbox), options))
    running = intake(bare)
    # real files of several formats, in a folder of folders, with a loop of links in it
    made = tmp_path / "made"
    (made / "low" / "er").mkdir(parents=True)
    tagged(made / "a.flac", "Ebb", "Wren", song(1))
    shutil.copy(made / "a.flac", made / "low" / "a again.flac")
    soundfile.write(made / "low" / "Dunlin - Flood.mp3", song(2), RATE)
    soundfile.write(made / "low" / "er" / "Knot - Neap.ogg", song(3), RATE)
    soundfile.write(made / "low" / "track 7.wav", song(4), RATE)
    with soundfile.SoundFile(made / "a as mp3.mp3", "w", RATE, 2) as file:
        file.write(song(1))
    (made / "cover.jpg").write_bytes(b"\xff\xd8")
    (made / "text.mp3").write_text("no")
    (made / "low" / "loop").symlink_to(made)
    shutil.copytree(made, inbox / "album", symlinks=False, ignore=shutil.ignore_patterns("loop"))
    (inbox / "album" / "loop").symlink_to(inbox)
    found = settled(bare, 7, running)
    catalogue = Catalogue(bare)
    clean = [row for row in catalogue.rows(catalogue.find(Query()).carts.tolist()) if not row.waits]
    assert sorted((row.artist, row.title) for row in clean) == [
        ("Dunlin", "Flood"),
        ("Knot", "Neap"),
        ("Wren", "Ebb"),
    ]
    assert all(row.categories == "New" and row.cart >= 2000 and row.lufs for row in clean)
    assert found["text.mp3"].state is State.REFUSED
    assert "not audio that can be decoded; check or replace" in found["text.mp3"].why
    waiting = {
        row.title: row.waits
        for row in catalogue.rows(catalogue.find(Query(waiting=True)).carts.tolist())
    }
    assert waiting == {"Ebb": Waits.DUPLICATE, "track 7": Waits.TAGS, "a as mp3": Waits.TAGS}

    # what was taken has moved to the done folder, what was refused lies where it lay
    def left():
        return {
            p.name for p in (inbox / "album").rglob("*") if p.is_file() and "loop" not in p.parts
        }

    wait(lambda: left() == {"cover.jpg", "text.mp3"}, running.told)
    assert (inbox / "done" / "a.flac").exists()
    assert all(
        i.path.startswith(str(bare)) for i in catalogue.items([r.cart for r in clean]).values()
    )
    # none of those that wait is in rotation, and a log may name a file where it came from
    assert {item.title for item in open_station(bare).programme.pool} == {"Ebb", "Flood", "Neap"}
    # and what there is to lose now is backed up by itself
    (made,) = wait(lambda: backups(bare), running.told)
    assert made.problem == ""
    assert verify(Path(made.path))["station"] == "Bare"


def test_it_goes_on_after_a_kill_and_can_be_cancelled(bare, tmp_path, intake):
    for n in range(30):
        soundfile.write(tmp_path / f"Wren - Song {n}.wav", song(n % 9, 3), RATE)
    seen = [s for s in audio_below(str(tmp_path)) if str(bare) not in s.path]
    with LibraryTransaction(bare) as library:
        assert arrivals.queue(library, seen, IntakeOptions(Kind.PROMO)) == 30
    first = intake(bare)
    wait(lambda: len(Catalogue(bare).find(Query()).carts) >= 3, first.told)
    first.end(kill=True)
    before = len(Catalogue(bare).find(Query()).carts)
    assert before < 30
    second = intake(bare)
    wait(lambda: len(Catalogue(bare).find(Query()).carts) > before, second.told)
    with LibraryTransaction(bare) as library:
        cancelled = arrivals.cancel(library)
    assert intake_reading.waiting_in_queue(bare) == (0, "")
    time.sleep(1)
    there = connect(bare).execute("SELECT path FROM item").fetchall()
    assert len({row["path"] for row in there}) == len(there), "nothing is taken in twice"
    assert len(there) + cancelled >= 30
    # a second intake of the same station is told, and leaves
    again = subprocess.run(
        [sys.executable, "-m", "nightly_spindle", "intake", "run", str(bare)],
        capture_output=True,
        text=True,
        check=False,
        timeout=60,
    )
    assert again.returncode == 2
    assert f"runs already (process {second.process.pid})" in again.stderr


# -- the hourly news -------------------------------------------------------------------------------


def tone_at(sound, second, hz):
    """How much of a tenth of a second is a tone, 0 to 1."""
    part = sound[round(second * RATE) : round((second + 0.1) * RATE), 0]
    spectrum = np.abs(np.fft.rfft(part * np.hanning(len(part)))) ** 2
    at = round(hz * 0.1)
    return spectrum[at - 2 : at + 3].sum() / max(spectrum.sum(), 1e-12)


@pytest.mark.engine
def test_the_news_are_replaced_while_the_news_are_on_air(bare, tmp_path, intake):
    desk, line = tmp_path / "newsdesk", "500 news.wav"
    desk.mkdir()
    soundfile.write(desk / line, beep(14, 600), RATE)
    options = IntakeOptions(Kind.NEWS, numbering=Numbering.NAME)
    with LibraryTransaction(bare) as library:
        intake_jobs.save_job(library, IntakeJob(0, "News", str(desk), options))
    running = intake(bare)
    assert settled(bare, 1, running)[line].cart == 500
    with LibraryTransaction(bare) as library:
        items.edit(library, [500], {"title": "The news"})
    # the log names the file where the newsdesk leaves it, twice
    log = bare / "logs" / f"{time.strftime('%Y-%m-%d', time.gmtime())}.m3u"
    log.write_text(f"{desk / line}\n" * 2, encoding="utf-8")
    os.utime(log, (10**9, 10**9))
    capture = tmp_path / "heard.flac"
    engine = Air(bare, "--no-supervisor", "--cold", "--capture", str(capture))
    try:
        engine.wait_on_air()
        old = ask_playing(bare)
        assert (old["cart"], old["title"]) == (500, "The news")
        # the newsdesk writes over its file in place, while the first is on air
        soundfile.write(desk / line, beep(9, 1500), RATE)
        wait(lambda: report(bare)[line].state is State.REPLACED, running.told)
        second = wait(
            lambda: (p := ask_playing(bare)) and p["path"] != old["path"] and p, engine.told
        )
        assert (second["cart"], second["title"]) == (500, "The news"), "number and tags stay"
        time.sleep(1.5)
    finally:
        engine.end()
    heard, _ = soundfile.read(capture)
    whole = [s / 10 for s in range(5, len(heard) * 10 // RATE - 12)]
    kinds = [
        "old"
        if tone_at(heard, s, 600) > 0.8
        else "new"
        if tone_at(heard, s, 1500) > 0.8
        else "join"
        for s in whole
    ]
    kinds = kinds[kinds.index("old") :]  # a first start may sound before its station is read
    first_new = kinds.index("new")
    assert first_new / 10 > 10, "the old audio went on to its end"
    assert kinds[: first_new - 12] == ["old"] * (first_new - 12)
    assert set(kinds[first_new:]) == {"new"}
    assert Path(old["path"]).exists(), "a copy is cleared away after a day only"


def ask_playing(folder):
    from conftest import ask

    playing = ask(folder, "state")["state"]["order"]["playing"]
    return playing and playing["item"]


def test_markers_are_measured_anew_or_stay_as_the_job_says(bare, tmp_path):
    for markers, cue_in in ((Markers.MEASURE, 0.0), (Markers.KEEP, 1.5)):
        path = tmp_path / f"7{markers}" / "7.wav"
        path.parent.mkdir()
        soundfile.write(path, beep(10, 600), RATE)
        options = IntakeOptions(Kind.NEWS, numbering=Numbering.NAME, markers=markers)
        bring_in(bare, [Intake([path], options)])
        with LibraryTransaction(bare) as library:
            marking.set_by_hand(library, {7: (Marks(cue_in_s=1.5), None)})
        soundfile.write(path, beep(8, 900), RATE)
        brought = bring_in(bare, [Intake([path], options)])
        assert [(b.state, b.cart) for b in brought] == [(State.REPLACED, 7)]
        item = Catalogue(bare).items([7])[7]
        assert cues_of(item).cue_in_s == pytest.approx(cue_in, abs=0.02)
        assert item.measure.duration_s == pytest.approx(8)


# -- watching --------------------------------------------------------------------------------------


def test_a_file_that_is_still_being_written_is_not_taken(tmp_path):
    path = tmp_path / "x.wav"
    watch = Watch(IntakeJob(1, "x", str(tmp_path)), {})
    path.write_bytes(b"RIFF")
    assert watch.look(0.0) == ([], [])
    with path.open("ab") as growing:
        assert being_written(str(path))
        growing.write(b"more")
        growing.flush()
        for now in (1.0, 5.0, 30.0):  # at rest for long, but somebody holds it open
            assert watch.look(now) == ([], [])
    assert not being_written(str(path))
    assert [s.path for s in watch.look(30.0 + REST_S)[0]] == [str(path)]
    assert watch.look(60.0) == ([], []), "it is taken once"
    path.write_bytes(b"other")
    watch.look(80.0)
    assert len(watch.look(80.0 + REST_S)[0]) == 1, "and again when it has changed"


def test_a_folder_that_vanishes_is_told_and_taken_up_again(tmp_path):
    folder = tmp_path / "stick"
    watch = Watch(IntakeJob(1, "x", str(folder)), {})
    watch.look(0.0)
    assert watch.problem == f"{folder} cannot be read: No such file or directory"
    folder.mkdir()
    (folder / "a.wav").write_bytes(b"x")
    watch.look(20.0)
    assert watch.problem == ""
    shutil.rmtree(folder)
    assert watch.look(30.0) == ([], [])


def test_two_jobs_on_one_folder_are_refused(bare, tmp_path):
    with LibraryTransaction(bare) as library:
        intake_jobs.save_job(library, IntakeJob(0, "One", str(tmp_path / "in")))
    for name, folder, subfolders, why in (
        ("Two", tmp_path / "in", True, "watched by “One” already"),
        ("Two", tmp_path / "in/deep", False, "watched by “One” already"),
        ("Two", tmp_path, True, "watched by “One” already"),
        ("one", tmp_path / "other", True, "there is an intake job “One” already"),
        ("Own", bare / "audio", True, "station's own audio"),
    ):
        with pytest.raises(InputFault, match=why), LibraryTransaction(bare) as library:
            intake_jobs.save_job(library, IntakeJob(0, name, str(folder), subfolders=subfolders))
    with LibraryTransaction(bare) as library:  # beside each other they may be
        intake_jobs.save_job(library, IntakeJob(0, "Two", str(tmp_path), subfolders=False))
        intake_jobs.save_job(library, IntakeJob(0, "Off", str(tmp_path / "in"), enabled=False))


# -- hostile files -----------------------------------------------------------------------------


def test_every_hostile_file_gets_its_sentence(bare, tmp_path):
    folder = tmp_path / "odd"
    folder.mkdir()
    wave = song(1, 4)
    good = {}
    for name, rate, channels, subtype in (
        ("eight.wav", 48_000, 2, "PCM_U8"),
        ("float.wav", 96_000, 1, "DOUBLE"),
        ("deep.aiff", 44_100, 2, "PCM_24"),
        ("slow.flac", 8000, 1, "PCM_16"),
    ):
        part = song(len(good) + 3, 3)[: 3 * rate, :channels]
        soundfile.write(folder / name, part, rate, subtype=subtype)
        good[name] = rate, len(part) / rate
    soundfile.write(folder / "six.wav", np.repeat(wave[:, :1], 6, axis=1), RATE)
    for suffix in ("flac", "mp3", "ogg", "wav"):
        soundfile.write(folder / f"cut.{suffix}", wave, RATE)
        data = (folder / f"cut.{suffix}").read_bytes()
        (folder / f"cut.{suffix}").write_bytes(data[: len(data) // 2])
        (folder / f"head.{suffix}").write_bytes(data[:40])
        (folder / f"text.{suffix}").write_text("this is no audio\n" * 50)
        (folder / f"zero.{suffix}").write_bytes(b"")
        hole = bytearray(data)
        hole[len(hole) // 3 : len(hole) // 3 + 3000] = os.urandom(3000)
        (folder / f"hole.{suffix}").write_bytes(hole)
    (folder / "song.m4a").write_bytes(b"\0\0\0 ftypM4A ")
    (folder / "dir.flac").mkdir()
    os.mkfifo(folder / "pipe.wav")
    with open(os.fsencode(folder) + b"/b\xff.flac", "wb") as odd:  # noqa: PTH123 - a bytes name
        odd.write(b"x")
    brought = {
        Path(b.path).name: b for b in bring_in(bare, [Intake([folder], IntakeOptions(Kind.PROMO))])
    }
    for name, facts in good.items():
        assert brought[name].cart, name
        item = Catalogue(bare).items([brought[name].cart])[brought[name].cart]
        assert (item.measure.sample_rate, item.measure.duration_s) == facts, name
    refused = {name: b.why for name, b in brought.items() if b.state is State.REFUSED}
    for name in (
        "six.wav",
        "head.mp3",
        "head.flac",
        "head.ogg",
        "text.mp3",
        "text.wav",
        "zero.flac",
        "cut.flac",
        "song.m4a",
        "b\\xff.flac",
    ):
        assert name in refused, name
    for name, why in refused.items():
        assert str(folder) in why, name
        assert "\n" not in why
        assert len(why) < 400
    assert "6 channels; mono and stereo are played" in refused["six.wav"]
    assert "AAC/M4A, which is not read; convert it to FLAC" in refused["song.m4a"]
    assert "the name is not UTF-8; rename the file" in refused["b\\xff.flac"]
    assert "damaged after" in refused["cut.flac"]
    assert {p.name for p in folder.iterdir()} >= {*good, "zero.flac", "cut.mp3"}, "nothing is lost"
    # a part of an MP3 or Ogg is a shorter one: it is measured as long as it is
    for name in ("cut.mp3", "cut.ogg"):
        item = Catalogue(bare).items([brought[name].cart])[brought[name].cart]
        assert item.measure.duration_s < 3.5, name


def test_a_long_file_takes_little_memory(tmp_path):
    path = tmp_path / "long.wav"
    with soundfile.SoundFile(path, "w", 8000, 1, "PCM_U8") as file:
        minute = beep(60, 440, 8000, channels=1)
        for _ in range(60):
            file.write(minute)
    code = (
        "import sys\nfrom nightly_spindle.audio.measure import measure_file\n"
        "m = measure_file(sys.argv[1])\n"
        "peak = [row for row in open('/proc/self/status') if row.startswith('VmHWM')][0]\n"
        "print(m.measure.duration_s, peak.split()[1])"
    )
    told = subprocess.run(
        [sys.executable, "-c", code, str(path)], capture_output=True, text=True, check=True
    ).stdout.split()
    assert float(told[0]) == 3600
    assert int(told[1]) < 250_000, "KiB; read whole, the file alone would take 115 MB more"


def test_a_full_disk_leaves_no_half_copy_and_the_item_out(bare, tmp_path):
    path = tagged(tmp_path / "a.wav", "Ebb", "Wren", song(1))
    looked = look(Task(str(path), str(tmp_path), "", Trimming()))
    soft, hard = resource.getrlimit(resource.RLIMIT_FSIZE)
    resource.setrlimit(resource.RLIMIT_FSIZE, (path.stat().st_size // 2, hard))
    try:
        full = pytest.raises(StorageFault, match=r"cannot be copied to .*File too large")
        with full, LibraryTransaction(bare) as library:
            take(library, looked, IntakeOptions(source=FileFate.COPY))
    finally:
        resource.setrlimit(resource.RLIMIT_FSIZE, (soft, hard))
    assert not [p for p in (bare / "audio").rglob("*") if p.is_file()]
    assert not len(Catalogue(bare).find(Query()).carts)
    with LibraryTransaction(bare) as library:
        assert take(library, looked, IntakeOptions(source=FileFate.COPY)).state is State.TAKEN


def test_a_known_file_is_not_taken_twice_and_a_changed_one_is_measured_anew(bare, tmp_path):
    path = tagged(tmp_path / "Wren - Ebb.wav", "", "", song(1))
    options = IntakeOptions()
    first = bring_in(bare, [Intake([path], options)])[0]
    with LibraryTransaction(bare) as library:
        items.edit(library, [first.cart], {"title": "By hand"})
    again = bring_in(bare, [Intake([path], options)])[0]
    assert (again.state, again.cart) == (State.KNOWN, first.cart)
    tagged(path, "", "", song(2, 9))
    changed = bring_in(bare, [Intake([path], options)])[0]
    assert (changed.state, changed.cart) == (State.REPLACED, first.cart)
    detail = Catalogue(bare).detail(first.cart)
    assert (detail.row.title, round(detail.item.measure.duration_s)) == ("By hand", 9)


def test_links_in_a_circle_and_odd_names_do_not_hold_a_walk_up(tmp_path):
    (tmp_path / "a/b").mkdir(parents=True)
    (tmp_path / "a/b/up").symlink_to(tmp_path)
    (tmp_path / "a/self").symlink_to(tmp_path / "a/self")
    (tmp_path / "a/gone.flac").symlink_to(tmp_path / "nowhere")
    for name in ("a/x.flac", "a/.hidden.flac", "a/y.flac.part", "a/b/z.WAV", "a/t.txt"):
        (tmp_path / name).write_bytes(b"x")
    seen = list(audio_below(str(tmp_path)))
    assert [Path(s.path).name for s in seen if not isinstance(s, Unusable)] == ["x.flac", "z.WAV"]


def test_the_intake_by_command(bare, tmp_path, capsys):
    def out(*arguments):
        status = main([*map(str, arguments)])
        return status, capsys.readouterr()

    (tmp_path / "in").mkdir()
    job = ("intake", "job", bare, "--name", "News", "--folder", tmp_path / "in")
    status, told = out(*job, "--kind", "news", "--numbering", "name", "--category", "Words")
    assert status == 0
    assert "replacing the audio of the item that has it" in told.out
    status, told = out("intake", "job", bare, "--name", "news", "--markers", "keep", "--off")
    assert "its markers that were set by hand stay" in told.out
    listed = json.loads(out("intake", "jobs", bare, "--json")[1].out)
    assert [(j["name"], j["kind"], j["enabled"], j["there"], j["categories"]) for j in listed] == [
        ("News", "news", False, True, ["Words"])
    ]
    status, told = out(*job, "--template", "{colour}")
    assert (status, told.err.count("\n")) == (2, 1)
    assert "'{colour}' is not one of them" in told.err
    assert out("intake", "end", bare, "Olds")[0] == 2
    assert out("intake", "end", bare, "News")[0] == 0
    assert json.loads(out("intake", "report", bare, "--json")[1].out) == []
