"""How much damage the tests see: random mutants of the source, each tried against its tests.

    python tools/mutants.py [--count N] [--seed N] [--budget SECONDS] [--only PATH]
                            [--as-kept] [--keep FOLDER]

Draws mutants of core, audio, store and air, the kinds in turn, works on copies of the project, and
runs for each the tests that reach its line, quickest first, until one fails. What survives is
listed. `mutants_equivalent.toml` names damage that changes nothing anybody could see, with the
reason; that does not count. The map of what tests reach which line is kept and made again when
source or tests have changed (it runs the tests once, under coverage). Exit status 1 when less is
seen than CONTRIBUTING.md promises.
"""

from __future__ import annotations

import argparse
import hashlib
import json
import os
import random
import shutil
import subprocess
import sys
import tempfile
import tomllib
from collections import Counter
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from enum import StrEnum
from pathlib import Path
from queue import SimpleQueue
from typing import TYPE_CHECKING

from mutant_places import Kind, Mutant, mutants_of
from mutant_reach import TESTS, Reach, from_json, measure, to_json

if TYPE_CHECKING:
    from collections.abc import Sequence

ROOT = Path(__file__).parent.parent
PACKAGES = ("core", "audio", "store", "air")
WANTED, WANTED_OF_CORE = 0.90, 0.92
_WORKERS = 2
_BUDGET_S = 60.0
_EACH_TEST_S = 90


class Fate(StrEnum):
    """What became of a mutant."""

    KILLED = "killed"
    SURVIVED = "survived"
    UNREACHED = "not reached"
    EQUIVALENT = "equivalent"


@dataclass(frozen=True, slots=True)
class Tried:
    """A mutant, what became of it, and against how many of the tests that reach it."""

    mutant: Mutant
    fate: Fate
    run: int = 0
    reach: int = 0

    @property
    def package(self) -> str:
        """The package of the mutant: core, audio, store or air."""
        return self.mutant.path.split("/")[2]


def drawn(count: int, seed: int, only: str) -> list[Mutant]:
    """Return random mutants: the kinds in turn, within a kind all places equally likely."""
    chance = random.Random(seed)
    places: dict[Kind, list[Mutant]] = {kind: [] for kind in Kind}
    for package in PACKAGES:
        for path in sorted((ROOT / "src/nightly_spindle" / package).rglob("*.py")):
            name = str(path.relative_to(ROOT))
            if only in name:
                for mutant in mutants_of(path, name):
                    places[mutant.kind].append(mutant)
    for some in places.values():
        chance.shuffle(some)
    found: list[Mutant] = []
    while len(found) < count and any(places.values()):
        for some in places.values():
            if some and len(found) < count:
                found.append(some.pop())
    return found


def is_equivalent(mutant: Mutant) -> bool:
    """Whether the damage was shown to change nothing; `line` is the whole line it is done to."""
    text = (ROOT / "tools/mutants_equivalent.toml").read_text("utf-8")
    line = (ROOT / mutant.path).read_text("utf-8").splitlines()[mutant.line - 1].strip()
    this = (mutant.path, line, mutant.old, mutant.new)
    known = tomllib.loads(text)["equivalent"]
    return this in {(one["path"], one["line"], one["old"], one["new"]) for one in known}


def copy_of_project(to: Path) -> Path:
    """Copy what the project consists of."""
    listed = subprocess.run(["git", "ls-files", "-z"], cwd=ROOT, check=True, capture_output=True)
    for name in filter(None, listed.stdout.decode().split("\0")):
        if (ROOT / name).is_file():
            (to / name).parent.mkdir(parents=True, exist_ok=True)
            shutil.copy2(ROOT / name, to / name)
    return to


def reach_of_tests(keep: Path, tests: Sequence[str], *, as_kept: bool) -> Reach:
    """Return what the tests reach, measured again when source or tests have changed.

    `as_kept`: not even then, which is near enough while one works.
    """
    digest = hashlib.blake2b(digest_size=16)
    for folder in ("src", "tests"):
        for path in sorted((ROOT / folder).rglob("*.py")):
            digest.update(path.read_bytes())
    kept = keep / "reach.json"
    if kept.is_file():
        held = json.loads(kept.read_text("utf-8"))
        if as_kept or held["of"] == digest.hexdigest():
            return from_json(held)
    print("the tests are run once to learn what they reach ...", flush=True)
    with tempfile.TemporaryDirectory(prefix="mutants") as work:
        tree, data = Path(work) / "tree", Path(work) / "data"
        data.mkdir()
        found = measure(copy_of_project(tree), data, tests)
    keep.mkdir(parents=True, exist_ok=True)
    kept.write_text(json.dumps(to_json(found) | {"of": digest.hexdigest()}), encoding="utf-8")
    return found


class Trials:
    """Tries mutants in copies of the project, as many at once as there are copies."""

    def __init__(self, folder: Path, reach: Reach, budget_s: float) -> None:
        self._reach, self._budget_s = reach, budget_s
        self._trees: SimpleQueue[Path] = SimpleQueue()
        for number in range(_WORKERS):
            self._trees.put(copy_of_project(folder / str(number)))

    def run(self, mutants: list[Mutant]) -> list[Tried]:
        """Try them all; tells of each as it is done."""
        done: list[Tried] = []
        with ThreadPoolExecutor(_WORKERS) as pool:
            for tried in pool.map(self._try, mutants):
                done.append(tried)
                print(f"{len(done):4d} {tried.fate:<11s} {tried.mutant.sentence()}", flush=True)
        return done

    def _try(self, mutant: Mutant) -> Tried:
        if is_equivalent(mutant):
            return Tried(mutant, Fate.EQUIVALENT)
        reach = self._reach.of(mutant.path, mutant.line)
        if not reach:
            return Tried(mutant, Fate.UNREACHED)
        tests: list[str] = []
        left = self._budget_s
        for test in reach:
            left -= self._reach.seconds[test]
            if tests and left < 0:
                break
            tests.append(test)
        tree = self._trees.get()
        try:
            killed = _killed(tree, mutant, tests)
        finally:
            self._trees.put(tree)
        return Tried(mutant, Fate.KILLED if killed else Fate.SURVIVED, len(tests), len(reach))


def _killed(tree: Path, mutant: Mutant, tests: list[str]) -> bool:
    """Whether one of the tests fails on the mutant."""
    path = tree / mutant.path
    source = path.read_bytes()
    chosen = tree / "chosen-tests"
    chosen.write_text("\n".join(tests), encoding="utf-8")
    environment = os.environ | {
        "PYTHONPATH": str(tree / "src"),
        "QT_QPA_PLATFORM": "offscreen",
        "EXAMPLES": os.environ.get("EXAMPLES", "0.4"),
        "PYTHONDONTWRITEBYTECODE": "1",
    }
    command = [sys.executable, "-m", "pytest", "-x", "-q", f"--timeout={_EACH_TEST_S}"]
    try:
        path.write_bytes(mutant.applied(source))
        ran = subprocess.run(
            [*command, f"@{chosen}"],
            cwd=tree,
            env=environment,
            check=False,
            stdout=subprocess.DEVNULL,
            stderr=subprocess.DEVNULL,
        )
    finally:
        path.write_bytes(source)
    return ran.returncode != 0


def table(done: list[Tried]) -> list[str]:
    """Return the outcome as a table in Markdown, by package and by kind."""
    rows = [
        "| mutants | drawn | killed | survived | not reached | equivalent | seen |",
        "|---|---|---|---|---|---|---|",
    ]
    groups: list[tuple[str, list[Tried]]] = [
        *((package, [one for one in done if one.package == package]) for package in PACKAGES),
        *((kind.value, [one for one in done if one.mutant.kind is kind]) for kind in Kind),
        ("all", done),
    ]
    for name, some in groups:
        if some:
            fates = Counter(one.fate for one in some)
            counts = " | ".join(
                str(fates[fate])
                for fate in (Fate.KILLED, Fate.SURVIVED, Fate.UNREACHED, Fate.EQUIVALENT)
            )
            rows.append(f"| {name} | {len(some)} | {counts} | {seen(some):.0%} |")
    return rows


def seen(some: list[Tried]) -> float:
    """Return the share of the mutants not equivalent that the tests see; 1 of none."""
    counted = [one for one in some if one.fate is not Fate.EQUIVALENT]
    return sum(one.fate is Fate.KILLED for one in counted) / len(counted) if counted else 1.0


def main() -> int:
    """Draw, try and tell."""
    parser = argparse.ArgumentParser(description=(__doc__ or "").split("\n", maxsplit=1)[0])
    parser.add_argument("--count", type=int, default=200)
    parser.add_argument("--seed", type=int, default=None)
    parser.add_argument("--budget", type=float, default=_BUDGET_S, help="seconds of tests for each")
    parser.add_argument(
        "--as-kept",
        action="store_true",
        help="go by the kept map though source or tests have changed",
    )
    parser.add_argument("--tests", nargs="+", default=TESTS, help="folders of tests to go by")
    parser.add_argument("--only", default="", help="modules whose path has this in it")
    parser.add_argument(
        "--keep", type=Path, default=ROOT / ".mutants", help="where the map is kept"
    )
    options = parser.parse_args()
    seed = random.SystemRandom().randrange(2**31) if options.seed is None else options.seed
    print(f"seed {seed}", flush=True)
    reach = reach_of_tests(options.keep, options.tests, as_kept=options.as_kept)
    with tempfile.TemporaryDirectory(prefix="mutants") as work:
        trials = Trials(Path(work), reach, options.budget)
        done = trials.run(drawn(options.count, seed, options.only))
    for one in done:
        if one.fate in {Fate.SURVIVED, Fate.UNREACHED}:
            print(f"- {one.mutant.sentence()} ({one.run} of {one.reach} tests)")
    print(f"\n{len(done)} mutants, seed {seed}\n", *table(done), sep="\n")
    core = [one for one in done if one.package == "core"]
    return 0 if seen(done) >= WANTED and seen(core) >= WANTED_OF_CORE else 1


if __name__ == "__main__":
    sys.exit(main())
