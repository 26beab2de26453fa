"""The layer table of docs/architecture.md, enforced."""

import ast
import subprocess
import sys
from pathlib import Path

import pytest

SOURCE = Path(__file__).parent.parent / "src" / "nightly_spindle"
LAYERS = ["core", "audio", "store", "intake", "air", "standins", "cli", "desk"]
MUST_NOT = {
    "core": {"PySide6", "socket", "sqlite3", "sqlalchemy", "threading", "time", "asyncio"},
    "audio": {"PySide6", "sqlite3", "sqlalchemy"},
    "store": {"PySide6"},
    "intake": {"PySide6", "sqlite3"},
    "air": {"PySide6", "sqlalchemy"},
    "standins": {"PySide6"},
    "cli": {"PySide6"},
    "desk": {"sqlite3", "sqlalchemy"},
}
# Arrays are for expanding rules over years and for fitting lengths; the rest of the core is plain.
ARRAYS = {
    "core/day_rules.py", "core/recurrence.py", "core/landing.py", "core/break_places.py",
    "core/turn_table.py", "core/line_up.py", "core/rule_costs.py", "core/seat_choice.py",
    "core/segment_fill.py", "core/log_making.py", "core/made_hour.py", "core/made_edits.py",
    "core/rotation.py",
}  # fmt: skip
# The command line opens the desk; nothing else reaches below itself.
ALLOWED = {("cli/desk.py", "desk")}


def imports(path):
    for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
        if isinstance(node, ast.Import):
            yield from (alias.name for alias in node.names)
        elif isinstance(node, ast.ImportFrom) and node.module:
            yield node.module


@pytest.mark.parametrize("layer", LAYERS)
def test_layer_imports_only_what_lies_above_it(layer):
    above = set(LAYERS[: LAYERS.index(layer) + 1])
    wrong = []
    for path in sorted((SOURCE / layer).rglob("*.py")):
        place = str(path.relative_to(SOURCE))
        for name in imports(path):
            first, _, rest = name.partition(".")
            inner = rest.split(".")[0]
            if first == "nightly_spindle" and inner in LAYERS and inner not in above:
                if (place, inner) not in ALLOWED:
                    wrong.append(f"{place} imports {name}")
            elif (first == "numpy" and layer == "core" and place not in ARRAYS) or (
                first in MUST_NOT[layer]
            ):
                wrong.append(f"{place} imports {name}")
    assert not wrong


def test_the_core_asks_no_clock():
    for path in (SOURCE / "core").rglob("*.py"):
        text = path.read_text(encoding="utf-8")
        assert "datetime.now" not in text, path
        assert ".today(" not in text, path


def test_nothing_outside_the_desk_loads_qt():
    modules = [
        ".".join(("nightly_spindle", *path.relative_to(SOURCE).with_suffix("").parts))
        for path in SOURCE.rglob("*.py")
        if path.relative_to(SOURCE).parts[0] in set(LAYERS) - {"desk"}
        and path.stem not in {"__init__", "env"}
        and "versions" not in path.parts
    ]
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
