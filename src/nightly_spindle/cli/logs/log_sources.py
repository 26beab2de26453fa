"""`log drop`: list, make, change and remove log drops."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

from nightly_spindle.cli.base.common import now_us, print_json
from nightly_spindle.cli.logs.logs import drop_named
from nightly_spindle.core.base.declared import changed_group, texts_of
from nightly_spindle.core.base.errors import SettingRefused
from nightly_spindle.core.base.timebase import US, iso, local_from
from nightly_spindle.core.calendar.dated_names import period_of
from nightly_spindle.core.calendar.name_readings import patterns_from
from nightly_spindle.core.logs.log_meanings import meaning_from
from nightly_spindle.core.logs.log_sample import worked_out
from nightly_spindle.core.station.log_sources import LogDrop, ReadingState
from nightly_spindle.store.base.station_folder import absolute
from nightly_spindle.store.base.transaction import LibraryTransaction
from nightly_spindle.store.logs.log_source_edits import remove_drop, save_drop
from nightly_spindle.store.programme.snapshot import Snapshot, open_station

if TYPE_CHECKING:
    import argparse
    from collections.abc import Sequence
    from zoneinfo import ZoneInfo


def drop(options: argparse.Namespace) -> int:
    """List the drops; with a name make or change one; with --remove take it out."""
    folder = Path(options.folder)
    snapshot = open_station(folder)
    if options.name is None:
        shown = list(snapshot.programme.drops.values())
    elif options.remove:
        gone = drop_named(snapshot, options.name)
        with LibraryTransaction(folder) as library:
            remove_drop(library, gone.id)
        if options.json:
            print_json({"removed": gone.name})
        return 0
    else:
        known = {one.name: one for one in snapshot.programme.drops.values()}
        was = known.get(options.name) or next(
            (one for one in known.values() if str(one.id) == options.name), None
        )
        changed = _changed(options, folder, was, snapshot.programme.settings.tz)
        if changed != was:
            with LibraryTransaction(folder) as library:
                number, _ = save_drop(library, changed)
            snapshot = open_station(folder)
            shown = [snapshot.programme.drops[number]]
        else:
            shown = [changed]
    views = [_view(snapshot, one) for one in shown]
    if options.json:
        print_json(views)
        return 0
    for view in views:
        print(f"{view['id']}  {view['name']}: {view['sentence']}")
        for log in view["tonight"]:
            near = f"; close: {'; '.join(log['differs'])}" if log["differs"] else ""
            print(f"    {log['slot']}  {log['file']}: {log['state']}{near}")
    return 0


def _changed(
    options: argparse.Namespace, station: Path, was: LogDrop | None, tz: ZoneInfo
) -> LogDrop:
    """Return the drop as the command line wants it; SettingRefused says what is wrong."""
    new = was or LogDrop(0, options.name, absolute(station, "logs"), "%Y-%m-%d.m3u")
    if was is None and not (options.pattern or options.like):
        raise SettingRefused(
            f"there is no log drop '{options.name}'; to make it, give --folder and --pattern, or "
            "--like with the name of one of its logs"
        )
    worked = worked_out(Path(options.sample)) if options.sample else {}
    given = [*options.set, *(f"{name}={text}" for name, text in worked.items())]
    group = changed_group(new.options, "drop", given)
    pattern = options.pattern or new.pattern
    if options.like:
        found = patterns_from(options.like, local_from(now_us(), tz))
        if not found:
            raise SettingRefused(
                f"no date is to be found in '{options.like}'; give --pattern with date parts"
            )
        pattern = found[0]
        if not any(text.partition("=")[0].strip() == "period" for text in given):
            group = replace(group, period=period_of(pattern))
    return replace(
        new,
        name=options.rename or new.name,
        folder=absolute(station, options.log_folder) if options.log_folder else new.folder,
        pattern=pattern,
        options=group,
        paths=_paths(station, options.path) if options.path else new.paths,
        meanings=tuple(map(meaning_from, options.meaning)) if options.meaning else new.meanings,
    )


def _paths(station: Path, given: Sequence[str]) -> tuple[tuple[str, str], ...]:
    found = []
    for text in given:
        written, equals, here = text.partition("=")
        if equals and here.strip() and written.strip():
            found.append((written.strip(), absolute(station, here.strip())))
        elif text != "none":
            raise SettingRefused(f"'{text}' is not like M:\\Music=/srv/music, or none")
    return tuple(found)


def _view(snapshot: Snapshot, one: LogDrop) -> dict[str, Any]:
    tz = snapshot.programme.settings.tz
    now = now_us()
    slots = snapshot.programme.coming(one, now, now + 24 * 3600 * US)
    options = {name[5:]: text for name, text in texts_of(one.options, "drop").items()}
    readings = snapshot.logs.look([(one, slot) for slot in slots])
    return {
        "id": one.id,
        "name": one.name,
        "folder": one.folder,
        "pattern": one.pattern,
        "sentence": one.sentence(),
        "options": options,
        "paths": [list(pair) for pair in one.paths],
        "meanings": [row.sentence() for row in one.meanings],
        "tonight": [
            {
                "slot": reading.slot.text,
                "at": iso(reading.slot.start_us, tz),
                "file": reading.file,
                "state": "found" if reading.state is ReadingState.READ else str(reading.state),
                "differs": [near.text for near in reading.slips],
            }
            for reading in readings
        ],
    }
