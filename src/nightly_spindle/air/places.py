"""Where the engine's lock and its control socket lie."""

from __future__ import annotations

import fcntl
import os
import tempfile
from hashlib import blake2s
from pathlib import Path
from typing import IO

from nightly_spindle.core.errors import AlreadyOnAir, EnvironmentFault, StorageFault


def socket_path(folder: Path) -> Path:
    """Return the control socket of the station: in the user's runtime folder, 0700."""
    base = os.environ.get("XDG_RUNTIME_DIR")
    user = f"nightly-spindle-{os.getuid()}"
    runtime = Path(base) / "nightly-spindle" if base else Path(tempfile.gettempdir()) / user
    runtime.mkdir(mode=0o700, parents=True, exist_ok=True)
    if runtime.stat().st_uid != os.getuid():
        raise EnvironmentFault(f"{runtime} belongs to another user; set XDG_RUNTIME_DIR")
    runtime.chmod(0o700)
    mark = blake2s(str(folder.resolve()).encode(), digest_size=8).hexdigest()
    return runtime / f"{mark}.sock"


class AirLock:
    """Held by the one engine of a station as long as it lives; the kernel lets go of it."""

    def __init__(self, folder: Path) -> None:
        self._path = folder / "air.lock"
        self._file: IO[str] | None = None

    def take(self) -> None:
        """Take the lock; AlreadyOnAir when another engine holds it."""
        try:
            file = self._path.open("a+", encoding="ascii")
        except OSError as error:
            raise StorageFault(f"{self._path} cannot be written: {error.strerror}") from error
        try:
            fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError as error:
            file.seek(0)
            pid = file.read().strip() or "unknown"
            file.close()
            raise AlreadyOnAir(
                f"{self._path.parent} is on air already (engine process {pid}); stop that one first"
            ) from error
        file.seek(0)
        file.truncate()
        file.write(f"{os.getpid()}\n")
        file.flush()
        self._file = file

    def release(self) -> None:
        """Let go of the lock."""
        if self._file is not None:
            self._file.close()
            self._file = None


def engine_pid(folder: Path) -> int | None:
    """Return the process that holds the station's lock, None when none does."""
    try:
        with (folder / "air.lock").open("r", encoding="ascii") as file:
            try:
                fcntl.flock(file, fcntl.LOCK_SH | fcntl.LOCK_NB)
            except BlockingIOError:
                text = file.read().strip()
                return int(text) if text.isdigit() else None
    except OSError:
        return None
    return None
