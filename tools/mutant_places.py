"""Where a small damage can be done to a module: what `mutants.py` draws from.

A mutant differs from the source in one place. The kinds are those that the literature on mutation
testing calls relational, logical, arithmetic and constant replacement, negated conditions and
deleted statements (Offutt et al., "An experimental determination of sufficient mutant operators",
ACM TOSEM 5(2), 1996; from memory), and a guard that leaves early no longer.
"""

from __future__ import annotations

import ast
from dataclasses import dataclass
from enum import StrEnum
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from collections.abc import Iterator
    from pathlib import Path


class Kind(StrEnum):
    """What is done to the source."""

    COMPARISON = "comparison moved by one or turned round"
    LOGIC = "and/or exchanged"
    SIGN = "sign or operator exchanged"
    CONSTANT = "constant changed"
    CONDITION = "condition negated"
    STATEMENT = "statement dropped"
    RETURN = "early end dropped"


@dataclass(frozen=True, slots=True)
class Mutant:
    """One damage: bytes `start` to `end` of a file become `new`; `line` is where it begins."""

    path: str
    line: int
    start: int
    end: int
    old: str
    new: str
    kind: Kind

    def applied(self, source: bytes) -> bytes:
        """Return the damaged source."""
        return source[: self.start] + self.new.encode() + source[self.end :]

    def sentence(self) -> str:
        """Say what was damaged, in one line."""
        old, new = (" ".join(text.split()) for text in (self.old, self.new))
        return f"{self.path}:{self.line} {self.kind.name.lower()}: {old} → {new or 'nothing'}"


_COMPARED: dict[type[ast.cmpop], type[ast.cmpop]] = {
    ast.Lt: ast.LtE,
    ast.LtE: ast.Lt,
    ast.Gt: ast.GtE,
    ast.GtE: ast.Gt,
    ast.Eq: ast.NotEq,
    ast.NotEq: ast.Eq,
    ast.In: ast.NotIn,
    ast.NotIn: ast.In,
    ast.Is: ast.IsNot,
    ast.IsNot: ast.Is,
}
_COUNTED: dict[type[ast.operator], type[ast.operator]] = {
    ast.Add: ast.Sub,
    ast.Sub: ast.Add,
    ast.Mult: ast.Div,
    ast.Div: ast.Mult,
    ast.FloorDiv: ast.Mult,
    ast.Mod: ast.FloorDiv,
}
_TOLD = {"_log", "logging", "warnings"}  # what is said to a developer changes nothing else


def mutants_of(path: Path, name: str) -> list[Mutant]:
    """Return every mutant of a module, called `name` in the report."""
    source = path.read_bytes()
    tree = ast.parse(source)
    starts = [0]
    for line in source.split(b"\n"):
        starts.append(starts[-1] + len(line) + 1)
    found = []
    for node, new, kind in _Finder().found(tree):
        assert isinstance(node, ast.expr | ast.stmt)
        assert node.end_lineno is not None
        assert node.end_col_offset is not None
        start = starts[node.lineno - 1] + node.col_offset
        end = starts[node.end_lineno - 1] + node.end_col_offset
        old = source[start:end].decode()
        found.append(Mutant(name, node.lineno, start, end, old, new, kind))
    return found


class _Finder:
    """Walks through a module, past what does nothing while it runs."""

    def found(self, tree: ast.Module) -> Iterator[tuple[ast.AST, str, Kind]]:
        """Return (what is replaced, by what, kind) of every mutant."""
        yield from self._body(tree.body, in_function=False)

    def _body(
        self, body: list[ast.stmt], *, in_function: bool
    ) -> Iterator[tuple[ast.AST, str, Kind]]:
        for at, one in enumerate(body):
            if at == 0 and isinstance(one, ast.Expr) and isinstance(one.value, ast.Constant):
                continue  # a docstring
            yield from self._statement(one, in_function=in_function)

    def _statement(
        self, one: ast.stmt, *, in_function: bool
    ) -> Iterator[tuple[ast.AST, str, Kind]]:
        if _is_idle(one):
            return
        match one:
            case ast.FunctionDef() | ast.AsyncFunctionDef():
                for default in (*one.args.defaults, *one.args.kw_defaults):
                    if default is not None:
                        yield from self._expression(default)
                yield from self._body(one.body, in_function=True)
                return
            case ast.ClassDef():
                yield from self._body(one.body, in_function=False)
                return
        if in_function:
            yield from self._dropped(one)
        yield from self._parts(one)

    def _dropped(self, one: ast.stmt) -> Iterator[tuple[ast.AST, str, Kind]]:
        match one:
            case ast.Expr(value=ast.Call() as call) if not _is_told(call):
                yield one, "pass", Kind.STATEMENT
            case ast.AugAssign() | ast.Delete():
                yield one, "pass", Kind.STATEMENT
            case ast.Assign(targets=[ast.Attribute() | ast.Subscript()]):
                yield one, "pass", Kind.STATEMENT
            case ast.If(body=[*_, ast.Return() | ast.Continue() | ast.Break() as end], orelse=[]):
                yield end, "pass", Kind.RETURN

    def _parts(self, one: ast.stmt) -> Iterator[tuple[ast.AST, str, Kind]]:
        """Go into a statement: its expressions, and the statements below it."""
        if isinstance(one, ast.If | ast.While) and not isinstance(one.test, ast.Constant):
            yield one.test, f"not ({ast.unparse(one.test)})", Kind.CONDITION
        skipped = {"annotation", "targets", "target", "type_comment", "returns"}
        for field, value in ast.iter_fields(one):
            if field not in skipped:
                for part in value if isinstance(value, list) else [value]:
                    yield from self._part(part)

    def _part(self, part: object) -> Iterator[tuple[ast.AST, str, Kind]]:
        match part:
            case ast.stmt():
                yield from self._statement(part, in_function=True)
            case ast.ExceptHandler():
                yield from self._body(part.body, in_function=True)
            case ast.match_case(guard=guard):
                if guard is not None:
                    yield guard, f"not ({ast.unparse(guard)})", Kind.CONDITION
                    yield from self._expression(guard)
                yield from self._body(part.body, in_function=True)
            case ast.withitem():
                yield from self._expression(part.context_expr)
            case ast.expr():
                yield from self._expression(part)

    def _expression(self, whole: ast.expr) -> Iterator[tuple[ast.AST, str, Kind]]:
        if isinstance(whole, ast.Call) and _is_told(whole):
            return
        yield from _of_expression(whole)
        for part in ast.iter_child_nodes(whole):
            if isinstance(part, ast.expr) and not isinstance(whole, ast.JoinedStr):
                yield from self._expression(part)
            elif isinstance(part, ast.keyword) and part.arg != "strict":
                yield from self._expression(part.value)
            elif isinstance(part, ast.comprehension):
                yield from self._expression(part.iter)
                for condition in part.ifs:
                    yield condition, f"not ({ast.unparse(condition)})", Kind.CONDITION
                    yield from self._expression(condition)


def _is_idle(one: ast.stmt) -> bool:
    """Whether nothing depends on a statement: what types need, the words of an error, a `...`."""
    match one:
        case ast.Import() | ast.ImportFrom() | ast.Assert() | ast.Pass() | ast.Raise():
            return True
        case ast.If(test=ast.Name(id="TYPE_CHECKING")) | ast.Expr(value=ast.Constant()):
            return True
        case ast.FunctionDef(name="__repr__" | "__str__"):
            return True
        case ast.ClassDef(bases=bases):
            return any(isinstance(base, ast.Name) and base.id == "Protocol" for base in bases)
    return False


def _of_expression(one: ast.expr) -> Iterator[tuple[ast.AST, str, Kind]]:
    match one:
        case ast.Compare(ops=[operator, *_]) if type(operator) in _COMPARED:
            ops = [_COMPARED[type(operator)](), *one.ops[1:]]
            yield one, _text(ast.Compare(one.left, ops, one.comparators)), Kind.COMPARISON
        case ast.BoolOp(op=operation):
            other = ast.Or() if isinstance(operation, ast.And) else ast.And()
            yield one, _text(ast.BoolOp(other, one.values)), Kind.LOGIC
        case ast.BinOp(op=operation) if type(operation) in _COUNTED:
            if not _is_text(one.left) and not _is_text(one.right):
                made = ast.BinOp(one.left, _COUNTED[type(operation)](), one.right)
                yield one, _text(made), Kind.SIGN
        case ast.UnaryOp(op=ast.USub(), operand=operand) if not isinstance(operand, ast.Constant):
            yield one, _text(operand), Kind.SIGN
        case ast.IfExp(test=test):
            yield test, f"not ({ast.unparse(test)})", Kind.CONDITION
        case ast.Constant(value=bool(value)):
            yield one, repr(not value), Kind.CONSTANT
        case ast.Constant(value=int(value)):
            yield one, repr(value + 1), Kind.CONSTANT
        case ast.Constant(value=float(value)):
            yield one, repr(value * 2 if value else 1.0), Kind.CONSTANT


def _text(one: ast.expr) -> str:
    return f"({ast.unparse(ast.fix_missing_locations(one))})"


def _is_text(one: ast.expr) -> bool:
    """Whether it is a text, or a path: `+` and `/` join those, and there is no other way."""
    if isinstance(one, ast.JoinedStr):
        return True
    if isinstance(one, ast.Constant):
        return isinstance(one.value, str)
    name = (
        one.attr if isinstance(one, ast.Attribute) else one.id if isinstance(one, ast.Name) else ""
    )
    return any(word in name.lower() for word in ("folder", "path", "root", "base", "name"))


def _is_told(call: ast.Call) -> bool:
    """Whether a call only says something to a developer."""
    function = call.func
    while isinstance(function, ast.Attribute):
        function = function.value
    return isinstance(function, ast.Name) and function.id in _TOLD
