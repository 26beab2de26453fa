"""`tonight`, `handover` and `morning` by command, with their exit status."""

import json
from datetime import date, timedelta

import pytest
from conftest import song_names, write_log

from nightly_spindle.cli.main import main

TODAY = date.today()


@pytest.fixture
def night(station, capsys):
    """A station with logs; gives what a command prints and returns."""
    songs = [name for name in song_names(station) if name.startswith("song")]
    for away in (-1, 0, 1):
        write_log(station, TODAY + timedelta(away), songs * 1200, missing=1)

    def run(*words):
        status = main([*map(str, words)])
        told = capsys.readouterr()
        return status, told.out, told.err

    return run, station


def test_the_verdict_its_findings_and_what_is_left_as_it_is(night):
    run, folder = night
    status, out, _ = run("tonight", folder, "--hours", 30)
    assert status == 1, "nobody can hear it"
    assert out.startswith("Tonight needs you: 1 thing now.\n")
    assert "(not-heard)" in out
    status, out, _ = run("tonight", folder, "--leave", "not-heard", "--because", "a test bench")
    assert status == 0
    assert "Left as it is: a test bench" in out
    status, out, _ = run("tonight", folder, "--json")
    found = json.loads(out)
    assert (status, found["works"]) == (0, True)
    assert {one["left"] for one in found["findings"] if one["code"] == "not-heard"} == {
        "a test bench"
    }
    assert len(found["hours"]) in {12, 13}
    status, out, _ = run("tonight", folder, "--take-up", "not-heard")
    assert status == 1


@pytest.mark.parametrize(
    ("words", "said"),
    [
        (["--leave", "not-heard"], "say in a few words why"),
        (["--leave", "no-such", "--because", "x"], "there is no finding “no-such” tonight"),
        (["--hours", "0"], "hours"),
    ],
)
def test_what_cannot_be_is_told_in_one_line(night, words, said):
    run, folder = night
    status, out, err = run("tonight", folder, *words)
    assert (status, out) == (2, "")
    assert said in err
    assert err.count("\n") == 1


def test_it_is_handed_over_and_the_morning_compares_with_it(night):
    run, folder = night
    run("tonight", folder, "--leave", "not-heard", "--because", "a test bench")
    status, out, _ = run("handover", folder)
    assert status == 0
    assert "Pier, handed over on" in out
    assert [file.suffix for file in sorted((folder / "handovers").iterdir())] == [".json", ".txt"]
    status, out, _ = run("morning", folder, "--json")
    found = json.loads(out)
    assert (status, found["verdict"]) == (0, "Nothing was on air.")
    assert found["handed_over"] is not None
    assert found["from"] == found["handed_over"]


def test_a_morning_needs_a_stretch(night):
    run, folder = night
    status, _, err = run("morning", folder, "--from", "2026-01-02", "--to", "2026-01-01")
    assert status == 2
    assert "--from must be before --to" in err
