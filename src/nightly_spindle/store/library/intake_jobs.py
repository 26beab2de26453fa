"""Intake jobs: the watched folders of a station."""

from __future__ import annotations

import json
import os
from typing import TYPE_CHECKING

from sqlalchemy import select
from sqlalchemy.dialects.sqlite import insert

from nightly_spindle.core.base.errors import InputFault
from nightly_spindle.core.library.intake import IntakeJob, options_values
from nightly_spindle.store.base import tables as t
from nightly_spindle.store.base.station_folder import absolute
from nightly_spindle.store.library.intake_reading import job_from

if TYPE_CHECKING:
    from nightly_spindle.store.base.transaction import LibraryTransaction


def intake_jobs(library: LibraryTransaction) -> list[IntakeJob]:
    """Return the jobs by name, folders as absolute paths."""
    rows = library.rows(select(t.intake_job).order_by(t.intake_job.c.name))
    return [job_from(library.folder, row) for row in rows]


def save_job(library: LibraryTransaction, job: IntakeJob) -> int:
    """Write a job, a new one when its id is 0; InputFault says what speaks against it."""
    name, folder = " ".join(job.name.split()), job.folder.strip()
    if not name:
        raise InputFault("an intake job needs a name")
    if not folder:
        raise InputFault(f"the intake job “{name}” needs a folder to watch")
    whole = os.path.realpath(absolute(library.folder, folder))
    if os.path.realpath(library.folder / "audio") == whole:
        raise InputFault(f"{folder} is the station's own audio; watch a folder of arrivals")
    for other in intake_jobs(library):
        if other.id == job.id:
            continue
        if other.name.casefold() == name.casefold():
            raise InputFault(f"there is an intake job “{other.name}” already; choose another name")
        if job.enabled and other.enabled and _share(job, whole, other):
            raise InputFault(
                f"{folder} is watched by “{other.name}” already; a file can be imported by one "
                "job only: choose another folder, or stop that job"
            )
    values = {
        "name": name,
        "folder": folder,
        "options": json.dumps(options_values(job.options), ensure_ascii=False),
        "subfolders": job.subfolders,
        "enabled": job.enabled,
    }
    library.version()
    if job.id:
        library.run(t.intake_job.update().where(t.intake_job.c.id == job.id).values(**values))
        return job.id
    return int(library.run(insert(t.intake_job).values(**values)).inserted_primary_key[0])


def _share(job: IntakeJob, whole: str, other: IntakeJob) -> bool:
    """Whether two jobs would both see a file."""
    theirs = os.path.realpath(other.folder)
    return (
        whole == theirs
        or (other.subfolders and whole.startswith(theirs + "/"))
        or (job.subfolders and theirs.startswith(whole + "/"))
    )


def remove_job(library: LibraryTransaction, job_id: int) -> None:
    """End a job; what it took in stays."""
    library.version()
    library.run(t.intake_job.delete().where(t.intake_job.c.id == job_id))
