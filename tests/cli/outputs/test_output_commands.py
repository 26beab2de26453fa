"""`outputs` and `recordings`: made, changed, tried, refused in a sentence."""

import io
import json
import sys

import pytest
from conftest import ZONE
from here import run_here

from nightly_spindle.simulators.streaming_server import StreamingServer
from nightly_spindle.store.base.station_folder import new_station
from nightly_spindle.store.outputs.passwords import password_of, set_password


@pytest.fixture
def folder(tmp_path):
    new_station(tmp_path / "pier", {"name": "Pier", "timezone": ZONE})
    return tmp_path / "pier"


def run(*words):
    ran = run_here(map(str, words))
    assert ran.returncode == 0, ran.stderr
    return ran.stdout


def refused(*words):
    ran = run_here(map(str, words))
    assert ran.returncode in {1, 2}
    assert len(ran.stderr.strip().splitlines()) <= 1, ran.stderr
    return ran.stderr + ran.stdout


def test_an_output_is_made_changed_tried_and_removed(folder, monkeypatch):
    server = StreamingServer().start()
    assert "1  Sound card" in run("outputs", "list", folder)
    said = run(
        "outputs", "set", folder, "Live", "--kind", "stream", "--set", f"address={server.url()}"
    )
    assert "its password is not set yet" in said
    assert "Set its password." in refused("outputs", "test", folder, "Live")
    monkeypatch.setattr(sys, "stdin", io.StringIO("lantern\n"))
    assert "only you can read" in run("outputs", "set", folder, "Live", "--password-from", "-")
    assert password_of(folder, 2) == "lantern"
    tried = json.loads(run("outputs", "test", folder, "Live", "--json"))
    assert tried["works"] is True
    assert "It is a stand-in: nobody hears it." in tried["text"]
    run("outputs", "set", folder, "2", "--rename", "Main", "--off", "--set", "codec=opus")
    (_, main) = json.loads(run("outputs", "list", folder, "--json"))
    assert (main["name"], main["on"], main["options"]["codec"]) == ("Main", False, "opus")
    assert (main["password_set"], main["now"]) == (True, None)
    server.stop()
    assert "cannot be reached" in refused("outputs", "test", folder, "Main")
    assert "gone, and its password with it" in run("outputs", "remove", folder, "main")
    assert password_of(folder, 2) is None


@pytest.mark.parametrize(
    ("words", "said"),
    [
        (["outputs", "set", "@", "New"], "a new one needs --kind"),
        (["outputs", "set", "@", "1", "--kind", "stream"], "make another one instead"),
        (["outputs", "set", "@", "L", "--kind", "stream"], "is not like http"),
        (["outputs", "set", "@", "1", "--set", "device"], "is not like NAME=VALUE"),
        (["outputs", "set", "@", "1", "--set", "buffer_s=99"], "within 0.1 and 5 s"),
        (["outputs", "set", "@", "1", "--password-from", "/none"], "cannot be read from /none"),
        (["outputs", "set", "@", "1", "--password-from", "/dev/null"], "is no password"),
        (["outputs", "set", "@", "R", "--kind", "recording", "--set", "folder="], "needs a folder"),
        (["outputs", "remove", "@", "9"], "there is no output “9”"),
        (["outputs", "test", "@", "x"], "there is no output “x”"),
        (["outputs", "meter", "@"], "no engine answers"),
        (["recordings", "list", "@"], "this station records nothing"),
    ],
)
def test_bad_input_gets_one_sentence(folder, words, said):
    assert said in refused(*[folder if word == "@" else word for word in words])


def test_a_new_output_has_not_the_password_of_one_that_had_its_number(folder, tmp_path):
    (tmp_path / "secret").write_text("old secret\n")
    made = ["outputs", "set", folder, "A", "--kind", "stream", "--set", "address=http://a/x"]
    run(*made, "--password-from", tmp_path / "secret")
    assert password_of(folder, 2) == "old secret"
    set_password(folder, 3, "left over")
    run("outputs", "set", folder, "B", "--kind", "stream", "--set", "address=http://b/x")
    assert password_of(folder, 3) is None


def test_a_name_is_there_once_and_the_last_output_may_go(folder):
    run("outputs", "set", folder, "Tape", "--kind", "recording")
    said = refused("outputs", "set", folder, "1", "--rename", "tape")
    assert "there is an output “Tape” already" in said
    run("outputs", "remove", folder, "1")
    assert "Nobody can hear the station" in run("outputs", "list", folder)
