"""Overlays as they are heard: rendered, on a running engine, after a kill; by command, in the book.

What is heard tells what it is by its pitch: beds 400 Hz, vocals 2,200 Hz, sweepers 5,000 Hz,
voiceovers 7,000 Hz.
"""

import itertools
import json
import os
import signal
from datetime import date, timedelta

import numpy as np
import pytest
import soundfile
from conftest import RATE, SHARE, ask, beep, wait, write_log
from test_engine import Air, expect_place, lines
from test_log_drops import out, view

from nightly_spindle.air.render import render
from nightly_spindle.cli.base.begun_sequencer import begin
from nightly_spindle.core.library.intake import IntakeOptions
from nightly_spindle.core.library.items import Kind
from nightly_spindle.core.library.markers import Marks
from nightly_spindle.core.outputs.outputs import NOT_HEARD
from nightly_spindle.core.overlays.overlay_pools import (
    Lies,
    Member,
    Pool,
    PoolOptions,
    PoolUse,
    VoiceoverFit,
)
from nightly_spindle.intake.bring_in import Intake, bring_in
from nightly_spindle.simulators import demo
from nightly_spindle.simulators.demo_catalogue import SONGS
from nightly_spindle.simulators.demo_logs import leave_logs
from nightly_spindle.simulators.demo_songs import tune_of
from nightly_spindle.store.base.station_folder import new_station
from nightly_spindle.store.base.transaction import LibraryTransaction
from nightly_spindle.store.library.catalogue import Catalogue, Query
from nightly_spindle.store.library.marking import set_by_hand
from nightly_spindle.store.overlays.pools import save_pool
from nightly_spindle.store.programme.snapshot import open_station

DAY = date(2026, 11, 24)
BED, VOCAL, SWEEP, SPOKEN = 400, 2200, 5000, 7000
SWEEPERS, VOICEOVERS = (1.2, 1.7, 2.3), (2.0, 3.5)


def tone(seconds, hz, level):
    return beep(seconds, hz, level=level)


@pytest.fixture(scope="module")
def spoken(tmp_path_factory):
    """A station of eight songs whose vocals are marked, three sweepers, two voiceovers."""
    folder = tmp_path_factory.mktemp("spoken") / "pier"
    new_station(folder, {"name": "Pier", "timezone": "Europe/Lisbon"}, NOT_HEARD)
    marks = {}
    for n in range(8):
        long, intro = 16.0 + n, 1.5 + 0.9 * n
        vocal_end = long - 4.5
        wave = tone(long, BED, 0.3)
        sung = slice(round(intro * RATE), round(vocal_end * RATE))
        wave[sung] += tone(long, VOCAL, 0.2)[sung]
        put(folder, "song", f"Keeper {n} - Lamp {n}", wave)
        marks[f"Lamp {n}"] = Marks(
            intro_end_s=intro, vocal_end_s=vocal_end, sweepers_s=(0.8,) if n == 7 else ()
        )
    for n, seconds in enumerate(SWEEPERS):
        put(folder, "sweeper", f"Station - Sweep {n}", tone(seconds, SWEEP, 0.4))
    for n, seconds in enumerate(VOICEOVERS):
        put(folder, "voiceover", f"Station - Voice {n}", tone(seconds, SPOKEN, 0.4))
    bring_in(
        folder,
        [
            Intake([folder / "audio" / kind], IntakeOptions(Kind(kind)))
            for kind in ("song", "sweeper", "voiceover")
        ],
    )
    catalogue = Catalogue(folder)
    items = catalogue.items(catalogue.find(Query(sort="cart")).carts.tolist())
    catalogue.close()
    carts = {item.title: cart for cart, item in items.items()}
    with LibraryTransaction(folder) as library:
        set_by_hand(library, {carts[title]: (one, None) for title, one in marks.items()})
        sweeps = tuple(Member(carts[f"Sweep {n}"]) for n in range(3))
        voices = tuple(Member(carts[f"Voice {n}"]) for n in range(2))
        save_pool(
            library, Pool(0, "Sweeps", PoolUse.SWEEPERS, sweeps, PoolOptions(lies=Lies.CENTRED))
        )
        save_pool(
            library,
            Pool(0, "Voices", PoolUse.VOICEOVERS, voices, PoolOptions(fits=VoiceoverFit.LONGEST)),
        )
    return folder


def put(folder, kind, name, wave):
    (folder / "audio" / kind).mkdir(parents=True, exist_ok=True)
    soundfile.write(folder / "audio" / kind / f"{name}.flac", wave, RATE)


def logged(folder):
    names = [f"song/Keeper {n} - Lamp {n}.flac" for n in range(8)]
    for day in (DAY, date.today(), date.today() + timedelta(days=1)):
        write_log(folder, day, names * (1200 if day != DAY else 3))
    return folder


@pytest.fixture
def station(spoken, tmp_path):
    import shutil

    return logged(shutil.copytree(spoken, tmp_path / "pier"))


def loud(sound, hz, width=0.01):
    """Where a pitch is heard: its level in every stretch of 10 ms, full scale is 1."""
    step = round(width * RATE)
    count = len(sound) // step
    parts = sound[: count * step, 0].reshape(count, step)
    turn = np.exp(-2j * np.pi * hz * np.arange(step) / RATE)
    return 2 * np.abs(parts @ turn) / step


def onsets(sound, hz, around, reach=0.05):
    """The frames at which a pitch begins and ends around two frames, to 1 ms."""
    found = []
    for at, sign in zip(around, (1, -1), strict=True):
        low = max(0, at - round(reach * RATE))
        levels = loud(sound[low : at + round(reach * RATE)], hz, 0.001)
        there = levels > levels.max() / 2
        first = int(np.argmax(there)) if sign > 0 else len(there) - int(np.argmax(there[::-1]))
        found.append(low + round(first * 0.001 * RATE))
    return found


def test_rendered_overlays_lie_where_the_plan_says_and_never_over_a_vocal(
    station, capsys, tmp_path
):
    file = tmp_path / "night.wav"
    told = view(
        capsys,
        "render",
        station,
        "--from",
        "2026-11-24T00:00:00",
        "--seconds",
        "400",
        "--out",
        file,
    )
    sound, rate = soundfile.read(file)
    assert rate == RATE
    begin = told["entries"][0]["start_frame"]
    laid = [
        one
        for entry in told["entries"]
        for one in entry["overlays"]
        if one["end_frame"] < begin + len(sound) - RATE
    ]
    wheres = [one["where"] for one in laid]
    counts = {where: wheres.count(where) for where in ("segue", "intro", "sweeper point")}
    assert counts["segue"] >= 18, counts
    assert counts["intro"] >= 8, counts
    assert counts["sweeper point"] >= 2, counts
    for one in laid:
        hz = SWEEP if one["kind"] == "sweeper" else SPOKEN
        planned = [one["start_frame"] - begin, one["end_frame"] - begin]
        assert np.abs(np.subtract(onsets(sound, hz, planned), planned)).max() <= 0.002 * RATE, one
    # what is heard, whatever was planned: no voice while anybody sings, but at the point set for it
    vocal = loud(sound, VOCAL) > 0.02
    for hz in (SWEEP, SPOKEN):
        voice = loud(sound, hz) > 0.02
        assert voice.sum() > 100
        both = np.flatnonzero(vocal & voice)
        allowed = [
            range(
                *(
                    int((one[f"{end}_frame"] - begin) / RATE * 100) + pad
                    for end, pad in (("start", -1), ("end", 2))
                )
            )
            for one in laid
            if one["where"] == "sweeper point"
        ]
        assert not [at for at in both if not any(at in part for part in allowed)]
    # and the bed is 10 dB lower under each voice than 2 s after it, by the default
    bed = loud(sound, BED)
    deep = []
    for one in laid:
        middle = int((one["start_frame"] + one["end_frame"]) / 2 - begin) * 100 // RATE
        after = int(one["end_frame"] - begin) * 100 // RATE + 200
        if one["where"] == "intro" and after + 10 < len(bed):
            deep.append(20 * np.log10(bed[after : after + 10].mean() / bed[middle]))
    assert len(deep) >= 8
    assert np.median(deep) == pytest.approx(10.0, abs=0.3)


def test_a_rehearsal_a_render_and_the_plan_agree(station, capsys, tmp_path):
    at = "2026-11-24T00:01:00"
    rehearsed = view(capsys, "rehearse", station, "--from", at, "--hours", "0.05")["entries"]
    rendered = view(
        capsys, "render", station, "--from", at, "--seconds", "180", "--out", tmp_path / "x.flac"
    )["entries"]
    plan = view(capsys, "overlays", "plan", station, "--from", at, "--hours", "0.05")
    of_both = [
        [(one["start_frame"], one["cart"]) for entry in entries for one in entry["overlays"]]
        for entries in (rehearsed, rendered)
    ]
    assert of_both[0] == of_both[1]
    assert sorted(of_both[0]) == sorted((one["start_frame"], one["cart"]) for one in plan)
    assert all(one["why"] and one["origin"] for one in plan)


@pytest.mark.engine
def test_a_kill_in_an_overlay_loses_neither_place_nor_turn(station):
    engine = Air(station, "--no-intake")
    try:
        engine.wait_on_air()

        def overlaid():
            answer = ask(station, "state")
            over = answer["state"]["overlays"]["sounding"]
            now = answer["sight"]["frame"] if answer["sight"] else 0
            early = over and over[-1]["start"] + 0.2 * RATE < now < over[-1]["end"] - 0.3 * RATE
            # what it has begun is written down by a thread of its own
            told = early and any(line.over and line.outcome == "on air" for line in lines(station))
            return answer if told else None

        before = wait(overlaid, engine.told)
        (cut,) = before["state"]["overlays"]["sounding"]
        os.kill(before["pid"], signal.SIGKILL)
        after = engine.wait_on_air(other_than=before["pid"])
        expect_place(before, after)

        # the turns are where they would be had nothing happened
        for number, turn in before["state"]["overlays"]["turns"].items():
            recent = after["state"]["overlays"]["turns"][number]["recent"]
            assert set(turn["recent"]) <= set(recent)
        wait(lambda: sum(bool(line.over) for line in lines(station)) >= 4, engine.told)
    finally:
        engine.end()
    told = [line for line in lines(station) if line.over]
    broken = [line for line in told if line.outcome == "interrupted"]
    assert [line.cart for line in broken] == [cut["item"]["cart"]]
    assert {line.kind for line in told} <= {"sweeper", "voiceover"}
    assert all("“" in line.over and line.origin.startswith("pool “") for line in told)
    sweeps = [line.cart for line in told if line.kind == "sweeper"]
    # in turn, though one was broken off; what would have been heard meanwhile has had its turn
    assert all(a != b for a, b in itertools.pairwise(sweeps))


def test_pools_by_command(station, capsys):
    made = view(
        capsys,
        "overlays",
        "pool",
        station,
        "After dark",
        "--members",
        "1009",
        "1010:2",
        "--set",
        "order=weighted",
        "--set",
        "hours=22:00-06:00",
    )
    assert made["sentence"] == (
        "A sweeper over every segue of song into song, ending at the start of the next item, never "
        "next to spot, id, jingle or news. Its 2 members come by weight. Open from 22:00 to 06:00."
    )
    assert [m["weight"] for m in made["members"]] == [1.0, 2.0]
    changed = view(
        capsys, "overlays", "pool", station, str(made["id"]), "--rename", "Late", "--set", "every=3"
    )
    assert (changed["name"], changed["options"]["every"]) == ("Late", "3.0")
    ordered = view(capsys, "overlays", "order", station, "Late", "Voices", "1")
    assert [one["name"] for one in ordered] == ["Late", "Voices", "Sweeps"]
    empty = view(capsys, "overlays", "pool", station, "Empty", "--use", "links")
    assert empty["findings"] == [
        "The pool “Empty” has no members: nothing of it airs.",
        "The pool of links “Empty” does not say when: none of it airs.",
    ]
    assert view(capsys, "overlays", "remove", station, "Late")["name"] == "Late"
    assert len(view(capsys, "overlays", "list", station)) == 3
    status, text, _ = out(capsys, "overlays", "list", station)
    assert (status, "Its 3 members take turns" in text) == (0, True)


@pytest.mark.parametrize(
    ("given", "why"),
    [
        (["pool", "New", "--members", "77"], "no item has the cart number 77"),
        (["pool", "New", "--members", "1001"], "item 1001 is a song; a pool of sweepers takes"),
        (["pool", "New", "--members", "x"], "'x' is not a valid member"),
        (["pool", "New", "--set", "hours=late"], "'late' is not a valid stretch of the day"),
        (["pool", "New", "--set", "loud=yes"], "'loud=yes' is not like NAME=VALUE"),
        (["pool", "Sweeps", "--use", "links"], "is for sweepers; make another one"),
        (["pool", "Voices", "--rename", "sweeps"], "there is a pool “Sweeps” already"),
        (["remove", "Nowhere"], "there is no pool “Nowhere”; there are: 1 “Sweeps”"),
        (["order", "Sweeps"], "“Voices” is left out"),
        (["lay", "3", "--pool", "any", "--at", "2"], "--at says where the overlay of --this"),
        (["lay", "3", "--none"], "no engine answers"),
    ],
)
def test_wrong_words_about_overlays_are_refused_in_one_line(station, capsys, given, why):
    status, _, error = out(capsys, "overlays", given[0], station, *given[1:])
    assert status in {1, 2}
    assert why in error
    assert error.count("\n") == 1


def test_pools_go_round_through_the_book(station, capsys, tmp_path):
    first, second = tmp_path / "a.json", tmp_path / "b.json"
    assert out(capsys, "station", "export", station, first)[0] == 0
    book = json.loads(first.read_text())
    assert [pool["name"] for pool in book["overlay_pools"]] == ["Sweeps", "Voices"]
    empty = tmp_path / "other"
    new_station(empty, {"name": "Other", "timezone": "UTC"})
    assert out(capsys, "station", "apply", empty, first)[0] == 0
    assert out(capsys, "station", "export", empty, second)[0] == 0
    assert json.loads(second.read_text()) == book
    # a book of the former format has none
    former = {n: v for n, v in book.items() if n != "overlay_pools"}
    former["format"] = "nightly-spindle-book-4"
    first.write_text(json.dumps(former))
    assert out(capsys, "station", "apply", empty, first)[0] == 0
    assert open_station(empty).programme.pools == []
    # and one with a member that is no item is refused, with its place
    book["overlay_pools"][0]["members"][0]["cart"] = 5
    first.write_text(json.dumps(book))
    status, _, error = out(capsys, "station", "apply", empty, first)
    assert (status, "overlay_pools/1: no item has the cart 5" in error) == (2, True)


def test_what_is_wrong_is_found_beforehand(station, capsys):
    at = ("--from", "2026-11-24T00:00:00", "--hours", "0.2")

    def codes():
        return {one["code"]: one for one in view(capsys, "overlays", "check", station, *at)}

    found = codes()
    short = found["intro-too-short"]["text"]
    assert short.startswith("1 song of this stretch have") or "“Lamp 0”" in short
    view(capsys, "overlays", "pool", station, "Sweeps", "--set", "least_s=30")
    view(capsys, "station", "settings", station, "--set", "duck-sweeper.depth_db=2")
    low = codes()["voice-too-low"]["text"]
    assert "LU over the lowered programme" in low
    (station / "audio/sweeper/Station - Sweep 1.flac").unlink()
    found = codes()
    assert "“Sweep 1” of the pool “Sweeps” cannot be played" in found["overlay-missing"]["text"]
    view(capsys, "overlays", "pool", station, "Sweeps", "--members")
    assert codes()["pool-empty"]["mend"] == "Give it members."


# -- the demo station ------------------------------------------------------------------------------


def sung_from():
    """Where the reed that sings comes in, by artist and title: known from how it was made."""
    found = {}
    for seed, one in enumerate(SONGS, demo.SEED):
        found[one.artist, one.title] = one.head_s + one.intro_bars * tune_of(one, seed).bar_s
    return found


HEARD_H = 1.0


def heard(folder, out, *, overlays):
    """Some of the demo's night as it is rendered, with overlays and without."""
    snapshot, sequencer, begun = begin(str(folder), "2026-11-28T22:00:00", HEARD_H)
    sequencer.state.overlays.on = overlays
    rows, laid = render(sequencer, begun, HEARD_H * 3600, out)
    snapshot.connection.close()
    sound, _ = soundfile.read(out, dtype="float32")
    return sound.mean(axis=1), rows, laid


@pytest.mark.skipif(SHARE <= 1, reason="minutes of rendering; `make deep` does it")
def test_a_rendered_demo_night_carries_overlays_where_planned_and_none_over_a_vocal(tmp_path):
    from scipy.signal import correlate

    folder = tmp_path / "quay"
    demo.build(folder, "Europe/Lisbon", lambda *_: None)
    leave_logs(folder, date(2026, 11, 28))
    with_, rows, laid = heard(folder, tmp_path / "a.wav", overlays=True)
    without, plain, none = heard(folder, tmp_path / "b.wav", overlays=False)
    assert [row.start for row in rows] == [row.start for row in plain]  # they move nothing
    assert not none
    first = rows[0].start
    kinds = [one.overlay.item.kind for one in laid]
    assert kinds.count(Kind.SWEEPER) >= 10 * HEARD_H  # its breaks take joins between songs away
    assert kinds.count(Kind.VOICEOVER) >= 8 * HEARD_H
    # what differs between the two is what lies over the programme, and where it goes down for it
    block = RATE // 20
    count = len(with_) // block
    differs = np.abs(with_ - without)[: count * block].reshape(count, block).max(axis=1) > 0.004
    planned = np.zeros(count, dtype=bool)
    for one in laid:
        down, up = one.start - first - 0.1 * RATE, one.end - first + 0.8 * RATE
        planned[max(0, int(down // block) - 1) : int(up // block) + 2] = True
    assert not (differs & ~planned).any()
    # each is found by its own sound at its own frame
    for one in laid:
        at, frames = one.start - first, min(one.end - one.start, 2 * RATE)
        if at + frames + RATE > len(with_):
            continue
        voice, _ = soundfile.read(
            one.overlay.item.path,
            dtype="float32",
            always_2d=True,
            start=one.overlay.begin,
            frames=frames,
        )
        voice = voice.mean(axis=1)
        reach = RATE // 50
        around = (with_ - without)[at - reach : at + frames + reach]
        lags = correlate(around, voice, mode="valid", method="fft")
        assert abs(int(np.argmax(np.abs(lags))) - reach) <= RATE // 1000, one.overlay.over
    # and none while anybody sings over whose intro it lies, by what the songs are made of
    sung = sung_from()
    by_line = {row.line.id: row for row in rows if row.play is not None}
    checked = 0
    for one in laid:
        row = by_line.get(one.overlay.line_id)
        item = row.play.item if row else None
        if item is None or item.kind is not Kind.SONG or one.overlay.where == "sweeper point":
            continue
        vocal = row.start + round(sung[item.artist, item.title] * RATE) - row.play.begin
        assert one.end <= vocal, one.overlay.over
        checked += 1
    assert checked >= 15 * HEARD_H
