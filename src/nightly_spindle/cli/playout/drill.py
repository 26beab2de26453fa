"""`drill`: the coming hours with one thing broken on purpose."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from nightly_spindle.cli.base.begun_sequencer import begin
from nightly_spindle.cli.base.common import checked_length, instant, print_json
from nightly_spindle.core.base.errors import InputFault
from nightly_spindle.core.base.timebase import US, iso, local_from
from nightly_spindle.core.playout.drills import BREAKS_US, Drill, DrillResult, run_drill
from nightly_spindle.core.reports.drilled import compared, drilled_of, worst_sentence

if TYPE_CHECKING:
    import argparse
    from zoneinfo import ZoneInfo

_LONGEST_H = 48.0


def drill(options: argparse.Namespace) -> int:
    """Run a drill, or all of them; the exit status is 1 when listeners would hear silence."""
    hours = checked_length(options.hours, "hours", _LONGEST_H)
    wanted = [Drill(options.name)] if options.name else list(Drill)
    results = []
    for name in wanted:
        snapshot, sequencer, begun = begin(options.folder, options.from_, hours, watching=True)
        tz, now = snapshot.programme.settings.tz, sequencer.state.clock.now_us
        at = instant(options.at, tz) if options.at else now + BREAKS_US
        if not now <= at < now + round(hours * 3600) * US:
            raise InputFault(f"--at must be within the {hours:g} hours from now on")
        results.append(run_drill(snapshot.programme, sequencer, begun, hours, name, at))
        snapshot.connection.close()
    if options.json:
        print_json([view(one, tz) for one in results])
    else:
        found = [drilled_of(one) for one in results]
        for told in compared(found) or found:
            breaks = f"{local_from(told.at_us, tz):%H:%M}"
            print(f"{told.drill:<9} {breaks}  {told.what}: {told.sentence}.")
        if len(found) > 1:
            print(worst_sentence(found))
    undisturbed = next((one.longest_s for one in results if one.drill is Drill.NOTHING), 0.0)
    return 1 if max(one.longest_s for one in results) > undisturbed + 1 else 0


def view(one: DrillResult, tz: ZoneInfo) -> dict[str, Any]:
    """Return a result as it is printed with `--json`."""
    return {
        "drill": str(one.drill),
        "what": one.what,
        "at": iso(one.at_us, tz),
        "silent_s": round(one.silent_s, 3),
        "longest_s": round(one.longest_s, 3),
        "tone_s": round(one.tone_s, 3),
        "safety_net_s": round(one.net_s, 3),
        "lost": one.lost,
    }
