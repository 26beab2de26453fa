"""Which tests reach which line, and how long each takes: what a mutant is tried against.

The suite is run once under coverage.py, every test a context of its own. Processes that a test
starts are measured with it. As a plugin of pytest (`-p mutant_reach`) this module names the test.
"""

from __future__ import annotations

import json
import os
import subprocess
import sys
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any

import coverage
import pytest

if TYPE_CHECKING:
    from collections.abc import Iterator, Sequence

_TEST, _TIMES = "MUTANT_TEST", "MUTANT_TIMES"
# the desk is looked at by tests that take long and ask little of the core
TESTS = ("tests/core", "tests/store", "tests/audio", "tests/air")
_RC = """[run]
source_pkgs = nightly_spindle
data_file = {data}
parallel = true
context = ${{MUTANT_TEST-}}
concurrency = thread,multiprocessing
sigterm = true
"""
_times: dict[str, float] = {}


@dataclass(frozen=True, slots=True)
class Reach:
    """Tests by path and line, and the seconds each test takes."""

    lines: dict[str, dict[int, list[str]]]
    seconds: dict[str, float]

    def of(self, path: str, line: int) -> list[str]:
        """Return the tests that reach a line, the quickest first.

        A line that runs while its module is loaded is reached by whatever uses the module.
        """
        by_line = self.lines.get(path, {})
        tests = set(by_line.get(line, []))
        if not tests and line in by_line:
            tests = {test for some in by_line.values() for test in some}
        near = "tests/" + str(Path(path).parent.relative_to("src/nightly_spindle"))
        known = [test for test in tests if test in self.seconds]
        return sorted(known, key=lambda test: self.seconds[test] - 2 * test.startswith(near))


@pytest.hookimpl(hookwrapper=True)
def pytest_runtest_protocol(item: pytest.Item) -> Iterator[None]:
    """Have coverage note which test runs, here and in what it starts."""
    os.environ[_TEST] = item.nodeid
    now = coverage.Coverage.current()
    if now is not None:
        now.switch_context(item.nodeid)
    yield


def pytest_runtest_logreport(report: pytest.TestReport) -> None:
    """Add up how long a test takes."""
    if report.passed:
        _times[report.nodeid] = _times.get(report.nodeid, 0.0) + report.duration


def pytest_sessionfinish(session: pytest.Session) -> None:
    """Keep the times: those of all workers are known to what started them."""
    if _TIMES in os.environ and not hasattr(session.config, "workerinput"):
        Path(os.environ[_TIMES]).write_text(json.dumps(_times), encoding="utf-8")


def measure(tree: Path, work: Path, tests: Sequence[str]) -> Reach:
    """Run the suite of a copy of the project once; `work` is an empty folder. Takes its time."""
    config, times = work / "coveragerc", work / "times.json"
    config.write_text(_RC.format(data=work / "data"), encoding="utf-8")
    # what every Python process loads at its start
    (work / "sitecustomize.py").write_text(
        "import coverage\ncoverage.process_startup()\n", encoding="utf-8"
    )
    paths = [tree / "src", work, tree / "tools"]
    environment = os.environ | {
        "PYTHONPATH": os.pathsep.join(map(str, paths)),
        "COVERAGE_PROCESS_START": str(config),
        _TIMES: str(times),
        _TEST: "",
        "QT_QPA_PLATFORM": "offscreen",
        "EXAMPLES": os.environ.get("EXAMPLES", "0.4"),
    }
    command = [
        sys.executable,
        "-m",
        "pytest",
        "-q",
        "-n",
        "3",
        "--dist",
        "load",
        "-p",
        "mutant_reach",
        "--timeout",
        "1200",
    ]
    ran = subprocess.run([*command, *tests], cwd=tree, env=environment, check=False)
    if ran.returncode not in {0, 1}:  # a test that fails for slowness reaches what it reaches
        raise SystemExit(f"the tests could not be run (exit status {ran.returncode})")
    data = coverage.CoverageData(str(work / "data"), no_disk=False)
    for part in sorted(work.glob("data.*")):
        more = coverage.CoverageData(str(part))
        more.read()
        data.update(more)
        part.unlink()
    lines: dict[str, dict[int, list[str]]] = {}
    for measured in sorted(data.measured_files()):
        if not Path(measured).is_relative_to(tree):
            continue  # of a process that was started with an environment of its own
        name = str(Path(measured).relative_to(tree))
        # the process's own context, then that of the test in it
        lines[name] = {
            line: sorted({context.split("|")[-1] for context in contexts} - {""})
            for line, contexts in data.contexts_by_lineno(measured).items()
        }
    return Reach(lines, json.loads(times.read_text("utf-8")))


def to_json(reach: Reach) -> dict[str, Any]:
    """Return it as JSON, each test named once."""
    names = sorted(reach.seconds)
    number = {name: at for at, name in enumerate(names)}
    lines = {
        path: {
            str(line): [number[test] for test in tests if test in number]
            for line, tests in by_line.items()
        }
        for path, by_line in reach.lines.items()
    }
    return {"tests": names, "seconds": [reach.seconds[name] for name in names], "lines": lines}


def from_json(kept: dict[str, Any]) -> Reach:
    """Return what `to_json` gave."""
    names = kept["tests"]
    lines = {
        path: {int(line): [names[at] for at in tests] for line, tests in by_line.items()}
        for path, by_line in kept["lines"].items()
    }
    return Reach(lines, dict(zip(names, kept["seconds"], strict=True)))
