"""`handover`: the operator leaves; what is known and planned is written down."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from nightly_spindle.air.client import ask
from nightly_spindle.air.messages import SetUnattended
from nightly_spindle.air.places import engine_pid
from nightly_spindle.cli.base.begun_sequencer import begin
from nightly_spindle.cli.base.common import checked_length, print_json
from nightly_spindle.core.reports.handover import handover_of, handover_text, handover_values
from nightly_spindle.core.reports.timeline import night_of
from nightly_spindle.core.reports.tonight import Answer, tonight_of
from nightly_spindle.store.reports.findings_left import read_left
from nightly_spindle.store.reports.handovers import write_handover

if TYPE_CHECKING:
    import argparse

_LONGEST_H = 48.0


def handover(options: argparse.Namespace) -> int:
    """Hand the station over; the exit status is that of `tonight`."""
    hours = checked_length(options.hours, "hours", _LONGEST_H)
    folder = Path(options.folder)
    if engine_pid(folder) is not None:
        ask(folder, SetUnattended(True))
    snapshot, sequencer, begun = begin(options.folder, None, hours, watching=True)
    settings = snapshot.programme.settings
    night = night_of(snapshot.programme, sequencer, begun, hours)
    found = tonight_of(night, settings.tz, read_left(snapshot.connection))
    one = handover_of(found, night, night.from_us)
    written = write_handover(folder, one, settings.name, settings.tz)
    if options.json:
        print_json({"file": str(written), **handover_values(one)})
    else:
        print(handover_text(one, settings.name, settings.tz), end="")
    return 1 if found.answer is Answer.NEEDS_YOU else 0
