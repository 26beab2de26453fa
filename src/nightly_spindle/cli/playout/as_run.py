"""`asrun`: what did air, looked through, added up; the alarms."""

from __future__ import annotations

import sys
from contextlib import closing
from dataclasses import asdict
from pathlib import Path
from typing import TYPE_CHECKING, Any

from nightly_spindle.cli.base.common import instant, now_us, print_json
from nightly_spindle.core.base.timebase import iso
from nightly_spindle.core.reports.as_run import as_run_view
from nightly_spindle.core.reports.uses import as_run_table, found_in, use_table
from nightly_spindle.store.base.database import connect
from nightly_spindle.store.base.station_folder import read_settings
from nightly_spindle.store.playout.journal import alarms_between, as_run_between
from nightly_spindle.store.reports.uses import read_uses

if TYPE_CHECKING:
    import argparse
    import sqlite3
    from zoneinfo import ZoneInfo

    from nightly_spindle.core.reports.as_run import Alarm


def list_as_run(options: argparse.Namespace) -> int:
    """List what did air, or the alarms, or how often each song was heard."""
    folder = Path(options.folder)
    tz = read_settings(folder).tz
    since = instant(options.from_, tz)
    until = now_us() if options.to is None else instant(options.to, tz)
    with closing(connect(folder)) as connection:
        if options.alarms:
            _print_alarms(connection, since, until, tz, json=options.json)
        elif options.use:
            found = read_uses(connection, since, until)
            if options.json:
                print_json([asdict(one) for one in found])
            else:
                sys.stdout.write(use_table(found))
        else:
            _print_lines(connection, since, until, tz, options)
    return 0


def _print_alarms(
    connection: sqlite3.Connection, since: int, until: int, tz: ZoneInfo, *, json: bool
) -> None:
    alarms = alarms_between(connection, since, until)
    if json:
        print_json([_alarm_view(alarm, tz) for alarm in alarms])
        return
    for alarm in alarms:
        told = alarm.told(tz)
        print(f"{iso(alarm.at_us, tz)}  {alarm.severity}: {told} {alarm.mend}")


def _print_lines(
    connection: sqlite3.Connection,
    since: int,
    until: int,
    tz: ZoneInfo,
    options: argparse.Namespace,
) -> None:
    runs = as_run_between(connection, since, until)
    lines = [as_run_view(run, tz) for run in runs if found_in(run, options.find)]
    if options.csv:
        sys.stdout.write(as_run_table(lines))
    elif options.json:
        print_json(lines)
    else:
        for line in lines:
            note = f"  [{line['state']}{': ' if line['note'] else ''}{line['note']}]"
            title = f"{line['artist']} - {line['title']}" if line["artist"] else line["title"]
            print(f"{line['start']}  {title}  ({line['origin']}){note}")


def _alarm_view(alarm: Alarm, tz: ZoneInfo) -> dict[str, Any]:
    """Return an alarm as JSON; `last` is null where it happened once."""
    return {
        "at": iso(alarm.at_us, tz),
        "code": alarm.code,
        "severity": alarm.severity,
        "text": alarm.text,
        "mend": alarm.mend,
        "times": alarm.times,
        "last": iso(alarm.last_us, tz) if alarm.last_us else None,
    }
