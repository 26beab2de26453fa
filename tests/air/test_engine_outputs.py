"""The engine's outputs, in a process of its own: several at once, changed on air, killed."""

import json
import os
import signal
import subprocess
import sys
import time
import zipfile
from contextlib import closing
from pathlib import Path

import numpy as np
import pytest
import soundfile
from conftest import ask, wait
from test_engine import FOREVER, Air

from nightly_spindle.cli.main import main
from nightly_spindle.core.base.timebase import US
from nightly_spindle.core.outputs.outputs import Output, RecordingOptions, StreamOptions
from nightly_spindle.core.outputs.stream_codecs import Codec
from nightly_spindle.outputs.recordings import recorded_in, save_stretch
from nightly_spindle.simulators.streaming_server import ServerManner, StreamingServer
from nightly_spindle.store.base.database import connect
from nightly_spindle.store.base.transaction import LibraryTransaction
from nightly_spindle.store.outputs.outputs import read_outputs, save_output
from nightly_spindle.store.outputs.passwords import PASSWORD_FILE, password_of, set_password
from nightly_spindle.store.playout.journal import alarms_between

pytestmark = pytest.mark.engine
SECRET = "heather-and-rope-17"


@pytest.fixture
def server():
    made = StreamingServer(ServerManner(SECRET, stays_s=60)).start()
    yield made
    made.stop()


def put(folder, name, options, *, on=True, secret=SECRET):
    with closing(connect(folder)) as connection:
        known = {one.name: one.id for one in read_outputs(connection)}
    with LibraryTransaction(folder) as library:
        number, _ = save_output(library, Output(known.get(name, 0), name, options, on))
    if isinstance(options, StreamOptions):
        set_password(folder, number, secret)
    return number


def live(server, codec=Codec.FLAC, path=None):
    return StreamOptions(server.url(path or f"/{codec}"), codec=codec)


@pytest.fixture
def streaming(station, server):
    put(station, "Flac", live(server))
    put(station, "Mp3", live(server, Codec.MP3))
    put(station, "Recording", RecordingOptions(leave_gb=0.0))
    one = Air(station)
    one.wait_on_air()
    yield one
    one.end()


def sights(folder):
    return {one["name"]: one for one in ask(folder, "state")["sight"]["outputs"]}


def up(folder, *names):
    def are():
        try:
            seen = sights(folder)
        except Exception:  # noqa: BLE001 - the engine is just starting again
            return None
        return all(name in seen and seen[name]["state"] == "up" for name in names) and seen

    return wait(are)


def flac_of(server, path="/flac"):
    """All that a mount was sent, decoded: 16-bit frames."""
    import io

    import av

    mount = server.mounts[path]
    data = b"".join(piece.data for piece in mount.pieces)
    if not data.startswith(b"OggS"):
        return np.empty((0, 2), np.int16)
    parts = []
    begins = [at for at in range(len(data)) if data[at : at + 4] == b"OggS" and data[at + 5] & 2]
    for begin, end in zip(begins, [*begins[1:], len(data)], strict=True):
        try:
            with av.open(io.BytesIO(data[begin:end]), format="ogg") as file:
                parts += [frame.to_ndarray().reshape(-1, 2) for frame in file.decode(audio=0)]
        except av.FFmpegError:
            continue
    return np.concatenate(parts) if parts else np.empty((0, 2), np.int16)


def test_what_is_streamed_is_what_is_recorded_to_the_bit(station, server, streaming, tmp_path):
    up(station, "Flac", "Mp3", "Recording")
    wait(lambda: len(flac_of(server)) > 6 * 44_100)
    streamed = flac_of(server)
    folder = station / "recordings"
    wait(lambda: len(recorded_in(folder)))
    newest = recorded_in(folder)[-1]
    out = tmp_path / "kept.wav"
    wait(lambda: sights(station)["Recording"]["sent"] > 100_000)
    save_stretch(folder, newest.start_us + US, newest.start_us + 3 * US, out)
    kept = soundfile.read(out, dtype="int16")[0]
    piece = kept[10_000:30_000]
    where = [
        at
        for at in np.flatnonzero((streamed[:, 0] == piece[0, 0]) & (streamed[:, 1] == piece[0, 1]))
        if at + len(piece) <= len(streamed) and np.array_equal(streamed[at : at + 50], piece[:50])
    ]
    assert any(np.array_equal(streamed[at : at + len(piece)], piece) for at in where)
    assert not any(one["late"] for one in sights(station).values())


def test_outputs_are_added_changed_and_switched_while_others_go_on(station, server, streaming):
    before = up(station, "Flac", "Mp3")
    put(station, "Opus", live(server, Codec.OPUS))
    up(station, "Opus")
    put(station, "Mp3", live(server, Codec.MP3), on=False)
    wait(lambda: sights(station)["Mp3"]["state"] == "off")
    put(station, "Mp3", live(server, Codec.MP3, "/other"))
    up(station, "Mp3")
    wait(lambda: server.mounts["/other"].taken > 1000)
    after = sights(station)
    assert after["Flac"]["since_us"] == before["Flac"]["since_us"]
    assert (after["Flac"]["late"], after["Flac"]["again"]) == (0, 0)
    assert server.mounts["/flac"].sources == 1


def test_a_killed_engine_has_its_sources_back_and_listeners_stay(station, server, streaming):
    import threading
    import urllib.request

    up(station, "Flac", "Mp3")
    heard = []

    def listen():
        with urllib.request.urlopen(server.url("/mp3")) as answer:
            while data := answer.read(1024):
                heard.append(data)

    threading.Thread(target=listen, daemon=True).start()
    wait(lambda: len(heard) > 5)
    pid = ask(station, "state")["pid"]
    os.kill(pid, signal.SIGKILL)
    wait(lambda: server.mounts["/mp3"].sources == 2 and server.mounts["/mp3"].live)
    many = len(heard)
    wait(lambda: len(heard) > many + 20)
    assert server.mounts["/mp3"].listeners == 1, "the same listener as before"


def test_a_stream_that_is_down_is_an_alarm_and_its_end_is_told(station, server, monkeypatch):
    put(station, "Flac", live(server), secret="wrong")
    one = Air(station)
    try:
        one.wait_on_air()
        wait(lambda: sights(station)["Flac"]["state"] == "down")
        view = json.loads(output_of("status", str(station), "--json"))
        assert view["heard"] is None
        assert view["outputs"][1]["trouble"] == "wrong password"

        def codes():
            with closing(connect(station)) as connection:
                return [alarm.code for alarm in alarms_between(connection, 0, FOREVER)]

        wait(lambda: "output-down" in codes())
        set_password(station, 2, SECRET)
        wait(lambda: "output-back" in codes())
    finally:
        one.end()


def test_an_engine_that_was_told_where_to_play_goes_on_playing_there(station, server):
    one = Air(station, "--output", "standin")
    try:
        one.wait_on_air()
        put(station, "Flac", live(server))
        with closing(connect(station)) as connection:
            count = connection.execute("SELECT count FROM change").fetchone()[0]
        assert count > 0
        time.sleep(5)  # the watcher looks every two
        assert list(sights(station)) == ["Simulated"]
        assert not server.mounts
    finally:
        one.end()


def output_of(*words):
    done = subprocess.run(
        [sys.executable, "-m", "nightly_spindle", *words], capture_output=True, text=True
    )
    assert done.returncode == 0, done.stderr
    return done.stdout


def test_a_password_is_found_nowhere_but_where_it_is_kept(station, server, streaming, tmp_path):
    up(station, "Flac", "Mp3")
    kept = station / PASSWORD_FILE
    assert kept.stat().st_mode & 0o777 == 0o600
    book, backup = tmp_path / "book.json", tmp_path / "backup.zip"
    assert main(["station", "export", str(station), str(book)]) == 0
    assert main(["station", "backup", str(station), str(backup)]) == 0
    texts = [book.read_text(), output_of("outputs", "list", str(station), "--json")]
    assert json.loads(texts[0])["outputs"][1]["needs_password"] is True
    with zipfile.ZipFile(backup) as packed:
        names = packed.namelist()
        assert not [name for name in names if PASSWORD_FILE in name]
        assert not [name for name in names if SECRET.encode() in packed.read(name)]
    assert not [text for text in texts if SECRET in text]
    found = [
        path
        for path in station.rglob("*")
        if path.is_file() and path != kept and SECRET.encode() in path.read_bytes()
    ]
    assert not found
    for process in Path("/proc").glob("[0-9]*/cmdline"):
        try:
            assert SECRET.encode() not in process.read_bytes()
            assert SECRET.encode() not in process.with_name("environ").read_bytes()
        except OSError:
            continue  # it has gone, or is somebody else's


def test_a_copy_of_a_station_has_no_passwords(station, server, tmp_path):
    number = put(station, "Flac", live(server))
    assert password_of(station, number) == SECRET
    assert main(["station", "copy", str(station), str(tmp_path / "copy")]) == 0
    assert password_of(tmp_path / "copy", number) is None
