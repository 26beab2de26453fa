"""`air`, `tell`, `status`."""

from __future__ import annotations

import gc
import os
import signal
import sys
import threading
from pathlib import Path
from typing import TYPE_CHECKING, Any

from nightly_spindle.air.client import ask
from nightly_spindle.air.places import AirLock, socket_path
from nightly_spindle.cli.common import checked_length, instant, print_json
from nightly_spindle.core.errors import SettingRefused
from nightly_spindle.core.timebase import US, clock, iso, length
from nightly_spindle.store.journal import load_state
from nightly_spindle.store.snapshot import open_station
from nightly_spindle.store.station import read_settings

if TYPE_CHECKING:
    import argparse

    from nightly_spindle.air.clock import Clock
    from nightly_spindle.air.outputs import Output


def on_air(options: argparse.Namespace) -> int:
    """Run the air engine until it is told to leave."""
    folder = Path(options.folder)
    if options.output == "device" and (options.pace or options.clock or options.capture):
        raise SettingRefused("--pace, --clock and --capture go with --output standin only")
    if options.pace is not None:
        checked_length(options.pace, "times real time", 1000.0)
    copy_of = read_settings(folder).copy_of
    if copy_of and not options.even_a_copy:
        raise SettingRefused(
            f"{folder} is a copy of {copy_of}, made for trying things on; it is aired with "
            "--even-a-copy only"
        )
    if not options.no_supervisor:
        open_station(folder).connection.close()  # what is wrong is told once, here
        from nightly_spindle.air.supervisor import supervise

        return supervise(_arguments(options), None if options.no_intake else folder)
    return _run(options, folder)


def _arguments(options: argparse.Namespace) -> list[str]:
    """Return the options as the supervised engine gets them."""
    arguments = [options.folder, "--output", options.output]
    for name in ("device", "pace", "clock", "seconds", "capture"):
        value = getattr(options, name)
        if value is not None:
            arguments += [f"--{name}", str(value)]
    flags = [("--cold", options.cold), ("--even-a-copy", options.even_a_copy)]
    return arguments + [name for name, on in flags if on]


def _run(options: argparse.Namespace, folder: Path) -> int:
    from nightly_spindle.air.control import Control
    from nightly_spindle.air.engine import Engine
    from nightly_spindle.air.keeper import Keeper
    from nightly_spindle.air.lookout import Lookout

    lock = AirLock(folder)
    snapshot = open_station(folder, settle_s=2.0)
    lock.take()
    settings = snapshot.programme.settings
    saved = None if options.cold else load_state(snapshot.connection)
    at = instant(options.clock, settings.tz)
    if options.resumed and saved is not None and options.clock is not None:
        at = max(at, saved.frame * US // saved.rate)
    output, wall, paced = _output(options, settings.rate, at)
    snapshot.prepare(at, at + 24 * 3600 * US, saved)
    lookout = Lookout(snapshot, wall)
    keeper = Keeper(folder, lookout.look)
    hurried = options.pace is not None and options.pace > 1
    engine = Engine(snapshot, keeper, output, wall, paced, patient=hurried)
    lookout.engine = engine
    control = Control(engine, socket_path(folder))
    control.start()
    for number in (signal.SIGTERM, signal.SIGINT):
        signal.signal(number, lambda *_: engine.leave())
    if options.seconds is not None:
        _leave_after(engine, checked_length(options.seconds, "seconds", 1e7), at)
    # what was loaded stays: the collector need not walk through it again and again
    gc.collect()
    gc.freeze()
    print(f"{settings.name} is on air (process {os.getpid()}).", flush=True)
    try:
        engine.run(saved)
    finally:
        control.stop()
        lock.release()
    told = f"{output.late} blocks came late, longest quiet {engine.longest_quiet_s:.1f} s"
    print(f"{settings.name} is off air; {told}.", flush=True)
    return 0


def _output(options: argparse.Namespace, rate: int, at_us: int) -> tuple[Output, Clock, bool]:
    from nightly_spindle.air.clock import SystemClock
    from nightly_spindle.air.engine import BLOCK

    if options.output == "device":
        from nightly_spindle.air.outputs import DeviceOutput

        return DeviceOutput(rate, BLOCK, options.device), SystemClock(), False
    from nightly_spindle.standins.soundcard import StandInSoundCard

    capture = Path(options.capture) if options.capture else None
    card = StandInSoundCard(rate, options.pace or 1.0, at_us, capture)
    if options.pace or options.clock:
        return card, card, True
    return card, SystemClock(), False


def _leave_after(engine: Any, seconds: float, at_us: int) -> None:
    def watch() -> None:
        pause = threading.Event()
        while engine.sight is None or engine.sight.now_us < at_us + seconds * US:
            pause.wait(0.02)
        engine.leave()

    threading.Thread(target=watch, name="leave-after", daemon=True).start()


def tell(options: argparse.Namespace) -> int:
    """Tell a running engine to do something."""
    folder = Path(options.folder)
    if options.order in {"attended", "unattended"}:
        ask(folder, "unattended", on=options.order == "unattended")
    else:
        ask(folder, options.order)
    if options.json:
        print_json({"told": options.order})
    return 0


def _now_playing(playing: dict[str, Any] | None) -> str | None:
    """Return the text that stands for what is on air: an event's own, else artist and title."""
    if playing is None:
        return None
    item = playing["item"]
    own = f"{item['artist']} - {item['title']}" if item["artist"] else item["title"]
    return playing["line"].get("shows") or own


def status(options: argparse.Namespace) -> int:
    """Say what is on air; exit status 1 when no engine runs."""
    folder = Path(options.folder)
    answer = ask(folder, "state")
    tz = open_station(folder).programme.settings.tz
    state, sight = answer["state"], answer["sight"]
    playing = state["playing"]
    now = sight["now_us"] if sight else None
    left = None
    if playing and sight:
        cue_out = playing["item"]["measure"]["cue_out_s"]
        gone = (sight["frame"] - playing["start"] + playing["begin"]) / state["rate"]
        left = round(max(0.0, cue_out - gone), 3)
    view = {
        "pid": answer["pid"],
        "now": iso(now, tz) if now else None,
        "unattended": state["unattended"],
        "stopped": state["stopped"],
        "cart": playing["item"]["cart"] if playing else None,
        "title": playing["item"]["title"] if playing else None,
        "artist": playing["item"]["artist"] if playing else None,
        "now_playing": _now_playing(playing),
        "left_s": left,
        "lined_up": len(state["upcoming"]),
        "late_blocks": sight["late_blocks"] if sight else 0,
        "underruns": sight["underruns"] if sight else 0,
        "problem": (sight["problem"] or None) if sight else None,
    }
    if options.json:
        print_json(view)
        return 0
    mode = "unattended" if view["unattended"] else "attended"
    at = clock(now, tz) if now else "starting"
    print(f"On air, {mode}, {at}: {view['now_playing'] or 'nothing'}, {length(left or 0)} left.")
    if view["problem"]:
        print(view["problem"], file=sys.stderr)
    return 0
