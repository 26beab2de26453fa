"""Against FFmpeg and the tools of the formats: what we send is what they take, in every codec.

Skipped with a word where these programs are not installed; `make streams` installs them.
"""

import shutil
import subprocess
import time

import numpy as np
import pytest
import soundfile
from conftest import PATIENCE_S, wait
from stream_cases import BLOCK, RATE, Pump, closed_port, lag_of, music, sending, served, stream, up

from nightly_spindle.core.outputs.outputs import Output, StreamOptions
from nightly_spindle.core.outputs.stream_codecs import FACTS, Codec
from nightly_spindle.outputs.stream_encoder import StreamEncoder, has_encoder

CODECS = [codec for codec in Codec if has_encoder(codec)]


def needs(program):
    if shutil.which(program) is None:
        pytest.skip(f"{program} is not installed; `make streams` installs it")


@pytest.mark.parametrize("codec", CODECS)
def test_ffmpeg_takes_our_source_and_decodes_our_programme(tmp_path, codec):
    """FFmpeg as the server, in listening mode."""
    needs("ffmpeg")
    out, port = tmp_path / "out.wav", closed_port()
    command = ["ffmpeg", "-v", "error", "-y", "-listen", "1", "-method", "PUT", "-i"]
    address = f"http://127.0.0.1:{port}/live"
    with subprocess.Popen([*command, address, "-ar", str(RATE), out]) as ffmpeg:
        time.sleep(1.0)
        output = Output(1, "Live", StreamOptions(address, codec=codec, kbps=160))
        sound = music(12)
        with sending(output) as made:
            up(made)
            with Pump([made], sound, 2.0) as pump:
                pump.wait()
                wait(lambda: not made.waiting())
        ffmpeg.wait(PATIENCE_S)
    assert made.sight.late == 0
    got, rate = soundfile.read(out, dtype="float32", always_2d=True)
    assert rate == RATE
    lag = lag_of(sound, got)
    assert abs(lag) < 3 * BLOCK, "from the first frame on, but for what an encoder adds"
    there = got[max(0, lag + RATE) : lag + 10 * RATE]
    sent = sound[max(RATE, -lag) : 10 * RATE]
    off_db = 10 * np.log10(np.mean(there**2) / np.mean(sent**2))
    assert abs(off_db) < 0.5
    if codec is Codec.FLAC:
        whole = soundfile.read(out, dtype="int16", always_2d=True)[0]
        wanted = np.rint(sound * 32767).astype(np.int16)
        assert np.array_equal(whole[lag : lag + 10 * RATE], wanted[: 10 * RATE])


@pytest.mark.parametrize(
    ("codec", "suffix", "checker"),
    [
        (Codec.OPUS, "opus", ["opusinfo"]),
        (Codec.OPUS, "opus", ["ogginfo"]),
        (Codec.FLAC, "oga", ["ogginfo"]),
        (Codec.FLAC, "oga", ["flac", "-t", "--ogg"]),
    ],
)
def test_the_tools_of_the_formats_find_nothing_wrong_with_chains(tmp_path, codec, suffix, checker):
    """RFC 3533, RFC 7845: pages, headers, ends of streams, as their own tools judge them."""
    needs(checker[0])
    encoder, sound = StreamEncoder(StreamOptions(codec=codec), RATE), music(6)
    data = b""
    for number in range(len(sound) // BLOCK):
        if number in {0, 40, 80}:
            data += encoder.tell({"TITLE": f"Ärger {number} – ☃", "ARTIST": "Wren"})
        data += encoder.encode(sound[number * BLOCK : (number + 1) * BLOCK])
    path = tmp_path / f"chain.{suffix}"
    path.write_bytes(data + encoder.close())
    done = subprocess.run([*checker, path], capture_output=True, text=True)
    said = done.stdout + done.stderr
    assert done.returncode == 0, said
    assert "corrupt" not in said.casefold()
    unset = "cannot check MD5 signature"  # a stream's length and sum are not known beforehand
    assert not [line for line in said.splitlines() if "WARNING" in line and unset not in line]
    if checker[0] != "flac":
        assert said.count("Ärger") == 3


@pytest.mark.parametrize("codec", CODECS)
def test_ffmpeg_hears_the_stand_in_with_its_titles(codec):
    needs("ffprobe")
    with served() as server, sending(stream(server, codec=codec)) as made:
        up(made)
        with Pump([made], music(40), titles={0: "Wren - Ébb"}):
            wait(lambda: made.sight.sent > 40_000)
            if not FACTS[codec].in_band:
                wait(lambda: server.mounts["/live"].title)
            done = subprocess.run(
                ["ffprobe", "-v", "error", "-show_format", "-show_streams", server.url()],
                capture_output=True,
                text=True,
                timeout=PATIENCE_S,
            )
    assert "Wren - Ébb" in done.stdout
    name = {Codec.MP3: "mp3", Codec.OPUS: "opus", Codec.FLAC: "flac", Codec.AAC: "aac"}[codec]
    assert f"codec_name={name}" in done.stdout
