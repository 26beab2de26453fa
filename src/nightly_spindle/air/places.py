"""Where the engine's lock and its control socket lie."""

from __future__ import annotations

import contextlib
import logging
import os
import tempfile
from hashlib import blake2s
from pathlib import Path

from nightly_spindle.core.base.errors import AlreadyOnAir, EnvironmentFault, LockHeld, StorageFault
from nightly_spindle.store.base.lock import Lock, holder

_LOCK = "air.lock"
_LEFT = "left\n"
_log = logging.getLogger(__name__)


def socket_path(folder: Path) -> Path:
    """Return the control socket of the station: in the user's runtime folder, 0700.

    Where that cannot be had it lies below the folder for temporary files; EnvironmentFault when it
    cannot lie there either.
    """
    base = os.environ.get("XDG_RUNTIME_DIR")
    runtimes = [Path(base) / "nightly-spindle"] if base else []
    runtimes.append(Path(tempfile.gettempdir()) / f"nightly-spindle-{os.getuid()}")
    why = ""
    for runtime in runtimes:
        try:
            runtime.mkdir(mode=0o700, parents=True, exist_ok=True)
            if runtime.stat().st_uid != os.getuid():
                why = f"{runtime} belongs to another user"
                continue
            runtime.chmod(0o700)
        except OSError as error:
            why = f"{runtime} cannot be made ({error.strerror})"
            continue
        mark = blake2s(str(folder.resolve()).encode(), digest_size=8).hexdigest()
        return runtime / f"{mark}.sock"
    raise EnvironmentFault(f"{why}; set XDG_RUNTIME_DIR to a folder of your own")


class AirLock(Lock):
    """Held by the one engine of a station as long as it lives; the kernel lets go of it.

    It lies in the station's folder; where none can be made there, beside the control socket.
    """

    def __init__(self, folder: Path) -> None:
        super().__init__(folder / _LOCK)
        self._folder = folder

    def take(self) -> None:
        """Take the lock; AlreadyOnAir when another engine holds it."""
        try:
            try:
                super().take()
            except StorageFault as error:
                self.path = _other_lock(self._folder)
                _log.warning("%s; the lock is %s", error, self.path)
                super().take()
        except LockHeld as error:
            raise AlreadyOnAir(
                f"{self._folder} is on air already (engine process {error}); stop that one first"
            ) from error

    def release(self, *, left: bool = False) -> None:
        """Let go of the lock; `left`: the engine was told to leave, so none takes its place."""
        if left and self._file is not None:
            with contextlib.suppress(OSError):  # the disk is full, or read-only
                self.path.write_text(_LEFT, encoding="ascii")
        super().release()


def was_told_to_leave(folder: Path) -> bool:
    """Return whether the station's last engine left because it was told to."""
    for path in (folder / _LOCK, _other_lock(folder)):
        with contextlib.suppress(OSError):
            return path.read_text(encoding="ascii", errors="replace") == _LEFT
    return False


def engine_pid(folder: Path) -> int | None:
    """Return the process that holds the station's lock, None when none does."""
    pid = holder(folder / _LOCK)
    if pid is None and not (folder / _LOCK).exists():
        with contextlib.suppress(EnvironmentFault):
            pid = holder(_other_lock(folder))
    return pid


def _other_lock(folder: Path) -> Path:
    return socket_path(folder).with_suffix(".lock")
