"""Measured markers, on signals whose answer is known, and the segues that follow from them."""

from dataclasses import replace

import numpy as np
import pytest
import soundfile
from conftest import RATE, examples, make_item
from hypothesis import given
from hypothesis import strategies as st

from nightly_spindle.air.player import Player
from nightly_spindle.audio.envelope import envelope_of, unpack
from nightly_spindle.audio.intro import find_intro
from nightly_spindle.audio.join_level import CUT_DB, LASTS_S, Side, assess, join_levels
from nightly_spindle.audio.markers import find_markers
from nightly_spindle.audio.measure import measure_file
from nightly_spindle.audio.peaks import onset, read_peaks, read_samples, spectrogram, zero_crossing
from nightly_spindle.core.library.items import FALL_DB, Ending, Item, Kind, Measure
from nightly_spindle.core.library.loudness_gain import Levels, gain
from nightly_spindle.core.library.markers import Marks, Shaping
from nightly_spindle.core.playout.sequencer import Sequencer
from nightly_spindle.core.programme.air_state import new_state
from nightly_spindle.core.programme.programme import Programme
from nightly_spindle.core.programme.running_order import Line, LineSource, Origin
from nightly_spindle.core.programme.sequencer_actions import StartVoice
from nightly_spindle.core.segues.effective_markers import fallen_at, natural_segue
from nightly_spindle.core.segues.joins import plan_join, span
from nightly_spindle.core.segues.segue_rules import Overlap, SegueRule, Segues
from nightly_spindle.core.station.settings import StationSettings, Trimming
from nightly_spindle.simulators.demo import SEED
from nightly_spindle.simulators.demo_catalogue import SONGS
from nightly_spindle.simulators.demo_songs import pieces, tune_of

HOP = 0.005


def level_steps(*parts):
    """The power per hop of a level in dB that goes in straight lines: (seconds, from, to)."""
    db = np.concatenate([np.linspace(a, b, round(s / HOP), endpoint=False) for s, a, b in parts])
    return np.where(db > -150, 10 ** (db / 10), 0.0)


def measured(power, trimming=None):
    blank = Measure(len(power) * HOP, RATE, 2, -16.0)
    return find_markers(blank, envelope_of(power, HOP), trimming)


# Each ending with where its sound ends, how, and within which seconds the next may start
ENDINGS = {
    "stops dead": ([(30, 0, 0), (2, -200, -200)], 30.0, "cold", (29.8, 30.1)),
    "rings on, -60 dB in 1.5 s": ([(30, 0, 0), (1.5, 0, -60)], 31.1, "cold", (30.1, 30.8)),
    "rings long, -60 dB in 6 s": ([(30, 0, 0), (6, 0, -60)], 34.5, "cold", (30.6, 31.6)),
    "direct sound off, then a hall": ([(30, 0, 0), (5, -9, -60)], 33.5, "cold", (29.9, 30.7)),
    "soft outro, then stops": (
        [(30, 0, 0), (12, -12, -12), (1, -200, -200)],
        42,
        "cold",
        (41.8, 42.1),
    ),
    "false ending": (
        [(30, 0, 0), (2, -70, -70), (3, 0, 0), (1, -90, -90)],
        35,
        "cold",
        (34.8, 35.1),
    ),
    "noise after the end": ([(30, 0, 0), (0.5, 0, -38), (9, -38, -38)], 39.5, "cold", (30.0, 30.5)),
    "long fade of 20 s, 3 dB a second": ([(40, 0, 0), (20, 0, -60)], 55.0, "fade", (41.8, 43.2)),
}


@pytest.mark.parametrize("name", ENDINGS)
def test_endings_of_every_shape_have_their_markers(name):
    parts, cue_out, ending, (earliest, latest) = ENDINGS[name]
    found = measured(level_steps((0.7, -200, -200), *parts))
    assert found.cue_in_s == pytest.approx(0.7, abs=0.011)
    assert found.cue_out_s == pytest.approx(cue_out + 0.7, abs=0.2), "where -45 dB are reached"
    assert found.ending == Ending(ending)
    assert earliest + 0.7 <= found.segue_s <= latest + 0.7
    assert found.sag_s <= found.cue_out_s
    assert list(found.fall) == sorted(found.fall)


def fader(seconds, power):
    """A hand on the fader: the amplitude falls as (1 - x) to a power."""
    x = np.linspace(0, 1, round(seconds / HOP), endpoint=False)
    return np.concatenate([np.ones(round(40 / HOP)), (1 - x) ** (2 * power)])


@pytest.mark.parametrize(("seconds", "power"), [(5, 1.0), (8, 1.6), (12, 1.0), (14, 2.0)])
def test_faded_endings_are_told_and_leave_no_hole(seconds, power):
    found = measured(fader(seconds, power))
    assert found.ending is Ending.FADE
    assert found.fade_start_s == pytest.approx(40, abs=0.2 * seconds)
    six_down = 40 + seconds * (1 - 10 ** (-6 / 20 / power))
    assert six_down - 0.4 <= found.segue_s <= six_down + 0.6
    # the levels that rules with other triggers go by: where the fader stands, to a tenth
    for db in (-12.0, -22.0, -36.0):
        expected = 40 + seconds * (1 - 10 ** (db / 20 / power))
        assert fallen_at(found, db) == pytest.approx(expected, abs=0.2)
    patient = natural_segue(found, SegueRule(trigger_db=-22.0, patience_s=20.0))
    assert patient.at_s == pytest.approx(found.fall[FALL_DB.index(-22)], abs=0.001)
    assert not patient.early


@examples(30)
@given(st.data())
def test_a_quiet_master_gets_the_markers_of_a_loud_one(data):
    """The same song up to 40 dB down: the same to 10 ms; nor does a blip of 20 ms matter."""
    dice = np.random.default_rng(data.draw(st.integers(0, 10_000)))
    head, tail = data.draw(st.floats(0, 3)), data.draw(st.floats(0.2, 4))
    body = np.repeat(10 ** dice.uniform(-1.5, 0.0, 160), 50)  # beats of a quarter of a second
    falls = fader(data.draw(st.floats(0.05, 12)), 1.3)[round(40 / HOP) :]
    power = np.concatenate(
        [np.zeros(round(head / HOP)), body, falls * body[-50:].mean(), np.zeros(round(tail / HOP))]
    )
    loud = measured(power)
    quiet = measured(power * 10 ** (data.draw(st.floats(-40, 0)) / 10))
    blip = power.copy()
    blip[-round(tail / HOP / 2) :][:4] = 1.0
    for other, near in ((quiet, 0.01), (measured(blip), 0.05)):
        for name in ("cue_in_s", "cue_out_s", "segue_s", "fade_start_s"):
            assert getattr(other, name) == pytest.approx(getattr(loud, name), abs=near + 1e-6), name
    assert 0 <= loud.cue_in_s <= loud.segue_s <= loud.cue_out_s <= loud.duration_s


@examples(25)
@given(st.lists(st.floats(-80, 0), max_size=400), st.integers(1, 40))
def test_stored_levels_give_the_same_markers_as_the_first_look(levels, times):
    power = np.repeat(10 ** (np.array(levels) / 10), times) if levels else np.zeros(10)
    envelope = envelope_of(power, HOP)
    blank = Measure(max(0.01, len(power) * HOP), RATE, 2, -16.0)
    if envelope is None:
        assert find_markers(blank, None).cue_out_s == blank.duration_s
        return
    again = unpack(envelope.pack())
    for trimming in (Trimming(), Trimming(head_db=-30, tail_db=-35, blip_s=0.05)):
        assert find_markers(blank, again, trimming) == find_markers(blank, envelope, trimming)
    assert unpack(envelope.pack()[:-8]) is None, "a torn envelope is none"
    assert unpack(b"\x07" + envelope.pack()[1:]) is None, "one of another version neither"


def test_resampled_files_have_their_markers_at_the_same_seconds(tmp_path):
    import soxr

    dice = np.random.default_rng(3)
    sound = dice.standard_normal(RATE * 20) * 0.1
    sound[: RATE // 2] = 0
    sound[-4 * RATE :] *= np.linspace(1, 0, 4 * RATE)
    found = []
    for rate in (RATE, 48_000, 22_050, 96_000):
        other = sound if rate == RATE else soxr.resample(sound, RATE, rate)
        soundfile.write(tmp_path / f"{rate}.wav", other, rate, "FLOAT")
        found.append(measure_file(str(tmp_path / f"{rate}.wav")).measure)
    for other in found[1:]:
        for name in ("cue_in_s", "cue_out_s", "segue_s", "sag_s"):
            assert getattr(other, name) == pytest.approx(getattr(found[0], name), abs=0.02), name


def test_where_the_arrangement_comes_in_is_proposed_and_never_certain():
    dice = np.random.default_rng(8)
    rate, seconds = 5512, 40
    at = np.arange(rate * seconds) / rate
    intro = 0.1 * np.sin(2 * np.pi * 220 * at) + 0.05 * np.sin(2 * np.pi * 330 * at)
    full = intro + 0.2 * dice.standard_normal(len(at)) * (1 + np.sin(2 * np.pi * 4 * at)) / 2
    sound = np.where(at < 11.4, intro, full).astype(np.float32)
    found = find_intro(sound, rate, 0.0)
    assert found.end_s == pytest.approx(11.4, abs=0.15)
    assert 0.25 <= found.sure <= 0.8
    assert find_intro(full.astype(np.float32), rate, 0.0) is None, "nothing comes in"
    assert find_intro(sound[: 3 * rate], rate, 0.0) is None, "too short to tell"


# -- the demo's songs ------------------------------------------------------------------------------

_CHOSEN = (
    "Saltgrass and Iron",
    "Lamp Room Waltz",
    "Slow Rope",
    "Gull Arithmetic",
    "Bollard Song",
    "Two Stroke Moon",
    "Letters to the Dredger",
    "Gearbox Hymn",
    "Half a Mile of Fog",
    "Ballast",
    "The Customs Shed",
)


@pytest.fixture(scope="module")
def songs(tmp_path_factory):
    """Loud, quiet, cold, faded, silent-tailed and clicky songs of the demo: items, envelopes."""
    folder = tmp_path_factory.mktemp("songs")
    made = []
    for seed, song in enumerate(SONGS, SEED):
        if song.title not in _CHOSEN:
            continue
        wave = pieces(replace(song, seconds=60), seed).whole()
        path = folder / f"{seed}.wav"
        soundfile.write(path, wave, song.rate)
        found = measure_file(str(path))
        item = Item(seed, Kind.SONG, song.title, song.artist, str(path), found.measure)
        intro = song.head_s + song.intro_bars * tune_of(song, seed).bar_s
        made.append((item, unpack(found.envelope), song, intro))
    return made


@pytest.mark.slow
def test_the_markers_of_the_demo_songs(songs):
    right = 0
    for item, _, song, intro in songs:
        measure = item.measure
        assert measure.cue_in_s == pytest.approx(song.head_s, abs=0.02), song.title
        assert measure.ending == ("fade" if song.fade_s else "cold"), song.title
        assert measure.duration_s - measure.cue_out_s >= song.tail_s - 0.02, song.title
        assert measure.sure_intro_end < 0.85, "a machine's guess is never shown as sure"
        found = measure.intro_end_s or 0
        right += abs(found - intro) < 0.1
        # too short a guess leaves a voiceover out, too long a one lays it over the vocal
        assert found < intro + 0.1, song.title
    assert right >= len(songs) - 3, "most intros are found to a tenth of a second"


@pytest.mark.slow
def test_every_default_segue_between_the_demo_songs_is_right(songs):
    """Every pair, by the stored levels: no hole, bump, clash or cut."""
    table = []
    for out, envelope, _, _ in songs:
        for into, other, _, _ in songs:
            if out is into:
                continue
            join = plan_join(out, span(out, RATE).cue_in, into, Segues(), RATE)
            sides = [Side(i, e, gain(i, Levels()).db) for i, e in ((out, envelope), (into, other))]
            verdict = assess(join_levels(*sides, join, RATE))
            row = (
                f"{out.title:<24} > {into.title:<24} {join.overlap / RATE:5.2f} s together, "
                f"hole {verdict.dip_db:4.1f} dB {verdict.dip_s:4.2f} s, bump "
                f"{verdict.bump_s:4.2f} s, cut at {verdict.cut_db:6.1f} dB"
            )
            table.append((verdict.faults, row))
    print("\n".join(row for _, row in table))
    assert len(table) == 110
    assert [row for faults, row in table if faults] == []


@pytest.mark.slow
def test_faults_of_a_join_are_told_where_they_are_and_a_gap_that_is_wanted_is_none(songs):
    (out, envelope, _, _), (into, other, _, _) = songs[:2]  # a fade of nine seconds, a cold end
    cold, cold_levels = into, other
    sides = [Side(i, e, gain(i, Levels()).db) for i, e in ((out, envelope), (into, other))]
    back = sides[::-1]

    def faults(rule, pair):
        first, second = pair[0].item, pair[1].item
        join = plan_join(first, span(first, RATE).cue_in, second, Segues(rule), RATE)
        return " ".join(assess(join_levels(*pair, join, RATE)).faults)

    assert faults(SegueRule(), sides) == ""
    assert "A hole" in faults(SegueRule(patience_s=6.0), sides), "the trigger alone leaves one"
    assert "A clash" in faults(SegueRule(overlap=Overlap.FIXED, fixed_s=6.0, fade_out_s=0.0), back)
    assert faults(SegueRule(overlap=Overlap.GAP, gap_s=1.5), back) == ""
    # cut three seconds before its end, at full level
    short = replace(cold, marks=Marks(cue_out_s=cold.measure.cue_out_s - 3.0))
    cut = [Side(short, cold_levels, 0.0), sides[0]]
    assert "Cut off" in faults(SegueRule(fade_out_s=0.0), cut)
    assert "Cut off" not in faults(SegueRule(overlap=Overlap.FIXED), cut), "a fade goes to silence"
    # an item that ends with its file is not cut, whatever is left after the last whole hop
    whole = [
        Side(replace(i, shaping=Shaping(untouched=True)), e, 0.0)
        for i, e in ((cold, cold_levels), (out, envelope))
    ]
    assert "Cut off" not in faults(SegueRule(), whole)


@pytest.mark.slow
def test_the_rendered_night_has_no_hole_no_jump_and_no_cut(songs):
    """The very sound that goes out, joined as the sequencer does, seen without the envelopes."""
    import pyloudnorm

    items = {item.cart: item for item, *_ in songs}
    station = Programme(StationSettings("Pier", "Europe/Lisbon"), None, items)
    state = new_state(RATE, 0, -1)
    order = [*items, next(iter(items))]
    state.order.upcoming = [Line(state.take_id(), cart, Origin(LineSource.LOG)) for cart in order]
    player, block = Player(Sequencer(station, state), [], 8192), np.empty((8192, 2), np.float32)
    parts, starts = [], []
    while len(starts) < len(order) or len(parts) * 8192 < starts[-1].play.start + 15 * RATE:
        starts += [a for a in player.pull(block) if isinstance(a, StartVoice)]
        parts.append(block.copy())
    player.mixer.close()
    sound = np.concatenate(parts)
    power = np.concatenate([[0.0], np.cumsum(np.square(sound, dtype=np.float64).sum(axis=1))])
    width = round(0.4 * RATE)
    level = 10 * np.log10(np.maximum((power[width:] - power[:-width]) / width, 1e-12))[::220]
    table = []
    for voice in starts[1:]:
        at = (voice.play.start - width // 2) / 220
        before, near = level[round(at - 2200) : round(at - 400)], level[round(at - 1600) :]
        after = level[round(at + 100) : round(at + 1000)]
        floor = min(np.median(before), np.median(after)) - 6
        low = near[: 1600 + 100] < floor
        edges = np.flatnonzero(np.diff(np.concatenate([[0], low, [0]])))
        hole = float((edges[1::2] - edges[::2]).max()) * 220 / RATE if len(edges) else 0.0
        table.append((voice.play.item.title, round(hole, 2)))
    assert [row for row in table if row[1] > LASTS_S] == []
    for item, *_ in songs:
        join = plan_join(item, span(item, RATE).cue_in, make_item(1), Segues(), RATE)
        wave, rate = soundfile.read(item.path)
        end = join.out_end * rate // RATE
        last = wave[end - rate // 200 : end]
        if join.fade_out:
            left = np.linspace(rate // 200, 0, len(last)) / (join.fade_out * rate / RATE)
            last = last * np.sin(left * np.pi / 2)[:, None]
        meter = pyloudnorm.Meter(rate).integrated_loudness(wave)
        cut = 10 * np.log10(np.square(last).sum(axis=1).mean() + 1e-15) - meter
        # the meter weights, the markers do not: up to 3 dB apart on these songs
        assert cut < CUT_DB + 3, f"{item.title} ends {cut:.1f} dB under its loudness"


@pytest.mark.slow
def test_loudness_after_gain_is_the_stations_by_pyloudnorm(songs):
    import pyloudnorm

    levels = Levels(ceiling_dbtp=6.0)
    for item, *_ in songs:
        wave, rate = soundfile.read(item.path)
        lift = gain(item, levels).db
        after = pyloudnorm.Meter(rate).integrated_loudness(wave * 10 ** (lift / 20))
        assert after == pytest.approx(-16.0, abs=0.15), item.title
        peak = 20 * np.log10(np.abs(wave).max())
        assert peak + gain(item, Levels()).db <= -1.0 + 1e-6, "the ceiling holds"


# -- looking closely -------------------------------------------------------------------------------


def test_a_waveform_at_any_zoom_is_that_of_the_samples(tmp_path):
    dice = np.random.default_rng(4)
    wave = (dice.standard_normal((RATE * 7, 2)) * 0.1).astype(np.float32)
    wave[RATE * 3] = 0.9
    soundfile.write(tmp_path / "x.wav", wave, RATE)
    found = read_peaks(str(tmp_path / "x.wav"))
    for begin, span_s, count in ((0, 7, 700), (2.9, 0.2, 137), (-1, 10, 500), (6.9, 0.5, 64)):
        columns = found.columns(begin, span_s, count)
        at = (3.0 - begin) / span_s * count
        assert np.abs(columns).max() <= 0.91
        if 0 <= at < count:
            near = columns[max(0, int(at) - 1) : int(at) + 2, 1]
            assert near.max() == pytest.approx(0.9, abs=0.001), (begin, span_s)
        assert (columns[:, 0] <= columns[:, 1]).all()
    assert read_peaks(str(tmp_path / "x.wav"), lambda: True) is None, "it can be told to stop"
    part = read_samples(str(tmp_path / "x.wav"), 3.0, 0.01)
    assert part.mono[0] == pytest.approx(0.9, abs=0.001)


def test_snapping_finds_zero_and_onset_and_the_spectrum_its_pitch(tmp_path):
    at = np.arange(RATE * 4) / RATE
    wave = np.where(at < 2.013, 0.001, 0.5) * np.sin(2 * np.pi * 100 * at)
    soundfile.write(tmp_path / "x.wav", wave, RATE)
    path = str(tmp_path / "x.wav")
    for place in (0.5012, 2.5049, 3.3333):
        zero = zero_crossing(path, place)
        assert abs(zero - place) <= 0.0051
        assert round(zero * 200) / 200 == pytest.approx(zero, abs=1.1 / RATE)
    for place in (1.93, 2.0, 2.1):
        assert onset(path, place) == pytest.approx(2.013, abs=0.004)
    assert onset(path, 3.0) == 3.0, "nothing begins there"
    picture = spectrogram(path, 2.1, 1.5, 60, 120)
    row = int(np.argmax(picture.mean(axis=1)))
    pitch = 40 * (16_000 / 40) ** ((119.5 - row) / 120)
    assert pitch == pytest.approx(100, rel=0.35)
