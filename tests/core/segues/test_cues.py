"""Markers by hand and measured, segue rules, joins, gains: the pure part."""

from dataclasses import replace

import pytest
from conftest import RATE, examples, make_item
from hypothesis import given
from hypothesis import strategies as st
from test_sequencer import SONGS, Logs, programme, run, state_at

from nightly_spindle.core.base.errors import InputFault, SettingRefused
from nightly_spindle.core.base.timebase import US, parse_stamp, stamp
from nightly_spindle.core.library.items import FALL_DB, Kind
from nightly_spindle.core.library.loudness_gain import Levels, gain, offsets_from, offsets_text
from nightly_spindle.core.library.markers import (
    Curve,
    Marker,
    Marks,
    Shaping,
    marks_from,
    marks_values,
    shaping_from,
    shaping_values,
)
from nightly_spindle.core.playout.sequencer import Sequencer
from nightly_spindle.core.programme.running_order import Outcome
from nightly_spindle.core.programme.sequencer_actions import FadeVoice, StartVoice
from nightly_spindle.core.segues.effective_markers import (
    checked_marks,
    cues_of,
    natural_segue,
    placed,
    sure_words,
)
from nightly_spindle.core.segues.joins import MOST_GAP_S, plan_join, soonest_pass, span
from nightly_spindle.core.segues.marker_files import (
    from_row,
    from_sidecar,
    marks_at,
    sidecar,
    table_row,
)
from nightly_spindle.core.segues.segue_rules import (
    ANY,
    PRESETS,
    JoinEdit,
    Overlap,
    SegueRule,
    Segues,
    edit_from,
    edit_values,
    pair_rule,
    sentences,
)
from nightly_spindle.core.station.settings import StationSettings, settings_from, texts_from

SECONDS = st.floats(0, 200).map(lambda s: round(s, 3))
MAYBE = st.none() | SECONDS
MARKS = st.builds(
    Marks,
    cue_in_s=MAYBE,
    intro_end_s=MAYBE,
    hook_start_s=MAYBE,
    hook_end_s=MAYBE,
    segue_s=MAYBE,
    fade_start_s=MAYBE,
    cue_out_s=MAYBE,
    sweepers_s=st.lists(SECONDS, max_size=3, unique=True).map(lambda s: tuple(sorted(s))),
)
SHAPING = st.builds(
    Shaping,
    gain_trim_db=st.floats(-24, 24).map(lambda v: round(v, 2)),
    untouched=st.none() | st.booleans(),
    talk_over=st.none() | st.booleans(),
    fade_in_s=st.none() | st.sampled_from([0.0, 0.4, 5.0]),
    fade_out_s=st.none() | st.sampled_from([0.0, 0.1, 2.5, 12.0]),
    fade_out_curve=st.none() | st.sampled_from(list(Curve)),
)
EDITS = st.builds(
    JoinEdit,
    segue_s=MAYBE,
    fade_start_s=MAYBE,
    fade_out_s=st.none() | st.sampled_from([0.0, 0.5, 4.0, 20.0]),
    fade_in_s=st.none() | st.sampled_from([0.0, 1.0]),
)
RULES = st.builds(
    SegueRule,
    overlap=st.sampled_from(list(Overlap)),
    trigger_db=st.floats(-48, -4),
    patience_s=st.floats(0, 5),
    fixed_s=st.floats(0, 20),
    gap_s=st.floats(0, 2),
    fade_out_s=st.floats(0, 20),
    fade_in_s=st.floats(0, 5),
    longest_s=st.floats(0.5, 30),
    segue_short=st.booleans(),
)


def fading(cart, seconds, kind=Kind.SONG, **facts):
    """An item with a fall of 2 dB a third of a second, from 9 s before its end."""
    fall = tuple(max(0.0, seconds - 9 + 0.35 * step) for step in range(len(FALL_DB)))
    return make_item(cart, seconds, kind, fall=fall, sag_s=max(0.0, seconds - 8.6), **facts)


def in_order(item, marks):
    try:
        return checked_marks(item, marks)
    except InputFault as refused:
        assert str(refused).endswith(".")
        assert str(refused).count(".") <= 8
        return Marks()


# -- markers ---------------------------------------------------------------------------------------


@given(
    MARKS,
    st.sampled_from([Kind.SONG, Kind.ID]),
    st.sets(st.sampled_from(["cue-in", "intro-end", "segue", "cue-out"])),
)
def test_marks_that_are_taken_are_in_order_and_those_by_hand_hold(marks, kind, absent):
    item = make_item(1, 180, kind, cue_in_s=0.5, cue_out_s=178.0, segue_s=170.0, intro_end_s=12.0)
    marks = in_order(item, replace(marks, absent=tuple(sorted(absent))))
    cues = cues_of(replace(item, marks=marks))
    assert 0 <= cues.cue_in_s < cues.cue_out_s <= 180
    for marker in (Marker.CUE_IN, Marker.CUE_OUT, Marker.SEGUE):
        by_hand = marks.at(marker)
        assert by_hand is None or getattr(cues, marker.field) == by_hand
    times = [row.at_s for row in placed(replace(item, marks=marks), SegueRule())]
    assert times == sorted(times)
    here = span(replace(item, marks=marks), RATE)
    assert 0 <= here.cue_in <= here.segue <= here.cue_out <= 180 * RATE


@given(MARKS, SHAPING, EDITS)
def test_what_is_set_by_hand_reads_back_from_json_sidecar_and_table(marks, shaping, edit):
    item = replace(fading(7, 200), shaping=shaping)
    item = replace(item, marks=in_order(item, marks))
    assert marks_from(marks_values(marks)) == marks
    assert shaping_from(shaping_values(shaping)) == shaping
    assert edit_from(edit_values(edit)) == edit
    assert from_sidecar(sidecar(item, SegueRule())) == (item.marks, shaping)
    row = table_row(item, SegueRule())
    assert from_row(item, row, SegueRule())[0] == item.marks, "an unchanged table changes nothing"
    blank = replace(item, marks=Marks(), shaping=Shaping())
    again, shaped = from_row(blank, row, SegueRule())
    measured = {p.marker: p.at_s for p in placed(blank, SegueRule())}
    for marker in Marker:
        was, now = item.marks.at(marker), again.at(marker)
        if was is not None and now is None:
            assert measured.get(marker) is not None, "only what is as measured stays measured"
        else:
            assert (now is None) == (was is None)
            assert now is None or abs(now - was) < 0.001
    assert shaped.gain_trim_db == pytest.approx(shaping.gain_trim_db, abs=0.01)
    assert (shaped.untouched, shaped.fade_out_s) == (shaping.untouched, shaping.fade_out_s)


def test_impossible_orders_are_refused_with_a_sentence():
    item = make_item(1, 180, cue_in_s=0.5, cue_out_s=178.0)
    for marks, told in (
        (Marks(intro_end_s=30.0, segue_s=20.0), "intro end at 0:30.000 would come after the segue"),
        (Marks(cue_in_s=179.0), "leaves nothing to play before the cue out at 2:58.000"),
        (Marks(cue_out_s=200.0), "outside the file, which lasts 3:00.000"),
        (Marks(hook_start_s=50.0, hook_end_s=40.0), "hook start at 0:50.000 would come after"),
        (Marks(sweepers_s=(0.1,)), "sweeper point at 0:00.100 would be outside what is played"),
    ):
        with pytest.raises(InputFault, match=told):
            checked_marks(item, marks)
    # what is only measured gives way
    cues = cues_of(replace(item, marks=checked_marks(item, Marks(cue_out_s=100.0))))
    assert (cues.cue_out_s, span(replace(item, marks=Marks(cue_out_s=100.0)), RATE).segue) == (
        100.0,
        100 * RATE,
    )


def test_voiceovers_ids_and_beds_play_untouched_unless_they_say_otherwise():
    # common practice, no source: they carry their own shape
    for kind, untouched in (
        (Kind.VOICEOVER, True),
        (Kind.ID, True),
        (Kind.BED, True),
        (Kind.SONG, False),
        (Kind.SPOT, False),
    ):
        item = make_item(1, 20, kind, cue_in_s=0.5, cue_out_s=19.0)
        assert item.untouched is untouched
        assert cues_of(item).cue_in_s == (0.0 if untouched else 0.5)
        join = plan_join(item, 0, SONGS[1], Segues(), RATE)
        assert (join.fade_out == 0) is untouched
        other = replace(item, shaping=Shaping(untouched=not untouched))
        assert cues_of(other).cue_out_s == (19.0 if untouched else 20.0)
    marked = replace(make_item(1, 20, Kind.ID, cue_in_s=0.5), marks=Marks(cue_in_s=0.7))
    assert cues_of(marked).cue_in_s == 0.7, "what is set by hand holds all the same"


def test_measured_markers_say_how_sure_they_are_and_agreeing_ones_stay_measured():
    item = make_item(1, 180, cue_in_s=0.5, cue_out_s=178.0, sure_cue_in=0.95, sure_cue_out=0.3)
    rows = {row.marker: row for row in placed(item, SegueRule())}
    assert sure_words(rows[Marker.CUE_IN].sure) == "measured, sure"
    assert sure_words(rows[Marker.CUE_OUT].sure) == "measured, a guess"
    points = [(Marker.CUE_IN, 0.501), (Marker.SEGUE, 150.0)]
    assert marks_at(item, points, SegueRule()) == Marks(segue_s=150.0)
    rows = placed(replace(item, marks=Marks(segue_s=150.0)), SegueRule())
    assert sure_words(next(r.sure for r in rows if r.marker is Marker.SEGUE)) == "set by hand"


@given(st.integers(0, 36_000_000))
def test_positions_are_written_and_read_to_the_millisecond(thousandths):
    assert parse_stamp(stamp(thousandths / 1000)) == pytest.approx(thousandths / 1000, abs=1e-9)


def test_positions_that_are_none_are_refused():
    assert parse_stamp("3:07.25") == parse_stamp("187,25") == 187.25
    for text in ("", "x", "1:2:3:4", "-3", "3:-7", "1e3", "nan", "3:07:"):
        with pytest.raises(SettingRefused, match="write 3:07"):
            parse_stamp(text)


# -- rules -----------------------------------------------------------------------------------------


def test_a_pair_goes_before_a_kind_and_a_kind_before_the_station():
    rules = (
        pair_rule("song", ANY, {"fade_out_s": "2", "longest_s": "3"}),
        pair_rule(ANY, "spot", {"fade_out_s": "1", "trigger_db": "-30"}),
        pair_rule("song", "spot", {"longest_s": "1"}),
    )
    segues = Segues(SegueRule(patience_s=1.0), rules)
    found = segues.ruled(Kind.SONG, Kind.SPOT)
    rule = found.rule
    assert (rule.fade_out_s, rule.longest_s, rule.trigger_db, rule.patience_s) == (2, 1, -30, 1)
    assert found.source("longest_s") == "the rule song into spot"
    assert found.source("fade_out_s") == "the rule song into anything"
    assert found.source("trigger_db") == "the rule anything into spot"
    assert found.source("patience_s") == "the station's rule"
    assert segues.ruled(Kind.ID, Kind.SONG).rule == segues.station
    for wrong, told in (
        (("song", "spot", {"fade_out_s": "99"}), "must be within 0 and 20 s"),
        (("song", "spot", {"overlap": "often"}), "one of markers, fixed, gap"),
        (("song", "spot", {"loud": "1"}), "has no value 'loud'"),
        (("song", "spat", {}), "'spat' is not a kind"),
        ((ANY, ANY, {}), "the station's own rule"),
    ):
        with pytest.raises(InputFault, match=told):
            pair_rule(*wrong)


@given(RULES)
def test_rules_read_back_as_sentences_and_settings_as_texts(rule):
    told = " ".join(sentences(rule))
    if rule.overlap is Overlap.GAP:
        assert f"after {rule.gap_s:g} s of silence" in told
        assert "plays out unfaded" in told
    elif rule.overlap is Overlap.FIXED:
        assert f"{rule.fixed_s:g} s before the cue out" in told
    else:
        assert f"fallen {-rule.trigger_db:g} dB" in told
    made = StationSettings("Pier", "Europe/Lisbon", segue=rule, kind_levels=(("bed", -8.0),))
    assert settings_from(texts_from(made)) == made


def test_presets_are_rules_within_bounds():
    for name, rule in PRESETS.items():
        made = StationSettings("Pier", "Europe/Lisbon", segue=rule)
        assert settings_from(texts_from(made)).segue == rule, name
    trigger = {name: rule.trigger_db for name, rule in PRESETS.items()}
    assert trigger["tight"] > trigger["standard"] > trigger["relaxed"]


# -- joins -----------------------------------------------------------------------------------------


@examples(300)
@given(
    RULES,
    MARKS,
    SHAPING,
    SHAPING,
    st.none() | EDITS,
    st.floats(3, 200),
    st.floats(1, 200),
    st.sampled_from([Kind.SONG, Kind.ID, Kind.SPOT]),
    st.integers(0, 5 * RATE),
)
def test_every_join_is_sound_whatever_was_set(
    rule, marks, own, other, edit, seconds, second, kind, begin
):
    out = replace(fading(1, seconds, kind), shaping=own)
    out = replace(out, marks=in_order(out, marks))
    into = replace(fading(2, second), shaping=other)
    segues = Segues(rule)
    here, there = span(out, RATE, segues), span(into, RATE)
    begin = min(max(begin, here.cue_in), here.cue_out)
    join = plan_join(out, begin, into, segues, RATE, edit)
    longest = min(rule.longest_s * RATE + 1, (there.cue_out - there.cue_in) // 2)
    assert join.overlap <= max(0, longest)
    assert -join.overlap <= MOST_GAP_S * RATE
    assert join.out_end <= here.cue_out
    assert join.fade_out == 0 or join.fade_at + join.fade_out == join.out_end
    assert 0 <= join.fade_in <= there.cue_out - there.cue_in
    assert [name for name, _ in join.reasons] == ["start", "fade-out", "fade-in"]
    assert all(text.strip().endswith(".") for text in join.why)
    if edit is None:
        assert soonest_pass(out, segues, RATE) <= max(join.segue, here.cue_in)
        assert join.segue >= begin


def test_the_trigger_and_the_patience_say_where_the_next_starts():
    out, into = fading(1, 100), make_item(2, 100)
    for trigger, patience, at_s in (
        (-22, 20, 94.15),
        (-22, 0.3, 91.7),
        (-8, 0.3, 91.7),
        (-7, 20, 91.525),
    ):
        rule = SegueRule(trigger_db=trigger, patience_s=patience)
        assert natural_segue(out.measure, rule).at_s == pytest.approx(at_s, abs=1e-6)
        join = plan_join(out, 0, into, Segues(rule), RATE)
        assert join.segue == pytest.approx(at_s * RATE, abs=1)
        assert join.out_end == join.segue + 3 * RATE, "3 s of fade (common practice, no source)"


def test_a_join_goes_by_hand_before_pair_before_marks_before_rules():
    out, into = fading(1, 100), make_item(2, 100)
    marked = replace(out, marks=Marks(segue_s=80.0, fade_start_s=78.0))
    pairs = {(1, 2): JoinEdit(1, segue_s=70.0, fade_out_s=2.0)}
    by_pair = Segues(pairs=pairs)
    edit = JoinEdit(1, segue_s=60.0)
    assert plan_join(marked, 0, into, Segues(), RATE).segue == 80 * RATE
    early = plan_join(marked, 0, into, Segues(), RATE)
    assert (early.fade_at, early.out_end) == (78 * RATE, 81 * RATE)
    assert plan_join(marked, 0, into, by_pair, RATE).segue == 70 * RATE
    assert plan_join(marked, 0, into, by_pair, RATE, edit).segue == 60 * RATE
    assert "Set by hand for this join" in plan_join(marked, 0, into, by_pair, RATE, edit).why[0]
    # an edit made for another outgoing item does not hold for this one
    other = replace(edit, out_cart=9)
    assert plan_join(marked, 0, into, by_pair, RATE, other).segue == 70 * RATE


# -- in the sequencer ------------------------------------------------------------------------------


@examples(40)
@given(
    RULES,
    st.lists(st.tuples(st.integers(0, 11), MARKS, SHAPING), max_size=6),
    st.lists(st.integers(1, 3600 * US), max_size=20).map(sorted),
    EDITS,
)
def test_with_any_rules_and_marks_the_step_size_does_not_matter(rule, marked, steps, edit):
    """Nor is anything silent for longer than the longest gap."""
    begin, songs = 1_795_392_000 * US, [fading(n, 60 + 7 * n) for n in range(1, 13)]
    for at, marks, shaping in marked:
        songs[at] = replace(songs[at], marks=in_order(songs[at], marks), shaping=shaping)
    made = []
    for cuts in ([], [begin + step for step in steps]):
        station = programme(songs, Logs())
        station.segues = Segues(rule, pairs={(2, 3): edit})
        sequencer = Sequencer(station, state_at(begin, [1, 2, 3, 4]))
        sequencer.edits.set_join(sequencer.state.order.upcoming[3].id, replace(edit, out_cart=3))
        made.append(run(sequencer, begin + 3600 * US, cuts))
    assert made[0].rows == made[1].rows
    sounding = [row for row in made[0].rows if row.play]
    for one, other in zip(sounding, sounding[1:], strict=False):
        assert other.start - one.end <= MOST_GAP_S * RATE


def test_a_fade_that_begins_before_the_next_starts_is_ordered_in_time_and_survives_edits():
    songs = [
        replace(SONGS[0], marks=Marks(segue_s=90.0, fade_start_s=85.0, cue_out_s=99.0)),
        *SONGS[1:],
    ]
    station = programme(songs, Logs())
    station.segues = Segues(SegueRule(fade_out_s=8.0))
    sequencer = Sequencer(station, state_at(10 * US, [1, 2, 3]))
    sequencer.advance(11 * RATE)
    start = sequencer.state.order.playing.start
    orders = sequencer.advance(start + 87 * RATE)
    fade = next(a for a in orders if isinstance(a, FadeVoice))
    assert (fade.at, fade.frames) == (start + 85 * RATE, 8 * RATE)
    # the next line changes while the fader goes down: no hole behind it, and no second fade
    sequencer.edits.remove([sequencer.state.order.upcoming[0].id])
    again = Sequencer(station, sequencer.state.copy())
    orders = again.advance(start + 100 * RATE)
    assert not [a for a in orders if isinstance(a, FadeVoice) and a.play_id == fade.play_id]
    began = next(a for a in orders if isinstance(a, StartVoice))
    assert began.play.line.cart == 3
    assert began.play.start == start + 90 * RATE
    # cut while it fades: the cut's own fade multiplies
    cut = sequencer.skip()
    assert [a.play_id for a in cut if isinstance(a, FadeVoice)] == [fade.play_id]


def test_a_gap_is_kept_and_told():
    station = programme(SONGS, Logs())
    station.segues = Segues(SegueRule(overlap=Overlap.GAP, gap_s=1.5))
    done = run(Sequencer(station, state_at(10 * US, [1, 2])), 150 * US)
    first, second = [row for row in done.rows if row.play][:2]
    assert second.start - first.end == round(1.5 * RATE)
    assert first.outcome is Outcome.AIRED
    assert second.join.overlap == -round(1.5 * RATE)


# -- levels ----------------------------------------------------------------------------------------


@given(st.floats(-45, -3), st.floats(-30, 3), st.floats(-12, 6), st.floats(-24, 24))
def test_gain_brings_to_the_target_and_true_peak_holds_it(lufs, peak, ceiling, trim):
    item = make_item(1, 60, lufs=lufs, true_peak_dbtp=peak)
    item = replace(item, shaping=Shaping(gain_trim_db=trim))
    levels = Levels(ceiling_dbtp=ceiling)
    lift = gain(item, levels).db - trim
    wanted = levels.target_lufs - lufs
    assert lift <= max(wanted, 0) + 1e-9
    assert lift <= levels.most_gain_db
    if lift > 0:
        assert peak + lift <= ceiling + 1e-9
    if wanted <= min(levels.most_gain_db, max(0.0, ceiling - peak)):
        assert lift == pytest.approx(wanted)


def test_kinds_have_levels_of_their_own_and_the_unmeasured_play_safe():
    song, bed = make_item(1, 60, lufs=-20.0), make_item(2, 60, Kind.BED, lufs=-20.0)
    offsets = offsets_from("bed -8, sweeper 1.5", wrong := [])
    assert (wrong, offsets_text(offsets)) == ([], "bed -8, sweeper 1.5")
    assert gain(song, Levels(), offsets).db == pytest.approx(4)
    assert gain(bed, Levels(), offsets).db == pytest.approx(-4)
    unknown = make_item(3, 60, lufs=None)
    assert gain(unknown, Levels()).db == -8.0, "as if it were as loud as anything is"
    assert "not known" in gain(unknown, Levels()).why
    offsets_from("bed loud, brass 3", wrong)
    assert len(wrong) == 2


@pytest.mark.parametrize("name", ["segue_s", "fade_start_s"])
def test_places_of_a_join_are_seconds_within_bounds(name):
    for good in (0, 12.3456789, 1e6):
        assert getattr(edit_from({name: good}), name) == pytest.approx(good, abs=1e-6)
    for wrong in (-0.001, 1e6 + 1, "12", [1]):
        with pytest.raises(InputFault, match=f"{name} is .*; it is seconds in the outgoing item"):
            edit_from({name: wrong})
