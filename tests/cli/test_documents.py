"""What the documents promise: their commands run as they stand, every finding is explained."""

import ast
import http.client
import re
import shlex
import socket
import subprocess
import sys
from pathlib import Path

import pytest
import settings_table
import soundfile
from conftest import PATIENCE_S, RATE, beep, wait
from here import run_here

ROOT = Path(__file__).parents[2]
DOCS = ROOT / "docs"
_CODE = re.compile(r"[a-z]+(-[a-z]+)*")
# what makes a finding or an alarm, with its code among the first two arguments
_MAKERS = {
    "Finding",
    "EventFinding",
    "SpotFinding",
    "FormatFinding",
    "Standing",
    "tell_alarm",
    "alarm",
    "_alarm",
    "_tell",
}


def constants(node):
    match node:
        case ast.Constant(value=str(text)):
            yield text
        case ast.IfExp(body=one, orelse=other):
            yield from constants(one)
            yield from constants(other)
        case ast.Tuple(elts=[first, *_]):
            yield from constants(first)


def codes_of(path):
    """Every code that a module gives to a finding or an alarm."""
    for node in ast.walk(ast.parse(path.read_text("utf-8"))):
        match node:
            case ast.Call(func=ast.Attribute(attr=name) | ast.Name(id=name)):
                if name in _MAKERS or (name == "add" and path.name == "spot_findings.py"):
                    for part in node.args[:2]:
                        yield from constants(part)
            case ast.Assign(targets=targets):
                names = {x.id for t in targets for x in ast.walk(t) if isinstance(x, ast.Name)}
                if "code" in names:
                    yield from constants(node.value)


def test_every_finding_is_explained_and_nothing_else():
    source = ROOT / "src/nightly_spindle"
    told = {
        code for path in source.rglob("*.py") for code in codes_of(path) if _CODE.fullmatch(code)
    }
    rows = [
        line.split("|")
        for line in (DOCS / "troubleshooting.md").read_text().splitlines()
        if line.startswith("| `")
    ]
    explained = [code for row in rows for code in re.findall(r"`([a-z-]+)`", row[1])]
    assert len(told) > 80
    assert sorted(explained) == sorted(told)
    assert all(len(cell.strip()) > 6 for row in rows for cell in row[1:4])


def test_the_words_of_the_glossary_come_by_alphabet():
    for part in (DOCS / "glossary.md").read_text("utf-8").split("\n## ")[1:]:
        words = [line.split("|")[1].strip() for line in part.splitlines()[4:] if line[:2] == "| "]
        assert words == sorted(words, key=str.casefold)
        assert len(words) > 15


def commands_of(name):
    text = (DOCS / name).read_text("utf-8").replace("\\\n        ", "")
    return [line[4:] for line in text.splitlines() if line.startswith("    nightly-spindle")]


@pytest.fixture
def home(tmp_path, monkeypatch):
    """A station as it is after the first night, and a scheduler's share with one log."""
    home = tmp_path / "home"
    for folder in ("srv/nights", "srv/music/K", "stick"):
        (home / folder).mkdir(parents=True)
    song = home / "srv/music/K/Keeper - Lamp Room.flac"
    soundfile.write(song, beep(90, 500, 8000, channels=1), 8000)
    soundfile.write(home / "srv/music/Keeper - Other.flac", beep(80, 700, RATE), RATE)
    lines = [
        "#EXTM3U",
        "#EXTINF:214,Keeper - Lamp Room",
        "M:\\Music\\K\\Keeper - Lamp Room.flac",
        "#EXTINF:90,SPOTS",
        "SPOTS AT TWENTY",
    ]
    (home / "srv/nights/261130_20.m3u").write_text("\n".join(lines) + "\n", encoding="utf-8")
    monkeypatch.setenv("HOME", str(home))
    monkeypatch.setenv("XDG_CONFIG_HOME", str(home / ".config"))
    run(home, 'nightly-spindle station new ~/radio --name "Quay" --timezone Europe/Lisbon')
    run(home, "nightly-spindle import ~/radio /srv/music --kind song")
    return home


def run(home, command):
    """Run a line of a document, its folders lying below the home; returns what it printed."""
    moved = re.sub(r"/(srv|media/stick)", lambda m: str(home / m[1].split("/")[-1]), command)
    words = [str(home) + word[1:] if word.startswith("~") else word for word in shlex.split(moved)]
    ran = run_here(words[1:])
    # a check that finds something, and an engine that is not on air, are answers
    may_say_no = words[1:3] in (["log", "expect"], ["log", "check"]) or words[1] == "tell"
    assert ran.returncode in ({0, 1} if may_say_no else {0}), (command, ran.stdout, ran.stderr)
    assert "Traceback" not in ran.stderr
    return ran.stdout


def test_the_first_day_and_the_routine_work_as_they_stand(home):
    for name in ("first-day.md", "daily-routine.md"):
        commands = commands_of(name)
        assert len(commands) >= 2
        for command in commands:
            run(home, command)


def test_a_scheduler_is_connected_as_it_stands(home):
    told = [run(home, command) for command in commands_of("music-scheduler.md")]
    drop, _, check = told
    assert re.search(r"\b\d{6}_13\.m3u", drop), "tonight's names"
    assert "another time" not in drop, "the log of another time is no slip"
    assert "1 of 1 lines found" in check, "the drive is translated, the break is no item"


def test_a_station_is_moved_as_it_stands(home):
    text = (DOCS / "install.md").read_text("utf-8")
    moving = re.findall(r"`(nightly-spindle [^`]+)`", text.split("## Move")[1])
    assert len(moving) == 3
    (home / "stick").mkdir(exist_ok=True)
    run(home, moving[0])
    (home / "radio").rename(home / "gone")  # the other computer has none
    run(home, moving[1])
    assert "no such" not in run(home, moving[2])
    written = run(home, "nightly-spindle station service ~/radio --write")
    assert "systemctl --user enable --now" in written


def test_every_setting_is_in_the_document_with_its_default_and_its_bounds():
    assert (DOCS / "settings.md").read_text() == settings_table.document(), (
        "write it anew: python tools/settings_table.py > docs/settings.md"
    )


@pytest.mark.engine
def test_ten_lines_lead_from_nothing_to_a_stream_that_is_heard(home):
    """As a shell runs them: what ends in & goes on beside; another port, and the engine ends."""
    text = (DOCS / "outputs.md").read_text("utf-8")
    part = text.split("## From nothing to a heard stream")[1].split("## Streams")[0]
    block = part.split("\n\nAny player")[0]
    lines = [line.strip() for line in block.splitlines() if line.startswith("    ")]
    assert 5 <= len(lines) <= 10
    with socket.socket() as one:
        one.bind(("127.0.0.1", 0))
        port = str(one.getsockname()[1])
    program = f"{sys.executable} -m nightly_spindle"
    beside = []
    try:
        for line in lines:
            command = line.replace("8135", port).replace("nightly-spindle", program)
            command = command.replace("~", str(home))
            if command.endswith("&"):
                beside.append(subprocess.Popen(shlex.split(command[:-1])))
                if "standin" in line:
                    wait_for_port(port)
                continue
            ran = subprocess.run(["sh", "-c", command], capture_output=True, text=True)
            assert ran.returncode == 0, (line, ran.stdout, ran.stderr)
            if "outputs test" in line:
                assert "It works" in ran.stdout
        wait(lambda: heard_bytes(port) > 20_000)
    finally:
        for one in reversed(beside):
            one.terminate()
            one.wait(PATIENCE_S)


def wait_for_port(port):
    def there():
        with socket.socket() as one:
            return one.connect_ex(("127.0.0.1", int(port))) == 0

    wait(there)


def heard_bytes(port):
    """What a listener gets within a second."""
    line = http.client.HTTPConnection("127.0.0.1", int(port), timeout=5)
    try:
        line.request("GET", "/live")
        answer = line.getresponse()
        return len(answer.read(30_000)) if answer.status == 200 else 0
    except OSError:
        return 0
    finally:
        line.close()
