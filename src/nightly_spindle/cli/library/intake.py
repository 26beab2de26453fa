"""`intake run`, `intake jobs`, `intake job`, `intake end`, `intake report`."""

from __future__ import annotations

from dataclasses import fields, replace
from pathlib import Path
from typing import TYPE_CHECKING

from nightly_spindle.cli.base.common import answer, print_json
from nightly_spindle.core.base.errors import InputFault
from nightly_spindle.core.base.timebase import iso
from nightly_spindle.core.library.intake import (
    IntakeJob,
    IntakeOptions,
    options_from,
    options_values,
)
from nightly_spindle.store.base.transaction import LibraryTransaction
from nightly_spindle.store.library import arrivals, intake_jobs
from nightly_spindle.store.programme.snapshot import open_station

if TYPE_CHECKING:
    import argparse


def run(options: argparse.Namespace) -> int:
    """Watch the folders and take audio in, until told to leave."""
    from nightly_spindle.core.base.errors import LockHeld
    from nightly_spindle.intake.service import serve

    try:
        return serve(Path(options.folder), with_parent=options.with_parent)
    except LockHeld as held:
        raise InputFault(f"the intake of {options.folder} runs already (process {held})") from held


def list_jobs(options: argparse.Namespace) -> int:
    """List the intake jobs."""
    with LibraryTransaction(Path(options.folder)) as library:
        found = intake_jobs.intake_jobs(library)
    if options.json:
        print_json(
            [
                {
                    "name": job.name,
                    "folder": job.folder,
                    "there": Path(job.folder).is_dir(),
                    "subfolders": job.subfolders,
                    "enabled": job.enabled,
                    **options_values(job.options),
                }
                for job in found
            ]
        )
        return 0
    for job in found:
        off = "" if job.enabled else " (off)"
        print(f"{job.name}{off}: {job.sentence()}")
    return 0


def save(options: argparse.Namespace) -> int:
    """Make an intake job, or change what is said of the one of that name."""
    names = [spec.name for spec in fields(IntakeOptions)]
    said = {name: getattr(options, name) for name in names if getattr(options, name) is not None}
    with LibraryTransaction(Path(options.folder)) as library:
        known = [
            j
            for j in intake_jobs.intake_jobs(library)
            if j.name.casefold() == options.name.casefold()
        ]
        before = known[0] if known else IntakeJob(0, options.name, "")
        job = replace(
            before,
            folder=options.watched or before.folder,
            options=options_from({**options_values(before.options), **said}),
            subfolders=not options.no_subfolders,
            enabled=not options.off,
        )
        intake_jobs.save_job(library, job)
    return answer(options, {"name": job.name, "sentence": job.sentence()}, job.sentence())


def end(options: argparse.Namespace) -> int:
    """End an intake job."""
    with LibraryTransaction(Path(options.folder)) as library:
        found = [
            j
            for j in intake_jobs.intake_jobs(library)
            if j.name.casefold() == options.name.casefold()
        ]
        if not found:
            raise InputFault(f"there is no intake job “{options.name}”")
        intake_jobs.remove_job(library, found[0].id)
    if options.json:
        print_json({"ended": found[0].name})
    return 0


def report(options: argparse.Namespace) -> int:
    """List what arrived, the newest last."""
    folder = Path(options.folder)
    tz = open_station(folder).programme.settings.tz
    with LibraryTransaction(folder) as library:
        names = {job.id: job.name for job in intake_jobs.intake_jobs(library)}
        found = arrivals.last(library, options.most, options.state)
    if options.json:
        print_json(
            [
                {
                    "at": iso(one.at_us, tz),
                    "job": names.get(one.job_id or 0),
                    "path": one.path,
                    "state": str(one.state),
                    "cart": one.cart,
                    "why": one.why or None,
                }
                for one in found
            ]
        )
        return 0
    for one in found:
        why = f": {one.why}" if one.why else ""
        print(f"{iso(one.at_us, tz)}  {one.state:<9} {one.cart or '':>6}  {one.path}{why}")
    return 0
