"""Streams at work: into the stand-in in every codec, heard again, through everything that fails."""

import time

import numpy as np
import pytest
from conftest import PATIENCE_S, wait
from stream_cases import (
    BLOCK,
    RATE,
    Listener,
    Pump,
    chains_of,
    lag_of,
    music,
    sending,
    served,
    stream,
    up,
)

from nightly_spindle.core.outputs.output_health import OutputState, Trouble
from nightly_spindle.core.outputs.outputs import BitRate, Channels, SourceMethod
from nightly_spindle.core.outputs.stream_codecs import Codec
from nightly_spindle.outputs.stream_encoder import has_encoder
from nightly_spindle.simulators.streaming_server import ServerFault

LOSSY = (Codec.MP3, Codec.OPUS, Codec.AAC)


@pytest.fixture
def server():
    with served() as made:
        yield made


def heard(server, sound, titles=(), **more):
    """Send sound at ten times its pace to a listener that is there from the start."""
    with sending(stream(server, **more)) as made:
        up(made)
        with Pump([made], np.concatenate([np.zeros((BLOCK * 4, 2), np.float32), sound])) as pump:
            pump.pace = 8.0
            wait(lambda: server.mounts["/live"].pieces)
            listener = Listener(server.url())
            pump.wait()
            wait(lambda: not made.waiting())
    return listener.finish(), listener, made


def test_what_is_sent_as_flac_is_heard_to_the_bit(server):
    sound = music(6)
    got, listener, made = heard(server, sound, codec=Codec.FLAC)
    assert listener.error is None
    wanted = np.rint(sound * 32767).astype(np.int16)
    whole = np.rint(got * 32768).astype(np.int16)
    lag = lag_of(sound, got)
    assert 0 <= lag <= BLOCK * 4
    kept = whole[lag : lag + len(wanted)]
    assert np.array_equal(kept, wanted[: len(kept)])
    assert len(kept) >= len(wanted) - BLOCK * 2
    assert made.sight.late == 0


@pytest.mark.parametrize("codec", LOSSY)
def test_what_is_sent_with_loss_is_heard_at_its_level_and_its_time(server, codec):
    sound = music(6)
    got, listener, _ = heard(server, sound, codec=codec, kbps=160)
    assert listener.error is None
    if listener.rate != RATE:
        import soxr

        got = soxr.resample(got, listener.rate, RATE)
    lag = lag_of(sound, got)
    there = got[lag + RATE : lag + 4 * RATE]
    sent = sound[RATE : 4 * RATE]
    off_db = 10 * np.log10(np.mean(there**2) / np.mean(sent**2))
    assert abs(off_db) < 0.5
    assert np.corrcoef(there[:, 0], sent[:, 0])[0, 1] > 0.9


def test_mono_is_both_channels_as_one(server):
    sound = music(4)
    got, _, _ = heard(server, sound, codec=Codec.FLAC, channels=Channels.MONO)
    assert np.array_equal(got[:, 0], got[:, 1])
    lag = lag_of(np.repeat(sound.mean(1, keepdims=True), 2, 1), got)
    middle = got[lag + RATE : lag + 2 * RATE, 0] * np.sqrt(2)  # FFmpeg gives both 3 dB less
    assert np.abs(middle - sound[RATE : 2 * RATE].mean(1)).max() < 1e-3


@pytest.mark.parametrize("codec", [Codec.MP3, Codec.OPUS])
@pytest.mark.parametrize("bit_rate", list(BitRate))
def test_the_bit_rate_is_what_was_asked_for(server, codec, bit_rate):
    _, _, made = heard(server, music(10), codec=codec, kbps=96, bit_rate=bit_rate)
    kbps = made.sight.sent * 8 / 1000 / 10.2
    assert 0.8 * 96 < kbps < 1.2 * 96


def test_the_older_request_is_taken_too(server):
    got, listener, _ = heard(server, music(4), method=SourceMethod.SOURCE)
    assert listener.error is None
    assert len(got) > 3 * RATE


def test_an_encoder_that_is_not_there_is_told(server):
    if has_encoder(Codec.VORBIS):
        pytest.skip("this machine can encode Vorbis")
    with sending(stream(server, codec=Codec.VORBIS)) as made:
        wait(lambda: made.sight.state is OutputState.DOWN)
        assert made.sight.trouble is Trouble.NO_ENCODER
        assert "Ogg Vorbis cannot be encoded here" in made.sight.problem


# -- what fails ------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("fault", "trouble", "said"),
    [
        (ServerFault.REFUSES, Trouble.REFUSED, "refuses the stream (403"),
        (ServerFault.TAKEN, Trouble.MOUNT_TAKEN, "has another source already"),
        (ServerFault.FULL, Trouble.FULL, "no room for another source"),
    ],
)
def test_a_refusal_is_told_in_a_sentence_and_tried_again(server, fault, trouble, said):
    server.manner.fault = fault
    with sending(stream(server)) as made, Pump([made], music(60)):
        wait(lambda: made.sight.state is OutputState.DOWN)
        assert made.sight.trouble is trouble
        assert said in made.sight.problem
        assert made.sight.mend
        server.manner.fault = ServerFault.NONE
        up(made)
        assert made.sight.problem == ""


def test_a_wrong_password_is_told_and_one_set_later_is_used(server):
    given = ["sand"]
    from nightly_spindle.outputs.stream_output import StreamOutput

    made = StreamOutput(stream(server), RATE, BLOCK, "Pier", lambda: given[0])
    made.start()
    try:
        wait(lambda: made.sight.trouble is Trouble.WRONG_PASSWORD)
        given[0] = None
        wait(lambda: made.sight.trouble is Trouble.NO_PASSWORD)
        given[0] = server.manner.password
        up(made)
    finally:
        made.leave()
        made.join(10)


def test_no_host_no_server_and_a_certificate_of_nobody(tmp_path):
    import trustme
    from stream_cases import closed_port

    authority = trustme.CA()
    mine = authority.issue_cert("127.0.0.1")
    both, root = tmp_path / "both.pem", tmp_path / "root.pem"
    mine.private_key_and_cert_chain_pem.write_to_path(both)
    authority.cert_pem.write_to_path(root)
    with served(certificate=both) as secure:
        far = stream(secure)
        gone = stream(secure)
        for options, trouble in (
            ({"address": "http://nowhere.invalid:8000/live"}, Trouble.NO_HOST),
            ({"address": f"http://127.0.0.1:{closed_port()}/live"}, Trouble.NO_ANSWER),
            ({"address": secure.url()}, Trouble.CERTIFICATE),
            ({"address": secure.url(), "authority": str(tmp_path / "none")}, Trouble.CERTIFICATE),
            ({"address": secure.url().replace("https", "http")}, None),
        ):
            from dataclasses import replace

            one = replace(gone, options=replace(gone.options, **options))
            with sending(one) as made:
                wait(lambda seen=made: seen.sight.state is OutputState.DOWN)
                if trouble is not None:
                    assert made.sight.trouble is trouble, made.sight
        trusting = replace(far, options=replace(far.options, authority=str(root)))
        with sending(trusting) as made, Pump([made], music(30)):
            up(made)
            wait(lambda: secure.mounts["/live"].taken > 5000)


def test_one_that_drops_takes_nothing_or_is_slow_holds_up_no_other(server, monkeypatch):
    monkeypatch.setattr("nightly_spindle.outputs.source_connection.TAKES_S", 1.0)
    with served() as good:
        well, ill = stream(good, "/well", 1), stream(server, "/ill", 2)
        with sending(well) as one, sending(ill) as other:
            with Pump([one, other], music(300)) as pump:
                up(one)
                up(other)
                for fault in (ServerFault.DROPS, ServerFault.TAKES_NOTHING, ServerFault.SLOW):
                    again = other.sight.again
                    server.manner.fault = fault
                    if fault is not ServerFault.SLOW:
                        wait(lambda n=again: other.sight.again > n)
                    else:
                        time.sleep(2)
                    server.manner.fault = ServerFault.NONE
                    up(other)
                assert pump.longest_s < 0.05
            assert one.sight.late == 0
            assert one.sight.again == 0


def test_a_server_that_restarts_has_its_source_back(server):
    port = server.port
    with sending(stream(server)) as made, Pump([made], music(200)):
        up(made)
        server.stop()
        wait(lambda: made.sight.state is OutputState.DOWN)
        with served(port=port) as again:
            up(made)
            wait(lambda: again.mounts["/live"].taken > 3000)


def test_what_was_not_sent_is_not_sent_later(server):
    """Down for two seconds, then up: what is heard then is what is played then."""
    server.manner.fault = ServerFault.REFUSES
    sound = music(60)
    with sending(stream(server, codec=Codec.FLAC)) as made, Pump([made], sound) as pump:
        time.sleep(2.5)
        at = pump.at
        server.manner.fault = ServerFault.NONE
        up(made)
        wait(lambda: server.mounts["/live"].pieces)
        listener = Listener(server.url())
        wait(lambda: listener.seconds > 2 or listener.error)
        made.leave()
        got = listener.finish()
    first = lag_of(got[: RATE * 2], sound)
    assert first >= (at - 2) * BLOCK, "nothing of the time before it was up"


def test_a_burst_sends_the_last_seconds_at_once(server):
    """The stream begins so far in the past: listeners' buffers are full at once."""
    sound = music(60)
    server.manner.fault = ServerFault.REFUSES
    bursting = stream(server, codec=Codec.FLAC, burst_s=2.0)
    with sending(bursting) as made, Pump([made], sound) as pump:
        wait(lambda: pump.at > 4 * RATE // BLOCK)
        server.manner.fault = ServerFault.NONE
        up(made)
        at = pump.at
        wait(lambda: server.mounts["/live"].pieces)
        listener = Listener(server.url())
        wait(lambda: listener.seconds > 3)
        made.leave()
        got = listener.finish()
    first = lag_of(got[: RATE * 2], sound)
    assert (at - 1.2 * RATE // BLOCK) * BLOCK > first > (at - 4 * RATE // BLOCK) * BLOCK


# -- titles ----------------------------------------------------------------------------------------


def test_a_listener_is_told_titles_at_the_block_where_they_begin():
    titles = {20: "Ärger im Hafen – ☃", 60: "It's; 'quoted'", 100: "Last"}
    for codec in (Codec.OPUS, Codec.FLAC):
        with served() as server:
            with sending(stream(server, codec=codec)) as made:
                up(made)
                with Pump([made], music(8), 2.0, titles) as pump:
                    pump.wait()
                    wait(lambda m=made: not m.waiting())
            data = b"".join(piece.data for piece in server.mounts["/live"].pieces)
        found = chains_of(data)
        assert [title for title, _ in found] == ["", *titles.values()]
        begun = np.cumsum([length for _, length in found])[:3]
        wanted = np.array(list(titles)) * BLOCK / RATE
        assert np.abs(begun - wanted).max() < 0.03, codec  # a frame of Opus


def test_players_of_mp3_are_told_by_the_server():
    titles = {20: "Ärger im Hafen – ☃", 60: "It's 'quoted'"}
    with served() as server, sending(stream(server)) as made:
        up(made)
        with Pump([made], music(8), 2.0, titles):
            wait(lambda: [t for _, t in server.mounts["/live"].titles] == list(titles.values()))
            blocks = icy_titles(server, 3)
        assert blocks == [titles[60]]


def icy_titles(server, many):
    """The titles in the first blocks, read as players do."""
    import http.client

    made = http.client.HTTPConnection("127.0.0.1", server.port, timeout=PATIENCE_S)
    made.request("GET", "/live", headers={"Icy-MetaData": "1"})
    answer = made.getresponse()
    each = int(answer.getheader("icy-metaint"))
    found = []
    for _ in range(many):
        answer.read(each)
        length = answer.read(1)[0] * 16
        if length:
            text = answer.read(length).rstrip(b"\0").decode()
            found.append(text.removeprefix("StreamTitle='").removesuffix("';"))
    made.close()
    return found
