"""Processes that end: killed in every order, doubled, in the middle of something."""

from __future__ import annotations

import signal
import subprocess
import time
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import TYPE_CHECKING

from fault_station import PROGRAM, write_log

from nightly_spindle.store.base.station_folder import read_settings

if TYPE_CHECKING:
    from collections.abc import Callable

    from fault_station import Station

    Harm = Callable[[Station], Callable[[], object] | None]


from fault_table import fault, kill, supervisors


@fault("engine killed", "The engine was off for", down=True)
def _(at: Station) -> None:
    kill(at.engine_pid())


@fault("engine killed by a fault of memory (SIGSEGV)", "The engine was off for", down=True)
def _(at: Station) -> None:
    kill(at.engine_pid(), signal.SIGSEGV)


@fault("engine killed within a second of a start", "The engine was off for", down=True)
def _(at: Station) -> None:
    for _ in range(3):
        heard = len(list(at.heard.glob("*.raw")))
        kill(at.engine_pid())

        def sounds(heard: int = heard) -> bool:
            return len(list(at.heard.glob("*.raw"))) > heard

        at.wait(sounds, 10)
        time.sleep(0.6)


@fault("engine told to end by SIGTERM", "the engine ended with status 71", down=True)
def _(at: Station) -> None:
    kill(at.engine_pid(), signal.SIGTERM)


@fault(
    "engine stopped for 5 s (SIGSTOP)", "The clock moved by", lasts_s=15, complete=False, down=True
)
def _(at: Station) -> None:
    pid = at.engine_pid()
    kill(pid, signal.SIGSTOP)
    time.sleep(5)
    kill(pid, signal.SIGCONT)


@fault(
    "supervisor killed, then the engine",
    "The supervisor, which starts the engine again, has",
    lasts_s=20,
    down=True,
)
def _(at: Station) -> None:
    for pid in supervisors(at):
        kill(pid)
    at.wait(lambda: at.told("has ended"), 10)
    time.sleep(4)
    kill(at.engine_pid())


@fault(
    "the process that engines are forked from killed, then the engine",
    "The engine was off for",
    lasts_s=20,
    down=True,
)
def _(at: Station) -> None:
    pid = at.engine_pid()
    kill(int(Path(f"/proc/{pid}/stat").read_text("ascii").rpartition(")")[2].split()[1]))
    time.sleep(6)
    kill(pid)


@fault("engine and supervisor killed at once", "The engine was off for", down=True)
def _(at: Station) -> None:
    for pid in [*supervisors(at), at.engine_pid()]:
        kill(pid)
    time.sleep(0.3)
    at.air(wait=False)  # as systemd does


@fault("everything killed", "The engine was off for", down=True)
def _(at: Station) -> None:
    for pid in at.all_pids():
        kill(pid)
    time.sleep(0.3)
    at.air(wait=False)


@fault("intake killed", lasts_s=9)
def _(at: Station) -> None:
    for pid in at.pids("intake"):
        kill(pid)
    if not at.wait(lambda: at.pids("intake"), 20):
        raise AssertionError("the intake is not started again")


@fault("desk and its planner killed", lasts_s=4)
def _(at: Station) -> None:
    desk = subprocess.Popen(
        [*PROGRAM, "desk", str(at.folder)], env=at.env, stderr=subprocess.DEVNULL
    )
    at.processes.append(desk)
    if not at.wait(lambda: at.pids("nightly_spindle.desk.kit.planning_process"), 40):
        raise AssertionError("the planner does not start")
    for pid in at.pids("nightly_spindle.desk.kit.planning_process"):
        kill(pid)
    time.sleep(2)
    if desk.poll() is not None:
        raise AssertionError("the desk ended with its planner")
    desk.kill()


@fault("two desks", lasts_s=10)
def _(at: Station) -> None:
    desks = [
        subprocess.Popen([*PROGRAM, "desk", str(at.folder)], env=at.env, stderr=subprocess.DEVNULL)
        for _ in range(2)
    ]
    at.processes += desks
    time.sleep(9)
    if any(desk.poll() is not None for desk in desks):
        raise AssertionError("a desk ended")


@fault("two engines", lasts_s=4)
def _(at: Station) -> None:
    done = subprocess.run(
        [*PROGRAM, "air", str(at.folder)],
        env=at.env,
        capture_output=True,
        text=True,
        check=False,
        timeout=30,
    )
    if done.returncode != 1 or "is on air already" not in done.stderr:
        raise AssertionError(f"the second says {done.stderr}")


@fault(
    "killed during the load of the day's log",
    "the engine ended with status -9",
    before=True,
    down=True,
    lasts_s=12,
    complete=False,
)
def _(at: Station) -> None:
    write_log(at.folder, at.music.parent, "2026-11-24")
    write_log(at.folder, at.music.parent, "2026-11-23")
    begins = read_settings(at.folder).day_start  # of the broadcast day: the log's, too
    day = datetime(2026, 11, 24, begins.hour, tzinfo=UTC)
    at.air("--clock", (day - timedelta(seconds=15)).isoformat())

    def come() -> bool:
        sight = at.sight()
        return sight is not None and sight["sight"]["now_us"] > day.timestamp() * 1e6

    at.wait(come, 40)
    at.mark()
    kill(at.engine_pid())

    def loaded() -> bool:
        sight = at.sight()
        return sight is not None and any(
            "-24" in one["file"] for one in sight["state"]["logs"]["loaded"]
        )

    if not at.wait(loaded, 40):  # the simulated clock goes on where the state was kept
        raise AssertionError("the log of the 24th was not loaded")
