"""`station autostart`, `station folders`."""

from __future__ import annotations

from dataclasses import asdict
from pathlib import Path
from typing import TYPE_CHECKING

from nightly_spindle.cli.base.common import answer, checked_length
from nightly_spindle.core.base.errors import InputFault
from nightly_spindle.core.base.wording import counted

if TYPE_CHECKING:
    import argparse

    from nightly_spindle.store.library.audio_folders import AudioFolder


def autostart(options: argparse.Namespace) -> int:
    """Say how the engine starts with the computer, after switching it on or off."""
    from nightly_spindle.air.autostart import autostart_of, switch_off, switch_on
    from nightly_spindle.store.base.station_folder import read_settings

    folder = Path(options.folder)
    settings = read_settings(folder)  # says so when there is no station
    if options.switch == "on":
        if settings.copy_of:
            raise InputFault(f"this is a copy of {settings.copy_of}: it does not go on air")
        delay = options.after and checked_length(options.after, "seconds", 3600.0)
        found = switch_on(folder, delay)
    else:
        found = switch_off(folder) if options.switch == "off" else autostart_of(folder)
    said = found.sentence()
    if found.problem:
        said = f"{said}\n{found.problem[:1].upper()}{found.problem[1:]}."
    return answer(options, {**asdict(found), "sentence": found.sentence()}, said)


def folders(options: argparse.Namespace) -> int:
    """List the folders with audio, after pointing one at another place."""
    from nightly_spindle.store.library.audio_folders import audio_folders

    folder = Path(options.folder)
    found = audio_folders(folder)
    if options.move:
        _move(folder, found, *options.move, even_so=options.even_so)
        found = audio_folders(folder)
    said = [
        f"{one.path}: {counted(one.items, 'item')}{f', {one.why}' if one.why else ''}"
        for one in found
    ]
    return answer(options, [asdict(one) for one in found], "\n".join(said) or "No audio yet.")


def _move(folder: Path, found: list[AudioFolder], old: str, new: str, *, even_so: bool) -> None:
    from nightly_spindle.store.base.transaction import LibraryTransaction
    from nightly_spindle.store.library.audio_folders import move_folder, prove_move

    was = next((one for one in found if Path(one.path) == Path(old).absolute()), None)
    if was is None:
        raise InputFault(f"no audio is played from {old}; there are "
                         f"{', '.join(one.path for one in found) or 'none'}")  # fmt: skip
    target = Path(new).absolute()
    proof = prove_move(folder, was.id, target)
    if not proof.whole and not even_so:
        raise InputFault(
            f"{target} is not the same: {proof.sentence()} Add --even-so to move anyway"
        )
    with LibraryTransaction(folder) as library:
        move_folder(library, was.id, target)
