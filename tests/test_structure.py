"""The tables of docs/architecture.md, enforced: layers, packages, no circles."""

import argparse
import ast
import graphlib
import re
import subprocess
import sys
from functools import cache
from importlib import import_module
from pathlib import Path

import pytest

from nightly_spindle.cli import main as command_line

ROOT = Path(__file__).parent.parent
SOURCE = ROOT / "src"
PACKAGE = "nightly_spindle"
DOCUMENT = (ROOT / "docs" / "architecture.md").read_text(encoding="utf-8")
MUST_NOT = {
    "core": {"PySide6", "socket", "sqlite3", "sqlalchemy", "threading", "time", "asyncio"},
    "audio": {"PySide6", "sqlite3", "sqlalchemy"},
    "outputs": {"PySide6", "sqlite3", "sqlalchemy"},
    "store": {"PySide6"},
    "intake": {"PySide6", "sqlite3"},
    "air": {"PySide6", "sqlalchemy"},
    "simulators": {"PySide6"},
    "cli": {"PySide6"},
    "desk": {"sqlite3", "sqlalchemy"},
}
# Arrays are for expanding rules over years and for fitting lengths; the rest of the core is plain.
ARRAYS = {
    "calendar.day_rules",
    "calendar.recurrence",
    "playout.timing_fit",
    "traffic.coming_breaks",
    "traffic.placed_units",
    "traffic.placement_room",
    "traffic.placement_swaps",
    "music.rotation_columns",
    "music.play_columns",
    "music.plays_apart",
    "music.rule_costs",
    "music.hour_judge",
    "music.segment_mending",
    "music.scarcity",
    "music.candidate_costs",
    "music.segment_fill",
    "music.log_making",
    "music.made_hour",
    "music.made_edits",
    "programme.rotation",
}
# The command line opens the desk; nothing else reaches below itself.
ALLOWED = {("cli.station.desk", "desk.shell.app")}


def table(head):
    """The first column of a table of the document, whose head begins so."""
    rows = re.search(rf"^\| {head} \|.*\n\|[-|]+\|\n((?:\|.*\n)+)", DOCUMENT, re.MULTILINE)
    return re.findall(r"^\| `(\w+)` ", rows.group(1), re.MULTILINE)


LAYERS = table("layer")
PACKAGES = {layer: table(f"`{layer}`") for layer in ("core", "store", "cli", "desk")}


def named(path):
    parts = path.relative_to(SOURCE).with_suffix("").parts[1:]
    return ".".join(parts[:-1] if parts[-1] == "__init__" else parts)


MODULES = {
    named(path): path
    for path in SOURCE.rglob("*.py")
    if "migrations" not in path.parts and path.name != "__main__.py" and named(path)
}


@cache
def imports(path):
    """Whatever a module imports, for types alone too: by its full name."""
    return list(_imports(path))


def _imports(path):
    for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
        if isinstance(node, ast.Import):
            yield from (alias.name for alias in node.names)
        elif isinstance(node, ast.ImportFrom):
            assert node.level == 0, path
            yield from (f"{node.module}.{alias.name}" for alias in node.names)


def ours(path):
    """The modules of the program that a module imports."""
    for name in imports(path):
        inner = name.removeprefix(f"{PACKAGE}.")
        if inner != name:
            inner = inner if inner in MODULES else inner.rpartition(".")[0]
            if inner:
                yield inner


@cache
def arrows():
    """The modules that each module imports."""
    return {name: set(ours(path)) - {name} for name, path in MODULES.items()}


def test_each_layer_imports_only_those_above_it():
    above = {layer: set(LAYERS[: at + 1]) for at, layer in enumerate(LAYERS)}
    wrong = [
        f"{name} imports {other}"
        for name, others in arrows().items()
        for other in others
        if other.split(".")[0] not in above[name.split(".")[0]] and (name, other) not in ALLOWED
    ]
    assert not wrong


@pytest.mark.parametrize("layer", PACKAGES)
def test_each_package_imports_only_those_above_it(layer):
    rows = PACKAGES[layer]
    inside = {name: name.split(".") for name in MODULES if name.startswith(f"{layer}.")}
    assert {parts[1] for parts in inside.values()} - {"main"} == set(rows)
    wrong = [
        f"{name} imports {other}"
        for name, parts in inside.items()
        for other in arrows()[name]
        if parts[1] != "main"
        and other.startswith(f"{layer}.")
        and rows.index(other.split(".")[1]) > rows.index(parts[1])
    ]
    assert not wrong


def test_no_circle_of_imports():
    graphlib.TopologicalSorter(arrows()).prepare()  # CycleError names the circle


@pytest.mark.parametrize("layer", LAYERS)
def test_what_a_layer_must_not_know(layer):
    wrong = []
    for name, path in MODULES.items():
        if name.split(".")[0] == layer:
            for used in {one.split(".")[0] for one in imports(path)}:
                arrays = used == "numpy" and layer == "core"
                if used in MUST_NOT[layer] or (arrays and name[5:] not in ARRAYS):
                    wrong.append(f"{name} imports {used}")
    assert not wrong


def test_every_file_that_the_document_names_is_there():
    paths = set(re.findall(r"`((?:\w+/)+\w+\.py)`", DOCUMENT))
    assert len(paths) > 80
    places = (SOURCE / PACKAGE, ROOT)
    assert not [one for one in paths if not any((place / one).is_file() for place in places)]


def test_every_command_leads_to_a_function():
    runners = []

    def walk(parser):
        runners.extend([parser.get_default("runner")] if parser.get_default("runner") else [])
        for action in parser._actions:
            if isinstance(action, argparse._SubParsersAction):
                for one in action.choices.values():
                    walk(one)

    walk(command_line._parser(""))
    assert len(runners) > 90
    for runner in runners:
        module, function = runner.split(":")
        assert callable(getattr(import_module(f"{PACKAGE}.cli.{module}"), function)), runner


def test_a_command_alone_has_the_options_that_it_has_among_all():
    """Each is read without the others' modules: that takes most of a short command's time."""

    def commands(parser):
        one = next(a for a in parser._actions if isinstance(a, argparse._SubParsersAction))
        return one.choices

    def texts(parser):
        found = [parser.format_help()]
        for action in parser._actions:
            if isinstance(action, argparse._SubParsersAction):
                found += [text for one in action.choices.values() for text in texts(one)]
        return found

    whole = commands(command_line.whole_parser())
    assert len(whole) > 20
    for name, parser in whole.items():
        assert texts(commands(command_line._parser(name))[name]) == texts(parser), name
    added = [name for _, names in command_line._OPTIONS.values() for name in names]
    assert len(added) == len(set(added))
    assert set(added) <= set(whole)
    for module, (_, names) in command_line._OPTIONS.items():
        alone = command_line._parser(names[0])
        others = set(added) - set(names)
        assert not others & set(commands(alone)), module


def test_the_core_asks_no_clock():
    for name, path in MODULES.items():
        if name.startswith("core."):
            text = path.read_text(encoding="utf-8")
            assert "datetime.now" not in text, path
            assert ".today(" not in text, path


@pytest.mark.slow
def test_nothing_outside_the_desk_loads_qt():
    modules = [f"{PACKAGE}.{name}" for name in MODULES if name.split(".")[0] != "desk"]
    code = (
        f"import importlib, sys\nfor m in {modules!r}: importlib.import_module(m)\n"
        "sys.exit('PySide6' in sys.modules)"
    )
    assert subprocess.run([sys.executable, "-c", code], check=False).returncode == 0


def test_files_stay_readable():
    long = [
        str(path)
        for path in SOURCE.rglob("*.py")
        if len(path.read_text(encoding="utf-8").splitlines()) > 500
    ]
    assert not long
