"""The README's commands, run line by line as they stand there."""

import re
import shlex
import subprocess
import sys
from pathlib import Path

import soundfile
from conftest import PATIENCE_S, RATE, beep
from here import run_here

README = (Path(__file__).parents[2] / "README.md").read_text(encoding="utf-8")


def commands_of(*heads):
    """Every command of some sections, long ones joined."""
    found = []
    for head in heads:
        section = README.split(f"\n## {head}\n", 1)[1].split("\n## ", 1)[0]
        lines = [
            line[4:]
            for line in section.replace("\\\n        ", "").splitlines()
            if line.startswith("    nightly-spindle")
        ]
        assert lines, head
        found += lines
    return found


# what the first night begins with, and what forks or sets a process up for itself
PROCESSES = {"station", "air"}


def in_a_process(words):
    command = [sys.executable, "-m", "nightly_spindle", *words]
    return subprocess.run(command, capture_output=True, text=True, timeout=PATIENCE_S, check=False)


def audio(home):
    """What somebody who reads it has: songs, a bulletin, a sweeper, a spot."""
    for folder in ("music", "newsdesk", "sweepers", "spots", "nights"):
        (home / folder).mkdir(parents=True)
    for n in range(12):
        wave = beep(60 + 5 * (n % 4), 300 + 40 * n, 8000, channels=1)
        soundfile.write(home / "music" / f"Keeper {n} - Lamp {n}.flac", wave, 8000)
    soundfile.write(home / "newsdesk/Bulletin - Six.wav", beep(6, 900), RATE)
    soundfile.write(home / "sweepers/Station - After dark.wav", beep(3, 700), RATE)
    soundfile.write(home / "spots/Bakery - Winter rolls.wav", beep(10, 800), RATE)


def test_the_examples_of_the_readme_work_as_they_stand(tmp_path, monkeypatch):
    home = tmp_path / "home"
    audio(home)
    monkeypatch.setenv("HOME", str(home))
    told = {}
    for command in commands_of("Your first night", "One thing more each evening"):
        words = [
            word.replace("~", str(home), 1) if word.startswith("~") else word
            for word in shlex.split(command)
        ]
        if words[1:2] in ([], ["desk"]):
            continue  # the desk's own tests open it
        if words[1] == "air":
            words += ["--seconds", "2", "--output", "standin", "--no-supervisor", "--no-intake"]
        run = in_a_process(words[1:]) if words[1] in PROCESSES else run_here(words[1:])
        # a check that finds something ends with 1, which is an answer
        allowed = {0, 1} if words[1:3] in (["log", "expect"], ["events", "check"]) else {0}
        assert run.returncode in allowed, (command, run.stdout, run.stderr)
        assert "Traceback" not in run.stderr, (command, run.stderr)
        told[" ".join(words[1:3])] = run.stdout
    shown = [
        line.strip()
        for line in README.split("The first says", 1)[1].splitlines()
        if line.startswith("    ")
    ][:2]
    for line in shown:
        pattern = ".+".join(map(re.escape, line.split("…")))
        assert re.search(pattern, told["station new"]), (line, told["station new"])
    assert "lacks what it needs" not in told["events check"]
    assert "spots placed in" in told["campaigns place"]


def test_every_picture_is_linked_and_shown():
    root = Path(__file__).parents[2]
    tour = (root / "docs/tour.md").read_text(encoding="utf-8")
    for picture in sorted((root / "docs/screenshots").glob("*.png")):
        assert f"docs/screenshots/{picture.name}" in README
        assert f"(screenshots/{picture.name})" in tour
    for text, folder in ((README, root), (tour, root / "docs")):
        for link in re.findall(r"\]\(([^)#]+)\)", text):
            assert (folder / link).exists(), link
