"""Any file whatever: odd lengths, absurd samples, pipes; one of them never stops the others."""

import os
import random
from pathlib import Path

import numpy as np
import pytest
import soundfile
from conftest import RATE, beep

from nightly_spindle.audio.files import ABSURD, FileSource
from nightly_spindle.audio.limiter import Limiter
from nightly_spindle.audio.measure import measure_file
from nightly_spindle.cli.main import main
from nightly_spindle.core.base.errors import AudioUnreadable, LogUnreadable
from nightly_spindle.core.base.plain_files import read_plain
from nightly_spindle.core.library.intake import IntakeOptions, State
from nightly_spindle.core.library.items import Kind
from nightly_spindle.core.logs.log_reading import read_log
from nightly_spindle.intake import look as looking
from nightly_spindle.intake.bring_in import Intake, bring_in


def written(path: Path, frames: int, rate: int = RATE, channels: int = 2) -> Path:
    sound = np.random.default_rng(frames).uniform(-0.5, 0.5, (frames, channels))
    soundfile.write(path, sound, rate, "PCM_16")
    return path


def test_every_length_from_one_frame_on_is_measured(tmp_path):
    seed = random.randrange(10**6)
    print(f"seed {seed}")
    dice = random.Random(seed)
    # one chunk is a second: what is left of it after that is what used to fail
    lengths = [
        *range(1, 40),
        961,
        962,
        963,
        1023,
        1024,
        1025,
        RATE - 1,
        RATE,
        RATE + 1,
        *(RATE * dice.randrange(1, 3) + dice.randrange(963) for _ in range(20)),
    ]
    for frames in lengths:
        rate = dice.choice([8000, 22_050, RATE, 48_000, 96_000])
        found = measure_file(str(written(tmp_path / "a.wav", frames, rate, dice.choice([1, 2]))))
        assert found.measure.duration_s == pytest.approx(frames / rate)
        assert 0 <= found.measure.cue_in_s <= found.measure.cue_out_s <= frames / rate + 1e-9
        assert found.measure.true_peak_dbtp > -40


@pytest.mark.parametrize("rate", [1, 50, 100, 192_000])
def test_odd_rates_are_measured_or_refused_with_a_reason(tmp_path, rate):
    path = written(tmp_path / "a.wav", 5000, rate)
    found = looking.look(looking.Task(str(path), str(tmp_path), "", None))
    assert not isinstance(found, str) or str(path) in found


@pytest.mark.parametrize(
    ("value", "said"), [(np.nan, "no numbers"), (np.inf, "no numbers"), (1e30, "1e+30 times")]
)
def test_absurd_samples_are_refused_at_the_door_and_tamed_on_air(tmp_path, value, said):
    sound = beep(3, 440)
    sound[RATE + 100 : RATE + 400, 1] = value
    path = tmp_path / "odd.wav"
    soundfile.write(path, sound, RATE, "FLOAT")
    with pytest.raises(AudioUnreadable, match=r"odd\.wav holds samples .* after 1\.0 s") as told:
        measure_file(str(path))
    assert said in str(told.value)
    for rate in (RATE, 48_000):
        source = FileSource(str(path), rate, 0)
        heard = np.zeros((3 * rate, 2), np.float32)
        source.read_into(heard)
        assert np.isfinite(heard).all()
        assert np.abs(heard).max() <= 2 * ABSURD
        assert np.abs(heard[-rate:]).max() > 0.2, "what follows sounds"


def test_a_limiter_that_was_given_no_numbers_is_itself_again():
    limiter = Limiter(RATE)
    sound = beep(1, 440, level=0.9)
    for value in (np.nan, np.inf, -np.inf):
        block = np.full((2048, 2), 3.0, np.float32)
        block[100:200] = value
        limiter.process(block)
        assert np.isfinite(block).all()
        for _ in range(20):
            block = sound[:2048].copy()
            limiter.process(block)
            assert np.isfinite(block).all()
    assert np.abs(block).max() == pytest.approx(np.abs(sound[:2048]).max(), rel=0.01)


@pytest.mark.slow
def test_one_odd_file_does_not_keep_the_rest_of_a_folder_out(tmp_path, station, monkeypatch):
    folder = tmp_path / "new"
    folder.mkdir()
    good = [written(folder / f"{n}.wav", frames) for n, frames in enumerate((1, 500, RATE + 1))]
    soundfile.write(folder / "x nan.wav", np.full((RATE, 2), np.nan), RATE, "FLOAT")
    (folder / "y empty.wav").write_bytes(b"")
    (folder / "z text.flac").write_text("no sound")
    odd = written(folder / "w odd.wav", RATE)

    def measure(path, trimming=None):
        if path == str(odd):
            raise ZeroDivisionError("nobody thought of this")
        return measure_file(path, trimming)

    monkeypatch.setattr(looking, "measure_file", measure)
    monkeypatch.setattr(looking, "FEW", 100)  # in this process, where the odd one is
    brought = bring_in(station, [Intake([folder], IntakeOptions(Kind.SONG))])
    state = {Path(one.path).name: one for one in brought}
    assert all(state[one.name].cart for one in good)
    refused = [one for one in brought if one.state is State.REFUSED]
    assert len(refused) == 4
    assert all(one.path in one.why for one in refused)
    assert "nobody thought of this" in state[odd.name].why


def test_pipes_and_devices_are_refused_and_never_waited_for(tmp_path):
    pipe = tmp_path / "2026-11-24.m3u"
    os.mkfifo(pipe)
    with pytest.raises(LogUnreadable, match="it is a named pipe, not a file"):
        read_log(pipe)
    with pytest.raises(OSError, match="a folder"):
        read_plain(tmp_path)
    sound = tmp_path / "song.wav"
    os.mkfifo(sound)
    with pytest.raises(AudioUnreadable, match="a named pipe"):
        measure_file(str(sound))
    with pytest.raises(AudioUnreadable, match="a device"):
        FileSource("/dev/zero", RATE, 0)


def test_library_show_says_all_about_an_item(station, capsys):
    assert main(["library", "set", str(station), "1001", "--into", "Evening"]) in {0, None}
    for cart in ("1001", "1002"):  # one in a category, one in none
        assert main(["library", "show", str(station), cart]) == 0
    said = capsys.readouterr().out
    assert "title: Lamp 0" in said
    assert "Evening" in said
