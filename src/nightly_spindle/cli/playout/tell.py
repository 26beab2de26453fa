"""`tell`, `status`."""

from __future__ import annotations

import sys
from datetime import datetime
from pathlib import Path
from typing import TYPE_CHECKING, Any

from nightly_spindle.air.client import ask, look_for_engine
from nightly_spindle.cli.base.common import print_json
from nightly_spindle.core.base.errors import NotOnAir
from nightly_spindle.core.base.timebase import US, clock, iso, length, zone
from nightly_spindle.core.outputs.output_health import heard_by
from nightly_spindle.core.reports.json_views import sight_view
from nightly_spindle.store.base.messages import last_messages

if TYPE_CHECKING:
    import argparse
    from zoneinfo import ZoneInfo

    from nightly_spindle.air.messages import EngineState


def tell(options: argparse.Namespace) -> int:
    """Tell a running engine to do something."""
    folder = Path(options.folder)
    look_for_engine(folder)
    from nightly_spindle.air.messages import HANDS, SetUnattended

    if options.order in {"attended", "unattended"}:
        ask(folder, SetUnattended(options.order == "unattended"))
    else:
        ask(folder, HANDS[options.order])
    if options.json:
        print_json({"told": options.order})
    return 0


def status(options: argparse.Namespace) -> int:
    """Say what is on air; exit status 1 when no engine runs."""
    folder = Path(options.folder)
    try:
        look_for_engine(folder)
        from nightly_spindle.air.messages import State

        answer = ask(folder, State())
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
        _say(view, zone(answer.timezone))
    return 0


def _view(answer: EngineState) -> dict[str, Any]:
    """Return what an engine says of itself, as JSON."""
    tz, state, sight = zone(answer.timezone), answer.state, answer.sight
    playing, left = state.order.playing, None
    if playing is not None and sight is not None:
        gone = (sight.frame - playing.start + playing.begin) / state.clock.rate
        left = round(max(0.0, playing.item.measure.cue_out_s - gone), 3)
    item = playing.item if playing is not None else None
    outputs = sight.outputs if sight is not None else ()
    heard = heard_by(outputs)
    return {
        "pid": answer.pid,
        "now": iso(sight.now_us, tz) if sight and sight.now_us else None,
        "unattended": state.order.unattended,
        "stopped": state.order.stopped,
        "cart": item.cart if item else None,
        "title": item.title if item else None,
        "artist": item.artist if item else None,
        "now_playing": (sight.shown if sight else "") or None,
        "left_s": left,
        "lined_up": len(state.order.upcoming),
        "late_blocks": sight.late_blocks if sight else 0,
        "underruns": sight.underruns if sight else 0,
        "problem": (sight.problem if sight else "") or None,
        "simulated": sight.simulated if sight else None,
        "heard": list(heard.by) or None,
        "heard_text": heard.text,
        "heard_since": iso(heard.since_us, tz) if heard.since_us else None,
        "outputs": [sight_view(one, tz) for one in outputs],
        "station_read": sight.whole if sight else None,
        "standing": list(sight.standing) if sight else [],
        "away": [
            {"folder": one.folder, "since": iso(one.since_us, tz), "why": one.why}
            for one in answer.away
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
    print(f"{view['heard_text'][:1].upper()}{view['heard_text'][1:]}.")
    wrong = [f"The folder {one['folder']} is away: {one['why']}." for one in view["away"]]
    wrong += [
        f"The output “{one['name']}” is down: {one['problem']}. {one['mend']}"
        for one in view["outputs"]
        if one["problem"]
    ]
    wrong += [f"The {thread} does not move." for thread in view["standing"]]
    if view["station_read"] is False:
        wrong.append("The station is not read; the engine plays from what it kept.")
    if view["problem"]:
        wrong.append(view["problem"])
    for sentence in wrong:
        print(sentence, file=sys.stderr)
    for line in view.get("log", []):
        print(line)
