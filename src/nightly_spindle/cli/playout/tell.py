"""`tell`, `status`."""

from __future__ import annotations

import sys
from datetime import datetime
from pathlib import Path
from typing import TYPE_CHECKING, Any

from nightly_spindle.air.client import ask
from nightly_spindle.cli.base.common import print_json
from nightly_spindle.core.base.errors import NotOnAir
from nightly_spindle.core.base.timebase import US, clock, iso, length, zone
from nightly_spindle.store.base.messages import last_messages

if TYPE_CHECKING:
    import argparse
    from zoneinfo import ZoneInfo


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
    try:
        answer = ask(folder, "state")
    except NotOnAir:
        for line in last_messages(folder, options.log or 0):
            print(line)
        raise
    view = _view(answer)
    if options.log is not None:
        view["log"] = last_messages(folder, options.log)
    if options.json:
        print_json(view)
    else:
        _say(view, zone(answer["timezone"]))
    return 0


def _view(answer: dict[str, Any]) -> dict[str, Any]:
    """Return what an engine says of itself, as JSON."""
    tz = zone(answer["timezone"])
    state, sight = answer["state"], answer["sight"] or {}
    playing = state["playing"]
    now = sight.get("now_us")
    left = None
    if playing and sight:
        cue_out = playing["item"]["measure"]["cue_out_s"]
        gone = (sight["frame"] - playing["start"] + playing["begin"]) / state["rate"]
        left = round(max(0.0, cue_out - gone), 3)
    item = playing["item"] if playing else {}
    return {
        "pid": answer["pid"],
        "now": iso(now, tz) if now else None,
        "unattended": state["unattended"],
        "stopped": state["stopped"],
        "cart": item.get("cart"),
        "title": item.get("title"),
        "artist": item.get("artist"),
        "now_playing": _now_playing(playing),
        "left_s": left,
        "lined_up": len(state["upcoming"]),
        "late_blocks": sight.get("late_blocks", 0),
        "underruns": sight.get("underruns", 0),
        "problem": sight.get("problem") or None,
        "simulated": sight.get("simulated"),
        "station_read": sight.get("whole"),
        "standing": sight.get("standing", []),
        "away": [
            {"folder": one["folder"], "since": iso(one["since_us"], tz), "why": one["why"]}
            for one in answer["away"]
        ],
    }


def _say(view: dict[str, Any], tz: ZoneInfo) -> None:
    """Say what is on air in a line, and each thing that is wrong in another."""
    mode = "unattended" if view["unattended"] else "attended"
    at = (
        clock(round(datetime.fromisoformat(view["now"]).timestamp() * US), tz)
        if view["now"]
        else "starting"
    )
    what = view["now_playing"] or "nothing"
    print(f"On air, {mode}, {at}: {what}, {length(view['left_s'] or 0)} left.")
    if view["simulated"]:
        print("Simulated: nobody hears this.")
    wrong = [f"The folder {one['folder']} is away: {one['why']}." for one in view["away"]]
    wrong += [f"The {thread} does not move." for thread in view["standing"]]
    if view["station_read"] is False:
        wrong.append("The station is not read; the engine plays from what it kept.")
    if view["problem"]:
        wrong.append(view["problem"])
    for sentence in wrong:
        print(sentence, file=sys.stderr)
    for line in view.get("log", []):
        print(line)
