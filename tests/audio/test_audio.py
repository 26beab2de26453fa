"""Measuring, markers, mixing and limiting, against published signals and other meters."""

import subprocess

import numpy as np
import pytest
import soundfile
from conftest import RATE, beep, examples
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays

from nightly_spindle.audio.files import FileSource
from nightly_spindle.audio.limiter import THRESHOLD_DBFS, Limiter
from nightly_spindle.audio.loudness import Meter, k_weighting
from nightly_spindle.audio.measure import measure_file
from nightly_spindle.audio.mixer import shape
from nightly_spindle.core.base.errors import AudioUnreadable
from nightly_spindle.core.library.items import FALL_DB, Ending
from nightly_spindle.core.library.markers import Curve


def sine(rate, *parts, hz=1000.0):
    """Stereo sine; each part is (level dBFS, seconds)."""
    levels = np.concatenate([np.full(round(s * rate), 10 ** (db / 20)) for db, s in parts])
    wave = levels * np.sin(2 * np.pi * hz * np.arange(len(levels)) / rate)
    return np.repeat(wave[:, None], 2, axis=1).astype(np.float32)


def meter_of(sound, rate):
    meter = Meter(rate, sound.shape[1])
    for at in range(0, len(sound), 20 * meter.step):
        meter.feed(sound[at : at + 20 * meter.step])
    return meter


def test_k_weighting_is_the_table_of_bs_1770_at_48_khz():
    # ITU-R BS.1770-5 annex 1, tables 1 and 2 (values from memory)
    shelf, high_pass = k_weighting(48_000)
    assert shelf == pytest.approx(
        [
            1.53512485958697,
            -2.69169618940638,
            1.19839281085285,
            1,
            -1.69065929318241,
            0.73248077421585,
        ],
        abs=1e-6,
    )
    assert high_pass == pytest.approx([1, -2, 1, 1, -1.99004745483398, 0.99007225036621], abs=1e-6)


# EBU Tech 3341 table 1, cases 1 to 5: expected loudness, tolerance 0.1 LU
@pytest.mark.parametrize("rate", [44_100, 48_000])
@pytest.mark.parametrize(
    ("parts", "expected"),
    [
        ([(-23, 20)], -23.0),
        ([(-33, 20)], -33.0),
        ([(-36, 10), (-23, 60), (-36, 10)], -23.0),
        ([(-72, 10), (-36, 10), (-23, 60), (-36, 10), (-72, 10)], -23.0),
        ([(-26, 20), (-20, 20.1), (-26, 20)], -23.0),
    ],
)
def test_ebu_tech_3341_loudness(rate, parts, expected):
    assert meter_of(sine(rate, *parts), rate).integrated_lufs() == pytest.approx(expected, abs=0.1)


# EBU Tech 3342 table 1, cases 1 to 4: expected range, tolerance 1 LU
@pytest.mark.parametrize(
    ("parts", "expected"),
    [
        ([(-20, 20), (-30, 20)], 10),
        ([(-20, 20), (-15, 20)], 5),
        ([(-40, 20), (-20, 20)], 20),
        ([(-50, 20), (-35, 20), (-20, 20), (-35, 20), (-50, 20)], 15),
    ],
)
def test_ebu_tech_3342_range(parts, expected):
    assert meter_of(sine(48_000, *parts), 48_000).range_lu() == pytest.approx(expected, abs=1)


def _tone(rate, hz, degrees, amplitude, seconds=3.0):
    wave = amplitude * np.sin(
        2 * np.pi * hz * np.arange(round(seconds * rate)) / rate + np.radians(degrees)
    )
    return np.repeat(wave[:, None], 2, axis=1).astype(np.float32)


def _burst(rate, offset, seconds=3.0):
    """A tone of a sixth of the rate with one period twice as high, made at four times the rate."""
    from scipy.signal import resample

    fine = np.arange(round(seconds * rate) * 4)
    middle = len(fine) // 48 * 24
    height = np.where((fine >= middle) & (fine < middle + 24), 1.0, 0.5)
    wave = resample(height * np.sin(2 * np.pi * fine / 24), len(fine))
    spectrum = np.fft.rfft(wave)
    spectrum[len(spectrum) // 4 :] = 0  # what the lower rate can carry
    wave = np.fft.irfft(spectrum, len(wave))[offset::4]
    return np.repeat(wave[:, None], 2, axis=1).astype(np.float32)


# EBU Tech 3341 table 1, cases 15 to 23 (from memory), each with +0.2/-0.4 dB
@pytest.mark.parametrize(
    ("case", "make", "expected"),
    [
        (15, lambda rate: _tone(rate, rate / 4, 0.0, 0.5), -6.0),
        (16, lambda rate: _tone(rate, rate / 4, 45.0, 0.5), -6.0),
        (17, lambda rate: _tone(rate, rate / 6, 60.0, 0.5), -6.0),
        (18, lambda rate: _tone(rate, rate / 8, 67.5, 0.5), -6.0),
        (19, lambda rate: _tone(rate, rate / 4, 45.0, 1.41), 3.0),
        *[
            (20 + offset, lambda rate, offset=offset: _burst(rate, offset), 0.0)
            for offset in range(4)
        ],
    ],
)
@pytest.mark.parametrize("rate", [44_100, 48_000])
def test_ebu_tech_3341_true_peak(tmp_path, case, make, expected, rate):
    path = tmp_path / f"{case}.wav"
    soundfile.write(path, make(rate), rate, "FLOAT")
    peak = measure_file(str(path)).measure.true_peak_dbtp
    assert expected - 0.4 <= peak <= expected + 0.2


@examples(8)
@given(st.integers(0, 99), st.sampled_from([1, 2]), st.sampled_from([22_050, 44_100, 48_000]))
def test_loudness_agrees_with_pyloudnorm(seed, channels, rate):
    import pyloudnorm

    dice = np.random.default_rng(seed)
    swell = np.interp(np.arange(rate * 8), np.linspace(0, rate * 8, 9), dice.uniform(0.01, 0.5, 9))
    sound = (dice.standard_normal((rate * 8, channels)) * swell[:, None] * 0.3).astype(np.float32)
    # pyloudnorm rounds its filters to two decimals of frequency: they agree within 0.1 LU
    expected = pyloudnorm.Meter(rate).integrated_loudness(sound.astype(float))
    assert meter_of(sound, rate).integrated_lufs() == pytest.approx(expected, abs=0.1)


@pytest.mark.parametrize("ending", ["cold", "fade"])
def test_markers_are_where_they_were_built_and_the_same_20_db_down(tmp_path, ending):
    fade = 8.0 if ending == "fade" else 0.0
    sound = beep(30, 440, fade_s=fade, head_s=0.75, tail_s=2.0)
    click = round((30.75 + 1.0) * RATE)
    sound[click : click + round(0.015 * RATE)] = 0.4  # a blip of 15 ms in the silent tail
    found = []
    for step, level in enumerate((1.0, 0.1)):
        path = tmp_path / f"{step}.wav"
        soundfile.write(path, sound * level, RATE, "FLOAT")
        found.append(measure_file(str(path)).measure)
    loud, quiet = found
    assert loud.integrated_lufs - quiet.integrated_lufs == pytest.approx(20, abs=0.05)
    for name in ("cue_in_s", "cue_out_s", "segue_s", "fade_start_s"):
        assert getattr(loud, name) == pytest.approx(getattr(quiet, name), abs=0.01), name
    assert loud.cue_in_s == pytest.approx(0.75, abs=0.02)
    assert loud.ending == Ending(ending)
    if ending == "cold":
        assert loud.segue_s == pytest.approx(30.75, abs=0.05)
    else:
        # a straight fade of amplitude is 6 dB down when half of it is left; patience is 0.3 s
        assert loud.segue_s == pytest.approx(30.75 - 4.0 + 0.3, abs=0.5)
        # and 22 dB down when 10^(-22/20) of it is left
        at = loud.fall[FALL_DB.index(-22)]
        assert at == pytest.approx(30.75 - 8.0 * 10 ** (-22 / 20), abs=0.1)
        assert loud.fade_start_s == pytest.approx(22.75, abs=1.0)
        assert loud.cue_out_s <= 30.76
    assert loud.cue_out_s < 31.0, "the click is not sound"


def test_silence_and_clips_that_are_too_short_have_answers(tmp_path):
    for name, sound in (("silent", np.zeros((RATE, 2))), ("short", beep(0.2, 500))):
        path = tmp_path / f"{name}.wav"
        soundfile.write(path, sound, RATE)
        measure = measure_file(str(path)).measure
        assert measure.integrated_lufs is None
        assert 0 <= measure.cue_in_s <= measure.segue_s <= measure.cue_out_s <= measure.duration_s


@pytest.mark.parametrize(
    ("name", "data", "why"),
    [
        ("empty.flac", b"", "is empty (0 bytes)"),
        ("text.wav", b"this is no audio" * 99, "is not audio that can be decoded"),
        ("noise.mp3", bytes(range(256)) * 40, "is not audio that can be decoded"),
        ("song.m4a", b"x", "is AAC/M4A, which is not read; convert it"),
    ],
)
def test_unreadable_files_are_refused_by_name_and_reason(tmp_path, name, data, why):
    path = tmp_path / name
    path.write_bytes(data)
    with pytest.raises(AudioUnreadable) as refused:
        measure_file(str(path))
    assert str(path) in str(refused.value)
    assert why in str(refused.value)


def test_damaged_flac_is_refused_with_the_second(tmp_path):
    path = tmp_path / "torn.flac"
    soundfile.write(path, np.random.default_rng(1).uniform(-0.5, 0.5, (RATE * 6, 2)), RATE)
    whole = path.read_bytes()
    path.write_bytes(whole[: len(whole) * 2 // 3])
    with pytest.raises(AudioUnreadable, match=r"is damaged after \d"):
        measure_file(str(path))
    source = FileSource(str(path), RATE, 0)
    out = np.empty((RATE, 2), np.float32)
    reads = [source.read_into(out) for _ in range(7)]
    assert sum(reads) < RATE * 6
    assert "damaged" in source.problem


@pytest.mark.parametrize(("suffix", "rate"), [("flac", 44_100), ("wav", 48_000), ("flac", 22_050)])
def test_sources_start_anywhere_and_resample(tmp_path, suffix, rate):
    path = tmp_path / f"x.{suffix}"
    soundfile.write(path, beep(3, 440, rate), rate)
    source = FileSource(str(path), RATE, RATE)
    out = np.empty((RATE * 4, 2), np.float32)
    got = source.read_into(out)
    assert abs(got - 2 * RATE) <= 2
    expected = beep(3, 440, RATE)[RATE : RATE + got]
    assert np.abs(out[2000 : got - 2000] - expected[2000 : got - 2000]).max() < 0.01


def test_gain_laws_at_the_middle_of_a_crossfade():
    # any signal-processing text: equal power -3.01 dB each, linear -6.02 dB each
    half = np.array([0.5], np.float32)
    assert 20 * np.log10(shape(Curve.EQUAL_POWER, half)[0]) == pytest.approx(-3.01, abs=0.01)
    assert 20 * np.log10(shape(Curve.LINEAR, half)[0]) == pytest.approx(-6.02, abs=0.01)
    part = np.linspace(0, 1, 101, dtype=np.float32)
    squares = shape(Curve.EQUAL_POWER, part) ** 2 + shape(Curve.EQUAL_POWER, 1 - part) ** 2
    assert squares == pytest.approx(1, abs=1e-5)


@examples(40)
@given(arrays(np.float32, (4000, 2), elements=st.floats(-4, 4, width=32)), st.data())
def test_the_limiter_never_exceeds_its_threshold_and_does_not_care_for_blocks(sound, data):
    def run(sizes):
        limiter, at, out = Limiter(RATE), 0, []
        for size in sizes:
            block = sound[at : at + size].copy()
            limiter.process(block)
            out.append(block)
            at += size
        return np.concatenate(out)

    cut = data.draw(st.integers(300, 3600))
    whole, parts = run([4000]), run([cut, 4000 - cut])
    assert np.abs(whole).max() <= 10 ** (THRESHOLD_DBFS / 20) + 1e-6
    assert parts == pytest.approx(whole, abs=1e-5)


def test_the_limiter_is_transparent_below_its_threshold():
    sound = beep(1, 300, level=0.88)
    limiter, block = Limiter(RATE), sound.copy()
    limiter.process(block)
    assert np.array_equal(block[limiter.delay :], sound[: -limiter.delay])
    assert limiter.reduced == 0


def test_ffmpeg_reads_the_same_loudness(tmp_path):
    if subprocess.run(["sh", "-c", "command -v ffmpeg"], capture_output=True).returncode:
        pytest.skip("ffmpeg is not installed")
    path = tmp_path / "x.wav"
    dice = np.random.default_rng(5)
    soundfile.write(path, dice.standard_normal((RATE * 10, 2)) * 0.05, RATE, "FLOAT")
    told = subprocess.run(
        ["ffmpeg", "-nostats", "-i", path, "-af", "ebur128", "-f", "null", "-"],
        capture_output=True,
        text=True,
        check=True,
    ).stderr
    summary = told[told.rindex("Integrated loudness") :]
    expected = float(summary.split("I:")[1].split("LUFS")[0])
    assert measure_file(str(path)).measure.integrated_lufs == pytest.approx(expected, abs=0.15)
