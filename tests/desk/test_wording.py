"""One word for one act on the desk's buttons, menus and dialogs."""

import ast
from pathlib import Path

import pytest

from nightly_spindle import desk

# said otherwise, and what is said instead
INSTEAD = {
    "Keep": "Save",
    "Keep it": "Save or Cancel",
    "Keep these": "Save",
    "Leave": "Cancel",
    "Take out": "Remove",
    "End job": "Remove",
    "Drop": "Remove",
    "Drop the line": "Remove line",
    "Forget it": "Dismiss",
    "Bring in": "Import",
    "Take in": "Import",
    "Table in …": "Import …",
    "Take the file in": "Import the file",
    "Write …": "Export …",
    "Hear": "Listen",
    "Hear it": "Listen",
    "Hear the join": "Listen",
    "Work it out": "Detect",
    "Place anew": "Re-place all",
    "This hour": "Schedule hour",
    "This day": "Schedule day",
    "30 days": "Schedule 30 days",
    "Look": "Theme",
    "Put in": "Add or Insert",
    "Let it move": "Unlock",
    "Fix here": "Lock here",
}
FOLDER = Path(desk.__file__).parent
MODULES = sorted(FOLDER.rglob("*.py"))


@pytest.mark.parametrize("path", MODULES, ids=lambda path: str(path.relative_to(FOLDER)))
def test_labels_use_the_one_word(path):
    tree = ast.parse(path.read_text(encoding="utf-8"))
    labels = [
        (node.value, node.lineno)
        for node in ast.walk(tree)
        if isinstance(node, ast.Constant) and isinstance(node.value, str)
    ]
    wrong = [
        f"line {line}: “{text}” is “{INSTEAD[text]}” here"
        for text, line in labels
        if text in INSTEAD
    ]
    assert not wrong
