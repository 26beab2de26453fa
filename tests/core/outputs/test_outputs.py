"""Outputs as plain data: what goes round, what cannot be, what is said, who is heard."""

import random
import string

import pytest
from conftest import examples
from hypothesis import given
from hypothesis import strategies as st

from nightly_spindle.core.base.declared import specs
from nightly_spindle.core.base.errors import SettingRefused
from nightly_spindle.core.outputs.output_health import (
    OutputSight,
    OutputState,
    Trouble,
    heard_by,
    wait_s,
)
from nightly_spindle.core.outputs.outputs import (
    GROUPS,
    CardOptions,
    Output,
    OutputKind,
    RecordingOptions,
    SimulatedOptions,
    StreamOptions,
    check_output,
    output_from,
    output_sentence,
    output_values,
    same_sound,
)
from nightly_spindle.core.outputs.stream_codecs import FACTS, Codec, rate_of

WORDS = st.text(string.ascii_letters + " -äß", min_size=1, max_size=20).filter(str.strip)


@st.composite
def outputs(draw):
    group = GROUPS[draw(st.sampled_from(list(OutputKind)))]
    values = {}
    for name, spec in specs(group).items():
        meta = spec.metadata
        if "choices" in meta:
            values[name] = draw(st.sampled_from(list(meta["choices"])))
        elif "flag" in meta:
            values[name] = draw(st.booleans())
        elif "low" in meta:
            values[name] = draw(st.floats(meta["low"], meta["high"]))
    if group is StreamOptions:
        values["address"] = draw(st.sampled_from(["http://a:1/x", "https://b.example/live?k=1"]))
        low, high = FACTS[values["codec"]].kbps or (16, 510)
        values["kbps"] = draw(st.floats(low, high))
        values["title"] = draw(WORDS)
    return Output(draw(st.integers(0, 99)), draw(WORDS), group(**values), draw(st.booleans()))


@examples(200)
@given(outputs())
def test_an_output_goes_round_through_plain_values(output):
    assert output_from(output_values(output)) == output
    said = output_sentence(output, "Pier", password=True)
    assert said.startswith("Off. ") is not output.on
    assert said.endswith(".")


@pytest.mark.parametrize(
    ("more", "said"),
    [
        ({"address": ""}, "is not like http"),
        ({"address": "ftp://a/x"}, "is not like http"),
        ({"address": "http://a"}, "names no stream after the server"),
        ({"address": "http://a/"}, "names no stream after the server"),
        ({"address": "http://a:99999/x"}, "is not like http"),
        ({"address": "http://a:0/x"}, "is not like http"),
        ({"address": "http://source:secret@a/x"}, "holds a name or password"),
        ({"address": "http://a/x y"}, "names no stream"),
        ({"address": "http://a/x\r\nHost: b"}, "is not like http"),
        ({"user": "a:b"}, "no name to sign in with can"),
        ({"title": "a\r\nIce-Public: 1"}, "characters that cannot be sent"),
        ({"codec": Codec.AAC, "kbps": 400.0}, "AAC can have 32 to 320"),
    ],
)
def test_a_stream_that_cannot_be_is_refused_in_a_sentence(more, said):
    options = StreamOptions(**{"address": "http://a/x", **more})
    with pytest.raises(SettingRefused, match=said):
        check_output(Output(1, "Live", options))


def test_bounds_of_bit_rates_are_kept_exactly():
    for codec, facts in FACTS.items():
        if facts.kbps is None:
            continue
        for kbps, good in (
            (facts.kbps[0], True),
            (facts.kbps[1], True),
            (facts.kbps[0] - 0.5, False),
            (facts.kbps[1] + 0.5, False),
        ):
            made = Output(1, "Live", StreamOptions("http://a/x", codec=codec, kbps=float(kbps)))
            if good:
                check_output(made)
            else:
                with pytest.raises(SettingRefused):
                    check_output(made)


def test_a_password_is_never_among_what_is_kept_of_an_output():
    assert not [name for name in specs(StreamOptions) if "pass" in name or "secret" in name]
    with pytest.raises(SettingRefused, match="there is no option 'password'"):
        output_from({"id": 1, "name": "L", "kind": "stream", "options": {"password": "x"}})


def test_a_codec_is_sent_at_a_rate_that_it_has():
    assert rate_of(Codec.OPUS, 44_100, 44_100) == 48_000
    assert rate_of(Codec.OPUS, 0, 44_100) == 48_000
    assert rate_of(Codec.MP3, 0, 44_100) == 44_100
    assert rate_of(Codec.MP3, 48_000, 44_100) == 48_000
    assert rate_of(Codec.MP3, 22_050, 44_100) == 32_000


def test_only_a_new_name_leaves_an_output_as_it_runs():
    one = Output(1, "Live", CardOptions("2"))
    assert same_sound(one, Output(1, "Main", CardOptions("2")))
    assert not same_sound(one, Output(1, "Live", CardOptions("3")))
    assert not same_sound(one, Output(1, "Live", CardOptions("2"), on=False))


# -- heard -----------------------------------------------------------------------------------------


def sight(name, kind=OutputKind.STREAM, state=OutputState.UP, since=5, **more):
    return OutputSight(1, name, kind, state, since, **more)


def test_only_a_stream_or_a_card_that_is_up_and_real_is_heard():
    kinds = {kind: sight("x", kind).heard for kind in OutputKind}
    assert kinds == {
        OutputKind.STREAM: True,
        OutputKind.CARD: True,
        OutputKind.RECORDING: False,
        OutputKind.PAGE: False,
        OutputKind.SIMULATED: False,
    }
    for state in OutputState:
        assert sight("x", state=state).heard is (state is OutputState.UP)
    assert not sight("x", simulated=True).heard


@pytest.mark.parametrize(
    ("seen", "by", "since", "simulated", "text"),
    [
        ([], (), 0, False, "nobody hears this: no stream and no sound card is on"),
        ([sight("A", since=9), sight("B", since=7)], ("A", "B"), 7, False, "heard by A and B"),
        (
            [sight("A"), sight("B"), sight("C")],
            ("A", "B", "C"),
            5,
            False,
            "heard by A and 2 more",
        ),
        (
            [sight("A"), sight("B", state=OutputState.DOWN)],
            ("A",),
            5,
            False,
            "heard by A; not by B",
        ),
        ([sight("A", simulated=True)], (), 0, True, "simulated: nobody hears this"),
        (
            [
                sight(
                    "A",
                    state=OutputState.DOWN,
                    problem="a does not answer",
                    trouble=Trouble.NO_ANSWER,
                )
            ],
            (),
            0,
            False,
            "nobody hears this: no answer",
        ),
        (
            [sight("A", state=OutputState.STARTING)],
            (),
            0,
            False,
            "nobody hears this: not connected yet",
        ),
        (
            [sight("R", OutputKind.RECORDING), sight("A", state=OutputState.OFF)],
            (),
            0,
            False,
            "nobody hears this: no stream and no sound card is on",
        ),
    ],
)
def test_the_sign_says_by_whom_and_since_when(seen, by, since, simulated, text):
    heard = heard_by(seen)
    assert (heard.by, heard.since_us, heard.simulated, heard.text) == (by, since, simulated, text)


def test_every_trouble_has_a_mend():
    for trouble in Trouble:
        mend = sight("x", trouble=trouble).mend
        assert bool(mend) is (trouble is not Trouble.NONE), trouble


def test_it_is_tried_at_once_then_after_one_two_four_up_to_sixty_seconds():
    middle = [wait_s(tries, 0.5) for tries in range(1, 12)]
    assert middle == [0, 1, 2, 4, 8, 16, 32, 60, 60, 60, 60]
    dice = random.Random(3)
    found = [wait_s(4, dice.random()) for _ in range(2000)]
    assert 3.0 <= min(found) < 3.05
    assert 4.95 < max(found) <= 5.0


def test_sentences_say_what_an_output_does():
    live = Output(1, "Live", StreamOptions("http://a/x", codec=Codec.OPUS, kbps=96.0))
    assert output_sentence(live, "Pier", password=True) == (
        "Sends “Pier” as Ogg Opus at 96 kbit/s to http://a/x."
    )
    assert output_sentence(live, "Pier", password=False).endswith("its password is not set yet.")
    assert output_sentence(Output(1, "R", RecordingOptions()), "Pier", password=False) == (
        "Records all that goes out into recordings, an hour a file, as FLAC, for 42 days and at "
        "most 50 GB."
    )
    assert "nobody hears" in output_sentence(Output(1, "S", SimulatedOptions()), "", password=True)
