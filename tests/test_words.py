"""What a reader is told: the plain words of the trade, one for one thing, in every sentence."""

import ast
import re
from pathlib import Path

import pytest

SOURCE = Path(__file__).parents[1] / "src/nightly_spindle"
# what is not said, and what is said instead
RULES = {
    r"\banew\b": "again, or re-",
    r"\bby (itself|themselves)\b": "automatically, or on its own",
    r"\bso (long|many|much)\b(?! as\b)": "up to N, every N, this long",
    r"\b(lies|lie) (over|at|in|on|outside|within|below|there)\b": "is, plays over, is placed",
    r"\b[Bb]ring\b.*\bin\b": "import",
    r"\b[Tt]ake .{1,20} out\b": "remove",
    r"\b(taken|take|takes) in\b": "import",
    r"\bcome round\b": "take turns, play",
    r"\b[Pp]ull(ed)? (over|onto|from)\b": "drag",
    r"\((Ctrl\+|Shift\+)?Return\)|\bReturn\b": "Enter",
    r"\bgoes by\b": "is based on, follows",
    r"'\}? is no (?!longer)\w+": "is not a valid ...",
    r"\bHear (it|the)\b": "listen",
    r"\bKeep it\b": "save it",
}
# the values of choices are kept in stations as they are written; they have words of their own
_STORED = {"StrEnum", "Enum"}


def said(tree):
    """Every text of a module that somebody may be told: (line, text)."""
    quiet = set()
    for node in ast.walk(tree):
        match node:
            case ast.Module() | ast.ClassDef() | ast.FunctionDef() | ast.AsyncFunctionDef() if (
                ast.get_docstring(node)
            ):
                quiet.add(id(node.body[0].value))
        match node:
            case ast.ClassDef(bases=bases) if {ast.unparse(base) for base in bases} & _STORED:
                quiet |= {id(part) for part in ast.walk(node)}
            case ast.Call(func=ast.Attribute(value=ast.Name(id="_log" | "re"))):
                quiet |= {id(part) for part in ast.walk(node)}
            case ast.JoinedStr():
                quiet |= {id(part) for part in node.values}
    for node in ast.walk(tree):
        if id(node) in quiet and not isinstance(node, ast.JoinedStr):
            continue
        match node:
            case ast.JoinedStr(values=values):
                yield (
                    node.lineno,
                    "".join(
                        part.value if isinstance(part, ast.Constant) else "}" for part in values
                    ),
                )
            case ast.Constant(value=str(text)) if " " in text.strip():
                yield node.lineno, text


@pytest.mark.parametrize("package", ["core", "store", "air", "intake", "cli", "desk"])
def test_texts_keep_to_the_words(package):
    wrong = []
    for path in sorted((SOURCE / package).rglob("*.py")):
        for line, text in said(ast.parse(path.read_text("utf-8"))):
            for rule, instead in RULES.items():
                if re.search(rule, text):
                    wrong.append(f"{path.relative_to(SOURCE)}:{line}: {text!r}: {instead}")
    assert not wrong, "\n".join(wrong)
