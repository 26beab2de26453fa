"""`outputs`: where the sound goes, and how that does."""

from __future__ import annotations

import time
from contextlib import closing
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

from nightly_spindle.air.client import ask
from nightly_spindle.air.messages import State
from nightly_spindle.cli.base.common import answer, checked_length, print_json
from nightly_spindle.cli.base.passwords import password_from
from nightly_spindle.core.base.declared import changed_group
from nightly_spindle.core.base.errors import InputFault, NotOnAir
from nightly_spindle.core.base.timebase import short_date
from nightly_spindle.core.base.wording import counted
from nightly_spindle.core.outputs.output_health import heard_by
from nightly_spindle.core.outputs.outputs import (
    GROUPS,
    Output,
    OutputKind,
    output_sentence,
    output_values,
    outputs_sentence,
)
from nightly_spindle.core.reports.json_views import sight_view
from nightly_spindle.outputs.trying import try_output
from nightly_spindle.store.base.database import connect
from nightly_spindle.store.base.station_folder import read_settings
from nightly_spindle.store.base.transaction import LibraryTransaction
from nightly_spindle.store.outputs.outputs import (
    find_output,
    read_outputs,
    save_output,
)
from nightly_spindle.store.outputs.outputs import (
    remove_output as take_out,
)
from nightly_spindle.store.outputs.passwords import forget_password, password_of, set_password

if TYPE_CHECKING:
    import argparse

    from nightly_spindle.air.messages import EngineStatus
    from nightly_spindle.core.outputs.output_health import OutputSight
    from nightly_spindle.core.station.settings import StationSettings


def known(folder: Path) -> tuple[Output, ...]:
    """Return a station's outputs."""
    with closing(connect(folder)) as connection:
        return read_outputs(connection)


def _sight(folder: Path) -> EngineStatus | None:
    """Return how a running engine does, None when none runs."""
    try:
        return ask(folder, State()).sight
    except NotOnAir:
        return None


def _running(folder: Path) -> dict[int, OutputSight]:
    sight = _sight(folder)
    return {one.id: one for one in sight.outputs} if sight is not None else {}


def list_outputs(options: argparse.Namespace) -> int:
    """List the outputs, each with its sentence and how it does."""
    folder = Path(options.folder)
    settings, outputs, running = read_settings(folder), known(folder), _running(folder)
    if options.json:
        print_json([_view(folder, settings, one, running.get(one.id)) for one in outputs])
        return 0
    for one in outputs:
        _print(folder, settings, one, running.get(one.id))
    said = heard_by(running.values()).text if running else outputs_sentence(outputs)
    print(f"{said[:1].upper()}{said[1:].rstrip('.')}.")
    return 0


def _view(
    folder: Path, settings: StationSettings, output: Output, sight: OutputSight | None
) -> dict[str, Any]:
    secret = output.kind is OutputKind.STREAM and password_of(folder, output.id) is not None
    return {
        **output_values(output),
        "sentence": output_sentence(output, settings.name, password=secret),
        "password_set": secret if output.kind is OutputKind.STREAM else None,
        "now": sight_view(sight, settings.tz) if sight is not None else None,
    }


def _print(
    folder: Path, settings: StationSettings, output: Output, sight: OutputSight | None
) -> None:
    secret = output.kind is OutputKind.STREAM and password_of(folder, output.id) is not None
    sentence = output_sentence(output, settings.name, password=secret)
    print(f"{output.id}  {output.name} ({output.kind}): {sentence}")
    if sight is None:
        return
    since = short_date(sight.since_us, settings.tz)
    more = [f"{counted(sight.late, 'block')} late"] if sight.late else []
    more += [f"restarted {counted(sight.again, 'time')}"] if sight.again else []
    more += [f"{sight.delay_s:.1f} s behind"] if sight.delay_s is not None else []
    print(f"   {', '.join([f'{sight.state} since {since}', *more])}")
    if sight.problem:
        print(f"   {sight.problem}. {sight.mend}")


def set_output(options: argparse.Namespace) -> int:
    """Make an output, or change the one of that name or number."""
    folder = Path(options.folder)
    secret = password_from(options.password_from) if options.password_from else None
    was = next((one for one in known(folder) if options.name in {one.name, str(one.id)}), None)
    if was is None and not options.kind:
        kinds = ", ".join(GROUPS)
        raise InputFault(f"there is no output “{options.name}”; a new one needs --kind: {kinds}")
    if was is not None and options.kind and OutputKind(options.kind) is not was.kind:
        raise InputFault(f"the output “{was.name}” is a {was.kind}; make another one instead")
    made = was or Output(0, options.name, GROUPS[OutputKind(options.kind)]())
    made = replace(made, options=changed_group(made.options, "output", options.set))
    if options.rename:
        made = replace(made, name=options.rename)
    if options.on or options.off:
        made = replace(made, on=bool(options.on))
    if secret is not None and made.kind is not OutputKind.STREAM:
        raise InputFault(f"a {made.kind} has no password; only a stream has one")
    with LibraryTransaction(folder) as library:
        number, _ = save_output(library, made)
    if was is None and secret is None:
        forget_password(folder, number)  # of one that had its number before
    kept = set_password(folder, number, secret) if secret is not None else ""
    settings, made = read_settings(folder), replace(made, id=number)
    if options.json:
        print_json(_view(folder, settings, made, None))
        return 0
    _print(folder, settings, made, None)
    if kept:
        print(f"   Its password is kept in {kept}.")
    return 0


def remove_output(options: argparse.Namespace) -> int:
    """Take an output out, and forget its password."""
    folder = Path(options.folder)
    found = find_output(known(folder), options.output)
    with LibraryTransaction(folder) as library:
        take_out(library, found.id)
    if found.kind is OutputKind.STREAM:
        forget_password(folder, found.id)
    return answer(
        options,
        {"removed": found.id, "name": found.name},
        f"The output “{found.name}” is gone, and its password with it.",
    )


def test_output(options: argparse.Namespace) -> int:
    """Try an output; exit status 1 when it does not work."""
    folder = Path(options.folder)
    found = find_output(known(folder), options.output)
    running = _running(folder).get(found.id)
    secret = password_of(folder, found.id)
    tried = try_output(found, read_settings(folder).rate, folder, secret, running)
    if options.json:
        print_json({"works": tried.good, "text": tried.text, "mend": tried.mend or None})
    else:
        print(f"{tried.text} {tried.mend}".strip())
    return 0 if tried.good else 1


def meter(options: argparse.Namespace) -> int:
    """Print level and state of the outputs once a second."""
    folder = Path(options.folder)
    end = time.monotonic() + checked_length(options.seconds, "seconds", 1e7)
    settings = read_settings(folder)
    while True:
        sight = ask(folder, State()).sight
        if sight is not None:
            left, right = sight.peak_db
            if options.json:
                seen = [sight_view(one, settings.tz) for one in sight.outputs]
                print_json({"peak_db": [left, right], "shown": sight.shown, "outputs": seen})
            else:
                seen_text = ", ".join(f"{one.name} {one.state}" for one in sight.outputs)
                print(f"{left:6.1f} {right:6.1f} dB  {seen_text}  {sight.shown}", flush=True)
        if time.monotonic() >= end:
            return 0
        time.sleep(min(1.0, max(0.0, end - time.monotonic())))
